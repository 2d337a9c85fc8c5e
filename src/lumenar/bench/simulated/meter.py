"""The simulated instruments: a colorimeter with filters of its own, a spectroradiometer, and a photodiode."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.ports import (
    WANTED,
    BelowFloorError,
    Cancel,
    Clock,
    LostError,
    MeterDescription,
    MeterReading,
    NotConnectedError,
    RefusedError,
    SaturatedError,
    TimedOutError,
)
from lumenar.bench.simulated.behaviour import waveform
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.core.colour import spectra
from lumenar.core.readings.patches import Patch, Spectrum, Trace, Waveform
from lumenar.core.signals import SignalFormat

Array = NDArray[np.float64]
Fault = Literal["time-out", "unplugged", "lost", "saturated", "drift", "glitch"]
FAULTS: dict[str, str] = {
    "time-out": "does not answer",
    "unplugged": "is not connected",
    "lost": "goes away in the middle of a reading",
    "saturated": "is blinded by any light",
    "drift": "drifts by 2 % a minute",
    "glitch": "gives one reading that is 12 % off",
}

COLORIMETER = MeterDescription(
    "Stand-in colorimeter",
    "colorimeter",
    repeatability=0.001,
    floor=0.003,
    ceiling=4000,
    absolute=0.0003,
    shortest_s=0.4,
    longest_s=4.0,
    bright=10.0,
)
SPECTRORADIOMETER = MeterDescription(
    "Stand-in spectroradiometer",
    "spectroradiometer",
    repeatability=0.002,
    floor=0.2,
    ceiling=20_000,
    absolute=0.01,
    spectral=True,
    sample_noise=0.004,
    shortest_s=1.5,
    longest_s=20.0,
    bright=50.0,
)
PHOTODIODE = MeterDescription(
    "Stand-in photodiode",
    "photodiode",
    repeatability=0.002,
    floor=0.05,
    ceiling=20_000,
    absolute=0.005,
    shortest_s=1.0,
    longest_s=1.0,
)
METERS = (COLORIMETER, SPECTRORADIOMETER, PHOTODIODE)
BY_READS: dict[str, MeterDescription] = {"XYZ": COLORIMETER, "spectrum": SPECTRORADIOMETER, "waveform": PHOTODIODE}
"""Which of them reads what."""
DARK_ROOM: dict[str, object] = {"lux": 0.0, "label": "dark", "automatic": []}
"""The room of simulated displays: no light but the display's reaches them."""

MOST_LUX = 20_000.0
WAVEFORM_S, WAVEFORM_HZ = PHOTODIODE.shortest_s, 20_000.0
_DRIFT_PER_S, _GLITCH = 0.02 / 60, 1.12


@cache
def filters() -> Array:
    """The colorimeter's own spectral responses (81, 3): the observer's, each a little aside and a little too wide, so
    that every panel type needs its correction. They agree with the observer for an even spectrum."""
    true = spectra.observer_5nm()
    nm = spectra.WAVELENGTHS
    shift, tilt = (3.4, -2.0, 2.6), (0.08, -0.06, -0.09)
    own = np.stack(
        [np.interp(nm - shift[i], nm, true[:, i]) * (1 + tilt[i] * (nm - 560) / 100) for i in range(3)], axis=1
    )
    return np.asarray(own * (true.sum(axis=0) / own.sum(axis=0)), float)


def noisy(XYZ: Array, description: MeterDescription, rng: np.random.Generator) -> Array:
    """Readings of true XYZ (..., 3): half of the variance common to the three channels, half each channel's own, and
    an absolute part that counts near the floor, where a reading may come out negative."""
    u = description.limits.u(XYZ)
    common, own = rng.standard_normal((*XYZ.shape[:-1], 1)), rng.standard_normal(XYZ.shape)
    return np.asarray(XYZ + u * (common + own) * np.sqrt(0.5), float)


@dataclass
class SimulatedSource:
    """A patch source wired to the simulated unit: what was shown last is what the meter sees."""

    unit: SimulatedUnit
    clock: Clock
    shown: Patch | None = None

    def configure(self, format: SignalFormat) -> None:
        """Send the signal that the unit's input takes; RefusedError for any other."""
        file = self.unit.file
        if format.bits > file.light.input_bits or format.range != file.signal_range:
            raise RefusedError(
                f"the simulated display takes {file.light.input_bits} bits in {file.signal_range} range, not {format.words}"
            )
        self.unit.receive(format)

    def show(self, patch: Patch) -> None:
        """Put a patch on the screen."""
        self.shown = patch
        self.unit.show(patch, self.clock.now())


@dataclass
class SimulatedRoom:
    """The lamps about the simulated unit."""

    unit: SimulatedUnit

    def light(self, lux: float) -> None:
        """So many lux at the screen and its sensor; RefusedError beyond what lamps give."""
        if not 0 <= lux <= MOST_LUX:
            raise RefusedError(f"the lamps of the simulated room give 0 to {MOST_LUX:,.0f} lux, not {lux:g}")
        self.unit.illuminate(lux)


class _Simulated:
    """What the three instruments share: faults on demand, time, and noise that depends on the seed and the bench time
    only, so that a run can be repeated exactly."""

    description: MeterDescription
    salt: int

    def __init__(self, unit: SimulatedUnit, source: SimulatedSource, clock: Clock, seed: int) -> None:
        self.unit, self.source, self.clock, self.seed = unit, source, clock, seed
        self._fault: Fault | None = None
        self._since = 0.0

    @property
    def fault(self) -> Fault | None:
        """What is wrong with the instrument at present."""
        return self._fault

    @fault.setter
    def fault(self, fault: Fault | None) -> None:
        self._fault, self._since = fault, self.clock.now()

    def describe(self) -> MeterDescription:
        """What this meter can do."""
        return self.description

    def read(self, cancel: Cancel = WANTED) -> MeterReading:
        """One reading of what is shown; takes bench time."""
        cancel.check()
        name = self.description.kind
        if self._fault == "unplugged":
            raise NotConnectedError(f"the {name} is not connected")
        if self._fault == "time-out":
            self.clock.sleep(5.0)
            raise TimedOutError(f"the {name} did not answer within 5 s")
        patch = self.source.shown
        if patch is None:
            raise NotConnectedError("no patch is shown")
        light = self.unit.seen(patch, self.clock.now())
        stray = self.unit.stray
        Y = float(light @ self.unit.channel_XYZ[:, 1])
        if stray is not None:
            Y += float(spectra.spectrum_to_XYZ(stray)[1])
        seconds = self.description.exposure_s(Y)
        self.clock.sleep(seconds)
        cancel.check()
        if self._fault == "lost":
            raise LostError(f"the {name} went away in the middle of a reading")
        if self.description.ceiling < Y or self._fault == "saturated":
            raise SaturatedError(f"{Y:.0f} cd/m2 is over the ceiling of the {name}")
        rng = np.random.default_rng([self.seed, self.salt, round(self.clock.now() * 1e6)])
        XYZ, trace = self.sense(light * self._error(), stray, rng)
        if self.description.floor > XYZ[1]:
            raise BelowFloorError(f"under the {name}'s floor of {self.description.floor:g} cd/m2")
        return MeterReading((float(XYZ[0]), float(XYZ[1]), float(XYZ[2])), seconds, trace)

    def _error(self) -> float:
        """Factor on the light by a fault."""
        if self._fault == "drift":
            return 1 + _DRIFT_PER_S * (self.clock.now() - self._since)
        if self._fault == "glitch":
            self._fault = None
            return _GLITCH
        return 1.0

    def sense(self, light: Array, stray: Array | None, rng: np.random.Generator) -> tuple[Array, Trace | None]:
        """XYZ (3,) as this instrument reads the light of each channel (3,) and the spectrum (81,) of the room's light on the
        screen, and its trace."""
        raise NotImplementedError


class SimulatedColorimeter(_Simulated):
    """Quick and fine in the dark, with filters that are not quite the observer's."""

    description, salt = COLORIMETER, 0

    def __init__(
        self, unit: SimulatedUnit, source: SimulatedSource, clock: Clock, seed: int, ideal: bool = False
    ) -> None:
        super().__init__(unit, source, clock, seed)
        self._response = unit.channel_XYZ if ideal else spectra.KM * 5.0 * (unit.channel_spectra @ filters())

    def sense(self, light: Array, stray: Array | None, rng: np.random.Generator) -> tuple[Array, Trace | None]:
        """XYZ as the filters see it."""
        true = light @ self._response
        if stray is not None:
            true = true + spectra.KM * 5.0 * (stray @ filters())
        return noisy(true, COLORIMETER, rng), None


class SimulatedSpectroradiometer(_Simulated):
    """Slow and true, weak in the dark: every wavelength has its own noise."""

    description, salt = SPECTRORADIOMETER, 1

    def sense(self, light: Array, stray: Array | None, rng: np.random.Generator) -> tuple[Array, Trace | None]:
        """The spectrum, and XYZ by the tabulated observer."""
        true = light @ self.unit.channel_spectra
        if stray is not None:
            true = true + stray
        # Each wavelength's own noise adds about as much to XYZ as that of the whole reading, and the dark's 0.01 cd/m2.
        dark = SPECTRORADIOMETER.absolute / 20 / spectra.KM
        own = rng.standard_normal(len(true)) * np.hypot(SPECTRORADIOMETER.sample_noise * true, dark)
        read = true * (1 + SPECTRORADIOMETER.repeatability * np.sqrt(0.5) * rng.standard_normal()) + own
        return spectra.spectrum_to_XYZ(read), Spectrum(380.0, 5.0, read)


class SimulatedPhotodiode(_Simulated):
    """Light over time, a second at 20 kHz, dark subtracted; its mean is Y, and it knows no colour."""

    description, salt = PHOTODIODE, 2

    def sense(self, light: Array, stray: Array | None, rng: np.random.Generator) -> tuple[Array, Trace | None]:
        """The waveform, its mean as Y, X and Z alike."""
        mean = float(light @ self.unit.channel_XYZ[:, 1])
        if stray is not None:
            mean += float(spectra.spectrum_to_XYZ(stray)[1])
        count = round(WAVEFORM_S * WAVEFORM_HZ)
        m = self.unit.behaviour.modulation
        samples = (
            np.full(count, mean)
            if m is None
            else waveform(m, self.unit.level, mean, WAVEFORM_S, WAVEFORM_HZ, self.unit.backlight)
        )
        samples = samples + PHOTODIODE.repeatability * mean * rng.standard_normal(count)
        # Five digits of the mean are more than the noise holds, and keep the files small.
        samples = np.round(samples, 4 - math.floor(math.log10(max(mean, PHOTODIODE.floor))))
        Y = float(samples.mean())
        return np.array([Y, Y, Y]), Waveform(WAVEFORM_HZ, samples)
