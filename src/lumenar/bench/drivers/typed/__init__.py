"""A meter that only shows numbers: what it says is typed or pasted by a person."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import get_args

from lumenar.bench.driver import Driver
from lumenar.bench.manual_timing import STEP_S
from lumenar.bench.person import Person, Task, ask
from lumenar.bench.ports import (
    WANTED,
    BelowFloorError,
    Cancel,
    InstrumentError,
    MeterDescription,
    MeterKind,
    MeterReading,
)
from lumenar.bench.stated_meter import NAMELESS, StatedMeter
from lumenar.core.readings import typed_readings
from lumenar.core.readings.typed_readings import Form

DRIVER = Driver("typed", "a meter that only shows numbers, which are typed", ("meter", "reference"))


class MisreadError(InstrumentError):
    """What was typed cannot be a reading; the text says why."""

    advice = "Read the meter once more and type what it shows."


class TypedMeter:
    """The meter of whoever types: asked for a reading in one form, each time it is to read."""

    def __init__(
        self, stated: StatedMeter, form: Form, person: Person, now: Callable[[], float] = time.monotonic
    ) -> None:
        self._stated, self._form, self._person, self._now = stated, form, person, now

    def describe(self) -> MeterDescription:
        """What the person states of it."""
        s = self._stated
        kind: MeterKind = next((k for k in get_args(MeterKind) if k == s.kind), "colorimeter")
        floor = s.floor_cd_m2 or 0.0
        return MeterDescription(
            s.name.strip() or NAMELESS,
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
