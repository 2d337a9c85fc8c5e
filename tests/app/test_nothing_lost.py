"""What must never happen: a run with nobody on it, one display that takes all down, a deletion under somebody's hands, figures
of something deleted, a damaged file read as other numbers."""

import json
import shutil
import sqlite3
import threading
import time
from contextlib import suppress

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.free_run import FreeRun
from lumenar.app.board import board, comparison, shelf
from lumenar.app.board.board import doubts
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.instruments.instruments import Corrector, correct_for
from lumenar.app.rescue import TABLES, rescue
from lumenar.app.setups import new_reviews, setup_views
from lumenar.app.setups import setups as setup_service
from lumenar.app.verdict import verdict
from lumenar.bench.plan import Cell
from lumenar.bench.ports import SaturatedError
from lumenar.bench.simulated.meter import SimulatedColorimeter
from lumenar.cli import main
from lumenar.core.measurements import MEASUREMENTS
from lumenar.store import readings, reviews, runs
from lumenar.store.checksum import reading_sum, reading_sums
from lumenar.store.database import DamagedError

from ..conftest import MONITOR, PHONE, all_cells
from .bench.test_bench import until


def first(app, review):
    return reviews.setups_of(app.db.connection(), review)[0].id


# -- the bench ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("error", [ZeroDivisionError("x"), KeyError("x"), sqlite3.IntegrityError("x"), SystemExit(3)])
def test_whatever_the_bench_stumbles_over_the_run_pauses_and_can_go_on(app, bench, phone, monkeypatch, error):
    real = SimulatedColorimeter.read
    calls = []

    def stumble(self, cancel=None):
        calls.append(1)
        if len(calls) == 10:
            raise error
        return real(self)

    monkeypatch.setattr(SimulatedColorimeter, "read", stumble)
    run = bench.runs.start(phone, all_cells(app, phone, ("white_black", "gamut")))
    until(lambda: bench.live.status().state == "paused" and not bench.occupancy.working)
    status = bench.live.status()
    assert type(error).__name__ in status.message and "resume" in status.message.lower()
    assert runs.get(app.db.connection(), run).state == "paused"
    bench.runs.resume()
    bench.runs.wait(20)
    assert runs.get(app.db.connection(), run).state == "done"


def test_a_run_that_stumbled_can_be_stopped(app, bench, phone, monkeypatch):
    def stumble(self, cancel=None):
        raise ZeroDivisionError("x")

    monkeypatch.setattr(SimulatedColorimeter, "read", stumble)
    run = bench.runs.start(phone, [Cell(first(app, phone), "gamut")])
    until(lambda: bench.live.status().state == "paused" and not bench.occupancy.working)
    bench.runs.stop()
    until(lambda: bench.live.status().state == "idle")
    assert runs.get(app.db.connection(), run).state == "stopped"


def test_a_correction_that_stumbles_says_so(app, bench, phone, monkeypatch):
    def stumble(self, cancel=None):
        raise ZeroDivisionError("x")

    monkeypatch.setattr(SimulatedColorimeter, "read", stumble)
    corrector = Corrector(app, bench)
    corrector.start(phone, first(app, phone))
    bench.occupancy.wait(timeout=240)
    assert corrector.attempt.step == "failed" and "ZeroDivisionError" in corrector.attempt.message
    assert bench.live.status().state == "idle"


def test_a_free_run_that_stumbles_says_so_and_leaves_the_bench(app, bench, phone, monkeypatch):
    def stumble(self, cancel=None):
        raise ZeroDivisionError("x")

    monkeypatch.setattr(SimulatedColorimeter, "read", stumble)
    free = FreeRun(app, bench)
    free.start(phone, first(app, phone))
    bench.occupancy.wait(timeout=240)
    assert not free.view().running and "ZeroDivisionError" in free.view().message


def test_pause_and_resume_as_a_run_ends_leave_nobody_behind(app, bench, phone):
    """Steered without rest from another thread, a run always ends, and is never left running with nobody on it."""
    setup = first(app, phone)
    for _ in range(12):
        run = bench.runs.start(phone, [Cell(setup, "white_black")])
        over = threading.Event()

        def steer(over=over):
            while not over.is_set():
                for verb in (bench.runs.pause, bench.runs.resume):
                    with suppress(ConflictError):
                        verb()

        hand = threading.Thread(target=steer)
        hand.start()
        time.sleep(0.03)
        over.set()
        hand.join()
        end = time.monotonic() + 240
        while runs.get(app.db.connection(), run).state not in ("done", "stopped"):
            assert time.monotonic() < end, bench.live.status()
            with suppress(ConflictError):
                bench.runs.resume()
            time.sleep(0.005)
        until(lambda: bench.live.status().state == "idle")


def test_what_is_over_is_not_resumed(app, bench, phone):
    run = bench.runs.start(phone, [Cell(first(app, phone), "white_black")])
    job = bench.occupancy.job
    bench.runs.finish()
    assert not job.runner.resume() and not job.runner.pause() and not job.runner.stop()
    assert runs.get(app.db.connection(), run).state == "done"


def test_readings_that_saturate_in_a_row_pause_the_run(app, bench, phone, monkeypatch):
    real = SimulatedColorimeter.read
    calls = []

    def blinded(self, cancel=None):
        calls.append(1)
        if 5 < len(calls) <= 8:
            raise SaturatedError("too bright")
        return real(self)

    monkeypatch.setattr(SimulatedColorimeter, "read", blinded)
    run = bench.runs.start(phone, [Cell(first(app, phone), "gamut")])
    until(lambda: bench.live.status().state == "paused")
    assert "too bright" in bench.live.status().message
    bench.runs.resume()
    bench.runs.wait(20)
    assert runs.get(app.db.connection(), run).state == "done", "who wants to go on can"


def test_settings_change_no_run_under_way(app, bench, phone):
    bench.set_speed(20.0)
    setup = first(app, phone)
    bench.runs.start(phone, [Cell(setup, "gamut")])
    until(lambda: bench.live.status().done >= 1)
    with pytest.raises(ConflictError, match="measuring this review"):
        setup_service.change(app, phone, setup, {"Screen > Brightness": 20})
    bench.runs.stop()
    until(lambda: bench.live.status().state == "idle")


def test_the_newest_correction_is_used_and_a_run_keeps_its_own(app, bench, phone):
    corrector = Corrector(app, bench)
    numbers = []
    for setup in reviews.setups_of(app.db.connection(), phone)[:2]:
        corrector.start(phone, setup.id)
        bench.occupancy.wait(timeout=240)
        numbers.append(corrector.keep())
    run = bench.runs.start(phone, [Cell(first(app, phone), "white_black")])
    bench.runs.finish()
    assert runs.get(app.db.connection(), run).correction_id == numbers[1]
    corrector.start(phone, first(app, phone))
    bench.occupancy.wait(timeout=240)
    corrector.keep()
    assert runs.get(app.db.connection(), run).correction_id == numbers[1]


def test_a_correction_with_a_glitch_is_noticed(app, bench, phone, monkeypatch):
    real = SimulatedColorimeter.sense
    calls = []

    def glitch(self, light, stray, rng):
        calls.append(1)
        XYZ, trace = real(self, light, stray, rng)
        return (XYZ * 1.12 if len(calls) == 5 else XYZ), trace

    monkeypatch.setattr(SimulatedColorimeter, "sense", glitch)
    corrector = Corrector(app, bench)
    corrector.start(phone, first(app, phone))
    bench.occupancy.wait(timeout=240)
    attempt = corrector.attempt
    assert attempt.step == "done" and "left out" in attempt.message, attempt
    assert attempt.summary["luminance_worst_percent"] < 1.5
    assert attempt.summary["u_luminance_percent"] < 0.12


@pytest.mark.parametrize("level", [0.15, 0.5, 0.9, 1.0])
def test_a_glitch_in_a_grey_ramp_is_read_again(app, bench, phone, monkeypatch, level):
    real = SimulatedColorimeter.sense
    glitched = []

    def glitch(self, light, stray, rng):
        XYZ, trace = real(self, light, stray, rng)
        shown = self.source.shown
        grey = shown.rgb[0] == shown.rgb[1] == shown.rgb[2] and abs(shown.rgb[0] - level) < 0.003
        if grey and not glitched and self.reads >= 5:
            glitched.append(shown)
            return XYZ * 1.12, trace
        self.reads += 1
        return XYZ, trace

    monkeypatch.setattr(SimulatedColorimeter, "reads", 0, raising=False)
    monkeypatch.setattr(SimulatedColorimeter, "sense", glitch)
    run = bench.runs.start(phone, [Cell(first(app, phone), "grey_ramp")])
    bench.runs.finish()
    assert glitched
    again = dict(readings.read_again(app.db.connection(), run, first(app, phone)))
    assert any(abs(signal - level) < 0.003 and len(Y) == 3 for signal, Y in again.items())
    row = next(iter(cells.newest(app, phone).complete.values()))
    r = cells.readings_of(app, row)
    Y = r.XYZ[np.argmin(abs(r.rgb[:, 1] - level)), 1]
    others = app.db.connection().execute(
        "SELECT g.Y FROM reading g JOIN patch p ON p.id = g.patch_id WHERE p.run_id = ? AND abs(p.g - ?) < 0.003"
        " AND p.r = p.g AND p.b = p.g ORDER BY g.Y", (run, level)).fetchall()  # fmt: skip
    assert len(others) >= 3 and 1.06 * others[0][0] > Y, "the median counts, not the odd one"
    said = doubts(app, row).words
    assert f"grey at {100 * level:.0f} % was misread" in said and said.count("%") == 1, "what repeats is no doubt"


def test_what_is_doubtful_is_marked_unless_it_is_warmth_alone(app, bench, phone):
    setup = first(app, phone)
    run = bench.runs.start(phone, [Cell(setup, "white_black")])
    bench.runs.finish()
    with app.db.transaction() as db:
        db.execute("UPDATE run SET correction_id = NULL, warm = 0 WHERE id = ?", (run,))

    def cell():
        app.cache.clear()
        shown = board.board(app, phone).rows[0].cells
        return next(c for c in shown if c.measurement == "white_black")

    assert "without a correction" in cell().note and "not known to be warm" in cell().note and cell().marked
    correct_for(app, bench, phone)
    correction = app.db.connection().execute("SELECT max(id) FROM correction").fetchone()[0]
    with app.db.transaction() as db:
        db.execute("UPDATE run SET correction_id = ? WHERE id = ?", (correction, run))
    assert cell().note.endswith("not known to be warm") and not cell().marked
    setup_service.change(app, phone, setup, setup_service.Edit(values={"Screen > Brightness": 10.0}))
    with app.db.transaction() as db:
        db.execute("UPDATE run SET correction_id = NULL WHERE id = ?", (run,))
    assert cell().state == "stale" and not cell().marked


# -- deletions ------------------------------------------------------------------------------------------------------


def test_a_review_on_the_bench_is_not_deleted(app, bench, phone):
    bench.set_speed(20.0)
    bench.runs.start(phone, all_cells(app, phone))
    for steer in (lambda: None, bench.runs.pause):
        steer()
        with pytest.raises(ConflictError, match="stop it first"):
            new_reviews.delete_review(app, phone)
    bench.runs.stop()
    until(lambda: bench.live.status().state == "idle")
    free = FreeRun(app, bench)
    free.start(phone, first(app, phone))
    with pytest.raises(ConflictError, match="running free"):
        new_reviews.delete_review(app, phone)
    free.stop()
    new_reviews.delete_review(app, phone)
    with pytest.raises(NotFoundError):
        board.board(app, phone)


def test_a_queued_run_goes_with_its_review_and_the_bench_goes_on(app, bench, phone, units):
    other = new_reviews.add_review(app, units[MONITOR], MONITOR)
    bench.set_speed(20.0)
    bench.runs.start(phone, [Cell(first(app, phone), "gamut")])
    bench.runs.start(other, [Cell(first(app, other), "gamut")])
    last = bench.runs.start(phone, [Cell(first(app, phone), "white_black")])
    new_reviews.delete_review(app, other)
    bench.set_speed(0.0)
    until(lambda: bench.live.status().state == "idle")
    assert runs.get(app.db.connection(), last).state == "done"


def test_nothing_of_a_deleted_review_comes_back(app, bench, units):
    """Its numbers are never used again, and nothing of it stays in memory: a display twice as bright reads twice as bright."""
    white = []
    for peak in (200.0, 400.0):
        document = json.loads(units[PHONE])
        document["light"]["peak_cd_m2"] = peak
        review = new_reviews.add_review(app, json.dumps(document), PHONE)
        bench.runs.start(review, [Cell(first(app, review), "white_black")])
        bench.runs.finish()
        white.append(board.board(app, review).rows[0].cells[list(MEASUREMENTS).index("white_black")].figures[0].raw)
        numbers = (review, first(app, review))
        new_reviews.delete_review(app, review)
        if len(white) == 1:
            before = numbers
    assert white[1] == pytest.approx(2 * white[0], rel=0.02)
    assert numbers[0] > before[0] and numbers[1] > before[1]


def test_what_a_mode_ships_with_stays_whatever_it_is_called(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    rows = reviews.setups_of(app.db.connection(), review)
    second = next(s for s in rows if s.unit_id != rows[0].unit_id)
    with pytest.raises(ConflictError, match="as shipped"):
        setup_service.delete(app, review, second.id)
    own = setup_service.add(app, review, second.id, rows[0].name)
    assert not setup_views.view(app, review, own).shipped and setup_views.view(app, review, own).own
    setup_service.delete(app, review, own)


# -- one cell fails alone -------------------------------------------------------------------------------------------


def test_a_failing_analysis_stays_in_its_cell(app, bench, measured, monkeypatch):
    from dataclasses import replace

    def broken(readings, target):
        raise IndexError("a fault of ours")

    monkeypatch.setitem(MEASUREMENTS, "grey_ramp", replace(MEASUREMENTS["grey_ramp"], analyse=broken))
    app.forget()
    with app.db.transaction() as db:
        db.execute("DELETE FROM computed")
    shown = board.board(app, measured)
    states = {c.measurement: (c.state, c.note) for c in shown.rows[0].cells}
    assert states["grey_ramp"][0] == "failed" and "IndexError" in states["grey_ramp"][1]
    assert states["gamut"][0] == "measured"
    assert len(shelf.shelf(app)) == 1
    assert verdict.verdict(app, measured).purposes[0].modes[0].score.value is None
    rows = comparison.compare(app, [r.setup for r in shown.rows[:2]], None).rows
    assert {r.measurement for r in rows} >= {"gamut"} and "grey_ramp" not in {r.measurement for r in rows}


def test_one_review_that_cannot_be_shown_takes_no_other_with_it(app, measured, units):
    broken = new_reviews.add_review(app, units[MONITOR], MONITOR)
    with app.db.transaction() as db:
        bad = '{"modes": [{}], "controls": []}'
        db.execute(
            "UPDATE menu SET document = ? WHERE id = (SELECT menu_id FROM unit WHERE review_id = ?)", (bad, broken)
        )
    app.forget()
    found = {e.id: e for e in shelf.shelf(app)}
    assert "cannot be shown" in found[broken].about and found[measured].headline


def test_a_slider_with_two_positions_is_refused_when_planned(app, bench, units):
    document = json.loads(units[PHONE])
    brightness = next(c for c in document["controls"] if c.get("role") == "luminance")
    brightness |= {"minimum": 0, "maximum": 100, "step": 100, "default": 100, "table": [[0, 0.2], [100, 1.0]]}
    for mode in document["modes"]:
        mode.pop("defaults", None)
    review = new_reviews.add_review(app, json.dumps(document), PHONE)
    setup = first(app, review)
    with pytest.raises(BadInputError, match="needs 3 positions"):
        bench.runs.start(review, [Cell(setup, "brightness_ladder")])
    plan = bench.runs.preview(review, [Cell(setup, "brightness_ladder"), Cell(setup, "gamut")])
    assert plan.readings == 8 and "Brightness control" in plan.left_out[0]
    assert shelf.shelf(app)


# -- damage ---------------------------------------------------------------------------------------------------------


def test_the_checksum_is_the_same_one_by_one_and_all_at_once():
    rng = np.random.default_rng(1)
    table = rng.normal(size=(50, 5))
    table[:, 0] = np.arange(50)
    table[7, 1:4] = np.nan
    one = [reading_sum(int(r[0]), *(None if np.isnan(v) else float(v) for v in r[1:4]), float(r[4])) for r in table]
    np.testing.assert_array_equal(reading_sums(table), one)
    table[3, 2] = np.nextafter(table[3, 2], 9)
    assert reading_sums(table)[3] != one[3]


def test_a_reading_that_is_not_what_was_stored_is_noticed(app, bench, measured):
    row = next(r for c, r in cells.newest(app, measured).complete.items() if c.measurement == "gamut")
    with app.db.transaction() as db:
        db.execute("UPDATE reading SET Y = Y * 1.001 WHERE id = (SELECT max(id) FROM reading WHERE Y > 1)")
        db.execute("DELETE FROM computed")
    app.forget()
    with pytest.raises(DamagedError, match="rescue"):
        for _ in range(1):
            for r in cells.newest(app, measured).complete.values():
                cells.readings_of(app, r)
    states = {c.state for r in board.board(app, measured).rows for c in r.cells}
    assert "failed" in states and "measured" in states and row


def test_a_figure_that_is_damaged_is_computed_again(app, bench, measured):
    before = board.board(app, measured).rows[0].cells[0].figures
    with app.db.transaction() as db:
        db.execute("UPDATE computed SET analysis = replace(analysis, 'A', 'B')")
    app.forget()
    assert board.board(app, measured).rows[0].cells[0].figures == before


def test_a_damaged_file_is_said_and_what_is_whole_is_saved(app, bench, measured, tmp_path):
    count = app.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0]
    app.db.connection().execute("PRAGMA wal_checkpoint(TRUNCATE)")
    folder = tmp_path / "hurt"
    folder.mkdir()
    data = bytearray((app.folder / "lumenar.db").read_bytes())
    # A page of readings: a leaf of a table, full of outcomes.
    leaves = [i for i in range(4096, len(data), 4096) if data[i] == 0x0D and data[i : i + 4096].count(b"ok") > 15]
    middle = leaves[len(leaves) // 2]
    data[middle : middle + 4096] = b"\xde" * 4096
    (folder / "lumenar.db").write_bytes(bytes(data))
    with pytest.raises(DamagedError, match="damaged"):
        Application(folder)
    saved = rescue(folder, tmp_path / "saved")
    again = Application(tmp_path / "saved")
    kept = again.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0]
    assert 0.3 * count < kept < count and saved["reading"].kept == kept and not saved["reading"].whole
    assert not again.db.connection().execute("PRAGMA foreign_key_check").fetchall()
    shelf.shelf(again)
    again.close()


@pytest.mark.parametrize("share", [0.15, 0.3, 0.45, 0.6, 0.75, 0.9, 0.97, 0.999])
def test_a_file_that_was_cut_off_gives_what_is_left_and_says_what_is_lost(
    app, bench, measured, tmp_path, capsys, share
):
    tables = {t: app.db.connection().execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in TABLES}
    app.db.connection().execute("PRAGMA wal_checkpoint(TRUNCATE)")
    folder = tmp_path / "hurt"
    folder.mkdir()
    data = (app.folder / "lumenar.db").read_bytes()
    left = data[: int(share * len(data))]
    (folder / "lumenar.db").write_bytes(left)
    status = main(["rescue", str(folder), "--out", str(tmp_path / "saved")])
    said = capsys.readouterr()
    assert status == 1 and "not everything could be saved" in said.err, "nothing is said to be whole"
    assert (folder / "lumenar.db").read_bytes() == left, "the damaged file is left as it is"
    again = Application(tmp_path / "saved")
    db = again.db.connection()
    kept = {t: db.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in TABLES}
    assert all(kept[t] <= tables[t] for t in TABLES)
    lines = {line.split(":")[0]: line for line in said.out.splitlines() if ":" in line}
    for t in TABLES:
        if kept[t] < tables[t]:
            assert "lost" in lines[t] or "left out" in said.out, t
    # Each page that is there and holds readings gives them, as long as what they belong to is there.
    if kept["run"] and kept["patch"]:
        rows = sum(
            left[i] == 0x0D and left[i : i + 4096].count(b"ok") > 15 for i in range(4096, len(left) - 4095, 4096)
        )
        assert kept["reading"] >= 10 * rows or "left out" in said.out
    if share >= 0.999:
        assert kept["reading"] > 0.6 * tables["reading"]
    shelf.shelf(again)
    again.close()


def test_a_whole_file_is_saved_whole(app, bench, measured, tmp_path):
    app.db.connection().execute("PRAGMA wal_checkpoint(TRUNCATE)")
    told = []
    saved = rescue(app.folder, tmp_path / "saved", lambda table, found: told.append(table))
    assert all(found.whole for found in saved.values()) and told == list(TABLES)
    again = Application(tmp_path / "saved")
    for t in TABLES:
        query = f"SELECT count(*) FROM {t}"
        assert again.db.connection().execute(query).fetchone()[0] == app.db.connection().execute(query).fetchone()[0], t
    again.close()


def test_every_table_is_saved_but_what_follows_from_others(app):
    tables = app.db.connection().execute("SELECT name FROM sqlite_master WHERE type = 'table'")
    assert {r[0] for r in tables} - set(TABLES) == {"sqlite_sequence", "computed"}


@pytest.mark.parametrize("lost", ["use_set", "use_set_member"])
def test_what_patches_are_read_for_is_saved_from_either_table(app, bench, measured, tmp_path, lost):
    uses = "SELECT p.id, m.measurement FROM patch p JOIN use_set_member m ON m.use_set = p.use_set ORDER BY 1, 2"
    before = [tuple(r) for r in app.db.connection().execute(uses)]
    app.db.connection().execute("PRAGMA wal_checkpoint(TRUNCATE)")
    folder = tmp_path / "hurt"
    folder.mkdir()
    shutil.copy(app.folder / "lumenar.db", folder)
    hurt = sqlite3.connect(folder / "lumenar.db")
    hurt.execute(f"DELETE FROM {lost}")
    hurt.commit()
    hurt.close()
    rescue(folder, tmp_path / "saved")
    again = Application(tmp_path / "saved")
    assert before and [tuple(r) for r in again.db.connection().execute(uses)] == before
    again.close()


def test_what_is_committed_is_on_the_disk(app):
    connection = app.db.connection()
    assert connection.execute("PRAGMA synchronous").fetchone()[0] == 2
    assert connection.execute("PRAGMA journal_mode").fetchone()[0] == "wal"


def test_rescue_wants_a_new_folder(app, tmp_path):
    with pytest.raises(BadInputError, match="not empty"):
        rescue(app.folder, app.folder)
    with pytest.raises(BadInputError, match=r"no lumenar\.db"):
        rescue(tmp_path, tmp_path / "new")


# -- closing --------------------------------------------------------------------------------------------------------


def test_a_server_that_is_closed_leaves_its_run_paused(tmp_path, units):
    app = Application(tmp_path / "data")
    bench = BenchService(app, speed=20.0)
    review = new_reviews.add_review(app, units[PHONE], PHONE)
    run = bench.runs.start(review, all_cells(app, review))
    until(lambda: bench.live.status().done >= 2)
    bench.close()
    assert runs.get(app.db.connection(), run).state == "paused"
    app.close()
    shutil.rmtree(tmp_path / "data")
