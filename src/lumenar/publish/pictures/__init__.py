"""Charts drawn as static SVG, styled by the page's CSS so that they follow its light or dark theme. One module for each kind of
chart, with `height` and `draw`; it is found by its name."""

from __future__ import annotations

from functools import cache
from html import escape
from importlib import import_module
from typing import Protocol, cast

from lumenar.core.measurements.charts import Chart
from lumenar.publish.pictures.common import WIDTH


class _Kind(Protocol):
    def height(self, chart: Chart) -> float: ...

    def draw(self, chart: Chart) -> str: ...


@cache
def _kind(name: str) -> _Kind:
    return cast(_Kind, import_module(f"{__name__}.{name}"))


def draw(chart: Chart) -> str:
    """One chart as an SVG element with a title for those who cannot see it."""
    kind = _kind(chart.kind)
    body, height = kind.draw(chart), kind.height(chart)
    summary = escape(f"{chart.title}: {chart.headline}" if chart.headline else chart.title)
    return (
        f'<svg class="chart {chart.kind}" viewBox="0 0 {WIDTH} {height}" role="img" aria-label="{summary}">'
        f"<title>{summary}</title>{body}</svg>"
    )
