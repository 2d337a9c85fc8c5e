"""Spans from black to white on an axis of decades."""

from __future__ import annotations

import numpy as np

from lumenar.core.measurements.charts import Chart
from lumenar.publish.pictures.common import BOTTOM, LEFT, TOP, caption, scales, short, tick_text, ticks


def height(chart: Chart) -> float:
    """A line for each setup."""
    return 40 + 46 * len(chart.series)


def draw(chart: Chart) -> str:
    """The body of the SVG."""
    tall = height(chart)
    sx, _, _ = scales(chart, tall)
    out = []
    for value in ticks(chart.x):
        out.append(f'<line class="grid" x1="{sx(value):.1f}" x2="{sx(value):.1f}" y1="{TOP}" y2="{tall - BOTTOM}"/>')
        out.append(caption(sx(value), tall - BOTTOM + 18, tick_text(chart.x, value), "tick", "middle"))
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
        out.append(caption(start, y - 9, f"{short(s.name)}  {text}", "label"))
        if len(s.labels) > 1:
            out.append(caption(right_end, y - 9, s.labels[1], "label", "end"))
    return "".join(out)
