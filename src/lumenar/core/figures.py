"""Figures as people read them, and how well two of them are told apart."""

from __future__ import annotations

import numpy as np

from lumenar.core.analysis import Analysis
from lumenar.core.measurements import Column
from lumenar.core.measurements.base import FLOOR_ASSUMED
from lumenar.core.numbers import grouped, significant


def written(column: Column, analysis: Analysis) -> tuple[str, float | None, str]:
    """A column's figure as people read it, its raw value and the key it comes from: a lower bound where there is no
    figure, and "<" with the noise floor where it lies under that."""
    value, prefix, key = analysis.scalar(column.figure), "", column.figure
    if value is None and column.floor_figure:
        value, prefix, key = analysis.scalar(column.floor_figure), "≥ ", column.floor_figure
    if value is None and analysis.scalar(FLOOR_ASSUMED) is not None and column.floor_figure:
        return "floor?", None, key
    if value is None:
        return "–", None, key
    floor = analysis.noise_floor.get(key)
    if floor is not None and value < floor:
        return "< " + _written(floor, column), value, key
    return prefix + _written(value, column), value, key


def _written(value: float, column: Column) -> str:
    """A figure as its column wants it."""
    if column.words:
        return column.words[int(value)]
    if column.step:
        return grouped(round(value / column.step) * column.step, 0)
    if column.significant:
        return significant(value, column.significant)
    return grouped(value, column.decimals or 0)


SESSION: tuple[tuple[str, float, float], ...] = (
    ("cd/m²", 0.0, 0.02),
    ("ITP", 0.5, 0.03),
    ("dE", 0.15, 0.03),
    ("L*", 0.25, 0.05),
    ("K", 0.0, 0.004),
    (": 1", 0.0, 0.1),
    ("10..90", 0.02, 0.0),
    ("%", 0.5, 0.02),
)
"""By what a column's unit says, how much figures of an unchanged display differ from session to session (one standard
deviation), absolute and as a share: it is warmer, was loaded otherwise before, and its black falls under the meter's floor or
not. Measured on simulated displays (`python -m benchmarks.firmware`)."""


def session_u(column: Column, value: float) -> float:
    """Standard uncertainty of a figure from one session to the next, beside its own."""
    absolute, share = next(((a, s) for unit, a, s in SESSION if unit in column.unit), (0.0, 0.02))
    return float(np.hypot(absolute, share * value))


def difference_u(key: str, one: Analysis, two: Analysis) -> float | None:
    """Standard uncertainty of the difference of a figure: from the draws, in which what two setups share cancels."""
    a, b = one.draws.get(key), two.draws.get(key)
    if a is None or b is None or a.ndim != 1 or b.ndim != 1:
        return None
    # A target that is being tried has fewer draws; they are the first ones of the others.
    count = min(len(a), len(b))
    d = a[:count] - b[:count]
    good = d[np.isfinite(d)]
    # What is under the floor may be anything within the range, of each.
    open_ = [(a.range[key][1] - a.range[key][0]) / np.sqrt(12) for a in (one, two) if key in a.range]
    return float(np.hypot(good.std(ddof=1), np.linalg.norm(open_))) if len(good) > 2 else None
