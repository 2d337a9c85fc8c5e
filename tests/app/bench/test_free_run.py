"""The meter runs free: any picture is held, any control moved, and what is captured is of what is wanted now."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

from lumenar.app.bench.free_run import FreeRun
from lumenar.app.board import board
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.setups import new_reviews, setups
from lumenar.bench.simulated.meter import SimulatedColorimeter
from lumenar.store import reviews


class Idle:
    """A job that does nothing."""

    kind = "correction"

    def __init__(self, review):
        self.review = review

    def work(self):
        pass


def test_a_capture_is_of_the_picture_and_the_control_as_they_are_now(app, bench, phone):
    free = FreeRun(app, bench)
    free.start(phone, reviews.setups_of(app.db.connection(), phone)[0].id)
    free.move("Screen > Brightness", 60)
    white = free.capture().captures[0].Y
    free.show((0.5, 0.5, 0.5), 0.1)
    assert 0.5 * white > free.capture().captures[0].Y, "not what was read of the picture before"
    free.show((1, 1, 1), 0.1)
    assert pytest.approx(white, rel=0.02) == free.capture().captures[0].Y
    free.move("Screen > Tone > Red", 60)
    dimmed = free.capture().captures[0].Y
    assert dimmed < 0.97 * white, "not what was read with another control at the same setting"
    free.stop()


def test_a_picture_that_changes_while_a_capture_waits_is_not_captured(app, bench, phone, monkeypatch):
    real, held, go_on = SimulatedColorimeter.read, threading.Event(), threading.Event()

    def slow(meter, cancel=None):
        held.set()
        go_on.wait(20)
        return real(meter)

    monkeypatch.setattr(SimulatedColorimeter, "read", slow)
    free = FreeRun(app, bench)
    free.start(phone, reviews.setups_of(app.db.connection(), phone)[0].id)
    assert held.wait(20)
    with ThreadPoolExecutor() as hands:
        waiting = hands.submit(free.capture)
        time.sleep(0.2)
        free.show((0.5, 0.5, 0.5), 0.1)
        go_on.set()
        with pytest.raises(ConflictError, match="meanwhile"):
            waiting.result(timeout=120)
    assert free.view().captures == []
    free.stop()


def test_captures_become_a_ladder_and_a_setting_is_kept(app, bench, phone):
    free = FreeRun(app, bench)
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    with pytest.raises(ConflictError, match="start it first"):
        free.capture()
    assert free.start(phone, setup).control == "Screen > Brightness"
    with pytest.raises(ConflictError, match="in use"):
        bench.occupancy.take(Idle(1))
    for value in (20, 60, 100):
        free.move("Screen > Brightness", value)
        view = free.capture()
    assert [c.value for c in view.captures] == [20, 60, 100]
    assert view.captures[0].Y < view.captures[1].Y < view.captures[2].Y
    with pytest.raises(BadInputError, match="outside"):
        free.move("Screen > Brightness", 130)
    with pytest.raises(BadInputError, match="no slider"):
        free.move("Screen > Glow", 1)
    free.keep_ladder()
    assert free.view().captures == []
    with pytest.raises(ConflictError, match="needs 3 settings"):
        free.keep_ladder()
    free.move("Screen > Tone > Red", 95)
    time.sleep(0.1)
    with pytest.raises(ConflictError, match="These were made along"):
        free.keep_ladder()
    free.keep_setting()
    assert not free.stop().running
    assert reviews.setup(app.db.connection(), setup)[0].changes == {"Screen > Tone > Red": 95}
    setups.change(app, phone, setup, setups.Edit(values={"Screen > Tone > Red": 100}))
    ladder = next(c for c in board.board(app, phone).rows[0].cells if c.measurement == "brightness_ladder")
    assert ladder.state == "measured" and ladder.total == 3


def test_a_display_that_dims_what_stands_still_is_captured_undimmed(app, bench, units):
    name = "wickham-slate-14.json"
    review = new_reviews.add_review(app, units[name], name)
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    free = FreeRun(app, bench)
    free.start(review, setup)
    Y = []
    while bench.equipment.clock is None or bench.equipment.clock.now() < 300:
        assert time.sleep(0.02) is None and free.view().running
        if bench.live.status().reading is not None and bench.live.status().reading.Y:
            Y.append(bench.live.status().reading.Y)
    Y.append(free.capture().captures[0].Y)
    free.stop()
    # It dims to 82 % after 125 s; over the first minutes it also warms up by a few per cent.
    assert len(Y) > 20 and min(Y) > 0.93 * max(Y)


def test_any_picture_is_held_before_the_free_meter(app, bench, phone):
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    free = FreeRun(app, bench)
    free.start(phone, setup)
    white = free.capture().captures[0]
    held = free.show((0.0, 1.0, 0.0), 0.25)
    assert held.picture.rgb == (0, 1, 0) and held.picture.window == 0.25 and held.captures == []
    green = free.capture().captures[0]
    assert 0.5 * white.Y < green.Y < 0.9 * white.Y and green.v > white.v + 0.05, (
        "what is captured is of the picture held"
    )
    assert bench.live.status().patch.rgb == (0, 1, 0)
    for value in (10.0, 20.0, 30.0):
        free.move(held.control, value)
        free.capture()
    with pytest.raises(ConflictError, match="white on a tenth"):
        free.keep_ladder()
    with pytest.raises(BadInputError):
        free.show((1.5, 0, 0), 0.1)
    with pytest.raises(BadInputError):
        free.show((1, 0, 0), 0.0)
    free.stop()
    with pytest.raises(ConflictError):
        free.show((1, 1, 1), 0.1)
