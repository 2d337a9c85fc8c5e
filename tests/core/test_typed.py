"""Readings as typed: what they may look like, what cannot be, and what is asked about."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.colour.spaces import XYZ_to_uv, XYZ_to_xy
from lumenar.core.colour.transfer import pq
from lumenar.core.readings.typed_readings import Typed, TypedError, numbers, parse, question

GREY, WHITE = (0.5, 0.5, 0.5), (1.0, 1.0, 1.0)


@pytest.mark.parametrize(
    "text",
    [
        "95.05 100 108.9",
        "95,05 100 108,9",
        "95.05, 100, 108.9",
        "95.05,100,108.9",
        " 95.05\t100\t108.9 ",
        "95,05; 100; 108,9",
    ],
)
def test_a_reading_is_read_in_any_usual_dress(text):
    assert parse(text, "XYZ").XYZ == (95.05, 100.0, 108.9)


@pytest.mark.parametrize("text", ["0", "0.000", "-", "low", "<0.003", "< 0,01"])
def test_under_the_floor_can_be_said(text):
    assert parse(text, "XYZ").XYZ is None


@pytest.mark.parametrize(
    ("text", "form", "said"),
    [
        ("", "XYZ", "nothing is typed"),
        ("12.3", "XYZ", "1 number, but X Y Z takes three"),
        ("1 2 3 4", "Yxy", "4 numbers, but Y x y takes three"),
        ("95,05,100,108,9", "XYZ", "5 numbers"),
        ("12 green 3", "XYZ", "'green' is no number"),
        ("1 nan 2", "XYZ", "'nan' is no number"),
        ("1e9 1e9 1e9", "XYZ", "more than any display"),
        ("5 -2 5", "XYZ", "less than noise"),
        ("95.05 100 108.9", "Yxy", "are these X Y Z"),
        ("100 0.7 0.5", "Yxy", "is no colour"),
        ("100 0.2 0.9", "Yuv", "is no colour"),
    ],
)
def test_what_cannot_be_a_reading_is_said(text, form, said):
    with pytest.raises(TypedError, match=said):
        parse(text, form)


@given(st.floats(0.01, 5000), st.floats(0.16, 0.5), st.floats(0.2, 0.35))
def test_every_form_is_the_same_light(Y, x, y):
    XYZ = np.array(parse(f"{Y!r} {x!r} {y!r}", "Yxy").XYZ)
    assert XYZ[1] == Y
    np.testing.assert_allclose(XYZ_to_xy(XYZ), [x, y], rtol=1e-9)
    u, v = XYZ_to_uv(XYZ)
    np.testing.assert_allclose(parse(f"{Y!r} {float(u)!r} {float(v)!r}", "Yuv").XYZ, XYZ, rtol=1e-9, atol=1e-9)


def test_numbers_of_one_comma_are_decimals_of_several_are_lists():
    assert numbers("12,5 13 14") == [12.5, 13, 14] and numbers("12,13,14") == [12, 13, 14]


def typed(Y):
    return Typed(None if Y is None else (Y, Y, Y))


def test_what_is_odd_is_asked_about():
    others = [(WHITE, 100.0), ((0.2, 0.2, 0.2), 3.0)]
    assert question(GREY, typed(21.0), others) == ""
    assert question(GREY, typed(2.0), others) == "Darker than 20 % with 3.00 cd/m². Is it so?"
    assert question(GREY, typed(120.0), others) == "Brighter than 100 % with 100 cd/m². Is it so?"
    assert question((1.0, 0, 0), typed(110.0), others) == "Brighter than white with 100 cd/m². Is it so?"
    assert question((1.0, 0, 0), typed(21.0), others) == "" and question((0.0, 0, 0), typed(None), others) == ""
    assert question((0.9, 0, 0), typed(None), []) == "Under the meter's floor at so much signal. Is it so?"
    assert question(GREY, typed(5.0), [(WHITE, 100.0)]) == "That would be a gamma of 4.3 here. Is it so?"
    # Noise is no question.
    assert question(GREY, typed(19.9), [(WHITE, 100.0), ((0.4, 0.4, 0.4), 20.0)]) == ""


def test_a_grey_of_pq_is_asked_about_by_the_light_it_asks_for():
    """No gamma is spoken of where light is absolute: a display that ends at 640 cd/m2 is nothing to ask about, a slip is."""
    codes = [0.0, 0.2, 0.3, 0.4, 0.5, 0.58, 0.65, 0.7, 0.8, 0.9, 1.0]
    light = {(v, v, v): min(float(pq(v)), 640.0) for v in codes}

    def asked(v, Y, signal="pq"):
        return question((v, v, v), Typed((Y, Y, Y)), [(k, y) for k, y in light.items() if k != (v, v, v)], signal)

    assert not any(asked(v, light[v, v, v]) for v in codes[1:])
    assert asked(0.5, 35.0) == "It asks for 92.2 cd/m². Is it so?"
    assert asked(0.3, 30.0) == "It asks for 10.0 cd/m². Is it so?"
    # It may roll off from well below its end.
    assert not asked(0.65, 300.0)
    assert asked(0.8, 640.0, "sdr").startswith("That would be a gamma")
    assert not asked(0.8, 640.0, "hlg")
