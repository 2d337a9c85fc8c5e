"""Every driver keeps its ports, and what does not is noticed."""

from dataclasses import replace

import pytest

from lumenar.app.displays.unit_files import shipped_units
from lumenar.bench.conformance import check_meter, check_remote, check_source
from lumenar.bench.drivers import drivers
from lumenar.bench.drivers.hands import Hands, Manual
from lumenar.bench.drivers.simulated import DARK_ROOM, Simulated, SimulatedDisplay, arrive
from lumenar.bench.drivers.typed import TypedMeter
from lumenar.bench.manual_timing import STEP_S
from lumenar.bench.plan import Plan, PlannedPatch
from lumenar.bench.ports import WANTED, EndedError, Entered, MeterReading, RefusedError, TimedOutError, Wanted
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.readings.patches import Patch

from .test_hands_and_typed import Somebody


def by_stand_in(arrival):
    """A stand-in with its meters."""
    bench = SimulatedDisplay(arrival.text).assemble(SimulatedClock(start=40_000.0), 5)
    return (bench.meter, bench.spectroradiometer, bench.photodiode), bench.source, bench.remote


def by_person(arrival):
    """Somebody before the stand-in, who works it, and types what its meter shows in one form or another."""
    bench = SimulatedDisplay(arrival.text).assemble(SimulatedClock(start=40_000.0), 5)
    hands = Hands(arrival.menu, Somebody(bench))
    return [TypedMeter(StatedMeter(), form, Somebody(bench, form)) for form in ("XYZ", "Yxy", "Y")], hands, hands


DRIVEN = {"simulated": by_stand_in, "hands": by_person, "typed": by_person}


@pytest.mark.parametrize("unit", sorted(shipped_units()))
@pytest.mark.parametrize("driver", drivers())
def test_every_driver_keeps_every_port_it_has(driver, unit):
    arrival = arrive(shipped_units()[unit], unit)[0]
    mode = arrival.menu.modes[0]
    meters, source, remote = DRIVEN[driver](arrival)
    remote.enter(Wanted(mode.name, {}))
    for meter in meters:
        assert check_meter(meter, source.show) == []
    assert check_source(source) == []
    free = next(c for c in arrival.menu.controls if c.kind == "slider" and c.path not in mode.locks)
    assert check_remote(remote, mode.name, free.path, free.maximum, free.maximum - free.step) == []


def test_every_driver_says_what_it_is():
    assert set(drivers()) == set(DRIVEN)
    for key, driver in drivers().items():
        assert driver.key == key and driver.about and driver.roles


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
            "timeless": replace(good, shortest_s=-1.0),
        }.get(self.fault, good)  # fmt: skip

    def read(self, cancel=WANTED):
        if cancel.asked() and self.fault != "deaf":
            raise TimedOutError("late") if self.fault == "late" else EndedError("ended")
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

    def enter(self, wanted):
        if self.fault in ("sullen", "crashes"):
            raise {"sullen": RefusedError(), "crashes": ValueError("x")}[self.fault]
        stands = {"mute": {}, "stubborn": {"Light": 50}}.get(self.fault, dict(wanted.values))
        return Entered("Game" if self.fault == "wanders" else wanted.mode, stands)

    def apply(self, control, value):
        self.enter(Wanted("Film", {}))

    def configure(self, format):
        if self.fault == "sullen":
            raise RefusedError
        if self.fault == "crashes":
            raise ValueError(format)

    def show(self, patch):
        """Shows whatever it is given."""


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ("nameless", "no name"), ("kind", "none of colorimeter"), ("boasts", "not below the ceiling"), ("shares", "no share"),
        ("fickle", "two things"), ("raises", "KeyError is no error of an instrument"), ("nan", "not three numbers"),
        ("stuck", "does not read what is shown"), ("jumps", "more than it says of itself"), ("timeless", "are no times"),
        ("deaf", "goes on where"), ("late", "TimedOutError rather than EndedError"),
    ],
)  # fmt: skip
def test_a_meter_that_does_not_keep_its_port_is_noticed(units, fault, said):
    bench = SimulatedDisplay(arrive(units["tessary-pell-6.json"], "x")[0].text).assemble(
        SimulatedClock(start=40_000.0), 5
    )
    bench.source.show(Patch((1.0,) * 3))
    problems = check_meter(Broken(bench, fault), bench.source.show)
    assert any(said in p for p in problems), problems


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ("agrees", "taken as if"), ("sullen", "without a reason"), ("crashes", "rather than RefusedError"),
        ("mute", "says not what Light is"), ("stubborn", "Light is 50, not 2"), ("wanders", "the mode is Game, not Film"),
    ],
)  # fmt: skip
def test_a_remote_that_does_not_keep_its_port_is_noticed(fault, said):
    assert any(said in p for p in check_remote(Broken(None, fault), "Film", "Light", 1, 2))


@pytest.mark.parametrize(("fault", "said"), [("sullen", "without a reason"), ("crashes", "no error of an instrument")])
def test_a_source_that_does_not_take_signals_as_it_should_is_noticed(fault, said):
    assert any(said in p for p in check_source(Broken(None, fault)))
    assert check_source(Broken(None, "")) == []


SIGNAL = {"range": "full", "bits": 10}


@pytest.mark.parametrize("bits, refused", [(8, False), (10, False), (12, True)])
def test_a_simulated_display_takes_as_many_bits_as_its_signal_has(bits, refused):
    said = Simulated().beyond(DARK_ROOM, {**SIGNAL, "bits": bits}, SIGNAL)
    assert bool(said) == refused and (not refused or "accepts 10 bits in full range" in said)


@pytest.mark.parametrize("lux, refused", [(DARK_ROOM["lux"], False), (5.0, True)])
def test_a_simulated_display_stands_in_the_dark(lux, refused):
    said = Simulated().beyond({**DARK_ROOM, "lux": lux, "label": "evening"}, SIGNAL, SIGNAL)
    assert bool(said) == refused and (not refused or "evening" in said)


def test_a_person_can_arrange_any_light_and_signal():
    assert Manual().beyond({"lux": 500.0}, {**SIGNAL, "bits": 12, "range": "limited"}, SIGNAL) == ""


def test_what_a_person_saves_is_a_step_for_each_patch_that_is_shared():
    patches = tuple(PlannedPatch(1, Patch((v, v, v)), ("white_black",), 3.0) for v in (0.0, 0.5, 1.0))
    timed = Manual().timed(Plan(patches, asked=5, seconds=9.0, saved_seconds=1.0))
    assert timed.saved_seconds == 2 * STEP_S
    assert timed.seconds == pytest.approx(sum(p.seconds for p in timed.patches)) and len(timed.patches) == 3
