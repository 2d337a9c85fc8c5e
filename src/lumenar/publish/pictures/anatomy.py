"""What parts errors are made of, as bars."""

from __future__ import annotations

from lumenar.core.measurements.charts import Chart
from lumenar.publish.pictures.common import HEIGHT, LEFT, caption, grid, scales


def height(chart: Chart) -> float:
    """As all plots."""
    return HEIGHT


def draw(chart: Chart) -> str:
    """The body of the SVG."""
    sx, sy, right = scales(chart, HEIGHT, top=22)
    out = [
        grid(chart, sx, sy, right),
        f'<line class="axis" x1="{LEFT}" x2="{right}" y1="{sy(0):.1f}" y2="{sy(0):.1f}"/>',
    ]
    for j, s in enumerate(chart.series):
        out.append(f'<rect class="part {s.name}" x="{LEFT + 90 * j}" y="0.5" width="13" height="8"/>')
        out.append(caption(LEFT + 90 * j + 19, 8.5, s.name, "tick"))
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
