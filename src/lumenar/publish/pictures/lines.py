"""Lines over an axis, with their names at their ends."""

from __future__ import annotations

from lumenar.core.measurements.charts import Chart, Series
from lumenar.publish.pictures.common import (
    HEIGHT,
    LEFT,
    TOP,
    caption,
    grid,
    margin_of,
    path,
    scales,
    short,
    spread,
    within,
)


def height(chart: Chart) -> float:
    """As all plots."""
    return HEIGHT


def draw(chart: Chart) -> str:
    """The body of the SVG."""
    sx, sy, right = scales(chart, HEIGHT, margin=margin_of(chart))
    out = []
    for low, high in chart.bands:
        low, high = max(low, chart.y.low), min(high, chart.y.high)
        out.append(
            f'<rect class="band" x="{LEFT}" width="{right - LEFT:.1f}" y="{sy(high):.1f}" height="{sy(low) - sy(high):.1f}"/>'
        )
    out.append(grid(chart, sx, sy, right))
    bottom = sy(chart.y.low)
    ends: list[tuple[float, Series]] = []
    for s in chart.series:
        css = f"line {s.role} setup{s.setup}"
        out.append(within(f'<path class="{css}" d="{path(s.points, sx, sy)}"/>', right - LEFT, bottom - TOP))
        known = [(x, y) for x, y in s.points if x is not None and y is not None]
        if s.marks:
            out += [f'<circle class="{css}" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="2.2"/>' for x, y in known]
        if known:
            ends.append((min(max(sy(known[-1][1]), TOP), bottom), s))
    heights = spread([y for y, _ in ends], 12, TOP, bottom)
    for at, (_, s) in zip(heights, ends, strict=True):
        out.append(caption(right + 8, at + 4, short(s.name), f"label {s.role} setup{s.setup}"))
    for note in chart.notes:
        shift, anchor = (-8, "end") if note.side == "left" else (8, "start")
        out.append(caption(sx(note.x) + shift, sy(note.y) + 14, note.text, "note", anchor))
    return "".join(out)
