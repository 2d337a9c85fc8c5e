"""Scores of a purpose on notched rules."""

from __future__ import annotations

from lumenar.core.measurements.charts import Chart
from lumenar.publish.pictures.common import WIDTH, caption


def height(chart: Chart) -> float:
    """A line for each score."""
    return 30 + 40 * max(len(s.labels) for s in chart.series)


def draw(chart: Chart) -> str:
    """The body of the SVG."""
    left, right = 130, WIDTH - 70
    out = []
    names = chart.series[0].labels
    for j, name in enumerate(names):
        y = 26 + 40 * j
        out.append(caption(left - 12, y + 4, name, "label", "end"))
        out.append(f'<line class="rule" x1="{left}" x2="{right}" y1="{y}" y2="{y}"/>')
        for k, s in enumerate(chart.series):
            value = s.points[j][0]
            if value is None:
                continue
            x = left + (right - left) * value / 100
            out.append(f'<rect class="notch setup{s.setup}" x="{x - 1.5:.1f}" y="{y - 7}" width="3" height="14"/>')
            if k == 0:
                out.append(caption(right + 10, y + 4, f"{value:.1f}", "label"))
    return "".join(out)
