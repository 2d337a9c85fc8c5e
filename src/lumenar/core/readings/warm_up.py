"""How a display's light settles from cold, and what that means for what is read meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.measurements.charts import Axis, Chart, Series, Table, around, joined
from lumenar.core.numbers import signed

LEAST = 3
"""Fewer readings are no curve."""
STEADY_PERCENT = 1.0
"""A display whose light stays within so much of what it ends with is warm."""


SLOWEST_S, FASTEST_S, RATES = 5400.0, 120.0, 48
"""Time constants with which displays warm up, and how many between them are tried."""
DEPTH = 0.03
"""How far the light of a cold display is from a warm one's: one relative standard deviation."""
LEAST_U = 0.001
"""Readings of a display that warms up scatter by this much at least, whatever the meter: it is loaded and rested meanwhile."""


@dataclass(frozen=True)
class Remaining:
    """What a display's light still lacks of a warm one's: the most likely share (negative if it will fall), and its standard
    uncertainty."""

    share: float
    u: float


BEFORE_FIRST_S = 240.0
"""A setup's rested white is read about this long before the first of the whites that watch it."""


def remaining(
    readings: Sequence[tuple[float, float]], whites: Sequence[tuple[float, float]], repeatability: float
) -> Remaining | None:
    """What the light of a setup lacks, from bench time in s and luminance in cd/m2 of white as the display warmed up, and of the
    whites that watched the setup afterwards: these say when it was read. None for fewer than three readings.

    The light follows a - b exp(-t / tau). For each of many time constants a and b are fitted by least squares, with what is
    known of displays (`DEPTH`) as the prior of the whole change; the time constants are weighed by how well they fit (Gelman et
    al., Bayesian Data Analysis, 3rd edition, section 14.8).
    """
    ordered = sorted((t, Y) for t, Y in readings if Y > 0)
    if len(ordered) < LEAST:
        return None
    t, Y = (np.array(c) for c in zip(*ordered, strict=True))
    y, since = Y / Y[-1], t - t[-1]
    at_s = min((at for at, _ in whites), default=t[-1]) - BEFORE_FIRST_S
    variance = max(repeatability, LEAST_U) ** 2
    log_weights, means, spreads = [], [], []
    for tau in np.geomspace(FASTEST_S, SLOWEST_S, RATES):
        decay = np.exp(-since / tau)
        design = np.column_stack([np.ones(len(y)), -decay])
        precision = design.T @ design / variance
        # The whole change is what b was at the first reading.
        precision[1, 1] += (decay[0] / DEPTH) ** 2
        covariance = np.linalg.inv(precision)
        a, b = covariance @ (design.T @ y) / variance
        off = y - design @ np.array([a, b])
        misfit = float(off @ off) / variance + (b * decay[0] / DEPTH) ** 2
        log_weights.append(-misfit / 2 + 0.5 * np.log(np.linalg.det(covariance)) + np.log(decay[0]))
        later = float(np.exp(-max(0.0, at_s - t[-1]) / tau))
        means.append(b * later)
        spreads.append(covariance[1, 1] * later**2)
    weights = np.exp(np.array(log_weights) - max(log_weights))
    weights /= weights.sum()
    mean = float(weights @ np.array(means))
    spread = float(weights @ (np.array(spreads) + (np.array(means) - mean) ** 2))
    return Remaining(mean, float(np.sqrt(spread)))


@dataclass(frozen=True)
class WarmUp:
    """White while a display warmed up. minutes (n,), percent (n,): of the last reading; change: from the first to the last in %;
    steady_min: from when on it stays within STEADY_PERCENT of the last."""

    minutes: tuple[float, ...]
    percent: tuple[float, ...]
    cd_m2: tuple[float, ...]

    @property
    def change(self) -> float:
        """What the light gained from the first reading to the last, in % of the first; a loss is negative."""
        return 100 * (self.cd_m2[-1] / self.cd_m2[0] - 1)

    @property
    def steady_min(self) -> float:
        """Minutes from which on the light stays within STEADY_PERCENT of the last."""
        off = np.flatnonzero(np.abs(np.array(self.percent) - 100) > STEADY_PERCENT)
        return self.minutes[0] if not len(off) else self.minutes[min(int(off[-1]) + 1, len(self.minutes) - 1)]

    @property
    def words(self) -> str:
        """What it means for what is read meanwhile."""
        said = f"White changed by {signed(self.change, 1)} % in {self.minutes[-1]:.0f} minutes of warming up"
        if abs(self.change) <= STEADY_PERCENT:
            return f"{said}, which nobody has to wait for."
        way = "low" if self.change > 0 else "high"
        first = abs(100 - self.percent[0])
        return (
            f"{said}: what is read at its beginning comes out {first:.1f} % too {way}, after {self.steady_min:.0f} minutes "
            f"{STEADY_PERCENT:g} % at most."
        )

    @property
    def chart(self) -> Chart:
        """The light over time, in % of the last reading."""
        x, y = np.array(self.minutes), np.array(self.percent)
        low, high = around(y, least=(98, 102))
        rows = Table.rows_of(x, np.array(self.cd_m2), y)
        return Chart(
            key="warm_up",
            kind="lines",
            title="Warming up",
            note="white in % of what it ended with; the band is ±1 %",
            headline=f"{signed(self.change, 1)} %",
            x=Axis("time", "min", 0, float(np.ceil(x.max() + 0.5)), 0),
            y=Axis("white", "%", low, high, 0),
            series=(Series("white", "measured", joined(x, y), 0, marks=True),),
            table=Table(("Minutes", "cd/m²", "% of the last"), (1, 2, 2), rows),
            bands=((99.0, 101.0),),
        )


def warmed_up(readings: Sequence[tuple[float, float]]) -> WarmUp | None:
    """From bench time in s and luminance in cd/m2 of white as it was read; None where these are no curve."""
    ordered = sorted((t, Y) for t, Y in readings if Y > 0)
    if len(ordered) < LEAST:
        return None
    t, Y = (np.array(c) for c in zip(*ordered, strict=True))
    return WarmUp(tuple(((t - t[0]) / 60).tolist()), tuple((100 * (Y / Y[-1])).tolist()), tuple(Y.tolist()))
