"""What a control sets, guessed from its name: a proposal only where the name is plain."""

import pytest

from lumenar.core.menu.role_guess import guess_role, guess_roles
from lumenar.core.menu.roles import role_of


@pytest.mark.parametrize(
    "path, role",
    [
        ("R Gain", "red gain"), ("Picture > White > Green gain", "green gain"), ("RGB Gain > Blue", "blue gain"),
        ("2 point > B-High", "blue gain"), ("White > B Offset", "blue offset"), ("Offset > R", "red offset"),
        ("Expert > Red cut", "red offset"), ("Six colours > Cyan > Hue", "cyan hue"), ("Hue > Magenta", "magenta hue"),
        ("Red Saturation", "red saturation"), ("Six colours > Y Lightness", "yellow lightness"),
        ("Picture > Backlight", "luminance"), ("Picture > Light", "luminance"), ("Gamma", "tone"), ("EOTF", "tone"),
        ("Shadow detail", "shadows"), ("Colour temperature", "white"), ("Color Temp", "white"), ("Warmth", "white"),
    ],
)  # fmt: skip
def test_plain_names_are_understood(path, role):
    assert guess_role(path) == role and role_of(role) is not None


@pytest.mark.parametrize(
    "path",
    ["Sharpness", "Contrast", "Blue filter", "Blue light", "R", "Picture > Blue", "White > Blue", "Colour > Tint", "Low latency",
     "Colour > Saturation", "Brightness", "Night light timer", "Green IT mode"],
)  # fmt: skip
def test_names_that_may_mean_anything_are_left_alone(path):
    assert guess_role(path) is None


def test_one_control_alone_sets_the_luminance():
    assert guess_roles(["Brightness", "Contrast"]) == {"Brightness": "luminance"}
    assert guess_roles(["Brightness", "Backlight"]) == {"Backlight": "luminance"}, "there brightness is for black"
    assert guess_roles(["System > Light", "Picture > Backlight", "Red gain"]) == {
        "Picture > Backlight": "luminance", "Red gain": "red gain",
    }  # fmt: skip
    assert guess_roles([]) == {}
