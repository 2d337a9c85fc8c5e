"""From rows to arrays: partly read runs, repeated readings, patches of several setups between one another, one plan."""

import time
from concurrent.futures import ThreadPoolExecutor
from threading import Event

import numpy as np
import pytest

from lumenar.app.data import FRESH_S, Cache, now
from lumenar.app.figures import loading
from lumenar.core.readings.patches import Patch
from lumenar.store import readings, reviews, runs
from lumenar.store.plans import NewPatch
from lumenar.store.readings import NewReading
from lumenar.store.runs import AsMeasured, NewRun

GREYS = [Patch((v, v, v)) for v in (0.0, 0.5, 1.0)]
PLACE = Patch((1.0, 1.0, 1.0), 1.0, zone=(2, 1, 5, 3), repeat=1)
METER = {"name": "meter", "repeatability": 0.002, "floor": 0.01, "absolute": 0.001}


@pytest.fixture
def setups(app, phone):
    return [s.id for s in reviews.setups_of(app.db.connection(), phone)]


def plan(app, review, setups, patches, meter=METER):
    """A run in which the patches of several setups take turns; returns its number."""
    db = app.db.connection()
    unit = reviews.unit_of(db, review).id
    mixed = [NewPatch(s, p, 1.0, ("gamut", "grey_ramp")[: 1 + (p is PLACE)]) for p in patches for s in setups]
    as_measured = dict.fromkeys(setups, AsMeasured("{}", {}))
    new = NewRun(review, unit, now(), "1.0", {"XYZ": meter}, {}, None, False, as_measured, mixed)
    with app.db.transaction() as writing:
        return runs.add_run(writing, new)


def read(app, run, values, attempt=1, skip=()):
    """Commit a reading of each unread patch, or again of all: its XYZ follows from its setup and its number."""
    with app.db.transaction() as db:
        for i, row in enumerate(
            db.execute("SELECT id, setup_id FROM patch WHERE run_id = ? ORDER BY id", (run,)).fetchall()
        ):
            if i not in skip:
                XYZ = values(row["setup_id"], i)
                outcome = "ok" if XYZ is not None else "below_floor"
                readings.add(db, NewReading(row["id"], attempt, outcome, XYZ, 0.1, float(10 * attempt + i), now()))


def value(setup, i):
    return (setup * 1.0, setup * 10.0 + i, setup * 0.5)


def test_patches_of_two_setups_that_take_turns_are_told_apart(app, phone, setups):
    run = plan(app, phone, setups[:2], [*GREYS, PLACE])
    read(app, run, value)
    for k, setup in enumerate(setups[:2]):
        found = loading.setup_readings(app, run, setup)
        assert found.place is None
        np.testing.assert_array_equal(found.readings.XYZ[:, 1], [setup * 10.0 + 2 * j + k for j in range(4)])
        np.testing.assert_array_equal(found.readings.zone[3], [2, 1, 5, 3])
        assert np.isnan(found.readings.zone[:3]).all() and found.readings.window[3] == 1.0
        np.testing.assert_array_equal(found.readings.time_s, [10.0 + 2 * j + k for j in range(4)])
        assert len(found.of("gamut")) == 4 and len(found.of("grey_ramp")) == 1 and len(found.of("hold")) == 0


def test_of_a_run_that_was_cut_short_there_is_what_was_read(app, phone, setups):
    run = plan(app, phone, setups[:1], [*GREYS, PLACE])
    read(app, run, value, skip=(1, 3))
    found = loading.setup_readings(app, run, setups[0])
    np.testing.assert_array_equal(found.readings.rgb[:, 0], [0.0, 1.0])
    assert len(found.of("gamut")) == 2 and len(found.of("grey_ramp")) == 0
    nothing = loading.setup_readings(app, plan(app, phone, setups[:1], GREYS), setups[0])
    assert len(nothing.readings) == 0 and len(nothing.of("gamut")) == 0


def test_what_was_read_again_counts_as_its_median_and_what_is_no_number_as_none(app, phone, setups):
    run = plan(app, phone, setups[:1], GREYS)
    read(app, run, lambda s, i: None if i == 0 else (1.0, 10.0, 1.0))
    read(app, run, lambda s, i: (1.0, 40.0, 1.0), attempt=2, skip=(0, 1))
    read(app, run, lambda s, i: (1.0, 13.0, 1.0), attempt=3, skip=(0, 1))
    found = loading.setup_readings(app, run, setups[0]).readings
    np.testing.assert_array_equal(found.XYZ[:, 1], [np.nan, 10.0, 13.0])
    np.testing.assert_array_equal(found.below_floor, [True, False, False])
    dim = plan(app, phone, setups[:1], GREYS, METER | {"floor": 20.0})
    read(app, dim, lambda s, i: (1.0, 10.0 + 10 * i, 1.0))
    np.testing.assert_array_equal(
        loading.setup_readings(app, dim, setups[0]).readings.below_floor, [True, False, False]
    )


def test_setups_of_one_plan_share_its_layout_and_others_do_not(app, phone, setups):
    one, other = plan(app, phone, setups[:2], GREYS), plan(app, phone, setups[:1], [*GREYS, PLACE])
    for run in (one, other):
        read(app, run, value)
    a, b = (loading.setup_readings(app, one, s) for s in setups[:2])
    c = loading.setup_readings(app, other, setups[0])
    assert a.readings.layout is b.readings.layout is not c.readings.layout
    assert a.of("gamut").layout is b.of("gamut").layout
    # Found anew it is the same, and so it is of a run that is older than shared plans.
    with app.db.transaction() as db:
        db.execute("UPDATE run_setup SET plan = NULL WHERE run_id = ?", (one,))
    app.loaded = Cache(4)
    old = loading.setup_readings(app, one, setups[1])
    assert old.readings.layout is not b.readings.layout
    for name in ("rgb", "window", "level", "zone", "at_s"):
        np.testing.assert_array_equal(getattr(old.readings, name), getattr(b.readings, name))
    np.testing.assert_array_equal(old.readings.XYZ, b.readings.XYZ)


def test_a_view_is_made_once_for_all_who_ask_at_a_time_and_an_error_is_not_kept(app):
    made = []

    def make():
        made.append(None)
        time.sleep(0.05)
        return b"view"

    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda _: app.views.get("view", 1, make), range(8)))
    assert answers == [b"view"] * 8 and len(made) == 1
    with app.db.transaction():
        pass
    with pytest.raises(ZeroDivisionError):
        app.views.get("view", 1, lambda: bytes(1 // 0))
    assert app.views.get("view", 1, make) == b"view" and len(made) == 2
    for review in range(2, 40):
        app.views.get("view", review, lambda: b"other")
    assert app.views.get("view", 1, make) == b"view" and len(made) == 3, "no more are kept than there is room for"


def test_a_view_of_a_run_is_not_waited_for_while_it_is_made_anew_but_one_that_was_edited_is(app):
    app.views.get("view", 1, lambda: b"first")
    begun, go_on = Event(), Event()

    def slow():
        begun.set()
        assert go_on.wait(20)
        return b"second"

    app.db.changed(1, step=True)
    time.sleep(FRESH_S + 0.05)
    with ThreadPoolExecutor(2) as pool:
        making = pool.submit(app.views.get, "view", 1, slow)
        assert begun.wait(20)
        assert app.views.get("view", 1, lambda: b"never") == b"first"
        app.db.changed(1)
        waiting = pool.submit(app.views.get, "view", 1, lambda: b"third")
        assert app.views.ready("view", 1) is None and not waiting.done()
        go_on.set()
        # What was begun before the edit does not show it.
        assert (making.result(20), waiting.result(20)) == (b"second", b"third")


def test_a_view_that_takes_long_is_made_less_often(app):
    def slow():
        time.sleep(0.05)
        return b"view"

    app.views.get("view", 1, slow)
    app.db.changed(1, step=True)
    time.sleep(FRESH_S + 0.1)
    assert app.views.get("view", 1, lambda: b"too early") == b"view"
    app.db.changed(1)
    assert app.views.get("view", 1, lambda: b"edited") == b"edited"
