"""Uncertainty by seeded draws around the actual readings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.core.readings import Readings

Array = NDArray[np.float64]

DRAWS = 200
SEED = 20_261_101


@dataclass(frozen=True)
class Uncertainty:
    """Standard deviation and the 2.5 and 97.5 % quantiles of one figure."""

    standard: float
    low: float
    high: float


def _fingerprint(XYZ: Array) -> int:
    """A number that tells sets of readings apart, and does not depend on the last bits of their values."""
    with np.errstate(invalid="ignore"):
        rounded = np.rint(np.log(np.clip(np.nan_to_num(XYZ), 1e-6, None)) * 1e4)
    return crc32(rounded.astype(np.int64).tobytes())


def draw(readings: Readings, around: Array | None = None, draws: int = DRAWS) -> Readings:
    """`draws` sets of readings (draws, n, 3): independent repeatability per reading, and one draw per meter correction
    that everything read with it shares.

    around: the XYZ (n, 3) to draw about, by default the readings themselves. Half of the variance is common to X, Y and
    Z of a reading (light, integration), half is each channel's own (filter noise). Near the floor the noise is a third
    of the floor at least. The draws of two setups are independent but for the correction, so the spread of the
    differences of their figures' draws is the uncertainty of the difference.
    """
    meter = readings.meter
    rng = np.random.default_rng([SEED, _fingerprint(readings.XYZ)])
    XYZ = readings.XYZ if around is None else around
    u = np.maximum(meter.repeatability * np.abs(XYZ), meter.floor / 3)
    common = rng.standard_normal((draws, XYZ.shape[-2], 1))
    own = rng.standard_normal((draws, XYZ.shape[-2], 3))
    drawn = XYZ + u * (common + own) * np.sqrt(0.5)
    if meter.correction_u and around is None:
        shared = np.random.default_rng([SEED, meter.correction_key]).standard_normal((draws, 1, 3))
        drawn = drawn * (1 + meter.correction_u * shared)
    return readings.with_XYZ(drawn)


def summarise(values: Array) -> Uncertainty | None:
    """Uncertainty of a figure from its draws (draws,); None where no draw gave a number."""
    good = values[np.isfinite(values)]
    if len(good) < 2:
        return None
    low, high = np.quantile(good, [0.025, 0.975])
    return Uncertainty(float(good.std(ddof=1)), float(low), float(high))


def summarise_all(draws: Mapping[str, Array]) -> dict[str, Uncertainty]:
    """`summarise` of several figures, those without a number left out."""
    whole = {k: v for k, v in draws.items() if v.ndim == 1 and np.isfinite(v).all()}
    found = {k: u for k, v in draws.items() if k not in whole and (u := summarise(v)) is not None}
    if whole:
        table = np.stack(list(whole.values()))
        if table.shape[1] < 2:
            return found
        standard = table.std(axis=1, ddof=1)
        low, high = np.quantile(table, [0.025, 0.975], axis=1)
        found |= {k: Uncertainty(*map(float, u)) for k, *u in zip(whole, standard, low, high, strict=True)}
    return found


def measurable(difference: float, u: float, nu: float = np.inf) -> bool:
    """Whether a difference of two scalar figures is more than its standard uncertainty `u` explains.

    |d| > max(2, t(0.975, nu)) u, with nu degrees of freedom from repeats (three baselines: 2, so 4.30).
    """
    if not (np.isfinite(difference) and np.isfinite(u)):
        return False
    factor = 2.0
    if np.isfinite(nu):
        # Imported here because it takes longer than the rest of core together.
        from scipy.stats import t

        factor = max(2.0, float(t.ppf(0.975, nu)))
    return abs(difference) > factor * u


CHI2_95_3 = 7.815
"""95 % quantile of chi squared with three degrees of freedom."""


def colour_measurable(dLab: Array, covariance: Array) -> bool:
    """Whether a difference of colour dLab (3,) is more than its covariance (3, 3) explains: d' S^-1 d > 7.815."""
    return bool(dLab @ np.linalg.solve(covariance, dLab) > CHI2_95_3)


def hotelling(sample: Array) -> bool:
    """Whether the mean of repeated differences of colour (n, 3), n >= 4, is not zero at 95 %: Hotelling's one-sample T2.

    For use where the covariance is not known and comes from the repeats. Raises ValueError under four repeats.
    """
    n, p = sample.shape
    if n <= p:
        raise ValueError(f"the covariance of a colour needs at least {p + 1} repeats, here are {n}")
    from scipy.stats import f

    mean, S = sample.mean(axis=0), np.cov(sample.T)
    t2 = n * mean @ np.linalg.solve(S, mean)
    return bool(t2 * (n - p) / (p * (n - 1)) > f.ppf(0.95, p, n - p))


def holm(p_values: Array, level: float = 0.05) -> NDArray[np.bool_]:
    """Which of several tests reject at a family-wise level (Holm 1979), for p values (n,)."""
    p = np.asarray(p_values, float)
    order = np.argsort(p)
    passed = p[order] <= level / (len(p) - np.arange(len(p)))
    rejected = np.zeros(len(p), bool)
    rejected[order] = np.logical_and.accumulate(passed)
    return rejected
