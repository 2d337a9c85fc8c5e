"""Light that changes over time: modulation, flicker index, visibility of the stroboscopic effect, risk."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

REGIONS = ("none", "no effect", "low risk", "risk")
"""Where a waveform lies by IEEE 1789-2015: no modulation at all, no observable effect, low risk, above."""
_SIGMAS = 5.0


@dataclass(frozen=True)
class Flicker:
    """What a waveform shows. frequency_hz is NaN where there is no modulation; components: frequency and relative
    amplitude of each that stands out of the noise; region: index into REGIONS."""

    frequency_hz: float
    modulation_percent: float
    flicker_index: float
    svm: float
    region: int
    frequencies: Array
    amplitudes: Array


def modulation_percent(samples: ArrayLike) -> float:
    """100 (max - min) / (max + min) of light (n,), dark subtracted; light that noise makes negative is none, so that it
    never exceeds 100."""
    L = np.maximum(np.asarray(samples, float), 0)
    top, low = float(L.max()), float(L.min())
    return min(100 * (top - low) / (top + low), 100.0) if top + low > 0 else 0.0


def flicker_index(samples: ArrayLike) -> float:
    """Area above the mean over the whole area of whole periods of light (n,) (IES Lighting Handbook, flicker index)."""
    L = np.asarray(samples, float)
    mean = float(L.mean())
    return float(np.maximum(L - mean, 0).sum() / L.sum()) if mean > 0 else 0.0


def svm(frequencies: ArrayLike, amplitudes: ArrayLike) -> float:
    """Stroboscopic visibility measure (CIE TN 006:2016, eq. 3) from relative amplitudes C_m at frequencies in Hz, over
    80..2000 Hz; silent below 80 Hz."""
    f, C = np.asarray(frequencies, float), np.asarray(amplitudes, float)
    use = (f >= 80 - 1e-6) & (f <= 2000 + 1e-6)
    T = 1 / (1 + np.exp(-0.00518 * (f[use] - 306.6))) + 20 * np.exp(-f[use] / 10)
    return float(((C[use] / T) ** 3.7).sum() ** (1 / 3.7))


def ieee_region(frequencies: ArrayLike, amplitudes: ArrayLike) -> int:
    """Index into REGIONS of the worst component, its modulation in % against IEEE 1789-2015, section 8.1.1."""
    f, percent = np.asarray(frequencies, float), 100 * np.asarray(amplitudes, float)
    if not len(f):
        return 0
    harmless = np.where(f < 90, 0.01 * f, np.where(f <= 3000, 0.0333 * f, np.inf))
    low = np.where(f < 90, 0.025 * f, np.where(f <= 1250, 0.08 * f, np.inf))
    return int(np.where(percent <= harmless, 1, np.where(percent <= low, 2, 3)).max())


_HARRIS = (0.35875, -0.48829, 0.14128, -0.01168)


@cache
def _window(n: int) -> Array:
    """The four-term Blackman-Harris window (n,) (Harris 1978, table 1): side lobes 92 dB down, so that a strong line
    hides no weak one, and no whole number of periods is needed."""
    phase = 2 * np.pi * np.arange(n) / n
    return np.asarray(sum(a * np.cos(k * phase) for k, a in enumerate(_HARRIS)), float)


def components(samples: ArrayLike, rate_hz: float) -> tuple[Array, Array]:
    """Frequencies in Hz and relative amplitudes C_m = 2 |X_m| / X_0 of all lines of a waveform (n,) that stand out of the
    noise by five sigma.

    The top of a line lies between bins: a parabola through the logarithm of three bins, which this window's main lobe
    nearly is, gives its frequency and its amplitude to a thousandth.
    """
    L = np.asarray(samples, float)
    w = _window(len(L))
    mean = float(L.mean())
    C = np.abs(np.fft.rfft((L - mean) * w)) * (2 / (w.sum() * mean))
    # Of complex noise, the median of |X|^2 is ln 2 of its mean; the many bins between the lines are noise alone.
    sigma = float(np.median(C) / np.sqrt(np.log(2)))
    low = 6
    k = np.flatnonzero(C[low:-1] > max(_SIGMAS * sigma, 1e-6)) + low
    k = k[(C[k] >= C[k - 1]) & (C[k] > C[k + 1])]
    a, b, c = np.log(np.maximum(C[k - 1], 1e-300)), np.log(C[k]), np.log(np.maximum(C[k + 1], 1e-300))
    shift = 0.5 * (a - c) / (a - 2 * b + c)
    return (k + shift) * rate_hz / len(L), np.exp(b - 0.25 * (a - c) * shift)


def analyse(samples: ArrayLike, rate_hz: float) -> Flicker:
    """The figures of a waveform (n,), dark subtracted.

    With no component the modulation is none too, since what is left of max and min is noise. Modulation and flicker
    index come from the mean of all periods, or where the components have no common one from their sum, so that noise
    hardly adds to them. frequency_hz is that of the strongest component. ValueError under 200 samples or without light.
    """
    L = np.asarray(samples, float)
    if len(L) < 200 or not np.isfinite(L).all() or L.mean() <= 0:
        raise ValueError("a waveform needs 200 or more samples of some light")
    f, C = components(L, rate_hz)
    if not len(f):
        return Flicker(
            frequency_hz=float("nan"),
            modulation_percent=0.0,
            flicker_index=0.0,
            svm=0.0,
            region=0,
            frequencies=f,
            amplitudes=C,
        )
    base = float(f[int(np.argmax(C))])
    clean = _clean(L, rate_hz, base, f, C)
    return Flicker(
        frequency_hz=base,
        modulation_percent=modulation_percent(clean),
        flicker_index=flicker_index(clean),
        svm=svm(f, C),
        region=ieee_region(f, C),
        frequencies=f,
        amplitudes=C,
    )


def _clean(L: Array, rate: float, base: float, f: Array, C: Array) -> Array:
    """A waveform (n,) without its noise: one period of the strongest component where that repeats, else the sum of all
    components over the whole time, which holds however they fall together."""
    folded, explained = _folded(L, rate, base)
    if explained > _REPEATS:
        return folded
    kept = np.argsort(-C)[:_SUMMED]
    phase = 2 * np.pi * np.outer(np.arange(len(L)) / rate, f[kept])
    A = np.column_stack([np.ones(len(L)), np.cos(phase), np.sin(phase)])
    return np.asarray(A @ np.linalg.lstsq(A, L, rcond=None)[0], float)


_REPEATS = 0.99
"""A waveform repeats where its mean period holds so much of the variance that its components have."""
_SUMMED = 24
"""So many of the strongest components make up a waveform that has no short common period."""
_PER_STEP = 100


def _folded(L: Array, rate: float, frequency: float) -> tuple[Array, float]:
    """One period of the waveform, the mean of its whole periods in 8 to 200 steps, and the share of its variance in that.

    Since a period is hardly ever a whole number of samples, many periods together show one more finely than its samples
    lie: so there are as many steps as leave a hundred samples to each, if a period has not more samples than that.
    """
    steps = int(np.clip(max(rate / frequency, len(L) / _PER_STEP), 8, 200))
    cycles = np.arange(len(L)) * (frequency / rate)
    whole = int(np.searchsorted(cycles, max(1, int(cycles[-1]))))
    cycles = cycles[:whole]
    place = ((cycles - np.floor(cycles)) * steps).astype(np.intp)
    count = np.bincount(place, minlength=steps)
    mean = np.bincount(place, L[:whole], minlength=steps) / np.maximum(count, 1)
    variance = float(L[:whole].var())
    left = float(((L[:whole] - mean[place]) ** 2).mean())
    # What differs from one sample to the next is noise, and no part of what could repeat.
    noise = min(float((np.diff(L[:whole], n=2) ** 2).mean()) / 6, left)
    explained = 1 - (left - noise) / max(variance - noise, 1e-12)
    return np.asarray(mean[count > 0], float), explained
