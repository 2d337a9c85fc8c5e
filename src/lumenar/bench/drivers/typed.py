"""A meter that only shows numbers: what it says is typed or pasted by a person."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, get_args

from lumenar.bench.drivers.person import Person, Task, ask
from lumenar.bench.ports import (
    WANTED,
    BelowFloorError,
    Cancel,
    InstrumentError,
    MeterDescription,
    MeterKind,
    MeterReading,
)
from lumenar.core import typed_readings
from lumenar.core.readings import Patch
from lumenar.core.typed_readings import Form

STEP_S, ENTER_S, CONTROL_S, CARRY_S = 8.0, 30.0, 8.0, 8.0
"""How long a person takes in s: to show a patch, read the meter and type what it says; to enter a setup; to move the luminance
control; to carry the meter to another place."""
LUMINANCE = "luminance meter"
"""The kind of a meter that shows Y alone."""


class MisreadError(InstrumentError):
    """What was typed cannot be a reading; the text says why."""

    advice = "Read the meter once more and type what it shows."


NAMELESS = "Typed by hand"
"""The name of a meter whose user gave it none."""


@dataclass(frozen=True)
class HandMeter:
    """A meter that only shows numbers, as far as the person knows it: repeatability one standard deviation, floor the least
    that it shows."""

    name: str = ""
    serial: str = ""
    kind: str = "colorimeter"
    repeatability_percent: float = 0.2
    floor_cd_m2: float | None = None
    calibrated_on: str | None = None


class TypedMeter:
    """The meter of whoever types: asked for a reading in one form, each time it is to read."""

    def __init__(
        self, stated: HandMeter, form: Form, person: Person, now: Callable[[], float] = time.monotonic
    ) -> None:
        self._stated, self._form, self._person, self._now = stated, form, person, now

    def describe(self) -> MeterDescription:
        """What the person states of it."""
        s = self._stated
        kind: MeterKind = next((k for k in get_args(MeterKind) if k == s.kind), "colorimeter")
        floor = s.floor_cd_m2 or 0.0
        return MeterDescription(
            s.name.strip() or "Typed by hand",
            kind,
            s.repeatability_percent / 100,
            floor,
            typed_readings.MOST_CD_M2,
            0.0,
            shortest_s=STEP_S,
            longest_s=STEP_S,
        )

    def read(self, cancel: Cancel = WANTED) -> MeterReading:
        """What the person types. BelowFloorError where the meter shows that there is too little light, MisreadError where it
        cannot be a reading."""
        begun = self._now()
        text = ask(self._person, Task("read", typed_readings.FORMS[self._form], cancel=cancel))
        try:
            XYZ = typed_readings.parse(text, self._form).XYZ
        except typed_readings.TypedError as e:
            raise MisreadError(str(e)) from e
        if XYZ is None:
            raise BelowFloorError("the meter shows no number: there is too little light")
        return MeterReading(XYZ, self._now() - begun)


def step_times(patches: Sequence[Patch]) -> list[float]:
    """How long a person takes for each patch of one setup in s, in their order."""
    times: list[float] = []
    before: Patch | None = None
    for p in patches:
        spent = STEP_S + (ENTER_S if before is None else 0.0)
        spent += CONTROL_S if p.level is not None and (before is None or before.level != p.level) else 0.0
        spent += CARRY_S if p.zone is not None and (before is None or before.zone != p.zone) else 0.0
        held = 0.0 if before is None or before.at_s is None else before.at_s
        times.append(spent + (max(p.at_s - held, 0.0) if p.at_s else 0.0))
        before = p
    return times


def meters(stated: HandMeter | None = None) -> dict[str, dict[str, Any]]:
    """The meter whose readings are typed, as a run remembers it; of what nobody has stated the noise near black is
    assumed."""
    m = stated or HandMeter()
    described: dict[str, Any] = {
        "name": m.name.strip() or NAMELESS,
        "kind": m.kind,
        "repeatability": m.repeatability_percent / 100,
    }
    if m.serial.strip():
        described["serial"] = m.serial.strip()
    if m.calibrated_on:
        described["calibrated_on"] = m.calibrated_on
    if m.floor_cd_m2:
        described["floor"] = m.floor_cd_m2
    return {"XYZ": described}
