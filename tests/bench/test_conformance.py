"""Every driver keeps its ports, and what does not is noticed."""

from dataclasses import replace

import pytest

from lumenar.bench.conformance import check_meter, check_remote, check_source
from lumenar.bench.drivers.simulated import StandIn
from lumenar.bench.ports import MeterReading, RefusedError
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.core.menu import Menu
from lumenar.service.units import shipped_units


@pytest.fixture(params=sorted(shipped_units()))
def stand_in(request):
    """Each shipped stand-in's bench, with its first mode and a slider that is free there."""
    from lumenar.bench.drivers.simulated import arrive

    text = shipped_units()[request.param]
    arrival = arrive(text, request.param)[0]
    menu: Menu = arrival.menu
    bench = StandIn(arrival.text).assemble(SimulatedClock(start=40_000.0), 5)
    mode = menu.modes[0]
    bench.remote.select(mode.name)
    free = next(c for c in menu.controls if c.kind == "slider" and c.path not in mode.locks)
    return bench, mode, free


def test_the_stand_ins_keep_every_port(stand_in):
    bench, mode, free = stand_in
    for meter in (bench.meter, bench.spectroradiometer, bench.photodiode):
        assert check_meter(meter, bench.source.show) == []
    assert check_source(bench.source) == []
    assert check_remote(bench.remote, mode.name, free.path, free.maximum, free.maximum - free.step) == []


class Broken:
    """A meter and a remote with a fault of one's choice."""

    def __init__(self, bench, fault):
        self.bench, self.fault, self.told = bench, fault, 0

    def describe(self):
        good = self.bench.meter.describe()
        self.told += 1
        return {
            "nameless": replace(good, name=" "), "kind": replace(good, kind="ruler"), "boasts": replace(good, floor=9e9),
            "shares": replace(good, repeatability=50.0), "fickle": replace(good, name=f"meter {self.told}"),
        }.get(self.fault, good)  # fmt: skip

    def read(self):
        reading = self.bench.meter.read()
        if self.fault == "raises":
            raise KeyError("usb")
        if self.fault == "nan":
            return MeterReading((float("nan"),) * 3, 0.1)
        if self.fault == "stuck":
            return MeterReading((90.0, 100.0, 110.0), 0.1)
        if self.fault == "jumps":
            self.told += 1
            return MeterReading(tuple(v * (1 + 0.2 * (self.told % 2)) for v in reading.XYZ), 0.1)
        return reading

    def select(self, mode):
        if self.fault != "agrees":
            raise {"sullen": RefusedError(), "crashes": ValueError("x")}.get(self.fault, RefusedError("no"))

    def apply(self, control, value):
        self.select("")


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ("nameless", "no name"), ("kind", "none of colorimeter"), ("boasts", "not below the ceiling"), ("shares", "no share"),
        ("fickle", "two things"), ("raises", "KeyError is no error of an instrument"), ("nan", "not three numbers"),
        ("stuck", "does not read what is shown"), ("jumps", "more than it says of itself"),
    ],
)  # fmt: skip
def test_a_meter_that_does_not_keep_its_port_is_noticed(units, fault, said):
    from lumenar.bench.drivers.simulated import arrive

    bench = StandIn(arrive(units["tessary-pell-6.json"], "x")[0].text).assemble(SimulatedClock(start=40_000.0), 5)
    problems = check_meter(Broken(bench, fault), bench.source.show)
    assert any(said in p for p in problems), problems


@pytest.mark.parametrize(
    ("fault", "said"),
    [("agrees", "taken as if"), ("sullen", "without a reason"), ("crashes", "rather than RefusedError")],
)
def test_a_remote_that_does_not_keep_its_port_is_noticed(fault, said):
    assert any(said in p for p in check_remote(Broken(None, fault), "Film", "Light", 1, 2))
