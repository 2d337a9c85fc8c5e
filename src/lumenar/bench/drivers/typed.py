"""A meter that only shows numbers: what it says is typed or pasted by a person."""

from __future__ import annotations

import time
from collections.abc import Callable
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
from lumenar.core import typed
from lumenar.core.typed import Form

STEP_S = 8.0
"""How long a person takes to show a patch, read the meter and type what it says, in s."""
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
            s.name.strip() or "Typed by hand", kind, s.repeatability_percent / 100, floor, typed.MOST_CD_M2, 0.0,
            shortest_s=STEP_S, longest_s=STEP_S,
        )  # fmt: skip

    def read(self, cancel: Cancel = WANTED) -> MeterReading:
        """What the person types. BelowFloorError where the meter shows that there is too little light, MisreadError where it
        cannot be a reading."""
        begun = self._now()
        text = ask(self._person, Task("read", typed.FORMS[self._form], cancel=cancel))
        try:
            XYZ = typed.parse(text, self._form).XYZ
        except typed.TypedError as e:
            raise MisreadError(str(e)) from e
        if XYZ is None:
            raise BelowFloorError("the meter shows no number: there is too little light")
        return MeterReading(XYZ, self._now() - begun)


def meters(stated: HandMeter | None = None) -> dict[str, dict[str, Any]]:
    """The meter whose readings are typed, as a run remembers it; of what nobody has stated the noise near black is
    assumed."""
    m = stated or HandMeter()
    described: dict[str, Any] = {
        "name": m.name.strip() or NAMELESS, "kind": m.kind, "repeatability": m.repeatability_percent / 100,
    }  # fmt: skip
    if m.serial.strip():
        described["serial"] = m.serial.strip()
    if m.calibrated_on:
        described["calibrated_on"] = m.calibrated_on
    if m.floor_cd_m2:
        described["floor"] = m.floor_cd_m2
    return {"XYZ": described}
