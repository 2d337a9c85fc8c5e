"""Figures that are worked out while nobody waits: what a view shows meanwhile, and what is kept of it."""

import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from lumenar.app import data
from lumenar.app.board import board, shelf
from lumenar.app.events import Hub
from lumenar.app.figures import background as background_figures
from lumenar.app.figures import cells
from lumenar.app.figures.background import BackgroundFigures
from lumenar.app.figures.helper import FigureTask, Helper
from lumenar.core.uncertainty import DRAWS


def until(true):
    end = time.monotonic() + 60
    while not true():
        assert time.monotonic() < end
        time.sleep(0.02)


class Held(BackgroundFigures):
    """Computes nothing until it is let."""

    held = True

    def _next(self):
        return {} if self.held else super()._next()

    def let(self):
        self.held = False
        self._something.set()


@pytest.fixture
def background(whole):
    hub = Hub()
    made = Held(whole, lambda: None, lambda: True, lambda found, since: cells.keep_found(whole, found, since), hub)
    whole.background = made
    with hub.listen() as told:
        made.told = told
        yield made
    made.close()


def forget(app, state="done"):
    """As after an update, or as if the runs were still under way."""
    with app.db.transaction() as db:
        db.execute("DELETE FROM computed")
        db.execute("UPDATE run SET state = ?", (state,))
    app.cache.clear()


def states(app):
    return {(r.setup, c.measurement): c.state for r in board.board(app, 1).rows[:2] for c in r.cells if c.total}


def kept(app):
    return app.db.connection().execute("SELECT count(*) FROM computed").fetchone()[0]


@pytest.mark.parametrize("state", ["running", "done"])
def test_a_board_answers_at_once_and_has_its_figures_when_they_are_there(whole, background, state):
    forget(whole, state)
    assert set(states(whole).values()) == {"computing"}
    assert board.board(whole, 1).rows[0].score is None and shelf.entry(whole, 1).headline == []
    background.let()
    until(lambda: "computing" not in states(whole).values())
    assert set(states(whole).values()) == {"measured"} and board.board(whole, 1).rows[0].score is not None
    assert background.told.get(timeout=10).data == {"review": 1}
    # Reference whites are yet to come while a run goes on: what it has is for the moment.
    assert (kept(whole) > 0) == (state == "done")


def test_what_a_run_had_is_shown_until_its_last_figures_are_there(whole, background):
    forget(whole, "running")
    background.let()
    board.board(whole, 1)
    until(lambda: "computing" not in states(whole).values())
    background.held = True
    with whole.db.transaction() as db:
        db.execute("UPDATE run SET state = 'done'")
    early = board.board(whole, 1).rows[0].cells
    assert {c.state for c in early if c.total} == {"measured"} and kept(whole) == 0
    background.let()
    count = len(cells.newest(whole, 1).complete)
    until(lambda: board.board(whole, 1) and kept(whole) >= count)
    row = next(r for c, r in cells.newest(whole, 1).complete.items() if c.measurement == "grey_ramp")
    task = FigureTask(row.run_id, row.setup_id, "grey_ramp", "srgb", draws=background_figures.DRAWS)
    assert cells._early_key(task) not in whole.cache, "what is no longer needed is let go"


def test_a_view_that_is_kept_does_not_outlive_the_last_figures(whole, background, monkeypatch):
    """Nobody is told again after these, so whoever asks then has to see them, however long the view takes to make."""
    monkeypatch.setattr(data, "FRESH_S", 600.0)
    forget(whole)

    def shown():
        return whole.views.get("board", 1, lambda: str("computing" in states(whole).values()).encode())

    assert shown() == b"True"
    background.let()
    until(lambda: not background._wanted)
    until(lambda: shown() == b"False")


def test_whoever_is_patient_gets_all_figures_whatever_is_pending(whole, background):
    forget(whole)
    assert "computing" in states(whole).values()
    now = cells.newest(whole, 1)
    assert len(now.complete) == len(states(whole))


def test_a_run_under_way_has_fewer_draws_and_the_same_figures(whole):
    rows = cells.newest(whole, 1).complete
    _, row = next((c, r) for c, r in rows.items() if c.measurement == "grey_ramp")
    target = cells.target_of("srgb")
    last, early = (cells.analysis_of(whole, r, target) for r in (row, replace(row, state="running")))
    assert early.figures["de2000_mean"] == pytest.approx(last.figures["de2000_mean"], rel=1e-9)
    assert len(early.draws["de2000_mean"]) == background_figures.DRAWS and len(last.draws["de2000_mean"]) == DRAWS
    assert np.isfinite(early.uncertainty["de2000_mean"].standard)


def test_what_cannot_be_computed_is_told_of_and_not_asked_for_again(whole, background, monkeypatch):
    forget(whole)
    monkeypatch.setattr(background_figures, "compute", lambda data, helper, tasks: {})
    background.let()
    states(whole)
    until(lambda: background._hopeless)
    until(lambda: "computing" not in states(whole).values())


def test_figures_that_cannot_be_kept_do_not_stop_those_that_come_later(whole, background):
    forget(whole)
    kept_by, failed = background._keep, []

    def keep(found, since):
        if not failed:
            failed.append(found)
            raise RuntimeError("no room")
        kept_by(found, since)

    background._keep = keep
    background.let()
    states(whole)
    until(lambda: not background._wanted)
    assert failed and background._hopeless == set(failed[0])
    assert "computing" not in states(whole).values() and kept(whole) > 0


def test_beside_a_run_the_helper_computes_alone(whole, background, monkeypatch):
    helper = Helper(whole.folder)
    background._helper = lambda: helper
    monkeypatch.setattr(background_figures, "compute", lambda *a: pytest.fail("the bench has this process"))
    try:
        forget(whole)
        background.let()
        states(whole)
        until(lambda: "computing" not in states(whole).values())
    finally:
        helper.close()


@pytest.mark.parametrize("kept_in", ["views", "entries"])
def test_views_have_the_last_figures_before_anybody_is_told(whole, background, monkeypatch, kept_in):
    """Whoever asks when told gets a stored view, however new it is; nobody is told again."""
    monkeypatch.setattr(data, "FRESH_S", 600.0)
    monkeypatch.setattr(data, "ASKED_S", 600.0)
    forget(whole)
    kept = getattr(whole, kept_in)
    told = []

    def made():
        return "computing" in states(whole).values()

    assert kept.get("board", 1, made) is True

    def publish(event):
        told.append((event.data, kept.ready("board", 1), len(background._wanted)))

    monkeypatch.setattr(background._hub, "publish", publish)
    background.let()
    until(lambda: told and told[-1][2] == 0)
    assert told[-1] == ({"review": 1}, False, 0)


class Rests(threading.Event):
    """What it rests in until it is closed, noting how long."""

    def __init__(self):
        super().__init__()
        self.asked = []

    def wait(self, timeout=None):
        self.asked.append(timeout)
        return super().wait(0)


@pytest.mark.parametrize("busy", [True, False])
def test_it_rests_after_each_batch_beside_a_run_only(whole, background, monkeypatch, busy):
    """As long as told of what the batch took."""
    background._closing = rests = Rests()
    batches, computed = [], background._computed

    def slow(group):
        batches.append(len(group))
        time.sleep(0.01)
        return computed(group)

    monkeypatch.setattr(background, "_computed", slow)
    monkeypatch.setattr(background, "_busy", lambda: busy)
    forget(whole)
    states(whole)
    background.let()
    until(lambda: not background._wanted and (not busy or len(rests.asked) == len(batches)))
    assert batches and len(rests.asked) == (len(batches) if busy else 0)
    assert all(s >= 0.01 * background_figures.REST for s in rests.asked)


def test_memory_is_given_back_now_and_then(background, monkeypatch):
    given, now = [], [100.0]
    monkeypatch.setattr("lumenar.app.figures.background.memory.give_back", lambda: given.append(now[0]))
    monkeypatch.setattr("lumenar.app.figures.background.time.monotonic", lambda: now[0])
    for now[0] in (100.0, 104.9, 105.1, 106.0):
        background._tidy()
    assert given == [100.0, 105.1]
