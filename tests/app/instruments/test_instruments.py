"""Corrections: made from both meters, applied on the way in, raw readings kept."""

import numpy as np
import pytest

from lumenar.app.bench.bench import BenchService
from lumenar.app.board import board
from lumenar.app.errors import ConflictError
from lumenar.app.figures import cells, loading
from lumenar.app.instruments.correction_series import SERIES
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.setups import new_reviews
from lumenar.app.verdict import verdict
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.colour import spaces
from lumenar.core.colour.correction import corrected
from lumenar.core.readings.patches import Patch
from lumenar.store import reviews

from ...conftest import PHONE, all_cells


@pytest.fixture
def corrector(app, bench):
    return Corrector(app, bench)


def first_setup(app, review):
    return reviews.setups_of(app.db.connection(), review)[0].id


def white_uv(app, review):
    row = cells.newest(app, review).complete[all_cells(app, review, ("white_black",))[0]]
    readings = cells.readings_of(app, row)
    return spaces.XYZ_to_uv(readings.XYZ[np.argmax(readings.rgb[:, 0])])


def test_a_correction_brings_the_working_meter_to_the_reference(app, bench, phone, corrector, units):
    bench.runs.start(phone, all_cells(app, phone, ("white_black",)))
    bench.runs.finish()
    raw = white_uv(app, phone)
    assert "without a correction" in board.board(app, phone).rows[0].cells[0].note
    assert "1 run was read without a correction for the panel type." in verdict.verdict(app, phone).gaps
    corrector.start(phone, first_setup(app, phone))
    bench.runs.wait()
    attempt = corrector.view().attempt
    assert attempt.step == "done" and attempt.done == 2 * len(SERIES) and len(attempt.residuals) == 8
    assert attempt.summary["de2000_mean"] < 0.4 < 1.2 < attempt.summary["de2000_before_mean"]
    assert corrector.view().corrections == [], "nothing is kept before the person says so"
    number = corrector.keep()
    bench.runs.start(phone, all_cells(app, phone, ("white_black",)))
    bench.runs.finish()
    unit = SimulatedUnit(parse_unit(units[PHONE]))
    unit.select("Faithful")
    true = spaces.XYZ_to_uv(unit.XYZ((1.0, 1.0, 1.0)))
    assert np.linalg.norm(raw - true) > 0.0009
    assert np.linalg.norm(white_uv(app, phone) - true) < 0.0006
    run = app.db.connection().execute("SELECT correction_id FROM run ORDER BY id DESC LIMIT 1").fetchone()
    assert run["correction_id"] == number and corrector.view().corrections[0].runs == 1
    # What is in the store is what the meter said.
    row = app.db.connection().execute("SELECT X, Y, Z FROM reading ORDER BY id DESC LIMIT 1 OFFSET 1").fetchone()
    assert np.linalg.norm(spaces.XYZ_to_uv(np.array(tuple(row))) - true) > 0.0009 or row["Y"] < 1


def test_the_drift_of_a_cold_display_does_not_get_into_its_corrections(app, bench, corrector, units):
    """A projector brightens by a per cent while one meter reads after the other; both are taken back to one moment."""
    name = "halden-loft-4.json"
    review = new_reviews.add_review(app, units[name], name)
    off = []
    for setup in reviews.setups_of(app.db.connection(), review):
        corrector.start(review, setup.id)
        bench.runs.wait()
        assert 0.5 < corrector.attempt.summary["drift_percent"] < 3
        # Cold again, white read with both at one moment: what the correction makes of the one is what the other says.
        unit = bench.equipment.assemble(setup.unit_id, 99)
        unit.remote.select(setup.mode)
        unit.source.show(Patch((1.0, 1.0, 1.0)))
        for _ in range(12):
            unit.clock.sleep(4)
            raw, true = (np.array(m.read().XYZ) for m in (unit.meter, unit.spectroradiometer))
            off.append(100 * (corrected(raw, corrector.attempt.matrix)[1] / true[1] - 1))
    # Each correction is good to 0.3 % in luminance, their mean to half of that.
    assert len(off) == 60 and abs(np.mean(off)) < 0.25


def test_an_attempt_that_is_over_before_its_start_returns_is_not_begun_again(app, bench, phone, corrector, monkeypatch):
    """A bench without waiting may be done while the thread that started it has not gone on yet."""
    take = bench.occupancy.take

    def slow_to_return(*arguments):
        take(*arguments)
        bench.occupancy.wait(timeout=240)

    monkeypatch.setattr(bench.occupancy, "take", slow_to_return)
    corrector.start(phone, first_setup(app, phone))
    assert corrector.attempt.step == "done" and corrector.keep() == 1


def test_what_a_correction_leaves_is_part_of_the_uncertainty(app, bench, measured):
    meter, matrix = loading.limits(app, app.db.connection().execute("SELECT max(id) FROM run").fetchone()[0])
    assert matrix is not None and 0 < meter.correction_draws.std(axis=0).max() < 0.01
    white = board.board(app, measured).rows[0].cells[0].figures[0]
    assert white.uncertainty > 1.5 * meter.repeatability * white.raw / np.sqrt(2)


def test_a_failing_meter_ends_the_attempt_and_nothing_is_kept(app, phone, corrector):
    slow = BenchService(app, speed=20.0)
    corrector = Corrector(app, slow)
    corrector.start(phone, first_setup(app, phone))
    with pytest.raises(ConflictError, match="in use"):
        corrector.start(phone, first_setup(app, phone))
    while slow.equipment.bench is None:
        pass
    slow.equipment.bench.meter.fault = slow.equipment.bench.spectroradiometer.fault = "unplugged"
    slow.set_speed(0.0)
    slow.runs.wait(10)
    attempt = corrector.view().attempt
    assert attempt.step == "failed" and "Plug the meter in" in attempt.message
    with pytest.raises(ConflictError, match="make one first"):
        corrector.keep()
    corrector.stop()
    assert corrector.view().attempt is None
    slow.close()
