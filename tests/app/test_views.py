"""Whole views of reviews: who waits for one, who gets the last one, and what is made again before anybody asks."""

import threading

import pytest

from lumenar.app import data
from lumenar.app.data import Views
from lumenar.store.database import Database


@pytest.fixture
def db(tmp_path):
    database = Database(tmp_path / "lumenar.db")
    yield database
    database.close()


class Counted:
    """Makes a view that says how often it was made."""

    def __init__(self):
        self.made = 0

    def __call__(self):
        self.made += 1
        return self.made


@pytest.fixture
def long_fresh(monkeypatch):
    monkeypatch.setattr(data, "FRESH_S", 600.0)


def test_a_view_is_made_once_until_a_person_changes_its_review(db):
    views, make = Views(db), Counted()
    assert views.ready("board", 1) is None
    assert [views.get("board", 1, make) for _ in range(3)] == [1, 1, 1]
    db.changed(2)
    assert views.ready("board", 1) == 1, "another review changed"
    db.changed(1)
    assert views.ready("board", 1) is None and views.get("board", 1, make) == 2
    db.changed(None)
    assert views.get("board", 1, make) == 3


def test_steps_of_a_run_may_show_later(db, long_fresh, monkeypatch):
    views, make = Views(db), Counted()
    views.get("board", 1, make)
    db.changed(1, step=True)
    assert views.get("board", 1, make) == 1
    monkeypatch.setattr(data.time, "monotonic", lambda: 1e9)
    assert views.get("board", 1, make) == 2


def test_what_was_asked_for_lately_is_made_again_and_the_rest_is_forgotten(db, long_fresh, monkeypatch):
    views, board, verdict, other = Views(db), Counted(), Counted(), Counted()
    now = [0.0]
    monkeypatch.setattr(data.time, "monotonic", lambda: now[0])
    views.get("verdict", 1, verdict)
    views.get("board", 2, other)
    now[0] = data.ASKED_S - 0.5
    views.get("board", 1, board)
    now[0] = data.ASKED_S + 0.5
    db.changed(1, step=True)
    views.renew(1)
    assert views.ready("board", 1) == 2, "whoever is told finds the change"
    assert views.ready("verdict", 1) is None and verdict.made == 1
    assert views.ready("board", 2) == 1


def test_a_view_that_is_being_made_while_its_review_changes_is_made_again(db, long_fresh):
    """The thread that makes it may have read what was there before."""
    views, begun, go_on = Views(db), threading.Event(), threading.Event()
    made = []

    def slowly():
        made.append("before" if not made else "after")
        if len(made) == 1:
            begun.set()
            assert go_on.wait(20)
        return made[-1]

    reader = threading.Thread(target=views.get, args=("board", 1, slowly))
    reader.start()
    assert begun.wait(20)
    db.changed(1, step=True)
    renewing = threading.Thread(target=views.renew, args=(1,))
    renewing.start()
    go_on.set()
    reader.join()
    renewing.join()
    assert views.ready("board", 1) == "after"


def test_while_one_makes_it_again_others_get_the_last_one(db, monkeypatch):
    monkeypatch.setattr(data, "FRESH_S", 0.0)
    monkeypatch.setattr(data, "SHARE", 1e9)
    views, begun, go_on = Views(db), threading.Event(), threading.Event()
    views.get("board", 1, lambda: "last")
    db.changed(1, step=True)

    def slowly():
        begun.set()
        assert go_on.wait(20)
        return "new"

    reader = threading.Thread(target=views.get, args=("board", 1, slowly))
    reader.start()
    assert begun.wait(20)
    assert views.get("board", 1, lambda: pytest.fail("two make it at once")) == "last"
    db.changed(1)
    assert views.ready("board", 1) is None, "what a person changed shows at once"
    go_on.set()
    reader.join()


def test_a_view_that_cannot_be_made_leaves_nothing_and_stops_nothing(db):
    views = Views(db)

    def broken():
        raise KeyError("x")

    with pytest.raises(KeyError):
        views.get("board", 1, broken)
    assert views._makers == {}
    views.get("board", 1, lambda: "well")
    views._makers["board", 1].make = broken
    views.renew(1)
    assert views.ready("board", 1) is None
    assert views.get("board", 1, lambda: "again") == "again"


def test_only_so_many_views_are_kept(db):
    views = Views(db, size=2)
    for review in (1, 2, 3):
        views.get("board", review, lambda: "x")
    assert [views.ready("board", r) for r in (1, 2, 3)] == [None, "x", "x"] and len(views._makers) == 2
