"""Uncertainty by seeded draws around the actual readings."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.core.quantiles import fisher_quantile, student_quantile
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.readings import Readings

Array = NDArray[np.float64]

DRAWS = 200
SEED = 20_261_101
FEW_DRAWS = 100
BESIDE = 0.01
"""How near to perfection, as a share of the value, an interval ends that must not hold it."""
OF_ONE = 0.93
"""How wide the interval of a mean of distances is kept where the noise of one reading is in all of them. Draws displace that
reading once more from where it was driven to, and spread 1.5 times as far as the means of readings do (`make truth`)."""
SHARED = 0.5, 0.87
"""Mean and standard deviation of what all readings are off by, as a share of what the whites beside them are: a reading is off
by something between nothing, as after a rest, and twice that."""
SHARED_BY_ZONES = 1.0, 0.7
"""The same of zones: white all over the screen loads a panel more than white in a window does right after it."""


@dataclass(frozen=True)
class Uncertainty:
    """Standard deviation of one figure (half of the span of the middle 68 % of its draws) and its 95 % interval, which holds
    the figure."""

    standard: float
    low: float
    high: float


def _fingerprint(XYZ: Array) -> int:
    """A number that tells sets of readings apart, and does not depend on the last bits of their values."""
    with np.errstate(invalid="ignore"):
        rounded = np.rint(np.log(np.clip(np.nan_to_num(XYZ), 1e-6, None)) * 1e4)
    return crc32(rounded.astype(np.int64).tobytes())


def noise(meter: MeterLimits, XYZ: Array, draws: int, rng: np.random.Generator) -> Array:
    """What a meter's noise adds to readings of XYZ (n, 3): `draws` sets (draws, n, 3). Half of the variance is common to
    X, Y and Z of a reading (light, integration), half is each channel's own (filter noise)."""
    common = rng.standard_normal((draws, XYZ.shape[-2], 1))
    own = rng.standard_normal((draws, XYZ.shape[-2], 3))
    return np.asarray(meter.u(XYZ) * (common + own) * np.sqrt(0.5), float)


ANCHORS: tuple[tuple[float, float, float], ...] = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0))
"""White and black: what nearly every measurement of a setup shares."""


def _noise_of(readings: Readings, XYZ: Array, draws: int, rng: np.random.Generator) -> Array:
    """`noise` of readings about XYZ (n, 3). White and black draw from generators of their own, which their values seed: all
    measurements that share such a reading share its draws, so that what its noise does to all their figures adds up in a
    score."""
    found = noise(readings.meter, XYZ, draws, rng)
    for rgb in ANCHORS:
        for i in readings.find(rgb)[:1].tolist():
            own = np.random.default_rng([SEED, _fingerprint(readings.XYZ[..., i, :]), 7])
            found[:, i] = noise(readings.meter, XYZ[i : i + 1], draws, own)[:, 0]
    return found


def _generator_of_all(readings: Readings, rng: np.random.Generator) -> np.random.Generator:
    """The generator of what moves all readings of a setup alike, shared by its measurements: seeded by its white. rng serves a
    measurement without white."""
    white = readings.find(ANCHORS[0])[:1].tolist()
    return np.random.default_rng([SEED, _fingerprint(readings.XYZ[..., white[0], :]), 13]) if white else rng


def draw(readings: Readings, around: Array | None = None, draws: int = DRAWS) -> Readings:
    """`draws` sets of readings (draws, n, 3): the meter's noise for each reading, the display's drift for each, what a cold
    display is off as a whole, and one draw per meter correction that everything read with it shares.

    around: the XYZ (n, 3) to draw about, by default the readings themselves. The draws of two setups are independent but
    for the correction, so the spread of the differences of their figures' draws is the uncertainty of the difference.
    """
    meter = readings.meter
    rng = np.random.default_rng([SEED, _fingerprint(readings.XYZ)])
    XYZ = readings.XYZ if around is None else around
    drawn = XYZ + _noise_of(readings, XYZ, draws, rng)
    of_all = _generator_of_all(readings, rng)
    if readings.drift is not None:
        sd = readings.drift[:, None]
        # Zones are read one soon after the other, so that they share what the panel is loaded by.
        placed = ~np.isnan(readings.layout.zone[:, 0])[:, None]
        shared, each = rng.standard_normal((draws, 1, 1)), rng.standard_normal((draws, XYZ.shape[-2], 1))
        common: Array | float = 0.0
        if readings.shared_drift is not None:
            common = (SHARED[0] + SHARED[1] * of_all.standard_normal((draws, 1, 1))) * readings.shared_drift[:, None]
        # A picture that is held drifts as one: what came before it moves all its readings alike.
        held = ~np.isnan(readings.at_s)[:, None]
        by_place = np.where(held, of_all.standard_normal((draws, 1, 1)), each)
        drawn = drawn * (1 + common + sd * np.where(placed, SHARED_BY_ZONES[0] + SHARED_BY_ZONES[1] * shared, by_place))
    if readings.cold:
        drawn = drawn * (1 - readings.to_come + readings.cold * of_all.standard_normal((draws, 1, 1)))
    if meter.correction_draws is not None:
        others = meter.correction_draws[np.arange(draws) % len(meter.correction_draws)]
        drawn = drawn @ np.swapaxes(others, -1, -2)
    elif meter.correction_u:
        shared = np.random.default_rng([SEED, meter.correction_key]).standard_normal((draws, 1, 3))
        drawn = drawn * (1 + meter.correction_u * shared)
    return readings.with_XYZ(drawn)


def quantiles(values: Array, shares: Sequence[float], weibull: bool = False) -> list[float]:
    """The values that so many shares (k,) of numbers (n,), n > 0, lie under: between the two next to it along a straight line,
    with the ends of the numbers at shares 0 and 1, or at 1 / (n + 1) and n / (n + 1) (Hyndman and Fan 1996, definitions 7 and 6).
    What `numpy.quantile` gives, without its checks, which take longer than all else for a few hundred numbers."""
    ranked = np.sort(values).tolist()
    n = len(ranked)
    found = []
    for share in shares:
        place = min(max(share * (n + 1) - 1 if weibull else share * (n - 1), 0.0), n - 1.0)
        k = min(int(place), n - 1)
        part = place - k
        found.append(ranked[k] if part == 0 else ranked[k] + part * (ranked[k + 1] - ranked[k]))
    return found


def with_perfect(u: Uncertainty, value: float, perfect: float, floor: Array, extreme: bool = False) -> Uncertainty:
    """An interval that also holds what a perfect display would give, where the value is one that noise alone gives it.

    floor (draws,): the figure's draws about perfection. Spreads and maxima of what is all alike grow by noise in a way that
    draws about noisy readings cannot show, since these differ already. extreme: as of `summarise`; draws of the largest of
    several go a little farther than readings do, so that fewer of them are enough.
    """
    good = floor[np.isfinite(floor)]
    if len(good) < 2 or not np.isfinite(perfect):
        return u
    # Where perfection is an end of what the figure can be, only the other end of its draws is improbable.
    ends = (
        [0.0, 0.93 if extreme else 0.96]
        if perfect <= good.min()
        else [0.05, 1.0]
        if perfect >= good.max()
        else [0.025, 0.975]
    )
    low, high = quantiles(good, ends, weibull=True)
    if not min(low, perfect) <= value <= max(high, perfect):
        # Noise alone gives such a value in a few of a hundred cases only, so perfection is not among what it may be.
        least = u.low if perfect > good.min() else max(u.low, min(perfect + BESIDE * (value - perfect), value))
        return Uncertainty(u.standard, least, u.high)
    return Uncertainty(u.standard, min(u.low, perfect), max(u.high, perfect))


def summarise(value: float, draws: Array, extreme: bool = False, ratio: bool = False) -> Uncertainty | None:
    """Uncertainty of a figure from its draws (draws,) about already noisy readings; None where no draw gave a number.

    Noise shifts a statistic that bends, a mean of differences of colour say: once on the way from the truth to the
    readings, and once more in the draws. The second shift is seen, as the distance from the value to the draws' median, so
    both are taken out: percentiles less twice that distance. Such a statistic is drawn far out on one side, though, and the
    truth lies as far on the other: there the percentiles reflected about the value, less the same shift, are right (the basic
    bootstrap interval; Davison and Hinkley, Bootstrap Methods, section 5.2). A statistic that bends evenly wants the first,
    one that bends at a point, such as an absolute value near nothing, the second, and figures are made of both; the ends are
    halfway. Where draws lie evenly about their median all three are the same. The interval is kept within what the draws show
    that the figure can be (never negative), and holds the value.

    extreme: the figure is a largest distance among many readings, percentiles less its shift alone. Where these are all alike
    the first shift is 1 / (sqrt 2 - 1) of the second, since draws about noisy readings start from what differs already; the
    end away from the draws allows for that. ratio: the figure is a ratio or a share of an area, which follows
    its readings one to one however it leans: percentiles less their shift alone.
    """
    good = draws[~np.isnan(draws)]
    if np.isfinite(good).sum() < 2:
        return None
    # Between the quantiles of few draws themselves an interval would be too narrow.
    few = len(good) < FEW_DRAWS
    # The largest of several lies above the truth more often than noise alone puts it there.
    ends = [0.0125, 0.1587, 0.5, 0.8413, 0.975] if extreme else [0.025, 0.1587, 0.5, 0.8413, 0.975]
    low, under, middle, over, high = quantiles(good, ends, weibull=few)
    # Half of what two thirds of the draws span: a few draws that fall on something else do not count.
    standard = float((over - under) / 2) if np.isfinite(over) else float(good[np.isfinite(good)].std(ddof=1))
    if not np.isfinite(value):
        return Uncertainty(standard, float(low), float(high))
    shift = middle - value
    far = (1 + 1 / (np.sqrt(2) - 1) if extreme else 2) * shift
    shifted = low - max(2 * shift, far), high - min(2 * shift, far)
    if extreme or ratio or not np.isfinite([low, high]).all():
        low, high = shifted
    else:
        reflected = 2 * value - high, 2 * value - low
        low, high = (shifted[0] + reflected[0]) / 2, (shifted[1] + reflected[1]) / 2
    if good.min() >= 0 <= value:
        low, high = max(low, 0.0), max(high, 0.0)
    return Uncertainty(standard, float(min(low, value)), float(max(high, value)))


def summarise_all(
    values: Mapping[str, float],
    draws: Mapping[str, Array],
    extremes: Collection[str] = (),
    ratios: tuple[str, ...] = (),
) -> dict[str, Uncertainty]:
    """`summarise` of several figures, those without a number left out; extremes: those that are one; ratios: how
    those begin that are one."""
    found = {k: summarise(values[k], v, k in extremes, k.startswith(ratios)) for k, v in draws.items() if v.ndim == 1}
    return {k: u for k, u in found.items() if u is not None}


def narrowed(u: Uncertainty, value: float) -> Uncertainty:
    """The uncertainty of a mean of distances from one reading, whose noise is in all of them: `OF_ONE`."""
    middle, half = (u.low + u.high) / 2, OF_ONE * (u.high - u.low) / 2
    return Uncertainty(u.standard, min(middle - half, value), max(middle + half, value))


def about_alike(u: Uncertainty, value: float, alike: float, draws: Array, noise_alone: Array) -> Uncertainty:
    """The interval of a figure that depends on which of several readings is the largest, from draws about readings that
    were made alike where noise can tell no two of them apart: alike is its value of these, draws (n,) the figure's draws, and
    noise_alone (n,) those without drift, which moves windows all one way rather than each its own.

    Once readings were taken one of them stands out, and draws about them go on picking it; of those made alike any can. What
    noise does to the figure is seen in these draws, and taken out of it (the basic bootstrap interval, from a smoothed
    distribution; Davison and Hinkley, sections 3.4 and 5.2). The interval holds the value; where it would not, noise has but
    one way to go, and the other end alone is improbable.
    """
    good = draws[np.isfinite(draws)]
    good = good - np.median(good) + np.nanmedian(noise_alone) - alike
    if len(good) < FEW_DRAWS or not np.isfinite(value):
        return u
    low, under, over, high = (value - q for q in quantiles(good, [0.975, 0.95, 0.05, 0.025]))
    if low > value:
        low, high = value, over
    elif high < value:
        low, high = under, value
    return Uncertainty(u.standard, float(max(low, 0.0) if good.min() + alike >= 0 else low), float(high))


def pooled(Y: Array, u: Array) -> NDArray[np.intp]:
    """Groups (n,) of neighbouring readings of Y (n,) with standard uncertainties u (n,) that noise can not tell apart: those
    next to one another are put into one group, the most alike first, while the means of both differ by less than three times what
    noise makes of them."""
    groups = [[i] for i in range(len(Y))]
    while len(groups) > 1:
        mean = np.array([Y[g].mean() for g in groups])
        variance = np.array([(u[g] ** 2).mean() / len(g) for g in groups])
        apart = np.abs(np.diff(mean)) / np.maximum(np.sqrt(variance[1:] + variance[:-1]), np.finfo(float).tiny)
        k = int(np.argmin(apart))
        if not apart[k] < 3:
            break
        groups[k : k + 2] = [groups[k] + groups[k + 1]]
    return np.repeat(np.arange(len(groups)), [len(g) for g in groups])


def measurable(difference: float, u: float, nu: float = np.inf) -> bool:
    """Whether a difference of two scalar figures is more than its standard uncertainty `u` explains.

    |d| > max(2, t(0.975, nu)) u, with nu degrees of freedom from repeats (three baselines: 2, so 4.30).
    """
    if not (np.isfinite(difference) and np.isfinite(u)):
        return False
    factor = 2.0
    if np.isfinite(nu):
        factor = max(2.0, student_quantile(0.975, nu))
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
    mean, S = sample.mean(axis=0), np.cov(sample.T)
    t2 = n * mean @ np.linalg.solve(S, mean)
    return bool(t2 * (n - p) / (p * (n - 1)) > fisher_quantile(0.95, p, n - p))


def holm(p_values: Array, level: float = 0.05) -> NDArray[np.bool_]:
    """Which of several tests reject at a family-wise level (Holm 1979), for p values (n,)."""
    p = np.asarray(p_values, float)
    order = np.argsort(p)
    passed = p[order] <= level / (len(p) - np.arange(len(p)))
    rejected = np.zeros(len(p), bool)
    rejected[order] = np.logical_and.accumulate(passed)
    return rejected
