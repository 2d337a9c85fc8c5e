"""What a host believes a display to reach, and how that compares with what was measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.measurements.charts import Axis, Chart, Mark, Table, Value
from lumenar.core.numbers import significant

MOST_CD_M2 = 10_000.0
NEAR = 0.05
"""Within so much of what was measured a report is right."""


class HostReportError(ValueError):
    """A report that cannot be; the text says why."""


@dataclass(frozen=True)
class HostReport:
    """What a host reports of a display in a mode, in cd/m2: most light, most of a whole screen, least; None where it does not
    say."""

    max_cd_m2: float
    full_cd_m2: float | None = None
    min_cd_m2: float | None = None

    def __post_init__(self) -> None:
        if not 0 < self.max_cd_m2 <= MOST_CD_M2:
            raise HostReportError(f"most light is above 0 and up to 10,000 cd/m², not {self.max_cd_m2:g}")
        if self.full_cd_m2 is not None and not 0 < self.full_cd_m2 <= self.max_cd_m2:
            raise HostReportError(
                f"a whole screen has at most the most light there is, {self.max_cd_m2:g} cd/m², not {self.full_cd_m2:g}"
            )
        if self.min_cd_m2 is not None and not 0 <= self.min_cd_m2 < (self.full_cd_m2 or self.max_cd_m2):
            raise HostReportError(f"least light is below the others, not {self.min_cd_m2:g} cd/m²")


@dataclass(frozen=True)
class Beside:
    """A setup's report beside what was measured in it, in cd/m2: its peak, its whole screen as held, and what to answer where a
    game or a system asks; None where that was not measured."""

    name: str
    report: HostReport
    peak_cd_m2: float | None
    full_cd_m2: float | None
    enter_cd_m2: float | None

    @property
    def ratio(self) -> float | None:
        """The reported peak over the measured one."""
        return None if not self.peak_cd_m2 else self.report.max_cd_m2 / self.peak_cd_m2

    @property
    def words(self) -> str:
        """In a sentence."""
        said = f"The host reports {significant(self.report.max_cd_m2, 3)} cd/m² for {self.name}"
        if self.ratio is None or self.peak_cd_m2 is None:
            return f"{said}; its peak is not measured."
        shows = significant(self.peak_cd_m2, 3)
        if abs(self.ratio - 1) <= NEAR:
            return f"{said}, which it shows ({shows})."
        enter = "" if self.enter_cd_m2 is None else f"; where a game asks, enter {significant(self.enter_cd_m2, 3)}"
        return f"{said}, {self.ratio:.2f} times the {shows} that it shows{enter}."


TICKS_CD_M2 = (50, 100, 200, 500, 1000, 2000, 5000, 10000)
NAMES, NUMBERS = 0.5, 0.62
"""Room for the modes' names at the left and their numbers at the right, as shares of the scale between."""


def chart_of(rows: Sequence[Beside]) -> Chart:
    """Reported and measured of each mode on one line: peaks above, whole screens below, and what to enter as a notch."""
    values = [
        v
        for r in rows
        for v in (r.report.max_cd_m2, r.report.full_cd_m2, r.peak_cd_m2, r.full_cd_m2, r.enter_cd_m2)
        if v
    ]
    low, high = float(np.log10(min(values))) - 0.06, float(np.log10(max(values))) + 0.06
    span, count = high - low, len(rows)
    marks: list[Mark] = []
    for tick in (t for t in TICKS_CD_M2 if low < np.log10(t) < high):
        x = float(np.log10(tick))
        marks.append(Mark("line", "contour", ((x, -0.5), (x, count - 0.45))))
        marks.append(Mark("text", "faint", ((x, -0.78),), f"{tick:,}".replace(",", " "), small=True))
    for i, r in enumerate(rows):
        y = float(count - 1 - i)
        marks.append(Mark("text", "setup", ((low - NAMES * span, y - 0.06),), r.name))
        pairs = (
            (r.report.max_cd_m2, r.peak_cd_m2, y + 0.17, "peak"),
            (r.report.full_cd_m2, r.full_cd_m2, y - 0.17, "whole screen"),
        )
        for reported, measured, at, what in pairs:
            marks += _pair(reported, measured, at, f"{r.name}, {what}", 0.012 * span)
            said = f"{what} {_cd(reported)} → {_cd(measured)}"
            marks.append(Mark("text", "setup", ((high + 0.03 * span, at - 0.06),), said, small=True))
        if r.enter_cd_m2:
            x, hint = float(np.log10(r.enter_cd_m2)), f"{r.name}: enter {_cd(r.enter_cd_m2)} cd/m²"
            marks.append(Mark("line", "lamp", ((x, y + 0.02), (x, y + 0.34)), hint=hint))
    table: tuple[tuple[Value, ...], ...] = tuple(
        (r.name, r.report.max_cd_m2, r.peak_cd_m2, r.ratio, r.report.full_cd_m2, r.full_cd_m2, r.enter_cd_m2)
        for r in rows
    )
    heads = ("Mode", "Reported peak", "Measured", "Ratio", "Reported, whole screen", "Measured, held", "To enter")
    return Chart(
        key="reported",
        kind="drawing",
        title="Reported against measured",
        note="cd/m², logarithmic: box as the host reports, bar as measured; peak above, whole screen below; notch: what to enter",
        headline="",
        x=Axis("", "", low - NAMES * span, high + NUMBERS * span, 0),
        y=Axis("", "", -1.0, count - 0.3, 0),
        series=(),
        table=Table(heads, (None, 0, 0, 2, 0, 0, 0), table),
        marks=tuple(marks),
        aspect=12.0 / (count + 0.7),
        bare=True,
    )


def _cd(value: float | None) -> str:
    return "–" if value is None else significant(value, 3)


def _pair(reported: float | None, measured: float | None, y: float, what: str, half: float) -> list[Mark]:
    """A report as a box, a measured value as a bar, and the way between them."""
    marks = []
    if reported and measured:
        marks.append(Mark("line", "faint", ((float(np.log10(reported)), y), (float(np.log10(measured)), y))))
    if measured:
        x = float(np.log10(measured))
        marks.append(
            Mark("line", "outline", ((x, y - 0.13), (x, y + 0.13)), hint=f"{what}: {_cd(measured)} cd/m² measured")
        )
    if reported:
        x = float(np.log10(reported))
        corners = ((x - half, y - 0.08), (x + half, y - 0.08), (x + half, y + 0.08), (x - half, y + 0.08))
        marks.append(Mark("line", "setup", (*corners, corners[0]), hint=f"{what}: {_cd(reported)} cd/m² reported"))
    return marks
