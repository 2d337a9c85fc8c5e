"""What the bench needs of instruments. Nothing above these protocols knows which instrument is behind."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal, Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spectra
from lumenar.core.host_report import HostReport
from lumenar.core.menu.controls import text_of
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch, Spectrum, Trace
from lumenar.core.signals import SignalFormat

MeterKind = Literal["colorimeter", "spectroradiometer", "photodiode"]
ControlValue = float | str


class InstrumentError(Exception):
    """An instrument could not do what it was asked. `advice` tells the person what to do."""

    advice = "Check the instrument, then resume."


class NotConnectedError(InstrumentError):
    """The instrument is not there."""

    advice = "Plug the meter in, then resume. Nothing that was read is lost."


class TimedOutError(InstrumentError):
    """The instrument did not answer in time."""

    advice = "The meter did not answer three times. Check its cable, then resume."


class LostError(InstrumentError):
    """The instrument went away in the middle of a reading."""

    advice = "The meter went away in the middle of a reading. Plug it in, then resume at the same patch."


class BelowFloorError(InstrumentError):
    """Too little light for a number."""


class SaturatedError(InstrumentError):
    """Too much light for a number."""


class RefusedError(InstrumentError):
    """The unit refused a setting; the text says which and why."""

    advice = "Change the menu so that the setting is free, then resume."


class StandsOtherwiseError(InstrumentError):
    """The unit took what was entered, and something else stands there; the text says what."""

    advice = "See what the menu shows: another setting may put it back. Correct the setup or the menu map, then resume."


class OtherSignalError(InstrumentError):
    """The unit shows another signal than it is sent; the text says which."""

    advice = "See to its input, the cable, the source and what the menu says of HDR, then resume; what was read before stays."


class EndedError(InstrumentError):
    """Nobody waits for the reading any more."""

    advice = "Resume to take the reading again."


def _nobody_asks() -> bool:
    return False


@dataclass(frozen=True)
class Cancel:
    """Whether a reading that takes its time is still wanted. asked: becomes true when it is not; deadline_s: after so long it
    is given up. An instrument looks at it as often as it can, ten times a second while it waits for somebody."""

    asked: Callable[[], bool] = _nobody_asks
    deadline_s: float = math.inf
    now: Callable[[], float] = time.monotonic
    begun: float = field(default_factory=time.monotonic)

    def check(self) -> None:
        """EndedError where the reading is not wanted any more, TimedOutError where it has taken too long."""
        if self.asked():
            raise EndedError("the reading was ended")
        if self.now() - self.begun > self.deadline_s:
            raise TimedOutError(f"no reading within {self.deadline_s:g} s")


WANTED = Cancel()
"""A reading that is waited for however long it takes."""


@dataclass(frozen=True)
class MeterDescription:
    """What a meter is: relative repeatability (one standard deviation), floor and ceiling in cd/m2, and the standard
    deviation in cd/m2 of the part of its noise that does not depend on the light. Half of the variance is common to X, Y and
    Z. sample_noise: of a meter that reads spectra, the relative standard deviation of each sample's own noise, which stands
    for the other half. shortest_s, longest_s, bright: it reads for so long at `bright` cd/m2 or more, and in the dark."""

    name: str
    kind: MeterKind
    repeatability: float
    floor: float
    ceiling: float
    absolute: float
    spectral: bool = False
    sample_noise: float = 0.0
    shortest_s: float = 1.0
    longest_s: float = 1.0
    bright: float = 0.0

    def exposure_s(self, Y: float) -> float:
        """How long one reading of Y cd/m2 takes in s: longer with the root of the dark, within what the meter does."""
        return min(self.longest_s, max(self.shortest_s, self.shortest_s * math.sqrt(self.bright / max(Y, 1e-6))))

    @property
    def limits(self) -> MeterLimits:
        """What its readings are judged by."""
        return MeterLimits(self.repeatability, self.floor, self.absolute)

    def covariance(self, trace: Trace | None) -> NDArray[np.float64] | None:
        """Covariance (3, 3) of XYZ as read with a spectrum on the usual grid; None where there is none such."""
        if not self.spectral or not isinstance(trace, Spectrum) or len(trace.radiance) != len(spectra.WAVELENGTHS):
            return None
        common = self.repeatability * math.sqrt(0.5)
        return spectra.noise_of_spectrum(trace.radiance, common, self.sample_noise, self.absolute)


@dataclass(frozen=True)
class MeterReading:
    """One reading: absolute XYZ in cd/m2 as read, how long it took in s, and the waveform or spectrum where the meter
    gives one."""

    XYZ: tuple[float, float, float]
    exposure_s: float
    trace: Trace | None = None


class Meter(Protocol):
    """Reads light: a colorimeter XYZ, a spectroradiometer a spectrum with its XYZ, a photodiode a waveform whose mean is
    Y. `read` raises BelowFloorError, SaturatedError, TimedOutError, NotConnectedError or LostError, and what `cancel` raises
    where the reading is not wanted any more."""

    def describe(self) -> MeterDescription: ...

    def read(self, cancel: Cancel = WANTED) -> MeterReading: ...


class PatchSource(Protocol):
    """Shows patches on the unit under test. `configure` says in which signal; RefusedError where the source cannot send it or
    the unit's input does not take it."""

    def configure(self, format: SignalFormat) -> None: ...

    def show(self, patch: Patch) -> None: ...


@dataclass(frozen=True)
class Wanted:
    """A state of the unit's menu to bring about: its mode, empty for the present one, and values in the order in which they are
    to be entered."""

    mode: str
    values: Mapping[str, ControlValue]


@dataclass(frozen=True)
class Entered:
    """What stands in the unit's menu, as far as the remote knows. greyed: what the menu shows and does not let be set."""

    mode: str
    values: Mapping[str, ControlValue]
    greyed: frozenset[str] = frozenset()

    def check(self, wanted: Wanted) -> None:
        """StandsOtherwiseError with all that does not stand as it was wanted."""
        other = [f"the mode is {self.mode}, not {wanted.mode}"] if self.mode != wanted.mode else []
        other += [
            f"{path} is {text_of(self.values[path])}, not {text_of(value)}"
            for path, value in wanted.values.items()
            if path in self.values and text_of(self.values[path]) != text_of(value)
        ]
        if other:
            raise StandsOtherwiseError(f"all was entered, but {'; '.join(other)}")


class UnitRemote(Protocol):
    """Works the unit's menu. `enter` brings a whole state about and says what stands there then; `apply` changes one value, as
    of a ladder. Both raise RefusedError for what is not there, is locked or out of range."""

    def enter(self, wanted: Wanted) -> Entered: ...

    def apply(self, control: str, value: ControlValue) -> None: ...


class SteppedRemote(Protocol):
    """A remote by which modes and values are entered one by one."""

    def select(self, mode: str) -> None: ...

    def apply(self, control: str, value: ControlValue) -> None: ...


@runtime_checkable
class LiteralRemote(SteppedRemote, Protocol):
    """A remote that can put a unit back to how it left the factory, so that a recipe is entered literally, and switch it off and
    on."""

    def reset(self) -> None: ...

    def power(self, on: bool) -> None: ...


@runtime_checkable
class Informing(Protocol):
    """A remote that can see what signal the unit says it shows; None where it says nothing."""

    def informed(self) -> SignalFormat | None: ...


@runtime_checkable
class Hosted(Protocol):
    """A remote of a unit on a host that says what it believes the unit to reach in the present mode; None where it does not."""

    def reported(self) -> HostReport | None: ...


@dataclass(frozen=True)
class Said:
    """What is said of the present signal and mode: what the unit says it shows, and what its host reports that it reaches."""

    shown: SignalFormat | None = None
    reported: HostReport | None = None


@runtime_checkable
class Arming(Protocol):
    """A remote of a unit where some entries are set before HDR is sent. `armed`: those of a state that do not stand yet, in the
    present mode; None where there are none."""

    def armed(self, wanted: Wanted) -> Wanted | None: ...


class LitRoom(Protocol):
    """The light about the unit. `light` makes it so many lux at the screen; RefusedError where that cannot be had."""

    def light(self, lux: float) -> None: ...


def enter_by_steps(remote: SteppedRemote, wanted: Wanted) -> None:
    """Bring a unit into a state whatever it was in before. A value may be locked by what another still is, and changing that
    one may reset others, so where anything is refused all is entered once more: what is there already changes nothing.
    RefusedError of the first that is refused even so."""
    if wanted.mode:
        remote.select(wanted.mode)
    for _ in range(APPLY_ROUNDS):
        refused: RefusedError | None = None
        for path, value in wanted.values.items():
            try:
                remote.apply(path, value)
            except RefusedError as e:
                refused = refused or e
        if refused is None:
            return
    if refused is not None:
        raise refused


APPLY_ROUNDS = 3


class Clock(Protocol):
    """Time on the bench, in s since it was started."""

    def now(self) -> float: ...

    def sleep(self, seconds: float) -> None: ...


@dataclass
class Bench:
    """The instruments of one bench, joined. The colorimeter is the working meter. room: None where somebody lights it by hand;
    sent: what was sent last, None where nobody said."""

    meter: Meter
    source: PatchSource
    remote: UnitRemote
    clock: Clock
    spectroradiometer: Meter
    photodiode: Meter
    room: LitRoom | None = None
    sent: SignalFormat | None = None

    def enter(self, wanted: Wanted, format: SignalFormat | None = None) -> None:
        """Send a signal of this format and bring the unit into a state. RefusedError where either is not possible,
        OtherSignalError where the unit shows another signal, StandsOtherwiseError where something else stands there
        afterwards."""
        if format is not None:
            self.arm(wanted, format)
            self.send(format)
        self.remote.enter(wanted).check(wanted)
        self.check_signal()

    def arm(self, wanted: Wanted, format: SignalFormat) -> None:
        """Enter what has to stand before a signal is sent, while SDR is."""
        if not isinstance(self.remote, Arming):
            return
        if (first := self.remote.armed(wanted)) is not None:
            self.sent = format.as_sdr
            self.source.configure(self.sent)
            self.remote.enter(first)

    def send(self, format: SignalFormat) -> None:
        """Send a signal. RefusedError where that is not possible, OtherSignalError where the unit shows another."""
        self.source.configure(format)
        self.sent = format
        self.check_signal()

    def shown(self) -> SignalFormat | None:
        """What signal the unit says it shows, None where nobody knows."""
        return self.remote.informed() if isinstance(self.remote, Informing) else None

    def said(self) -> Said:
        """What is said of the present signal and mode."""
        return Said(self.shown(), self.remote.reported() if isinstance(self.remote, Hosted) else None)

    def check_signal(self) -> None:
        """OtherSignalError where the unit says that it shows another signal than was sent last."""
        shown = self.shown()
        if self.sent is None or shown is None:
            return
        if other := self.sent.taken_as(shown):
            raise OtherSignalError(f"{self.sent.words} is sent, and the display says it shows {other}")

    def reader(self, patch: Patch) -> Meter:
        """The instrument that reads a patch."""
        return {"XYZ": self.meter, "spectrum": self.spectroradiometer, "waveform": self.photodiode}[patch.reads]

    def read(self, patch: Patch, cancel: Cancel = WANTED) -> MeterReading:
        """One reading of a patch that is shown. What its instrument raises, and OtherSignalError where the unit shows another
        signal by then: that reading would be of something else."""
        try:
            reading = self.reader(patch).read(cancel)
        except (BelowFloorError, SaturatedError):
            self.check_signal()
            raise
        self.check_signal()
        return reading
