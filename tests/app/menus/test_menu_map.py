"""The menu map: corrected in place, taken over, in and out as a file, with what was measured kept true."""

import json

import pytest

from lumenar.app.board import board
from lumenar.app.displays.displays import display, display_of
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.manual import manual_runs
from lumenar.app.menus import menu_edits, menu_map
from lumenar.app.setups import new_display, new_reviews, setup_views, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.plan import Cell
from lumenar.core.menu.documents import document_of
from lumenar.store import reviews

from ...conftest import MONITOR

CONTROLS = """Picture
  Light 0..50 = 30 (luminance)
  Tone 2.0 [2.2] 2.4
System
  Saving low off*
Saving = low locks Light
"""
LIGHT, TONE, SAVING = "Picture > Light", "Picture > Tone", "System > Saving"


@pytest.fixture
def wall(app):
    return new_display.add(
        app,
        NewDisplay(maker="Tern", model="Wall", kind="television", panel="lcd", modes="Film\nGame", controls=CONTROLS),
    )


def first(app, review):
    return reviews.setups_of(app.db.connection(), review)[0]


def measure(app, bench, review):
    """White and black of the first mode, typed."""
    run = bench.runs.start(review, [Cell(first(app, review).id, "white_black")])
    values = {(1.0, 1.0, 1.0): "95 100 108", (0.0, 0.0, 0.0): "0.1 0.1 0.1"}
    patches = manual_runs.sheet(app, run).patches
    manual_runs.enter(app, run, "XYZ", [manual_runs.Entry(p.patch, values[tuple(p.rgb)]) for p in patches])


def state(app, review):
    return board.board(app, review).rows[0].cells[0].state


def fields(app, review, path):
    return next(c for c in menu_map.menu_map(app, review).controls if c.path == path)


def test_a_control_is_corrected_in_place_and_taken_back(app, wall):
    before = menu_map.menu_map(app, wall)
    menu_edits.change_control(
        app, wall, None, TONE, {"promise": "deeper shadows", "scope": "mode", "only": "panels of 2026"}
    )
    menu_edits.change_control(app, wall, None, SAVING, {"locks": {"low": [LIGHT, TONE]}, "resets": [LIGHT]})
    assert fields(app, wall, TONE).promise == "deeper shadows" and fields(app, wall, TONE).scope == "mode"
    assert fields(app, wall, SAVING).locks == {"low": [LIGHT, TONE]} and fields(app, wall, SAVING).resets == [LIGHT]
    told = [p.words for p in menu_map.history(app, wall, None)]
    assert told == [["System > Saving: locks, resets"], ["Picture > Tone: scope, promise, only"]]
    menu_edits.undo(app, wall, None)
    assert menu_edits.undo(app, wall, None) == before


def test_a_control_that_is_called_otherwise_keeps_its_values(app, wall):
    setups.change(app, wall, first(app, wall).id, setups.Edit(values={LIGHT: 12.0}))
    menu_edits.change_control(app, wall, None, LIGHT, {"path": "Picture > Backlight"})
    assert first(app, wall).changes == {"Picture > Backlight": 12.0}
    assert fields(app, wall, SAVING).locks == {"low": ["Picture > Backlight"]}
    assert first(app, wall).origins == {"Picture > Backlight": "set"}


@pytest.mark.parametrize(
    ("path", "given", "error", "place"),
    [
        ("Nothing", {"note": "x"}, NotFoundError, None), (LIGHT, {"colour": "red"}, BadInputError, "colour"),
        (LIGHT, {"default": 99}, BadInputError, "default"), (LIGHT, {"step": 0.0}, BadInputError, "step"),
        (TONE, {"locks": {"2.0": ["Nowhere"]}}, BadInputError, "locks"), (LIGHT, {"path": TONE}, BadInputError, "path"),
        (LIGHT, {"locks": {"1": [SAVING]}}, BadInputError, "locks"), (LIGHT, {"note": "a\nb"}, BadInputError, "note"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_and_nothing_changes(app, wall, path, given, error, place):
    before = menu_map.menu_map(app, wall)
    with pytest.raises(error) as e:
        menu_edits.change_control(app, wall, None, path, given)
    assert place is None or e.value.place == place, e.value
    assert menu_map.menu_map(app, wall) == before and before.changes == 0


def test_a_wrong_default_of_what_was_measured_is_asked_about(app, bench, wall):
    measure(app, bench, wall)
    with pytest.raises(ConflictError, match=r"Light 30 → 40 in Film\. Was it like that"):
        menu_edits.change_control(app, wall, None, LIGHT, {"default": 40.0})
    assert fields(app, wall, LIGHT).default == "30" and state(app, wall) == "measured"
    menu_edits.change_control(app, wall, None, LIGHT, {"default": 40.0}, "were")
    assert fields(app, wall, LIGHT).default == "40" and state(app, wall) == "measured"
    menu_edits.undo(app, wall, None)
    assert fields(app, wall, LIGHT).default == "30" and state(app, wall) == "measured", (
        "what was said holds on the way back"
    )
    menu_edits.change_control(app, wall, None, LIGHT, {"default": 40.0}, "changed")
    assert state(app, wall) == "stale" and board.board(app, wall).rows[0].cells[0].note == "Light 30 → 40"
    # Of a mode where nothing was measured nobody is asked, nor of what bears on nothing.
    menu_edits.change(app, wall, None, "Film\nGame\n  Light = 10", menu_map.menu_map(app, wall).controls_text)


def test_what_was_read_off_the_display_stays_whatever_the_default_is_said_to_be(app, bench, wall):
    setups.change(app, wall, first(app, wall).id, setups.Edit(read=[LIGHT]))
    measure(app, bench, wall)
    menu_edits.change_control(app, wall, None, LIGHT, {"default": 40.0})
    view = {c.path: (c.value, c.origin) for c in setup_views.view(app, wall, first(app, wall).id).controls}
    assert view[LIGHT] == (30, "read") and state(app, wall) == "measured"


def test_a_menu_is_taken_over_from_another_display(app, wall, units):
    phone = new_reviews.add_review(app, units[MONITOR], MONITOR)
    known = {(m.name, m.sample): m for m in menu_map.known_menus(app)}
    assert known["Tern Wall", "A"].modes == 2 and len(known) == 3
    source = display_of(app, phone)
    taken = menu_edits.take(app, wall, None, source.row.id)
    assert [m.name for m in taken.modes] == [m.name for m in source.menu.modes]
    assert document_of(display_of(app, wall).menu)["controls"] == document_of(source.menu)["controls"]
    # A display that comes later takes it at once; changing one leaves the other.
    twin = new_display.add(
        app, NewDisplay(maker="Tern", model="Wall 2", kind="television", panel="lcd", like=source.row.id)
    )
    path = source.menu.controls[0].path
    menu_edits.change_control(app, twin, None, path, {"note": "stiff"})
    assert fields(app, twin, path).note == "stiff" and fields(app, wall, path).note == ""
    with pytest.raises(BadInputError, match="has already"):
        menu_edits.take(app, wall, None, display_of(app, wall).row.id)
    with pytest.raises(NotFoundError):
        menu_edits.take(app, wall, None, 99)


def test_another_sample_shares_the_menu_until_it_differs(app, wall):
    same = new_display.add(
        app,
        NewDisplay(maker="Tern", model="Wall", kind="television", panel="lcd", sample="B", firmware="2", review=wall),
    )
    assert same == wall and [r.name for r in board.board(app, wall).rows] == [
        "Film", "Game", "Film (sample B)", "Game (sample B)",
    ]  # fmt: skip
    units = reviews.units_of(app.db.connection(), wall)
    assert menu_map.menu_map(app, wall).shared == 2
    menu_edits.change_control(app, wall, units[1].id, TONE, {"note": "both"})
    assert fields(app, wall, TONE).note == "both"
    for change, place in [({"model": "Other"}, "model"), ({"sample": "B"}, "sample")]:
        known = {"maker": "Tern", "model": "Wall", "kind": "television", "panel": "lcd", "sample": "C", "review": wall}
        with pytest.raises(BadInputError) as e:
            new_display.add(app, NewDisplay(**(known | change)))
        assert e.value.place == place
    with pytest.raises(NotFoundError):
        new_display.add(app, NewDisplay(maker="T", model="W", kind="television", panel="lcd", review=99))


@pytest.mark.parametrize("format", ["json", "csv"])
def test_a_menu_goes_out_and_comes_in_again(app, wall, units, format):
    monitor = new_reviews.add_review(app, units[MONITOR], MONITOR)
    text = menu_map.text_of_menu(app, monitor, None, format)
    menu_edits.take_file(app, wall, None, text)
    assert menu_map.text_of_menu(app, wall, None, format) == text
    assert display_of(app, wall).menu.controls == display_of(app, monitor).menu.controls


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "line 1, column 2"), ('{"format": "lumenar-menu", "version": 2}', "no menu"),
        ('{"format": "lumenar-menu", "version": 1}', "a list is expected"), ('{"a": 1, "a": 2}', "twice"),
        (json.dumps({"format": "lumenar-menu", "version": 1, "controls": [], "modes": [
            {"name": "A", "signal": "pq", "target": "srgb"}]}), "not for pq"),
        ("entry,path\nknob,A", "row 2"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_menu_changes_nothing(app, wall, text, said):
    before = menu_map.menu_map(app, wall)
    with pytest.raises(BadInputError, match=said):
        menu_edits.take_file(app, wall, None, text)
    assert menu_map.menu_map(app, wall) == before


def test_writing_a_stand_ins_menu_down_anew_loses_nothing(app, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    map_ = menu_map.menu_map(app, review)
    before = display(app, map_.unit).menu
    menu_edits.change(app, review, None, map_.modes_text, map_.controls_text)
    after = display(app, map_.unit).menu
    assert after.modes == before.modes, "defaults and locks of each mode"
    assert [vars(c) | {"resets": set(c.resets)} for c in after.controls] == [
        vars(c) | {"resets": set(c.resets)} for c in before.controls
    ]
