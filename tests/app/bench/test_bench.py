"""The bench service: queue, steering from two sides, restart."""

import time

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.board import board
from lumenar.app.board.cell_charts import plates
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews
from lumenar.bench.plan import Cell
from lumenar.store import reviews, runs

from ...conftest import all_cells


def until(true, seconds=240.0):
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.005)


def test_a_run_fills_the_board(app, bench, phone):
    before = board.board(app, phone)
    assert {c.state for r in before.rows for c in r.cells} == {"unmeasured"}
    assert before.next.text.startswith("First pass") and len(before.next.cells) == 15
    bench.runs.start(phone, [Cell(s, m) for s, m in before.next.cells])
    bench.runs.wait()
    after = board.board(app, phone)
    assert all(r.score is not None and r.low <= r.score <= r.high for r in after.rows if r.signal == "sdr")
    assert after.next.text.startswith("Full pass on Faithful and Cinder") and len(after.next.cells) == 26
    texts = {f.text for r in after.rows for c in r.cells for f in c.figures}
    assert {"173", "1330"} <= texts


@pytest.mark.parametrize("name", ["tessary-pell-6.json", "ostrel-fen-32.json", "halden-loft-4.json"])
def test_estimates_come_true(app, bench, units, name):
    review = new_reviews.add_review(app, units[name], name)
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    cells = [Cell(setup, m) for m in ("grey_ramp", "swatches", "uniformity", "hold", "brightness_ladder", "modulation")]
    plan = bench.runs.preview(review, cells)
    bench.runs.start(review, cells)
    bench.runs.wait()
    last = app.db.connection().execute("SELECT max(at_s), count(*) FROM reading").fetchone()
    assert last[1] == plan.readings
    assert last[0] == pytest.approx(plan.seconds, rel=0.1)


def test_pause_resume_and_stop_may_be_said_twice(app, bench, phone):
    bench.set_speed(20.0)
    bench.runs.start(phone, all_cells(app, phone))
    until(lambda: bench.live.status().done >= 2)
    bench.runs.pause()
    bench.runs.pause()
    until(lambda: bench.live.status().state == "paused")
    time.sleep(0.2)
    done = bench.live.status().done
    time.sleep(0.3)
    assert bench.live.status().done == done
    bench.runs.resume()
    bench.runs.resume()
    until(lambda: bench.live.status().done > done)
    bench.runs.stop()
    until(lambda: bench.live.status().state == "idle")
    with pytest.raises(ConflictError):
        bench.runs.pause()
    states = {c.state for r in board.board(app, phone).rows for c in r.cells}
    assert "measuring" not in states and "queued" not in states


def test_runs_queue_and_work_one_after_the_other(app, bench, phone):
    bench.set_speed(20.0)
    first = bench.runs.start(phone, all_cells(app, phone, ("white_black",)))
    second = bench.runs.start(phone, all_cells(app, phone, ("gamut",)))
    assert bench.live.status().run == first and bench.live.status().queued == 1
    bench.set_speed(0.0)
    until(lambda: bench.live.status().state == "idle")
    states = {r["id"]: r["state"] for r in app.db.connection().execute("SELECT id, state FROM run")}
    assert states == {first: "done", second: "done"}


def test_closing_in_the_middle_leaves_the_run_paused_and_a_new_start_finishes_it(app, phone, tmp_path):
    bench = BenchService(app, speed=20.0)
    bench.runs.start(phone, all_cells(app, phone))
    until(lambda: bench.live.status().done >= 3)
    bench.close()
    app.close()
    again = Application(tmp_path / "data")
    bench = BenchService(again, speed=0.0)
    bench.runs.recover()
    status = bench.live.status()
    assert status.state == "paused" and 3 <= status.done < status.total
    assert "next patch" in status.message
    bench.runs.resume()
    until(lambda: bench.live.status().state == "idle")
    rows = (
        again.db.connection()
        .execute("SELECT count(*), count(DISTINCT patch_id) FROM reading WHERE attempt = 1")
        .fetchone()
    )
    assert tuple(rows) == (status.total, status.total)
    again.close()


def test_wrong_cells_are_named(app, bench, phone):
    with pytest.raises(BadInputError, match="No cells are selected"):
        bench.runs.preview(phone, [])
    with pytest.raises(BadInputError, match="no setup 99"):
        bench.runs.preview(phone, [Cell(99, "gamut")])
    with pytest.raises(BadInputError, match="no measurement 'sparkle'"):
        bench.runs.start(phone, [Cell(1, "sparkle")])
    assert runs.unfinished(app.db.connection()) == []


def test_measuring_again_keeps_the_old_figures_until_the_new_are_whole(app, bench, measured):
    old = board.board(app, measured).rows[0].cells[0].figures
    bench.set_speed(1.0)
    bench.runs.start(measured, [Cell(board.board(app, measured).rows[0].setup, "white_black")])
    cell = board.board(app, measured).rows[0].cells[0]
    assert cell.state in ("queued", "measuring") and cell.figures == old
    bench.set_speed(0.0)
    until(lambda: bench.live.status().state == "idle")
    new = board.board(app, measured).rows[0].cells[0]
    assert new.state == "measured" and new.figures[0].raw != old[0].raw


def test_how_it_warmed_up_stands_on_the_plates_of_white(app, bench, phone):
    bench.runs.start(phone, all_cells(app, phone, ("white_black",))[:1], Options(warm_up=True))
    bench.runs.finish()
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    shown = plates(app, phone, setup, "white_black", [], None)
    chart = shown.charts[-1]
    assert chart.key == "warm_up" and "minutes of warming up" in shown.words
    assert len(chart.table.rows) >= 10 and chart.table.rows[-1][2] == 100


def test_a_reading_under_the_floor_is_shown_without_numbers(bench):
    bench.live.read("black", "below_floor", None)
    shown = bench.live.status().reading
    assert (shown.outcome, shown.Y, shown.u, shown.v) == ("below_floor", None, None, None)
    bench.live.read("white", "ok", np.array([95.0, 100.0, 109.0]), (101.0, 0.5))
    shown = bench.live.status().reading
    assert shown.Y == 100.0 and shown.u == pytest.approx(0.198, abs=0.01) and (shown.target_Y, shown.de) == (101.0, 0.5)
