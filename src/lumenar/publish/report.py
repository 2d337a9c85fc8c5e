"""The report page: what the reader sees."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from jinja2 import Environment, PackageLoader, select_autoescape
from markupsafe import Markup

from lumenar import __version__
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.numbers import grouped, kelvin, significant
from lumenar.core.recipes.first import Menu, Recipe
from lumenar.core.scoring.rubric import Rubric, Score, tied
from lumenar.core.targets import TARGETS
from lumenar.publish import svg
from lumenar.publish.package import Results
from lumenar.service.readings_file import SetupFigures

PANELS = {"lcd": "liquid-crystal panel", "oled": "emissive panel", "projector": "projector", "other": "panel"}


@dataclass(frozen=True)
class ModeLine:
    """One row of the table of all modes."""

    name: str
    target: str
    cells: tuple[str, ...]


def _environment() -> Environment:
    environment = Environment(
        loader=PackageLoader("lumenar.publish", "templates"),
        autoescape=select_autoescape(["html"]),
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals["rule"] = lambda s: Markup(svg.rule(s.value, s.low, s.high))
    environment.globals["draw"] = lambda c: Markup(svg.draw(c))
    environment.filters["number"] = lambda v, d=1: "–" if v is None else v if isinstance(v, str) else grouped(v, d)
    environment.filters["points"] = lambda v: "–" if v is None else f"{v:.0f}"
    environment.filters["date"] = lambda v: f"{datetime.fromisoformat(v):%-d %B %Y}"
    return environment


def half_width(s: Score) -> str:
    """A score's interval as a plus-minus, at least 1 since scores are shown whole."""
    if s.low is None or s.high is None:
        return ""
    return f"±{max(1, round((s.high - s.low) / 2)):d}"


def lede(file: UnitFile, results: Results, purpose: str, title: str) -> str:
    """The report's first words, from the scores."""
    scored = sorted(
        ((n, s) for n, s in results.scores[purpose].items() if s.value is not None),
        key=lambda item: -(item[1].value or 0),
    )
    if not scored:
        return f"Of {len(file.modes)} picture modes none is measured far enough for a score yet."
    name, best = scored[0]
    grey = next(s for s in results.setups if s.name == name).analyses["grey_ramp"].scalar("de2000_mean")
    ties = [n for n, s in scored[1:] if tied(best, s)]
    opening = (
        f"Of {len(scored)} picture modes, {name} is the truest as shipped for {title.lower()}: {best.value:.0f} of 100"
    )
    if ties:
        opening += f", a tie with {' and '.join(ties)} within the uncertainty"
    opening += f"; its greys are off by dE {grey:.1f} on average." if grey is not None else "."
    if len(scored) > 1:
        last, worst = scored[-1]
        loss = max((line for line in worst.lines if line.loss is not None), key=lambda line: line.loss or 0)
        subject, _, kind = loss.title.partition(", ")
        value = " ".join(filter(None, (kind, loss.text, loss.unit)))
        opening += f" {last} is the furthest off, with {worst.value:.0f}, most of all in {_lower(subject)} ({value})."
    return opening


def _lower(title: str) -> str:
    return title[:1].lower() + title[1:]


def mode_line(s: SetupFigures) -> ModeLine:
    """The key figures of one mode."""

    def number(measurement: str, key: str, form: str) -> str:
        analysis = s.analyses.get(measurement)
        value = analysis.scalar(key) if analysis else None
        if value is None:
            return "–"
        if form == "K":
            return kelvin(value)
        return significant(value, 3) if form == "3" else grouped(value, int(form))

    contrast = number("white_black", "contrast_ratio", "3")
    if contrast == "–" and (least := number("white_black", "contrast_at_least", "3")) != "–":
        contrast = f"≥ {least}"
    cells = (
        number("white_black", "white_cd_m2", "3"),
        number("white_black", "cct_k", "K"),
        contrast,
        number("grey_ramp", "gamma", "2"),
        number("grey_ramp", "de2000_mean", "1"),
        number("grey_ramp", "de2000_max", "1"),
        number("grey_ramp", "curve_rms_lstar", "1"),
        number("gamut", "coverage_srgb_uv_percent", "1"),
        number("gamut", "coverage_p3_uv_percent", "1"),
        number("brightness_ladder", "setting_for_120_cd_m2", "0"),
    )
    return ModeLine(s.name, TARGETS[s.target].title, cells)


def charts_of(s: SetupFigures, aspect: float) -> list[Chart]:
    """The charts of one mode, all measurements."""
    target = TARGETS[s.target]
    return [
        c for m, a in s.analyses.items() for c in MEASUREMENTS[m].charts([Shown(s.name, a.figures, target, aspect)])
    ]


def render(
    file: UnitFile, results: Results, rubric: Rubric, menu: Menu, number: int, published_at: str, gaps: list[str]
) -> str:
    """The report page as HTML; static, its charts SVG, no scripts."""
    purposes = []
    for purpose in rubric.purposes.values():
        scored = sorted(
            results.scores[purpose.key].items(), key=lambda i: -(i[1].value if i[1].value is not None else -1)
        )
        recipe: Recipe | None = results.recipes[purpose.key]
        purposes.append((purpose, [(n, s, half_width(s)) for n, s in scored], recipe))
    first = purposes[0]
    order = [n for n, _, _ in first[1]]
    setups = sorted(results.setups, key=lambda s: order.index(s.name))
    return (
        _environment()
        .get_template("report.html")
        .render(
            unit=file,
            panel=PANELS[file.panel],
            lede=lede(file, results, first[0].key, first[0].title),
            purposes=purposes,
            modes=[mode_line(s) for s in setups],
            plates=[(s.name, TARGETS[s.target].title, charts_of(s, file.aspect)) for s in setups],
            rubric=rubric,
            menu=menu,
            number=number,
            published_at=published_at,
            gaps=gaps,
            version=__version__,
            rubric_rules=list(rubric.rules.values()),
        )
    )
