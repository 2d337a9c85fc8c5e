"""What all pictures share: scales, ticks, grid and texts."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

import numpy as np

from lumenar.core.measurements.charts import Axis, Chart, Point, tick_step

WIDTH, HEIGHT = 560, 270
LEFT, RIGHT, TOP, BOTTOM = 46, 14, 10, 30
LONGEST_NAME = 24
"""Letters of a name that are written at the end of its line."""

Scale = Callable[[float], float]


def ticks(axis: Axis, most: int = 6) -> list[float]:
    """Round tick values within an axis."""
    if axis.log:
        return [float(v) for v in range(int(axis.low), int(axis.high) + 1)]
    step = tick_step(axis.high - axis.low, most)
    first = np.ceil(axis.low / step - 1e-9) * step
    return [float(v) for v in np.arange(first, axis.high + step * 1e-6, step)]


def tick_text(axis: Axis, value: float) -> str:
    if axis.log:
        return f"{10**value:g}"
    step = ticks(axis)[1] - ticks(axis)[0] if len(ticks(axis)) > 1 else 1.0
    decimals = max(0, int(-np.floor(np.log10(step) + 1e-9)))
    return f"{value + 0.0 if abs(value) > step / 1e6 else 0.0:.{decimals}f}".replace("-", "−")


def margin_of(chart: Chart) -> float:
    """Room at the right for the names of the series at their ends."""
    return 14 + 6.7 * max(len(short(s.name)) for s in chart.series)


def short(name: str) -> str:
    """A series' name as long as a chart has room for; the whole is in the text under the charts."""
    return name if len(name) <= LONGEST_NAME else name[: LONGEST_NAME - 1].rstrip() + "…"


def scales(
    chart: Chart, height: float, square: bool = False, margin: float = RIGHT, top: float = TOP
) -> tuple[Scale, Scale, float]:
    """Pixel scales for x and y, and the right end of the plot."""
    w, h = float(WIDTH - LEFT - margin), height - top - BOTTOM
    x, y = chart.x, chart.y
    if square:
        unit = min(w / (x.high - x.low), h / (y.high - y.low))
        w, h = unit * (x.high - x.low), unit * (y.high - y.low)
    return (
        lambda v: LEFT + (v - x.low) / (x.high - x.low) * w,
        lambda v: top + h - (v - y.low) / (y.high - y.low) * h,
        LEFT + w,
    )


def caption(x: float, y: float, text: str, css: str = "", anchor: str = "start") -> str:
    lines = text.split("\n")
    inner = escape(text)
    if len(lines) > 1:
        inner = "".join(f'<tspan x="{x:.1f}" dy="{11 if i else 0}">{escape(t)}</tspan>' for i, t in enumerate(lines))
    return f'<text x="{x:.1f}" y="{y:.1f}" class="{css}" text-anchor="{anchor}">{inner}</text>'


def grid(chart: Chart, sx: Scale, sy: Scale, right: float) -> str:
    out = []
    for value in ticks(chart.y):
        out.append(f'<line class="grid" x1="{LEFT}" x2="{right:.1f}" y1="{sy(value):.1f}" y2="{sy(value):.1f}"/>')
        out.append(caption(LEFT - 6, sy(value) + 4, tick_text(chart.y, value), "tick", "end"))
    bottom = sy(chart.y.low)
    labels = chart.x.labels
    for value in range(len(labels)) if labels else ticks(chart.x):
        text = labels[int(value)] if labels else tick_text(chart.x, value)
        out.append(caption(sx(value), bottom + 18, text, "tick", "middle"))
    return "".join(out)


def path(points: tuple[Point, ...], sx: Scale, sy: Scale) -> str:
    """An SVG path that breaks where a value is missing."""
    out, pen = [], "M"
    for x, y in points:
        if x is None or y is None:
            pen = "M"
            continue
        out.append(f"{pen}{sx(x):.1f} {sy(y):.1f}")
        pen = "L"
    return "".join(out)


def spread(wanted: list[float], gap: float, low: float, high: float) -> list[float]:
    """Heights for labels as near as can be to those wanted, in their order, none over another, all within limits."""
    out = list(wanted)
    order = sorted(range(len(wanted)), key=lambda i: wanted[i])
    last = low - gap
    for i in order:
        last = out[i] = max(out[i], last + gap)
    below = high + gap
    for i in reversed(order):
        below = out[i] = min(out[i], below - gap)
    return out


def within(inner: str, w: float, h: float) -> str:
    """What is drawn in the units of the picture, cut off where it runs out of the plot, but for half a line's width: a
    nested svg clips."""
    x, y, w, h = LEFT - 2, TOP - 2, w + 4, h + 4
    return f'<svg x="{x}" y="{y}" width="{w:.1f}" height="{h:.1f}" viewBox="{x} {y} {w:.1f} {h:.1f}">{inner}</svg>'


def cross(x: float, y: float, size: float = 4) -> str:
    return f'<path class="cross" d="M{x - size:.1f} {y:.1f}H{x + size:.1f}M{x:.1f} {y - size:.1f}V{y + size:.1f}"/>'
