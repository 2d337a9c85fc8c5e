"""What stand-ins do by themselves: in light, after a while, at the rim; and files that make no sense of it."""

import json

import numpy as np
import pytest

from lumenar.bench.ports import RefusedError
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.core.readings.patches import Patch

TELEVISION, MONITOR = "carrow-meridian-65.json", "ostrel-fen-32.json"
WHITE = (1.0, 1.0, 1.0)


def light(unit, patch, now=0.0):
    return float(unit.seen(patch, now) @ unit.channel_XYZ[:, 1])


def unit_of(units, name, *settings):
    unit = SimulatedUnit(parse_unit(units[name]))
    for path, value in settings:
        unit.apply(path, value)
    return unit


def test_a_small_picture_that_stands_is_dimmed_after_a_while_and_no_other(units):
    unit = unit_of(units, TELEVISION, ("System > Panel care > Emblem guard", "on"))
    for window, left in ((0.04, 0.7), (0.1, 1.0)):
        patch = Patch(WHITE, window)
        unit.show(patch, 1000.0)
        before, after = light(unit, patch, 1080.0), light(unit, patch, 1095.0)
        assert after / before == pytest.approx(left, abs=0.01)
    # Another picture, and it begins anew.
    unit.show(Patch((0.5, 0.5, 0.5), 0.04), 2000.0)
    unit.show(Patch(WHITE, 0.04), 2001.0)
    assert light(unit, Patch(WHITE, 0.04), 2010.0) / before == pytest.approx(1.0, abs=0.02)


def test_the_rim_is_dimmed_and_the_middle_is_not(units):
    plain, guarded = unit_of(units, MONITOR), unit_of(units, MONITOR, ("System > Rim guard", "on"))
    for zone, left in (((2, 2, 5, 5), 1.0), ((0, 0, 5, 5), 1 - 0.15 * 0.8**2)):
        patch = Patch(WHITE, zone=zone)
        assert light(guarded, patch) / light(plain, patch) == pytest.approx(left, abs=1e-6)


@pytest.mark.parametrize(
    ("lux", "share"), [(0.0, 0.62), (50.0, 1 - 0.38 * 0.45), (225.0, 1 - 0.38 * 0.225), (4000.0, 1.0)]
)
def test_power_saving_goes_by_the_light(units, lux, share):
    unit = unit_of(units, TELEVISION)
    plain = light(unit, Patch(WHITE))
    unit.apply("System > Room > Saver", "high")
    unit.illuminate(lux)
    assert light(unit, Patch(WHITE)) / plain == pytest.approx(share, abs=1e-6)
    unit.apply("System > Room > Saver", "low")
    assert light(unit, Patch(WHITE)) / plain == pytest.approx(1 - 0.4 * (1 - share), abs=1e-6)


def test_the_room_is_on_the_screen_even_while_it_is_off(units):
    bench = simulated_bench(parse_unit(units[TELEVISION]), SimulatedClock(start=3600.0), 1, ideal=True)
    bench.remote.power(False)
    bench.room.light(500.0)
    bench.source.show(Patch(WHITE))
    # A matt surface: lux times its reflectance over pi.
    wanted = 0.012 * 500 / np.pi
    for meter in (bench.meter, bench.spectroradiometer):
        assert meter.read().XYZ[1] == pytest.approx(wanted, rel=0.02)
    bench.remote.power(True)
    bench.source.show(Patch((0.05, 0.05, 0.05)))
    both = bench.meter.read().XYZ[1]
    bench.room.light(0.0)
    assert both - bench.meter.read().XYZ[1] == pytest.approx(wanted, rel=0.02)
    with pytest.raises(RefusedError, match="0 to 20,000 lux"):
        bench.room.light(-1.0)


@pytest.mark.parametrize(
    ("feature", "says"),
    [
        ({"control": "No"}, "driven by the unknown control 'No'"),
        ({"control": "System > Room > Saver", "strength": {"huge": 1}}, "it has off, low, high"),
        ({"control": "Image > Contrast", "strength": {"on": 1}}, "but it has numbers"),
        ({"control": "System > Room > Saver", "by_lux": [[5, 1], [5, 0]]}, "inputs must rise"),
        ({"control": "System > Room > Saver", "by_lux": [[0, 2]]}, "shares of 0 to 1"),
        ({"control": "System > Room > Saver", "after_s": 5, "shadows": 0.1}, "changes light and tint alone"),
    ],
)
def test_a_feature_that_makes_no_sense_is_refused(units, feature, says):
    document = json.loads(units[TELEVISION])
    document["features"] = [feature]
    with pytest.raises(UnitFileError, match=says):
        parse_unit(json.dumps(document))
