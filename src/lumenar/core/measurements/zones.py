"""The screen drawn as itself: outline, soft shading, contours, and a number in each zone."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from lumenar.core.measurements.base import Array
from lumenar.core.measurements.charts import (
    Axis,
    Chart,
    Mark,
    Point,
    Series,
    Shown,
    Table,
    Value,
    around,
    joined,
    tick_step,
)
from lumenar.core.monotone import pchip
from lumenar.core.numbers import significant

_FINE = (60, 36)
TITLES = {"white": "white", "grey": "mid grey", "dark": "dark grey", "near_black": "near black"}


def _surface(zones: Array, values: Array, grid: Array) -> tuple[Array, Array, Array]:
    """A smooth surface through zone values: x (n,), y (m,) in shares of the screen, values (m, n).

    It has no hill or hollow that was not read, and beyond the outermost centres, where nothing was, it is held. Along rows
    first or columns first makes a small difference, so it is the mean of both.
    """
    columns, rows = int(grid[0]), int(grid[1])
    if not np.isfinite(values).any():
        values = np.full(len(values), 100.0)
    table = np.full((rows, columns), np.nan)
    table[zones[:, 1].astype(int), zones[:, 0].astype(int)] = values
    table = np.where(np.isfinite(table), table, np.nanmean(table))
    x, y = (np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows
    fine_x, fine_y = (np.linspace(0.5 / n, 1 - 0.5 / n, n) for n in _FINE)
    along_rows = pchip(y, pchip(x, table, fine_x).T, fine_y).T
    along_columns = pchip(x, pchip(y, table.T, fine_y).T, fine_x)
    return fine_x, fine_y, (along_rows + along_columns) / 2


def contour(x: Array, y: Array, z: Array, level: float) -> list[Point]:
    """The line z = level on a grid z (m, n), by marching squares: linear along the cells' edges. Pieces are parted by
    points without coordinates."""
    above = z >= level
    with np.errstate(divide="ignore", invalid="ignore"):
        along = (level - z[:, :-1]) / np.diff(z, axis=1)
        down = (level - z[:-1]) / np.diff(z, axis=0)
    # Where an edge from left to right or from one row to the next is crossed, and whether it is.
    across_x, across_y = x[:-1] + along * np.diff(x), y[:-1, None] + down * np.diff(y)[:, None]
    crossed_x, crossed_y = above[:, :-1] != above[:, 1:], above[:-1] != above[1:]
    shape = (len(y) - 1, len(x) - 1)
    # The four edges of each cell, going round it.
    crossed = np.stack([crossed_x[:-1], crossed_y[:, 1:], crossed_x[1:], crossed_y[:, :-1]], axis=-1)
    px = np.stack([across_x[:-1], np.broadcast_to(x[1:], shape), across_x[1:], np.broadcast_to(x[:-1], shape)], axis=-1)
    py = np.stack(
        [np.broadcast_to(y[:-1, None], shape), across_y[:, 1:], np.broadcast_to(y[1:, None], shape), across_y[:, :-1]],
        axis=-1,
    )
    # A crossed cell has two crossings, or four, which are joined in pairs.
    px, py = np.round(px[crossed], 4), np.round(1 - py[crossed], 4)
    pieces: list[Point] = []
    points = list(zip(px.tolist(), py.tolist(), strict=True))
    for one, two in zip(points[::2], points[1::2], strict=True):
        pieces += [one, two, (None, None)]
    return pieces


def _field(s: Shown, name: str) -> tuple[tuple[float, ...], ...]:
    """Shading in proportion to the luminance, exaggerated where the screen is even, so that its shape shows."""
    share = s.figures[f"{name}_luminance_percent"]
    _, _, z = _surface(s.figures["zones"], share, s.figures["grid"])
    span = max(float(np.ptp(share)), 6.0)
    shade = np.clip(1 - (100 - z[1::3, 1::3]) / (2.2 * span), 0, 1)
    return tuple(tuple(row) for row in np.round(shade, 3).tolist())


def _marks(s: Shown, name: str) -> list[Mark]:
    f = s.figures
    zones, grid = f["zones"], f["grid"]
    share, de = f[f"{name}_luminance_percent"], f[f"{name}_de2000"]
    x, y, z = _surface(zones, share, grid)
    marks: list[Mark] = []
    step = max(tick_step(max(float(np.ptp(z)), 1.0), 5), 1.0)
    for level in np.arange(np.ceil(z.min() / step) * step, z.max(), step):
        line = tuple(contour(x, y, z, float(level)))
        marks.append(Mark("line", "contour", line, hint=f"{level:g} % of the centre"))
    worst = int(np.nanargmax(de)) if np.isfinite(de).any() else -1
    for k, (c, r) in enumerate(zones):
        at = (float((c + 0.5) / grid[0]), float(1 - (r + 0.5) / grid[1]))
        duv = f[f"{name}_duv"][k]
        hint = f"column {c + 1:.0f}, row {r + 1:.0f}: dE2000 {de[k]:.2f}, luminance {share[k]:.1f} % of the centre"
        hint += f", Δu′v′ {duv:.4f}" if np.isfinite(duv) else ""
        said = f"{de[k]:.1f}" if np.isfinite(de[k]) else "?"
        marks.append(Mark("text", "lamp" if k == worst else "ink", (at,), said, hint=hint))
        below = (at[0], at[1] - 0.055)
        marks.append(Mark("text", "faint", (below,), _percent(share[k] - 100), hint=hint, small=True))
    return [*marks, Mark("line", "outline", ((0, 0), (1, 0), (1, 1), (0, 1), (0, 0)))]


def _percent(value: float) -> str:
    """A difference in whole per cent with its sign, none where it rounds to nothing."""
    if not np.isfinite(value):
        return ""
    whole = round(float(value))
    return f"{whole:+d} %".replace("-", "−") if whole else "0 %"


def _chart(s: Shown, name: str, place: str) -> Chart:
    f = s.figures
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (
            float(c + 1),
            float(r + 1),
            _number(f[f"{name}_de2000"][k]),
            _number(f[f"{name}_de_chroma_only"][k]),
            _number(f[f"{name}_luminance_percent"][k]),
            _number(f[f"{name}_duv"][k]),
        )
        for k, (c, r) in enumerate(f["zones"])
    )
    prefix = "uniformity" if name == "white" else f"uniformity_{name}"
    centre = significant(float(f[f"{name}_centre_cd_m2"]), 3)
    note = f"dE2000 as seen, luminance against the centre of {centre} cd/m²; contours in %"
    if f[f"{prefix}_coarse"] > 0:
        note += " · the meter's resolution alone is more than 5 % here"
    return Chart(
        key=f"zones_{name}",
        kind="drawing",
        title=f"Uniformity, {TITLES[name]}",
        note=note,
        headline=f"worst {float(f[f'{prefix}_de2000_worst']):.1f} {place}",
        x=Axis("", "", 0, 1, 0),
        y=Axis("", "", 0, 1, 0),
        series=(),
        table=Table(
            ("Column", "Row", "dE2000", "Without luminance", "Luminance, %", "Δu′v′"), (0, 0, 1, 1, 1, 4), rows
        ),
        marks=tuple(_marks(s, name)),
        field=_field(s, name),
        aspect=s.aspect,
        bare=True,
    )


def _number(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _compared(shown: Sequence[Shown], names: Sequence[str]) -> Chart:
    """Worst zone by level, for every setup: a line each over the four levels."""

    def worst(s: Shown, name: str) -> float:
        key = "uniformity_de2000_worst" if name == "white" else f"uniformity_{name}_de2000_worst"
        return s.number(key) if s.number(key) is not None else np.nan  # type: ignore[return-value]

    values = np.array([[worst(s, n) for n in names] for s in shown])
    x = np.arange(len(names), dtype=float)
    _, high = around(values, least=(0, 3))
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (TITLES[n], *(_number(v) for v in values[:, j])) for j, n in enumerate(names)
    )
    return Chart(
        key="zones_compared",
        kind="lines",
        title="Worst zone by level",
        note="dE2000 against the centre, as seen beside the mode's white",
        headline="",
        x=Axis("level", "", 0, len(names) - 1, 0, labels=tuple(TITLES[n] for n in names)),
        y=Axis("dE2000", "", 0, high, 0),
        series=tuple(Series(s.name, "measured", joined(x, values[i]), i, True) for i, s in enumerate(shown)),
        table=Table(("Level", *(s.name for s in shown)), (None, *(1 for _ in shown)), rows),
    )


def zone_charts(
    shown: Sequence[Shown], names: Sequence[str], place: Callable[[Mapping[str, object], str], str]
) -> list[Chart]:
    """One drawing a level for the first setup, then all setups compared."""
    there = [n for n in names if f"{n}_de2000" in shown[0].figures]
    return [*(_chart(shown[0], n, place(shown[0].figures, n)) for n in there), _compared(shown, there)]
