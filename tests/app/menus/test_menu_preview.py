"""A pasted menu as it is shown before a review starts, and roles that a person confirmed."""

import pytest

from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError
from lumenar.app.menus import menu_preview
from lumenar.app.setups import new_display
from lumenar.app.setups.new_display import NewDisplay
from lumenar.store import reviews

CONTROLS = """Picture
  Backlight 0..100 step 5 = 80
  R gain 0 to 100 = 50
  Tone 2.0 [2.2] 2.4 (tone)
  White table 5 10 x Red Green -9..9
Saving low off*
Saving = low locks Backlight
Saving resets Tone
"""


def test_everything_that_was_understood_is_shown_and_nothing_stored(app):
    read = menu_preview.read_menu(app, "Film, srgb\n  Backlight = 60\n  locks Tone\nGame, pq", CONTROLS, "monitor")
    assert [(m.name, m.signal, m.own, m.locks) for m in read.modes] == [
        ("Film", "sdr", {"Picture > Backlight": "60"}, 1), ("Game", "pq", {}, 0),
    ]  # fmt: skip
    shown = {c.path: (c.values, c.default, c.role, c.guessed) for c in read.controls}
    assert shown == {
        "Picture > Backlight": ("0 to 100 in steps of 5", "80", None, "luminance"),
        "Picture > R gain": ("0 to 100", "50", None, "red gain"),
        "Picture > Tone": ("2.0 · 2.2 · 2.4", "2.2", "tone", None),
        "Saving": ("low · off", "off", None, None),
    }
    assert read.tables == {"Picture > White table": 4}
    assert read.rules == ["Saving = low locks Picture > Backlight", "Saving resets Picture > Tone"]
    assert reviews.review_ids(app.db.connection()) == []


@pytest.mark.parametrize(
    "modes, controls, kind, place",
    [
        ("Film, nonsense", "", "monitor", "modes"),
        ("", "Light 9..1", "monitor", "controls"),
        ("", "", "toaster", "kind"),
    ],
)
def test_what_cannot_be_read_names_its_field(app, modes, controls, kind, place):
    with pytest.raises(BadInputError) as e:
        menu_preview.read_menu(app, modes, controls, kind)
    assert e.value.place == place


def test_confirmed_roles_are_stored_and_wrong_ones_refused(app):
    new = NewDisplay(maker="Tern Street", model="Wall", kind="monitor", panel="lcd", modes="Film", controls=CONTROLS)
    roles = {"Picture > Backlight": "luminance", "Picture > R gain": "red gain"}
    review = new_display.add(app, NewDisplay(**{**new.__dict__, "roles": roles}))
    menu = display(app, reviews.unit_of(app.db.connection(), review).id).menu
    assert {c.path: c.role for c in menu.controls if not c.group and c.role} == {**roles, "Picture > Tone": "tone"}
    for wrong, says in (
        ({"Nowhere": "luminance"}, "no control 'Nowhere'"),
        ({"Saving": "purple gain"}, "no role 'purple gain'"),
    ):
        with pytest.raises(BadInputError, match=says):
            new_display.add(app, NewDisplay(**{**new.__dict__, "roles": wrong}))
    assert len(reviews.review_ids(app.db.connection())) == 1
