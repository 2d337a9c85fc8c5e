"""What a display is called can be corrected; a published edition keeps what it says, and the next one tells the difference."""

import pytest

from lumenar.app.board import shelf
from lumenar.app.displays.displays import display_of
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.setups import new_display
from lumenar.publish.edition import publish
from lumenar.store import reviews

from ..menus.test_menu_map import first, measure, wall  # noqa: F401


def test_maker_model_kind_panel_and_serial_are_corrected(app, wall):  # noqa: F811
    unit = display_of(app, wall).row
    new_display.correct(app, unit.id, {"model": "Wall 55", "panel": "oled", "serial": " W 1 "})
    row = display_of(app, wall).row
    assert (row.maker, row.model, row.kind, row.panel, row.serial) == ("Tern", "Wall 55", "television", "oled", "W 1")
    assert next(e for e in shelf.shelf(app) if e.id == wall).name == "Tern Wall 55"


@pytest.mark.parametrize(
    ("given", "place"),
    [
        ({"maker": " "}, "maker"),
        ({"model": "x" * 81}, "model"),
        ({"kind": "toaster"}, "kind"),
        ({"panel": "crt"}, "panel"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_changes(app, wall, given, place):  # noqa: F811
    before = display_of(app, wall).row
    with pytest.raises(BadInputError) as refused:
        new_display.correct(app, before.id, given)
    assert refused.value.place == place and display_of(app, wall).row == before


def test_a_simulated_display_is_called_what_its_file_says(app, phone):
    with pytest.raises(ConflictError, match="unit file"):
        new_display.correct(app, display_of(app, phone).row.id, {"maker": "Other"})


def test_the_next_edition_tells_what_was_corrected(app, bench, wall):  # noqa: F811
    measure(app, bench, wall)
    one = publish(app, wall)
    assert not any("Corrected" in g for g in one.gaps)
    unit = reviews.units_of(app.db.connection(), wall)[0].id
    new_display.correct(app, unit, {"serial": "W-100"})
    two = publish(app, wall)
    assert "Corrected since edition 1: serial number W-100 (was not recorded)." in two.gaps
    assert not any("Corrected" in g for g in publish(app, wall).gaps)
    assert first(app, wall)
