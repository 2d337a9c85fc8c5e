"""Charts drawn as static SVG, styled by the page's CSS so that they follow its light or dark theme."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

import numpy as np

from lumenar.core.measurements.charts import Axis, Chart, Mark, Point, Series, tick_step

WIDTH, HEIGHT = 560, 270
LEFT, RIGHT, TOP, BOTTOM = 46, 14, 10, 30
LONGEST_NAME = 24
"""Letters of a name that are written at the end of its line."""

Scale = Callable[[float], float]


def draw(chart: Chart) -> str:
    """One chart as an SVG element with a title for those who cannot see it."""
    body = {"lines": _lines, "plane": _plane, "anatomy": _anatomy, "span": _span, "rules": _rules, "drawing": _drawing}[
        chart.kind
    ](chart)
    height = {
        "drawing": _drawing_height(chart),
        "plane": 420,
        "span": 40 + 46 * len(chart.series),
        "rules": 30 + 40 * max(len(s.labels) for s in chart.series) if chart.kind == "rules" else 0,
    }.get(chart.kind, HEIGHT)
    summary = escape(f"{chart.title}: {chart.headline}" if chart.headline else chart.title)
    return (
        f'<svg class="chart {chart.kind}" viewBox="0 0 {WIDTH} {height}" role="img" aria-label="{summary}">'
        f"<title>{summary}</title>{body}</svg>"
    )


def ticks(axis: Axis, most: int = 6) -> list[float]:
    """Round tick values within an axis."""
    if axis.log:
        return [float(v) for v in range(int(axis.low), int(axis.high) + 1)]
    step = tick_step(axis.high - axis.low, most)
    first = np.ceil(axis.low / step - 1e-9) * step
    return [float(v) for v in np.arange(first, axis.high + step * 1e-6, step)]


def _tick_text(axis: Axis, value: float) -> str:
    if axis.log:
        return f"{10**value:g}"
    step = ticks(axis)[1] - ticks(axis)[0] if len(ticks(axis)) > 1 else 1.0
    decimals = max(0, int(-np.floor(np.log10(step) + 1e-9)))
    return f"{value + 0.0 if abs(value) > step / 1e6 else 0.0:.{decimals}f}".replace("-", "−")


def _margin(chart: Chart) -> float:
    """Room at the right for the names of the series at their ends."""
    return 14 + 6.7 * max(len(_short(s.name)) for s in chart.series)


def _short(name: str) -> str:
    """A series' name as long as a chart has room for; the whole is in the text under the charts."""
    return name if len(name) <= LONGEST_NAME else name[: LONGEST_NAME - 1].rstrip() + "…"


def _scales(
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


def _text(x: float, y: float, text: str, css: str = "", anchor: str = "start") -> str:
    lines = text.split("\n")
    inner = escape(text)
    if len(lines) > 1:
        inner = "".join(f'<tspan x="{x:.1f}" dy="{11 if i else 0}">{escape(t)}</tspan>' for i, t in enumerate(lines))
    return f'<text x="{x:.1f}" y="{y:.1f}" class="{css}" text-anchor="{anchor}">{inner}</text>'


def _grid(chart: Chart, sx: Scale, sy: Scale, right: float) -> str:
    out = []
    for value in ticks(chart.y):
        out.append(f'<line class="grid" x1="{LEFT}" x2="{right:.1f}" y1="{sy(value):.1f}" y2="{sy(value):.1f}"/>')
        out.append(_text(LEFT - 6, sy(value) + 4, _tick_text(chart.y, value), "tick", "end"))
    bottom = sy(chart.y.low)
    labels = chart.x.labels
    for value in range(len(labels)) if labels else ticks(chart.x):
        text = labels[int(value)] if labels else _tick_text(chart.x, value)
        out.append(_text(sx(value), bottom + 18, text, "tick", "middle"))
    return "".join(out)


def _path(points: tuple[Point, ...], sx: Scale, sy: Scale) -> str:
    """An SVG path that breaks where a value is missing."""
    out, pen = [], "M"
    for x, y in points:
        if x is None or y is None:
            pen = "M"
            continue
        out.append(f"{pen}{sx(x):.1f} {sy(y):.1f}")
        pen = "L"
    return "".join(out)


def _lines(chart: Chart) -> str:
    sx, sy, right = _scales(chart, HEIGHT, margin=_margin(chart))
    out = []
    for low, high in chart.bands:
        low, high = max(low, chart.y.low), min(high, chart.y.high)
        out.append(
            f'<rect class="band" x="{LEFT}" width="{right - LEFT:.1f}" y="{sy(high):.1f}" height="{sy(low) - sy(high):.1f}"/>'
        )
    out.append(_grid(chart, sx, sy, right))
    bottom = sy(chart.y.low)
    ends: list[tuple[float, Series]] = []
    for s in chart.series:
        css = f"line {s.role} setup{s.setup}"
        out.append(_within(f'<path class="{css}" d="{_path(s.points, sx, sy)}"/>', right - LEFT, bottom - TOP))
        known = [(x, y) for x, y in s.points if x is not None and y is not None]
        if s.marks:
            out += [f'<circle class="{css}" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="2.2"/>' for x, y in known]
        if known:
            ends.append((min(max(sy(known[-1][1]), TOP), bottom), s))
    heights = spread([y for y, _ in ends], 12, TOP, bottom)
    for at, (_, s) in zip(heights, ends, strict=True):
        out.append(_text(right + 8, at + 4, _short(s.name), f"label {s.role} setup{s.setup}"))
    for note in chart.notes:
        shift, anchor = (-8, "end") if note.side == "left" else (8, "start")
        out.append(_text(sx(note.x) + shift, sy(note.y) + 14, note.text, "note", anchor))
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


def _within(inner: str, w: float, h: float) -> str:
    """What is drawn in the units of the picture, cut off where it runs out of the plot, but for half a line's width: a
    nested svg clips."""
    x, y, w, h = LEFT - 2, TOP - 2, w + 4, h + 4
    return f'<svg x="{x}" y="{y}" width="{w:.1f}" height="{h:.1f}" viewBox="{x} {y} {w:.1f} {h:.1f}">{inner}</svg>'


def _cross(x: float, y: float, size: float = 4) -> str:
    return f'<path class="cross" d="M{x - size:.1f} {y:.1f}H{x + size:.1f}M{x:.1f} {y - size:.1f}V{y + size:.1f}"/>'


def _plane(chart: Chart) -> str:
    sx, sy, right = _scales(chart, 420, square=True)
    out = [_grid(chart, sx, sy, right)]
    for s in chart.series:
        css = f"{s.role} setup{s.setup}"
        if s.role in ("guide", "target_line", "outline"):
            line = f'<path class="line {css}" d="{_path(s.points, sx, sy)}"/>'
            out.append(_within(line, right - LEFT, sy(chart.y.low) - TOP))
            if s.role == "guide":
                out += _guide_labels(s, sx, sy, chart)
            continue
        for i, (x, y) in enumerate(s.points):
            if x is None or y is None:
                continue
            if s.role == "target":
                out.append(_cross(sx(x), sy(y), 6))
                continue
            hue = s.hues[i] if s.hues else ""
            if i < len(s.whisker) and s.whisker[i][0] is not None and s.whisker[i][1] is not None:
                u, v = sx(float(s.whisker[i][0] or 0)), sy(float(s.whisker[i][1] or 0))
                out.append(f'<line class="whisker" x1="{u:.1f}" y1="{v:.1f}" x2="{sx(x):.1f}" y2="{sy(y):.1f}"/>')
                out.append(_cross(u, v))
            out.append(f'<circle class="dot hue-{hue} {css}" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="3.6"/>')
            if not s.hues:
                name = _short(s.name)
                shift, anchor = (-8, "end") if sx(x) - LEFT > 6.7 * len(name) else (8, "start")
                out.append(_text(sx(x) + shift, sy(y) + 4, name, f"label {css}", anchor))
    return "".join(out)


def _guide_labels(s: Series, sx: Scale, sy: Scale, chart: Chart) -> list[str]:
    inside = [
        (x, y, t)
        for (x, y), t in zip(s.points, s.labels, strict=False)
        if x is not None and y is not None and chart.x.low < x < chart.x.high and chart.y.low < y < chart.y.high
    ]
    return [
        f'<circle class="guide" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="1.6"/>' + _text(sx(x) + 5, sy(y) + 13, t, "tick")
        for x, y, t in inside
    ]


def _anatomy(chart: Chart) -> str:
    sx, sy, right = _scales(chart, HEIGHT, top=22)
    out = [
        _grid(chart, sx, sy, right),
        f'<line class="axis" x1="{LEFT}" x2="{right}" y1="{sy(0):.1f}" y2="{sy(0):.1f}"/>',
    ]
    for j, s in enumerate(chart.series):
        out.append(f'<rect class="part {s.name}" x="{LEFT + 90 * j}" y="0.5" width="13" height="8"/>')
        out.append(_text(LEFT + 90 * j + 19, 8.5, s.name, "tick"))
    count = max(len(s.points) for s in chart.series)
    slot = (right - LEFT) / (count + 1)
    width = min(slot * 0.72, 46) / len(chart.series)
    for j, s in enumerate(chart.series):
        for x, y in s.points:
            if x is None or y is None:
                continue
            left = sx(x) + (j - len(chart.series) / 2) * width
            top, height = min(sy(y), sy(0)), abs(sy(y) - sy(0))
            out.append(
                f'<rect class="part {s.name}" x="{left:.1f}" y="{top:.1f}" width="{width:.1f}" height="{max(height, 0.4):.1f}"/>'
            )
    return "".join(out)


def _span(chart: Chart) -> str:
    height = 40 + 46 * len(chart.series)
    sx, _, _ = _scales(chart, height)
    out = []
    for value in ticks(chart.x):
        out.append(f'<line class="grid" x1="{sx(value):.1f}" x2="{sx(value):.1f}" y1="{TOP}" y2="{height - BOTTOM}"/>')
        out.append(_text(sx(value), height - BOTTOM + 18, _tick_text(chart.x, value), "tick", "middle"))
    for i, s in enumerate(chart.series):
        y = TOP + 32 + 46 * i
        (low, _), (high, _) = s.points
        right_end = sx(np.log10(high or 1))
        start = sx(np.log10(low)) if low else LEFT
        text = s.labels[0] if s.labels else ""
        out.append(
            f'<line class="line measured setup{s.setup}" x1="{start:.1f}" x2="{right_end:.1f}" y1="{y}" y2="{y}"/>'
        )
        if not s.marks:
            out.append(f'<circle class="open" cx="{start:.1f}" cy="{y}" r="3.2"/>')
        else:
            out.append(f'<circle class="dot" cx="{start:.1f}" cy="{y}" r="3.2"/>')
        out.append(f'<circle class="dot" cx="{right_end:.1f}" cy="{y}" r="3.2"/>')
        out.append(_text(start, y - 9, f"{_short(s.name)}  {text}", "label"))
        if len(s.labels) > 1:
            out.append(_text(right_end, y - 9, s.labels[1], "label", "end"))
    return "".join(out)


def _rules(chart: Chart) -> str:
    left, right = 130, WIDTH - 70
    out = []
    names = chart.series[0].labels
    for j, name in enumerate(names):
        y = 26 + 40 * j
        out.append(_text(left - 12, y + 4, name, "label", "end"))
        out.append(f'<line class="rule" x1="{left}" x2="{right}" y1="{y}" y2="{y}"/>')
        for k, s in enumerate(chart.series):
            value = s.points[j][0]
            if value is None:
                continue
            x = left + (right - left) * value / 100
            out.append(f'<rect class="notch setup{s.setup}" x="{x - 1.5:.1f}" y="{y - 7}" width="3" height="14"/>')
            if k == 0:
                out.append(_text(right + 10, y + 4, f"{value:.1f}", "label"))
    return "".join(out)


def _drawing_height(chart: Chart) -> float:
    if chart.kind != "drawing":
        return 0.0
    width = float(WIDTH - (0 if chart.bare else LEFT + RIGHT))
    width = min(width, 460.0) if chart.aspect is not None and chart.aspect < 1.4 else width
    return width / (chart.aspect or 2.0) + (2 if chart.bare else TOP + BOTTOM)


def _drawing(chart: Chart) -> str:
    """Marks in the units of the axes; the shading under them first."""
    height = _drawing_height(chart)
    left, right, top, bottom = (1, 1, 1, 1) if chart.bare else (LEFT, RIGHT, TOP, BOTTOM)
    h: float = height - top - bottom
    w = min(float(WIDTH - left - right), h * (chart.aspect or 2.0))
    x, y = chart.x, chart.y

    def sx(v: float) -> float:
        return left + (v - x.low) / (x.high - x.low) * w

    def sy(v: float) -> float:
        return top + h - (v - y.low) / (y.high - y.low) * h

    out = [] if chart.bare else [_grid(chart, sx, sy, left + w)]
    for j, row in enumerate(chart.field):
        cw, ch = w / len(row), h / len(chart.field)
        out += [
            f'<rect class="field" x="{left + i * cw:.1f}" y="{top + j * ch:.1f}" width="{cw + 0.5:.1f}" height="{ch + 0.5:.1f}"'
            f' style="opacity:{0.75 * (1 - v):.2f}"/>'
            for i, v in enumerate(row)
        ]
    contours = "".join(_path(m.points, sx, sy) for m in chart.marks if m.style == "contour")
    if contours:
        out.append(f'<path class="contour" d="{contours}"/>')
    out += [_mark(m, sx, sy) for m in chart.marks if m.style != "contour"]
    return "".join(out)


def _mark(m: Mark, sx: Scale, sy: Scale) -> str:
    css = f"mark-{m.style} setup{m.setup}" + (" small" if m.small else "")
    if m.shape == "text":
        (px, py) = m.points[0]
        anchor = "start" if m.style == "setup" else "middle"
        return _text(sx(px or 0.0), sy(py or 0.0) + 4, m.text, css, anchor)
    if m.shape == "box":
        (x0, y0), (x1, y1) = m.points
        a, b = sx(x0 or 0.0), sy(y1 or 0.0)
        style = f' style="--shade:{m.shade:.2f}"'
        box = f'x="{a:.1f}" y="{b:.1f}" width="{sx(x1 or 0.0) - a:.1f}" height="{sy(y0 or 0.0) - b:.1f}"'
        return f'<rect class="{css}" {box}{style}/>'
    close = "Z" if m.shape == "area" else ""
    return f'<path class="{css}" d="{_path(m.points, sx, sy)}{close}"/>'


def rule(value: float | None, low: float | None = None, high: float | None = None, width: int = 120) -> str:
    """The notched rule: a score on a line from 0 to 100 with a soft band for its interval; dotted where unmeasured."""
    span = width - 4

    def x(points: float) -> float:
        return 2 + span * points / 100

    if value is None:
        line = f'<line x1="2" x2="{width - 2}" y1="7" y2="7"/>'
        return f'<svg class="rule none" width="{width}" height="14" aria-hidden="true">{line}</svg>'
    a, b = x(low if low is not None else value), x(high if high is not None else value)
    return (
        f'<svg class="rule" width="{width}" height="14" aria-hidden="true"><line x1="2" x2="{width - 2}" y1="7" y2="7"/>'
        f'<rect class="soft" x="{a - 1:.1f}" y="5" width="{b - a + 2:.1f}" height="4"/>'
        f'<rect class="notch" x="{x(value) - 1.25:.1f}" y="1" width="2.5" height="12"/></svg>'
    )
