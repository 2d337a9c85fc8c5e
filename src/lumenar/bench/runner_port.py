"""What the runner tells of its work, and what it needs of whoever keeps it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from lumenar.bench.ports import ControlValue, InstrumentError, MeterReading, Said, Wanted
from lumenar.core.readings.patches import Outcome, Patch
from lumenar.core.signals import SignalFormat

State = Literal["running", "paused", "stopped", "done"]


Watched = Literal["reference", "warm_up"]


class TooBrightError(InstrumentError):
    """The meter is blinded again and again."""

    advice = (
        "Dim the display, put a filter before the meter or see what is wrong with it, then resume; or resume as it is."
    )


class SettingChangedError(InstrumentError):
    """A setup does not look as it did in its last run."""

    advice = "Did a setting change? Put it back and resume; or resume as it is, and what was measured before counts as stale."


@dataclass(frozen=True)
class SetupState:
    """What a setup needs of the unit: its mode and the values of its controls, and the signal it is sent, None where that is
    not said. signature: XYZ (3, 3) of the signature patches in its last run with the same settings and firmware, None where
    there was none."""

    key: int
    name: str
    mode: str
    settings: Mapping[str, ControlValue]
    luminance_control: str | None
    signature: Sequence[Sequence[float]] | None = None
    format: SignalFormat | None = None

    @property
    def wanted(self) -> Wanted:
        """The state of the menu."""
        return Wanted(self.mode, self.settings)


@dataclass
class Grey:
    """A grey of the present setup: its luminance, how it was read, and whether it was read again already."""

    Y: float
    step: RunnerStep
    again: bool = False


@dataclass(frozen=True)
class RunnerStep:
    """The next patch to read, with a number the journal knows it by."""

    number: int
    setup: SetupState
    patch: Patch


class Journal(Protocol):
    """Where a run's progress lives. Each call is one transaction; what `commit` took is never read again, unless a later
    attempt of the same step is committed on purpose."""

    def next_step(self) -> RunnerStep | None: ...

    def commit(
        self, step: RunnerStep, outcome: Outcome, reading: MeterReading | None, at_s: float, attempt: int = 1
    ) -> None: ...

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading, at_s: float) -> None: ...

    def signed(self, setup: SetupState, XYZ: Sequence[Sequence[float]], changed: bool, said: Said) -> None: ...

    def warm(self, warm: bool) -> None: ...

    def state(self, state: State, message: str) -> None: ...

    def showing(self, step: RunnerStep) -> None: ...
