"""Charts as data: what is drawn, apart from how. The web client and the published report draw the same ones."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import spaces, spectra
from lumenar.core.targets import Target

Array = NDArray[np.float64]
Point = tuple[float | None, float | None]
Value = str | float | None

Kind = Literal["lines", "plane", "anatomy", "span", "rules", "drawing"]
"""lines: series over a common axis; plane: a chromaticity plane with equal axes; anatomy: signed bars of three textures;
span: horizontal reaches on a logarithmic axis; rules: notched rules from 0 to 100, one a category; drawing: marks in the
units of its axes, for pictures that are no plot of series."""
Role = Literal[
    "measured",
    "other",
    "target",
    "target_line",
    "guide",
    "outline",
    "part",
    "red",
    "green",
    "blue",
    "yellow",
    "cyan",
    "magenta",
]


@dataclass(frozen=True)
class Axis:
    """An axis: label, unit, bounds (of the logarithm to base 10 where `log`), decimals of its ticks."""

    label: str
    unit: str
    low: float
    high: float
    decimals: int
    log: bool = False
    labels: tuple[str, ...] = ()


@dataclass(frozen=True)
class Series:
    """One mark or line. `setup` is the place among the overlaid setups, which decides its style; hues name the colour
    that each point was meant to have; whisker joins each point to its target; marks: points are marked, and of a span whether its
    lower end is known."""

    name: str
    role: Role
    points: tuple[Point, ...]
    setup: int = 0
    marks: bool = False
    hues: tuple[str, ...] = ()
    labels: tuple[str, ...] = ()
    whisker: tuple[Point, ...] = ()


@dataclass(frozen=True)
class Mark:
    """One mark of a drawing, in the units of the chart's axes.

    shape: line through points, area within them, box between two corners, or text at a point. style names the pen:
    ink, faint, target, setup (by `setup`), outline, contour, shade (grey by `shade`, 0 to 1), hatch, lamp, or a hue.
    hint is told on hover.
    """

    shape: Literal["line", "area", "box", "text"]
    style: str
    points: tuple[Point, ...]
    text: str = ""
    shade: float = 0.0
    setup: int = 0
    hint: str = ""
    small: bool = False


@dataclass(frozen=True)
class Note:
    """A remark just below a point of a chart, to the side where there is room for it."""

    x: float
    y: float
    text: str
    side: Literal["left", "right"] = "right"


@dataclass(frozen=True)
class Table:
    """The numbers of a chart: heads, decimals by column (None for text), rows."""

    heads: tuple[str, ...]
    decimals: tuple[int | None, ...]
    rows: tuple[tuple[Value, ...], ...]

    def __post_init__(self) -> None:
        # What is no number is no value: neither JSON nor a reader can do anything with NaN.
        clean = tuple(
            tuple(None if isinstance(v, float) and not np.isfinite(v) else v for v in row) for row in self.rows
        )
        object.__setattr__(self, "rows", clean)

    @staticmethod
    def rows_of(*columns: Array) -> tuple[tuple[Value, ...], ...]:
        """Rows from number columns of equal length, NaN as None."""
        return tuple(tuple(None if not np.isfinite(v) else float(v) for v in row) for row in np.column_stack(columns))


@dataclass(frozen=True)
class Chart:
    """One picture with its headline figures and table."""

    key: str
    kind: Kind
    title: str
    note: str
    headline: str
    x: Axis
    y: Axis
    series: tuple[Series, ...]
    table: Table
    bands: tuple[tuple[float, float], ...] = ()
    notes: tuple[Note, ...] = ()
    marks: tuple[Mark, ...] = ()
    field: tuple[tuple[float, ...], ...] = ()
    """Soft shading under the marks of a drawing: rows from the top, each value 0 (black) to 1."""
    aspect: float | None = None
    """Width over height of a drawing's plot; None where it fills its place."""
    bare: bool = False
    """A drawing without axes."""
    table_open: bool = False
    """The table says what the picture cannot, so it is shown without being asked for."""


@dataclass(frozen=True)
class Shown:
    """One setup's figures as a chart takes them."""

    name: str
    figures: dict[str, Array]
    target: Target
    aspect: float = 16 / 9
    """Width over height of the screen."""

    def number(self, key: str) -> float | None:
        """A scalar figure, None where it is absent or not a number."""
        value = self.figures.get(key)
        return None if value is None or not np.isfinite(value) else float(value)


def joined(x: ArrayLike, y: ArrayLike) -> tuple[Point, ...]:
    """Points of two equal-length arrays, NaN as None."""
    x, y = np.asarray(x, float), np.asarray(y, float)
    if np.isfinite(y).all():
        return tuple(zip(x.tolist(), y.tolist(), strict=True))
    return tuple((a, b if np.isfinite(b) else None) for a, b in zip(x.tolist(), y.tolist(), strict=True))


def pairs(xy: ArrayLike) -> tuple[Point, ...]:
    """Points of an array (n, 2)."""
    xy = np.asarray(xy, float).reshape(-1, 2)
    return joined(xy[:, 0], xy[:, 1])


def tick_step(span: float, most: int = 6) -> float:
    """Distance between ticks over a span: 1, 2 or 5 times a power of ten, at most `most` steps."""
    power = 10 ** np.floor(np.log10(span / most))
    return float(power * next(m for m in (1, 2, 5, 10) if span / (power * m) <= most + 1e-9))


def around(values: ArrayLike, least: tuple[float, float] | None = None, whole: bool = False) -> tuple[float, float]:
    """Round bounds that hold all finite values and at least `least`; to whole numbers where `whole`."""
    v = np.asarray(values, float)
    v = v[np.isfinite(v)]
    low, high = (float(v.min()), float(v.max())) if len(v) else (0.0, 1.0)
    if least is not None:
        low, high = min(low, least[0]), max(high, least[1])
    if whole:
        return float(np.floor(low)), float(np.ceil(high))
    # Snapping to ticks widens the span, which may ask for coarser ticks; it settles at once or after one turn.
    for _ in range(4):
        step = tick_step(max(high - low, 1e-9))
        low, high = float(np.floor(low / step + 1e-9) * step), float(np.ceil(high / step - 1e-9) * step)
    return low, high


def spectrum_locus() -> Series:
    """The spectrum locus in u'v', closed, 420 to 680 nm every 5 nm."""
    wavelengths, functions = spectra.observer()
    use = (wavelengths >= 420) & (wavelengths <= 680) & (wavelengths % 5 == 0)
    uv = spaces.XYZ_to_uv(functions[use])
    ring = np.vstack([uv, uv[:1]])
    return Series("spectrum locus", "guide", pairs(ring))
