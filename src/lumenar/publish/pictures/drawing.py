"""Pictures that are no plots of series: marks in the units of the axes."""

from __future__ import annotations

from lumenar.core.measurements.charts import Chart, Mark
from lumenar.publish.pictures.common import BOTTOM, LEFT, RIGHT, TOP, WIDTH, Scale, caption, grid, path


def height(chart: Chart) -> float:
    """As the screen's shape wants it."""
    width = float(WIDTH - (0 if chart.bare else LEFT + RIGHT))
    width = min(width, 460.0) if chart.aspect is not None and chart.aspect < 1.4 else width
    return width / (chart.aspect or 2.0) + (2 if chart.bare else TOP + BOTTOM)


def draw(chart: Chart) -> str:
    """Marks in the units of the axes; the shading under them first."""
    whole = height(chart)
    left, right, top, bottom = (1, 1, 1, 1) if chart.bare else (LEFT, RIGHT, TOP, BOTTOM)
    h: float = whole - top - bottom
    w = min(float(WIDTH - left - right), h * (chart.aspect or 2.0))
    x, y = chart.x, chart.y

    def sx(v: float) -> float:
        return left + (v - x.low) / (x.high - x.low) * w

    def sy(v: float) -> float:
        return top + h - (v - y.low) / (y.high - y.low) * h

    out = [] if chart.bare else [grid(chart, sx, sy, left + w)]
    for j, row in enumerate(chart.field):
        cw, ch = w / len(row), h / len(chart.field)
        out += [
            f'<rect class="field" x="{left + i * cw:.1f}" y="{top + j * ch:.1f}" width="{cw + 0.5:.1f}" height="{ch + 0.5:.1f}"'
            f' style="opacity:{0.75 * (1 - v):.2f}"/>'
            for i, v in enumerate(row)
        ]
    contours = "".join(path(m.points, sx, sy) for m in chart.marks if m.style == "contour")
    if contours:
        out.append(f'<path class="contour" d="{contours}"/>')
    out += [_mark(m, sx, sy) for m in chart.marks if m.style != "contour"]
    return "".join(out)


def _mark(m: Mark, sx: Scale, sy: Scale) -> str:
    css = f"mark-{m.style} setup{m.setup}" + (" small" if m.small else "")
    if m.shape == "text":
        (px, py) = m.points[0]
        anchor = "start" if m.style == "setup" else "middle"
        return caption(sx(px or 0.0), sy(py or 0.0) + 4, m.text, css, anchor)
    if m.shape == "box":
        (x0, y0), (x1, y1) = m.points
        a, b = sx(x0 or 0.0), sy(y1 or 0.0)
        style = f' style="--shade:{m.shade:.2f}"'
        box = f'x="{a:.1f}" y="{b:.1f}" width="{sx(x1 or 0.0) - a:.1f}" height="{sy(y0 or 0.0) - b:.1f}"'
        return f'<rect class="{css}" {box}{style}/>'
    close = "Z" if m.shape == "area" else ""
    return f'<path class="{css}" d="{path(m.points, sx, sy)}{close}"/>'
