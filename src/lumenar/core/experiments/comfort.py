"""What comfort settings do for the eye: blue light, white and pulsing at each value of a control, against where it stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from lumenar.core.colour import spectra, waveform
from lumenar.core.colour.spaces import XYZ_to_xy
from lumenar.core.colour.temperature import cct_duv
from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead, few_values, name_of
from lumenar.core.experiments.effect import promised
from lumenar.core.measurements.blue_light import BAND_NM, WHOLE_NM, radiance_between
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.readings.patches import Patch, Spectrum, Waveform
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise

WHITE = (1.0, 1.0, 1.0)
MOST_VALUES = 5
LEAST = 0.02
"""A share of melanopic light under which nothing is said to have changed."""
TRIED = 400
BANDS = (((595, 650), (10, 90)), ((510, 555), (20, 90)), ((440, 475), (12, 45)))
"""Peaks and widths at half maximum, in nm, of red, green and blue of displays."""
KELVIN = (3000.0, 10000.0)


@cache
def estimate() -> tuple[Array, float]:
    """Weights (3,) that give melanopic over photopic light of a display's white from XYZ / Y, and the standard deviation of what
    they miss: least squares over whites of 3000 to 10000 K, beside the locus too, mixed of three bands. Where the bands lie can't
    be told from colour, as modes mix primaries of their own; that is most of what is missed."""
    rng = np.random.default_rng(5)
    made: list[Array] = []
    while len(made) < TRIED:
        shapes = np.stack([spectra.gaussians([rng.uniform(*at)], [rng.uniform(*wide)], [1.0]) for at, wide in BANDS])
        amounts = np.linalg.solve(spectra.spectrum_to_XYZ(shapes).T, spectra.planck_XYZ(rng.uniform(*KELVIN)))
        if np.all(amounts > 0):
            made.append((amounts * rng.uniform(0.85, 1.15, 3)) @ shapes)
    XYZ = spectra.spectrum_to_XYZ(np.stack(made))
    ratio, der = XYZ / XYZ[:, 1:2], spectra.melanopic_der(spectra.WAVELENGTHS, np.stack(made))
    weights = np.linalg.lstsq(ratio, der, rcond=None)[0]
    return np.asarray(weights, float), float(np.std(der - ratio @ weights))


@dataclass(frozen=True)
class Eye:
    """White at a value: luminance in cd/m2, CCT in K, melanopic ratio (1 is daylight) with what it may be off by where it is an
    estimate, the share of radiance from 415 to 455 nm in %, and how deep in % and fast in Hz it pulses; NaN where not read."""

    Y: float
    cct: float
    der: float
    off: float
    blue: float
    depth: float
    hz: float


def eye_of(read: StageRead) -> Eye:
    """What a stage read, with a spectrum and a waveform where meters gave them; without a spectrum the ratio is an estimate."""
    XYZ = read.XYZ[0]
    spectrum = next((t for t in read.traces if isinstance(t, Spectrum)), None)
    wave = next((t for t in read.traces if isinstance(t, Waveform)), None)
    cct = float(cct_duv(XYZ_to_xy(XYZ))[0])
    depth = hz = blue = np.nan
    if wave is not None:
        found = waveform.analyse(wave.samples, wave.rate_hz)
        depth, hz = found.modulation_percent, found.frequency_hz
    if spectrum is None:
        weights, off = estimate()
        return Eye(Y=float(XYZ[1]), cct=cct, der=float(XYZ / XYZ[1] @ weights), off=off, blue=blue, depth=depth, hz=hz)
    nm = np.asarray(spectrum.start_nm + spectrum.step_nm * np.arange(len(spectrum.radiance)), float)
    part, whole = (radiance_between(nm, spectrum.radiance, *band) for band in (BAND_NM, WHOLE_NM))
    return Eye(
        Y=float(XYZ[1]),
        cct=cct,
        der=float(spectra.melanopic_der(nm, spectrum.radiance)),
        off=0.0,
        blue=100 * part / whole,
        depth=depth,
        hz=hz,
    )


@dataclass(frozen=True)
class Comfort:
    """A control's values between two readings of where it stands. traces: whether spectra and waveforms are read too."""

    control: Control
    mode: str
    stands: Value
    signal: Signal
    noise: Noise
    traces: bool = True

    @property
    def values(self) -> list[Value]:
        """The values that are tried."""
        return few_values(self.control, self.stands, MOST_VALUES)

    @property
    def patches(self) -> tuple[Patch, ...]:
        """White, by every meter there is."""
        more = (Patch(WHITE, reads="spectrum"), Patch(WHITE, reads="waveform")) if self.traces else ()
        return (Patch(WHITE), *more)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """As it stands, each value, as it stands once more."""
        name = name_of(self.control.path)
        first = Stage(f"{name} {text_of(self.stands)}, as it stands", (Act("mode", "", self.mode),), self.patches)
        tried = [Stage(f"{name} {text_of(v)}", (Act("set", self.control.path, v),), self.patches) for v in self.values]
        return (first, *tried, Stage(f"{name} {text_of(self.stands)} once more", self.back, self.patches))

    @property
    def back(self) -> tuple[Act, ...]:
        """The control to where it stood."""
        return (Act("set", self.control.path, self.stands),)

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """What each value does to melanopic light and pulsing, and whether less blue is kept."""
        path, name = self.control.path, name_of(self.control.path)
        base, again = eye_of(reads[0]), eye_of(reads[-1])
        drift = abs(again.der * again.Y / (base.der * base.Y) - 1)
        heads = [name, "Melanopic ratio", "Melanopic light, %", "White, cd/m²", "White, K"]
        heads += ["415–455 nm, %", "Pulses, %", "at, Hz"] if self.traces else ["Ratio may be off by"]
        rows = [self._row(f"{text_of(self.stands)}, as it stands", base, base)]
        tried: list[tuple[Value, Eye]] = []
        for value, read in zip(self.values, reads[1:-1], strict=True):
            if path in read.refused:
                rows.append((text_of(value), *[None] * (len(heads) - 1)))
                continue
            eye = eye_of(read)
            tried.append((value, eye))
            rows.append(self._row(text_of(value), eye, base))
        if not tried:
            return Conclusion(f"{name} could not be set in {self.mode}.", tuple(heads), tuple(rows))
        said = self._said(tried, base, max(LEAST, 2 * drift))
        return Conclusion(said, tuple(heads), tuple(rows), {path: said})

    def _row(self, words: str, e: Eye, base: Eye) -> tuple[str | float | None, ...]:
        light = 100 * e.der * e.Y / (base.der * base.Y)
        own = (words, _known(e.der, 3), _known(light, 1), _known(e.Y, 1), _known(e.cct, 0))
        if not self.traces:
            return (*own, _known(e.off, 3))
        return (*own, _known(e.blue, 2), _known(e.depth, 1), _known(e.hz, 0))

    def _said(self, tried: Sequence[tuple[Value, Eye]], base: Eye, least: float) -> str:
        name = name_of(self.control.path)
        change = {text_of(v): e.der / base.der - 1 for v, e in tried}
        light = {text_of(v): e.der * e.Y / (base.der * base.Y) - 1 for v, e in tried}
        at = min(light, key=lambda v: light[v])
        parts = []
        if abs(light[at]) <= least:
            parts.append(f"{name} changes melanopic light by nothing measurable in {self.mode}.")
        else:
            way = "less" if light[at] < 0 else "more"
            alone = 1 + light[at] if change[at] == 0 else (1 + light[at]) / (1 + change[at])
            dimmed = f", of which {100 * (1 - alone):.0f} % is less light of any kind" if alone < 1 - least else ""
            parts.append(
                f"{name} at {at} gives {abs(100 * light[at]):.0f} % {way} melanopic light in {self.mode}{dimmed}."
            )
        worse = [v for v, c in change.items() if c > least]
        about = promised(self.control.promise or "")
        if about is not None and about[0] in ("blue", "cct") and about[1] < 0:
            kept = [v for v, c in change.items() if c < -least]
            state = "kept" if len(kept) == len(change) else "not kept" if not kept else f"kept at {', '.join(kept)}"
            opposite = f"; the opposite at {', '.join(worse)}" if worse else ""
            parts.append(f"It promises “{self.control.promise}”: {state}{opposite}.")
        elif worse:
            parts.append(f"At {', '.join(worse)} the ratio rises.")
        pulses = {text_of(v): e.depth for v, e in tried if np.isfinite(e.depth)}
        if pulses and np.isfinite(base.depth) and max(pulses.values()) > base.depth + 1:
            deep = max(pulses, key=lambda v: pulses[v])
            parts.append(f"The light pulses deeper at {deep}: {pulses[deep]:.0f} % instead of {base.depth:.0f} %.")
        if not self.traces:
            parts.append("Ratios are an estimate from colour, as no spectrum was read.")
        return " ".join(parts)


def _known(value: float, decimals: int) -> float | None:
    return round(float(value), decimals) if np.isfinite(value) else None
