"""Simulated displays and instruments, which ship with Lumenar. Only here a unit file is read; what a reviewer knows of the
display comes out of it once, at its arrival."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from lumenar.bench.capabilities import EVERYTHING, Capabilities
from lumenar.bench.driver import Driver
from lumenar.bench.plan import Plan
from lumenar.bench.ports import Bench, ControlValue, Wanted
from lumenar.bench.problems import first_problem
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.camera import REFERENCE, photo
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import BY_READS, COLORIMETER, DARK_ROOM, FAULTS, METERS, SPECTRORADIOMETER
from lumenar.bench.simulated.meter import Fault as FaultKey
from lumenar.bench.simulated.unit_controls import UnitControl as UnitControl
from lumenar.bench.simulated.unit_file import UnitFile, UnitFileError, parse_unit
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.menu.controls import Control, Panel
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.readings.patches import Patch

__all__ = [
    "COLORIMETER",
    "FAULTS",
    "METERS",
    "REFERENCE_HZ",
    "SPECTRORADIOMETER",
    "Arrival",
    "FaultKey",
    "SimulatedClock",
    "SimulatedDisplay",
    "UnitFileError",
    "arrive",
    "claims_in",
]


@dataclass(frozen=True)
class Arrival:
    """What a unit file tells a reviewer of one sample, and the text that the simulated sample is made from."""

    maker: str
    model: str
    serial: str
    sample: str
    firmware: str
    kind: str
    panel: Panel
    about: str
    size_inch: float
    pixels: tuple[int, int]
    bits: int
    signal_range: str
    menu: Menu
    text: str


def arrive(text: str | bytes, name: str) -> list[Arrival]:
    """Every sample in a unit file, the one it describes first. UnitFileError or ValueError with one line that names file,
    place and reason; a file that can make no light is refused too."""
    unit = parse_unit(text, name)
    SimulatedUnit(unit)
    arrivals = [_arrival(unit)]
    for i, update in enumerate(unit.updates):
        try:
            SimulatedUnit(unit.with_firmware(update.firmware))
        except ValidationError as e:
            place, reason = first_problem(e)
            raise UnitFileError(f"{name}: updates[{i}].mode_changes: {place}: {reason}") from e
    for i, sample in enumerate(unit.samples):
        try:
            other = unit.of_sample(sample)
            SimulatedUnit(other)
        except ValidationError as e:
            place, reason = first_problem(e)
            raise UnitFileError(f"{name}: samples[{i}].mode_changes: {place}: {reason}") from e
        arrivals.append(_arrival(other))
    return arrivals


def _arrival(unit: UnitFile) -> Arrival:
    return Arrival(
        maker=unit.maker,
        model=unit.model,
        serial=unit.serial,
        sample=unit.sample,
        firmware=unit.firmware,
        kind=unit.kind,
        panel=unit.panel,
        about=unit.about,
        size_inch=unit.size_inch,
        pixels=unit.pixels,
        bits=unit.light.input_bits,
        signal_range=unit.signal_range,
        menu=menu_of(unit),
        text=unit.model_dump_json(),
    )


def menu_of(unit: UnitFile) -> Menu:
    """The menu of a simulated display as a reviewer would write it down."""
    controls = tuple(
        Control(
            path=c.path,
            kind=c.kind,
            minimum=c.minimum,
            maximum=c.maximum,
            step=c.step,
            choices=tuple(c.choices),
            default=c.default,
            place="host" if c.path.startswith("Host > ") else "unit",
            scope=c.scope,
            role=_role(c),
            group=c.group,
            promise=c.promise,
            route=c.route,
            when=c.when,
            locks={value: tuple(paths) for value, paths in c.locks.items()},
            resets=tuple(c.resets),
        )
        for c in unit.controls
    )
    modes = tuple(Mode(m.name, m.signal, m.target, dict(m.defaults), tuple(m.locks)) for m in unit.modes)
    return Menu(modes, controls, unit.mode_path)


def _role(c: UnitControl) -> str | None:
    """What a reviewer would say that a control is for."""
    if c.role == "white" and c.effect == "point":
        return f"{c.channel} at {100 * (c.level or 0):g} %"
    if c.role == "white" and c.channel is not None:
        return f"{c.channel} {'offset' if c.effect == 'offset' else 'gain'}"
    if c.role == "colour":
        what = {"hue": "hue", "axis_saturation": "saturation", "axis_lightness": "lightness"}.get(c.effect)
        return f"{c.axis} {what}" if what else f"{c.channel} in {c.axis}"
    return c.role


class SimulatedDisplay:
    """One simulated display by the text of its unit file, with the firmware that was installed since where there is one."""

    def __init__(self, text: str, firmware: str = "") -> None:
        file = UnitFile.model_validate_json(text)
        self._file = file.with_firmware(firmware) if firmware else file

    @property
    def seed(self) -> int:
        """What its noise starts from."""
        return self._file.seed

    def assemble(self, clock: SimulatedClock, seed: int) -> Bench:
        """The display with simulated instruments before it."""
        return simulated_bench(self._file, clock, seed)

    def photograph(
        self, mode: str, values: Mapping[str, ControlValue], shutter_s: float, seed: int
    ) -> NDArray[np.uint8]:
        """A photo (h, w, 3) of its white in a state, beside a lamp that pulses at REFERENCE_HZ. RefusedError where the state
        can't be had."""
        unit = SimulatedUnit(self._file)
        unit.enter(Wanted(mode, values))
        return photo(unit, shutter_s, seed)


REFERENCE_HZ = REFERENCE.frequency_hz


DRIVER = Driver(
    "simulated",
    "a simulated display with its instruments",
    ("meter", "reference", "waveform", "patch source", "remote"),
)


class Simulated:
    """The station of a simulated display. It stands in the dark, and accepts the signal that it usually gets."""

    @property
    def capabilities(self) -> Capabilities:
        """All goes without a person."""
        return EVERYTHING

    @property
    def light(self) -> Mapping[str, Any]:
        """A dark room."""
        return dict(DARK_ROOM)

    def meters(self, stated: StatedMeter | None) -> dict[str, dict[str, Any]]:
        """The simulated meters: what figures depend on, without their times."""
        times = ("shortest_s", "longest_s", "bright")
        return {reads: {k: v for k, v in asdict(m).items() if k not in times} for reads, m in BY_READS.items()}

    def reading_s(self, patches: Sequence[Patch], Y: NDArray[np.float64]) -> list[float]:
        """As the meters say of themselves."""
        return [BY_READS[p.reads].exposure_s(float(y)) for p, y in zip(patches, Y, strict=True)]

    def timed(self, plan: Plan) -> Plan:
        """The plan as it is."""
        return plan

    def beyond(self, light: Mapping[str, Any], signal: Mapping[str, Any], usual: Mapping[str, Any]) -> str:
        """Another light than darkness, another range, or more bits."""
        if light.get("lux") != DARK_ROOM["lux"]:
            return f"the simulated room is dark, so it can't be measured in {light.get('label') or 'another light'}"
        if signal["range"] != usual["range"] or int(signal["bits"]) > int(usual["bits"]):
            return f"the simulated display accepts {usual['bits']} bits in {usual['range']} range, not the setup's"
        return ""


def claims_in(document: str) -> list[str]:
    """What the maker says of the display of a unit file."""
    return [c.text for c in parse_unit(document).claims]
