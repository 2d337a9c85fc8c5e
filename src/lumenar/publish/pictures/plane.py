"""Points and outlines in the chromaticity plane."""

from __future__ import annotations

from lumenar.core.measurements.charts import Chart, Series
from lumenar.publish.pictures.common import LEFT, TOP, Scale, caption, cross, grid, path, scales, short, within


def height(chart: Chart) -> float:
    """About square."""
    return 420


def draw(chart: Chart) -> str:
    """The body of the SVG."""
    sx, sy, right = scales(chart, 420, square=True)
    out = [grid(chart, sx, sy, right)]
    for s in chart.series:
        css = f"{s.role} setup{s.setup}"
        if s.role in ("guide", "target_line", "outline"):
            line = f'<path class="line {css}" d="{path(s.points, sx, sy)}"/>'
            out.append(within(line, right - LEFT, sy(chart.y.low) - TOP))
            if s.role == "guide":
                out += _guide_labels(s, sx, sy, chart)
            continue
        for i, (x, y) in enumerate(s.points):
            if x is None or y is None:
                continue
            if s.role == "target":
                out.append(cross(sx(x), sy(y), 6))
                continue
            hue = s.hues[i] if s.hues else ""
            if i < len(s.whisker) and s.whisker[i][0] is not None and s.whisker[i][1] is not None:
                u, v = sx(float(s.whisker[i][0] or 0)), sy(float(s.whisker[i][1] or 0))
                out.append(f'<line class="whisker" x1="{u:.1f}" y1="{v:.1f}" x2="{sx(x):.1f}" y2="{sy(y):.1f}"/>')
                out.append(cross(u, v))
            out.append(f'<circle class="dot hue-{hue} {css}" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="3.6"/>')
            if not s.hues:
                name = short(s.name)
                shift, anchor = (-8, "end") if sx(x) - LEFT > 6.7 * len(name) else (8, "start")
                out.append(caption(sx(x) + shift, sy(y) + 4, name, f"label {css}", anchor))
    return "".join(out)


def _guide_labels(s: Series, sx: Scale, sy: Scale, chart: Chart) -> list[str]:
    inside = [
        (x, y, t)
        for (x, y), t in zip(s.points, s.labels, strict=False)
        if x is not None and y is not None and chart.x.low < x < chart.x.high and chart.y.low < y < chart.y.high
    ]
    return [
        f'<circle class="guide" cx="{sx(x):.1f}" cy="{sy(y):.1f}" r="1.6"/>' + caption(sx(x) + 5, sy(y) + 13, t, "tick")
        for x, y, t in inside
    ]
