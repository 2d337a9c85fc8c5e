"""An edit of a menu never deletes what a person made: a mode that keeps its place is renamed, others are asked about."""

import pytest

from lumenar.app.errors import ConflictError
from lumenar.app.menus import menu_edits
from lumenar.app.setups import new_reviews
from lumenar.store import reviews

from .test_menu_map import CONTROLS, LIGHT, first, measure, wall  # noqa: F401


def every(app, review):
    return reviews.setups_of(app.db.connection(), review)


def edit(app, review, modes, controls=CONTROLS):
    menu_edits.change(app, review, None, modes, controls)


def test_a_mode_that_keeps_its_place_is_renamed_with_all_that_belongs_to_it(app, bench, wall):  # noqa: F811
    measure(app, bench, wall)
    number = first(app, wall).id
    edit(app, wall, "Cinema\nGame")
    renamed = first(app, wall)
    assert (renamed.id, renamed.name, renamed.mode) == (number, "Cinema", "Cinema")
    assert [s.mode for s in every(app, wall)] == ["Cinema", "Game"]
    menu_edits.undo(app, wall, None)
    assert (first(app, wall).id, first(app, wall).name, first(app, wall).mode) == (number, "Film", "Film")


def test_several_names_are_corrected_at_once_and_one_is_added(app, wall):  # noqa: F811
    ids = [s.id for s in every(app, wall)]
    edit(app, wall, "Cinema\nGaming")
    assert [s.id for s in every(app, wall)] == ids and [s.name for s in every(app, wall)] == ["Cinema", "Gaming"]
    edit(app, wall, "Cinema\nGaming\nDay")
    assert [s.name for s in every(app, wall)] == ["Cinema", "Gaming", "Day"] and every(app, wall)[0].id == ids[0]


def test_a_mode_with_something_of_a_persons_is_not_taken_out(app, wall):  # noqa: F811
    game = every(app, wall)[1]
    with app.db.transaction() as db:
        db.execute("INSERT INTO setup_change (setup_id, changed_at, was) VALUES (?, '2026-01-01', '{}')", (game.id,))
    with pytest.raises(ConflictError, match="Game has 1 change of its settings, which would be lost"):
        edit(app, wall, "Film")
    assert [s.id for s in every(app, wall)][1] == game.id


def test_a_mode_that_nobody_touched_goes_and_comes_back(app, wall):  # noqa: F811
    edit(app, wall, "Film")
    assert [s.name for s in every(app, wall)] == ["Film"]
    menu_edits.undo(app, wall, None)
    assert [s.name for s in every(app, wall)] == ["Film", "Game"]


def test_a_menu_from_elsewhere_renames_nothing(app, bench, wall, units):  # noqa: F811
    measure(app, bench, wall)
    other = new_reviews.add_review(app, units["ostrel-fen-32.json"], "ostrel-fen-32.json")
    unit = reviews.units_of(app.db.connection(), other)[0].id
    with pytest.raises(ConflictError, match="was measured, so its mode Film must stay"):
        menu_edits.take(app, wall, None, unit)


def test_a_control_renamed_in_the_text_keeps_its_values_and_undo_too(app, wall):  # noqa: F811
    film = first(app, wall)
    with app.db.transaction() as db:
        reviews.change_setup(db, type(film)(**{**vars(film), "changes": {LIGHT: 40.0}}), None)
    edit(app, wall, "Film\nGame", CONTROLS.replace("Light", "Brightness"))
    assert first(app, wall).changes == {"Picture > Brightness": 40.0}
    menu_edits.undo(app, wall, None)
    assert first(app, wall).changes == {LIGHT: 40.0}
