"""What the pages of an edition share: names, key figures, charts, and the template environment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache

from jinja2 import Environment, PackageLoader, select_autoescape
from markupsafe import Markup

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.app.exchange.readings_file import ReadingsFile
from lumenar.core.analysis import value_of
from lumenar.core.measurements import MEASUREMENTS, Figure, brightness_ladder, gamut, grey_ramp, white_black
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.numbers import grouped, kelvin, mid_sentence, significant
from lumenar.core.scoring.score import Score
from lumenar.core.targets import resolve
from lumenar.publish import pictures
from lumenar.publish.pictures.notched_rule import rule

PANELS = {"lcd": "liquid-crystal panel", "oled": "emissive panel", "projector": "projector", "other": "panel"}


@dataclass(frozen=True)
class ModeLine:
    """One row of the table of all modes."""

    name: str
    target: str
    cells: tuple[str, ...]


def _number(value: float | str | None, decimals: int = 1) -> str:
    """A cell of a table of numbers; text stays as it is."""
    if value is None:
        return "–"
    return value if isinstance(value, str) else grouped(value, decimals)


@cache
def environment() -> Environment:
    """The templates of pages, each compiled once, with what they call."""
    environment = Environment(
        loader=PackageLoader("lumenar.publish", "templates"),
        autoescape=select_autoescape(["html", "xml"]),
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals["rule"] = lambda s: Markup(rule(s.value, s.low, s.high))
    environment.globals["draw"] = lambda c: Markup(pictures.draw(c))
    environment.filters["mid_sentence"] = mid_sentence
    environment.filters["number"] = _number
    environment.filters["figures"] = lambda v: significant(v, 3)
    environment.filters["points"] = lambda v: "–" if v is None else f"{v:.0f}"
    environment.filters["weight"] = lambda v: f"{v:g}" if v else ""
    environment.filters["target"] = lambda key: resolve(key).title
    environment.filters["date"] = lambda v: f"{datetime.fromisoformat(v):%-d %B %Y}"
    return environment


def labels_of(setups: Sequence[SetupFigures], readings: ReadingsFile) -> dict[str, str]:
    """What each setup is called by its key: its name, with the sample where another sample has one of that name."""
    samples = {u.id: u.sample for u in readings.units}
    names = [s.name for s in setups]
    return {
        s.key: s.name if names.count(s.name) == 1 else f"{s.name}, sample {samples.get(s.unit or '', s.unit)}"
        for s in setups
    }


def interval(s: Score) -> str:
    """A score's 95 % interval in whole points, empty where there is none."""
    if s.low is None or s.high is None:
        return ""
    return f"{s.low:.0f} to {s.high:.0f}"


def mode_line(s: SetupFigures, label: str) -> ModeLine:
    """The key figures of one mode."""

    def number(figure: Figure, form: str) -> str:
        value = value_of(s.analyses, figure)
        if value is None:
            return "–"
        if form == "K":
            return kelvin(value)
        return significant(value, 3) if form == "3" else grouped(value, int(form))

    contrast = number(white_black.CONTRAST, "3")
    if contrast == "–" and (least := number(white_black.CONTRAST_AT_LEAST, "3")) != "–":
        contrast = f"≥ {least}"
    cells = (
        number(white_black.LUMINANCE, "3"),
        number(white_black.CCT, "K"),
        contrast,
        number(grey_ramp.GAMMA, "2"),
        number(grey_ramp.MEAN, "1"),
        number(grey_ramp.LARGEST, "1"),
        number(grey_ramp.CURVE, "1"),
        number(gamut.OF_SRGB, "1"),
        number(gamut.OF_P3, "1"),
        number(brightness_ladder.FOR_120, "0"),
    )
    return ModeLine(label, resolve(s.target).title, cells)


def charts_of(s: SetupFigures, label: str, aspect: float) -> list[tuple[str, Chart]]:
    """The charts of one setup, each with the key of its measurement."""
    shown = resolve(s.target)
    return [
        (m, c) for m, a in s.analyses.items() for c in MEASUREMENTS[m].charts([Shown(label, a.figures, shown, aspect)])
    ]
