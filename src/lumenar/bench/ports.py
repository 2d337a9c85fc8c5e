"""What the bench needs of instruments. Nothing above these protocols knows which instrument is behind."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spectra
from lumenar.core.meter_limits import MeterLimits
from lumenar.core.readings import Patch, Spectrum, Trace

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


@dataclass(frozen=True)
class MeterDescription:
    """What a meter is: relative repeatability (one standard deviation), floor and ceiling in cd/m2, and the standard
    deviation in cd/m2 of the part of its noise that does not depend on the light. Half of the variance is common to X, Y and
    Z. sample_noise: of a meter that reads spectra, the relative standard deviation of each sample's own noise, which stands
    for the other half."""

    name: str
    kind: MeterKind
    repeatability: float
    floor: float
    ceiling: float
    absolute: float
    spectral: bool = False
    sample_noise: float = 0.0

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
    Y. `read` raises BelowFloorError, SaturatedError, TimedOutError, NotConnectedError or LostError."""

    def describe(self) -> MeterDescription: ...

    def read(self) -> MeterReading: ...


class PatchSource(Protocol):
    """Shows patches on the unit under test."""

    def show(self, patch: Patch) -> None: ...


class UnitRemote(Protocol):
    """Works the unit's menu. `apply` raises RefusedError for a control that is locked or a value out of range."""

    def select(self, mode: str) -> None: ...

    def apply(self, control: str, value: ControlValue) -> None: ...


def apply_all(remote: UnitRemote, settings: Mapping[str, ControlValue]) -> None:
    """Bring a unit into a state whatever it was in before. A value may be locked by what another still is, and changing that
    one may reset others, so where anything is refused all is entered once more: what is there already changes nothing.
    RefusedError of the first that is refused even so."""
    for _ in range(APPLY_ROUNDS):
        refused: RefusedError | None = None
        for path, value in settings.items():
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


@dataclass(frozen=True)
class Bench:
    """The instruments of one bench, joined. The colorimeter is the working meter."""

    meter: Meter
    source: PatchSource
    remote: UnitRemote
    clock: Clock
    spectroradiometer: Meter
    photodiode: Meter

    def reader(self, patch: Patch) -> Meter:
        """The instrument that reads a patch."""
        return {"XYZ": self.meter, "spectrum": self.spectroradiometer, "waveform": self.photodiode}[patch.reads]
