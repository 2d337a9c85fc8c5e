"""The simulated display behaves like one, and the analysis finds the truth that was put in."""

import json

import numpy as np
import pytest

from lumenar.bench.ports import BelowFloorError, NotConnectedError, RefusedError, TimedOutError
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import COLORIMETER, noisy
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.colour import gamut, spaces
from lumenar.core.readings import Patch

from ..conftest import MONITOR, PHONE

WHITE = np.ones(3)


@pytest.fixture
def monitor(units):
    return SimulatedUnit(parse_unit(units[MONITOR]))


@pytest.fixture
def phone_unit(units):
    return SimulatedUnit(parse_unit(units[PHONE]))


def test_native_white_is_as_the_file_says(monitor):
    monitor.select("Arena")
    XYZ = monitor.XYZ(WHITE)
    assert XYZ[1] == pytest.approx(338, rel=1e-3)
    assert spaces.XYZ_to_xy(XYZ) == pytest.approx([0.2985, 0.3105], abs=1e-4)


def test_emissive_black_is_dark_and_a_liquid_crystal_leaks(monitor, phone_unit):
    assert monitor.XYZ(np.zeros(3))[1] == 0
    leak = phone_unit.XYZ(np.zeros(3))[1] / phone_unit.XYZ(WHITE)[1]
    assert 1 / 2000 < leak < 1 / 1000


def test_a_clamp_makes_the_primaries_of_its_space(monitor):
    monitor.select("Studio")
    primaries = spaces.XYZ_to_uv(monitor.XYZ(np.eye(3)))
    wanted = spaces.xy_to_uv(np.array(spaces.BT709.primaries))
    assert np.abs(primaries - wanted).max() < 0.004
    monitor.select("Arena")
    assert gamut.area_percent(spaces.XYZ_to_uv(monitor.XYZ(np.eye(3))), wanted) > 130


def test_light_follows_the_control_and_only_where_its_scope_says(monitor, phone_unit):
    monitor.select("Matinee")
    before = monitor.XYZ(WHITE)[1]
    monitor.apply("Picture > Light", 100)
    assert monitor.XYZ(WHITE)[1] > before * 1.8
    monitor.select("Paper")
    assert monitor.values["Paper"]["Picture > Light"] == 50, "scope is one mode"
    phone_unit.apply("Screen > Brightness", 10)
    phone_unit.select("Lively")
    assert phone_unit.values["Lively"]["Screen > Brightness"] == 10, "scope is the whole unit"


def test_gains_bend_white_and_locks_are_obeyed(monitor):
    monitor.select("Daybreak")
    before = spaces.XYZ_to_xy(monitor.XYZ(WHITE))
    monitor.apply("Picture > White > Blue gain", 80)
    assert spaces.XYZ_to_xy(monitor.XYZ(WHITE))[0] > before[0] + 0.005
    monitor.select("Paper")
    with pytest.raises(RefusedError, match="locked in the mode Paper"):
        monitor.apply("Picture > White > Blue gain", 80)
    with pytest.raises(RefusedError, match=r"outside 0\.\.100"):
        monitor.apply("Picture > Light", 101)
    with pytest.raises(RefusedError, match="no entry"):
        monitor.apply("Picture > Sparkle", 1)
    with pytest.raises(RefusedError, match="no mode"):
        monitor.select("Cinema")


def test_the_panel_has_steps(units):
    file = json.loads(units[PHONE])
    file["light"]["panel_bits"] = 6
    unit = SimulatedUnit(parse_unit(json.dumps(file)))
    unit.select("Lively")
    Y = unit.XYZ(np.repeat(np.linspace(0, 1, 256)[:, None], 3, axis=1))[:, 1]
    assert np.all(np.diff(Y) >= -1e-9)
    assert len(np.unique(unit.drive(np.repeat(np.linspace(0, 1, 256)[:, None], 3, axis=1))[:, 1])) <= 64


def test_noise_is_what_the_meter_says():
    XYZ = np.tile([95.0, 100.0, 109.0], (20_000, 1))
    got = noisy(XYZ, COLORIMETER, np.random.default_rng(5))
    assert got.std(axis=0) / XYZ[0] == pytest.approx(COLORIMETER.repeatability, rel=0.03)
    assert got.mean(axis=0) == pytest.approx(XYZ[0], rel=1e-4)
    dark = noisy(np.full((20_000, 3), 0.02), COLORIMETER, np.random.default_rng(5))
    assert dark.std() / 0.02 > 5 * COLORIMETER.repeatability, "the noise grows in the dark"


def reading(units, speed=0.0, rgb=(0.5, 0.5, 0.5), seed=None, name=MONITOR):
    bench = simulated_bench(parse_unit(units[name]), SimulatedClock(speed), seed)
    bench.source.show(Patch(rgb))
    return bench, bench.meter.read()


def test_readings_repeat_exactly_for_a_seed_and_take_time(units):
    one, two, other = (reading(units, seed=s)[1] for s in (1, 1, 2))
    assert one == two != other
    bench, bright = reading(units, rgb=(1, 1, 1))
    assert bench.clock.now() == pytest.approx(bright.exposure_s) == pytest.approx(0.4)
    assert reading(units, rgb=(0.02,) * 3, name=PHONE)[1].exposure_s > 1


def test_the_meter_fails_as_real_ones_do(units):
    bench, _ = reading(units)
    bench.source.show(Patch((0, 0, 0)))
    with pytest.raises(BelowFloorError):
        bench.meter.read()
    bench.meter.fault = "time-out"
    with pytest.raises(TimedOutError):
        bench.meter.read()
    bench.meter.fault = "unplugged"
    with pytest.raises(NotConnectedError):
        bench.meter.read()


def test_the_analysis_finds_the_gamut_that_was_put_in(app, bench, measured, units):
    from lumenar.service import board

    unit = SimulatedUnit(parse_unit(units[PHONE]))
    for row in board.board(app, measured).rows:
        unit.select(row.name)
        black = unit.XYZ(np.zeros(3))
        assert black[1] > 0
        triangle = spaces.XYZ_to_uv(unit.XYZ(np.eye(3)))
        true = float(gamut.coverage_percent(triangle, spaces.xy_to_uv(np.array(spaces.P3_D65.primaries))))
        figure = next(f for c in row.cells for f in c.figures if f.figure == "coverage_p3_uv_percent")
        assert abs(figure.raw - true) < 4 * figure.uncertainty
        white = next(f for c in row.cells for f in c.figures if f.figure == "white_cd_m2")
        assert abs(white.raw - unit.XYZ(WHITE)[1]) < 4 * white.uncertainty
