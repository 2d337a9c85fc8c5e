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
            key="warm_up", kind="lines", title="Warming up", note="white in % of what it ended with; the band is ±1 %",
            headline=f"{signed(self.change, 1)} %", x=Axis("time", "min", 0, float(np.ceil(x.max() + 0.5)), 0),
            y=Axis("white", "%", low, high, 0), series=(Series("white", "measured", joined(x, y), 0, marks=True),),
            table=Table(("Minutes", "cd/m²", "% of the last"), (1, 2, 2), rows), bands=((99.0, 101.0),),
        )  # fmt: skip


def warmed_up(readings: Sequence[tuple[float, float]]) -> WarmUp | None:
    """From bench time in s and luminance in cd/m2 of white as it was read; None where these are no curve."""
    ordered = sorted((t, Y) for t, Y in readings if Y > 0)
    if len(ordered) < LEAST:
        return None
    t, Y = (np.array(c) for c in zip(*ordered, strict=True))
    return WarmUp(tuple(((t - t[0]) / 60).tolist()), tuple((100 * Y / Y[-1]).tolist()), tuple(Y.tolist()))
