"""What a meter can do, as stated or as its readings tell: noise, floor, rounding, and what its correction leaves open."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

DARK_CD_M2 = 0.5
"""Below this luminance a reading tells something about a meter's noise in the dark."""
FloorOrigin = Literal["stated", "repeats", "negatives", "assumed"]
ASSUMED_ABSOLUTE = 0.001
"""Absolute part of the noise in cd/m2 of a meter of which nothing is known near black: that of a good field colorimeter."""


@dataclass(frozen=True, eq=False)
class MeterLimits:
    """What a meter can do: relative repeatability (one standard deviation, 0.002 is 0.2 %), floor in cd/m2, and the
    standard deviation in cd/m2 of the part of its noise that does not depend on the light (absolute).

    correction_draws: matrices (k, 3, 3) about the one applied, by which corrected readings are multiplied: how else the
    correction might have come out; None where nothing is known of that. correction_u: where they are not known, the
    relative standard uncertainty per channel. Both are shared by all that was read with the correction, which
    correction_key tells apart. floor_origin: whether floor and absolute part are stated, or where they come from.
    mismatched: no correction was applied to a meter that needs one, and correction_draws are what one might have been.
    """

    repeatability: float = 0.002
    floor: float = 0.0
    absolute: float = 0.0
    correction_draws: Array | None = None
    correction_u: float = 0.0
    correction_key: int = 0
    floor_origin: FloorOrigin = "stated"
    mismatched: bool = False

    def u(self, XYZ: ArrayLike) -> Array:
        """Standard uncertainty in cd/m2 (...) of single readings of XYZ or luminances (...) by the meter's noise."""
        return np.asarray(np.hypot(self.repeatability * np.asarray(XYZ, float), self.absolute), float)

    def as_shown(self, Y: ArrayLike) -> MeterLimits:
        """The same with what rounding adds to the noise of readings Y (n,), NaN where there is none. A number that is shown to
        two places lies anywhere within half of the last one: a standard deviation of 0.01 / sqrt(12)."""
        step = step_of(Y)
        return self if step == 0 else replace(self, absolute=math.hypot(self.absolute, step / math.sqrt(12)))

    @property
    def limit(self) -> float:
        """Luminance in cd/m2 under which a reading is no number: the floor, or twice the noise in the dark."""
        return max(self.floor, 2 * self.absolute)


MOST_PLACES = 4
"""Of numbers with more places than these rounding plays no part."""


def step_of(Y: ArrayLike) -> float:
    """The step in cd/m2 that readings Y (n,) are shown in, as far as they tell: 1, 0.1 ... 0.0001 where all are whole multiples
    of it, 0 where none is coarse enough to matter or there is no reading. NaN counts for nothing."""
    values = np.asarray(Y, float)
    values = values[np.isfinite(values)]
    if not len(values):
        return 0.0
    for places in range(MOST_PLACES + 1):
        scaled = values * 10.0**places
        # A float is not quite its decimal: a few units of its last place.
        if (np.abs(scaled - np.round(scaled)) <= 1e-12 * np.maximum(np.abs(scaled), 1)).all():
            return float(10.0**-places)
    return 0.0


def floor_from(XYZ: Array, group: NDArray[np.intp], repeatability: float) -> tuple[float, FloorOrigin]:
    """The absolute part of a meter's noise in cd/m2 where nobody stated it, and where it comes from.

    XYZ (n, 3) as read; group (n,) tells patches apart. From the scatter of dark patches read more than once, with three
    degrees of freedom or more; else from the most negative component of a dark reading, taken as two standard deviations; else
    assumed. A negative component of a bright reading comes from the meter's filters or its correction, and tells nothing of
    the dark.
    """
    finite = np.isfinite(XYZ).all(axis=1)
    squares, freedom = 0.0, 0
    counts = np.bincount(group[finite], minlength=1)
    # Bright patches tell nothing of the dark; only where the mean is small the median is asked for.
    means = np.bincount(group[finite], XYZ[finite, 1], minlength=1) / np.maximum(counts, 1)
    dark = np.flatnonzero((counts > 1) & (np.abs(means) < 5)) if finite.any() else np.empty(0, np.intp)
    # Sorted once: a file may have thousands of dark patches.
    order = np.argsort(group[finite], kind="stable")
    by_group, ends = XYZ[finite, 1][order], np.cumsum(counts)
    for g in dark:
        Y = by_group[ends[g] - counts[g] : ends[g]]
        if abs(np.median(Y)) < DARK_CD_M2:
            squares += float(((Y - Y.mean()) ** 2).sum()) - (len(Y) - 1) * (repeatability * float(Y.mean())) ** 2
            freedom += len(Y) - 1
    if freedom >= 3 and squares > 0:
        return float(np.sqrt(squares / freedom)), "repeats"
    in_the_dark = finite & (np.abs(XYZ[:, 1]) < DARK_CD_M2)
    lowest = float(XYZ[in_the_dark].min()) if in_the_dark.any() else 0.0
    if lowest < 0:
        return -lowest / 2, "negatives"
    return ASSUMED_ABSOLUTE, "assumed"
