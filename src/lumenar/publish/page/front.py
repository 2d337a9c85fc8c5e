"""The report: the page that answers, within a minute, what a display is good for, how to set it, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.analysis import value_of
from lumenar.core.findings.base import Finding, number
from lumenar.core.measurements import (
    MEASUREMENTS,
    Figure,
    gamut,
    grey_ramp,
    hlg_tracking,
    peak,
    pq_tracking,
    white_black,
)
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.numbers import kelvin, listed, mid_sentence, significant
from lumenar.core.scoring.score import Score
from lumenar.core.story.story import Moved, Section
from lumenar.core.targets import resolve
from lumenar.publish.page import words
from lumenar.publish.page.conditions import method
from lumenar.publish.page.contents import Contents, PurposeScores
from lumenar.publish.page.markdown import html_of
from lumenar.publish.page.parts import PANELS, environment
from lumenar.publish.page.strip import key_figures

MOST_MODES = 12
"""The most rows of the table of modes; the others are one click away."""
MOST_LINES = 3
"""The most sentences on one experiment; the others are one click away."""
MOST_LINKS = 4
"""The most modes that a finding links to."""


@dataclass(frozen=True)
class FoundItem:
    """A finding as the report tells it. links: the modes that show it, with their pages; others: how many more there are."""

    sentence: str
    advice: str
    chart: Chart | None
    links: Sequence[tuple[str, str]]
    others: int


@dataclass(frozen=True)
class Choice:
    """A row of *Which mode for what*. page: of its settings."""

    title: str
    shipped: Score | None
    ours: Score | None
    mode: str
    sentence: str
    page: str


@dataclass(frozen=True)
class ModeRow:
    """A row of the table of modes."""

    name: str
    page: str
    target: str
    shipped: bool
    cells: Sequence[str]
    score: Score | None


def page(c: Contents) -> str:
    """The report as HTML."""
    story = c.results.story
    first = c.purposes[0] if c.purposes else None
    paragraphs: dict[Section, list[Markup]] = {}
    for p in story.paragraphs:
        paragraphs.setdefault(p.after, []).append(html_of(p.text))
    rows = [_mode_row(c, s, first) for s in c.setups]
    return (
        environment()
        .get_template("report.html")
        .render(
            about=c.about,
            story=story,
            panel=PANELS[c.about.panel],
            samples=_samples(c),
            headline=story.headline.text if story.headline else words.headline(c),
            standfirst=story.standfirst.text if story.standfirst else words.standfirst(c),
            strip=key_figures(c),
            choices=[_choice(c, p) for p in c.purposes],
            settings=next((p for p in c.purposes if p.recipe), None),
            found=[_found(c, f) for f in c.told],
            more=len(c.results.findings) - len(c.told),
            heads=[(head, unit) for head, unit, _, _ in COLUMNS],
            modes=rows[:MOST_MODES],
            more_modes=len(rows) - MOST_MODES,
            scored_for=first.purpose.title if first else "",
            claims=c.claims,
            changes=c.changes,
            moved=[_moved(m) for m in c.changes.scores] if c.changes else [],
            seen=c.results.seen,
            MOST_LINES=MOST_LINES,
            untested=[*story.untested, *not_measured(c)],
            gaps=len(c.about.gaps),
            siblings=story.siblings,
            applies=APPLIES_WORDS,
            paragraphs=paragraphs,
            rubric=c.rubric,
            method=dict(method(c.results)),
            readings=sum(len(s.readings) for s in c.results.readings.setups),
            version=c.version,
        )
    )


APPLIES_WORDS = {
    "measured": "measured",
    "confirmed": "confirmed by another source",
    "assumed": "assumed, not measured",
    "not": "does not apply",
}


def _moved(m: Moved) -> str:
    """A score that changed since the edition before."""
    if m.was is None:
        return f"{m.name}: {m.now[0]:.0f}, not listed before." if m.now else ""
    if m.now is None:
        return f"{m.name}: {m.was[0]:.0f} before, not listed now."
    return f"{m.name}: {m.now[0]:.0f}, was {m.was[0]:.0f}."


def _samples(c: Contents) -> str:
    units = c.results.readings.units
    named = [f"{u.sample or 'without a name'}{_firmware(u.firmware)}" for u in units]
    return f"{'sample' if len(named) == 1 else 'samples'} {listed(named)}"


def _firmware(version: str) -> str:
    return f" (firmware {version})" if version else " (firmware not recorded)"


def _choice(c: Contents, p: PurposeScores) -> Choice:
    best = p.ours or p.shipped or p.ranked[0]
    told = c.results.story.purposes.get(p.purpose.key)
    return Choice(
        p.purpose.title,
        None if p.shipped is None else p.shipped[1],
        None if p.ours is None else p.ours[1],
        c.labels[best[0].key] if best[1].value is not None else "",
        told.text if told else words.purpose_sentence(c, p),
        p.page,
    )


def _found(c: Contents, f: Finding) -> FoundItem:
    chart = _chart(c, f) if c.results.story.choice(f.key).chart else None
    links = [(c.labels[o.setup.key], c.address(o)) for o in f.evidence]
    return FoundItem(c.sentence(f), f.advice, chart, links[:MOST_LINKS], max(0, len(links) - MOST_LINKS))


def _chart(c: Contents, f: Finding) -> Chart | None:
    """The chart that shows a finding, with the worst setup in it, and the best one beside it where lines can be overlaid."""
    worst = f.evidence[0]
    by_key = {s.key: s for s in c.results.setups}
    shown = [by_key[worst.setup.key]]
    found = _drawn(c, worst.measurement, worst.chart, shown)
    if found is None or found.kind != "lines":
        return found
    concerned = {o.setup.key for o in f.evidence}
    beside = next(
        (
            s
            for s in c.setups
            if s.key not in concerned and s.signal == shown[0].signal and worst.measurement in s.analyses and s.shipped
        ),
        None,
    )
    return found if beside is None else _drawn(c, worst.measurement, worst.chart, [*shown, beside]) or found


def _drawn(c: Contents, measurement: str, chart: str, setups: Sequence[SetupFigures]) -> Chart | None:
    shown = [Shown(c.labels[s.key], s.analyses[measurement].figures, resolve(s.target), c.about.aspect) for s in setups]
    return next((x for x in MEASUREMENTS[measurement].charts(shown) if x.key == chart), None)


COLUMNS: tuple[tuple[str, str, Sequence[Figure], str], ...] = (
    ("White", "cd/m²", (white_black.LUMINANCE, peak.HIGHEST, pq_tracking.PEAK), "3"),
    ("White", "K", (white_black.CCT,), "K"),
    ("Greys", "dE", (grey_ramp.MEAN, pq_tracking.GREYS, hlg_tracking.GREYS), "1"),
    ("Curve", "L*", (grey_ramp.CURVE,), "1"),
    ("Coverage", "%", (gamut.COVERAGE,), "1"),
    ("P3", "%", (gamut.OF_P3,), "1"),
)
"""Columns of the table of modes: head, unit, the figures of which the first that was measured is shown, and its form."""


def _mode_row(c: Contents, s: SetupFigures, first: PurposeScores | None) -> ModeRow:
    score = None if first is None else next((v for one, v in first.ranked if one.key == s.key), None)
    cells = [_cell(s, unit, figures, form) for _, unit, figures, form in COLUMNS]
    return ModeRow(c.labels[s.key], c.mode_pages[s.key], resolve(s.target).title, s.shipped, cells, score)


def _cell(s: SetupFigures, unit: str, figures: Sequence[Figure], form: str) -> str:
    found = next(((v, f) for f in figures if (v := value_of(s.analyses, f)) is not None), None)
    if found is None:
        return "–"
    value, figure = found
    written = (
        kelvin(value).removesuffix(" K")
        if form == "K"
        else significant(value, 3)
        if form == "3"
        else f"{value:.{form}f}"
    )
    # Distances of two kinds share a column.
    return f"{written} {figure.unit.removeprefix('dE ')}" if unit == "dE" and figure.unit != unit else written


def not_measured(c: Contents) -> list[str]:
    """Sentences about measurements that are missing in some setups or in all of them."""
    found = []
    of = len(c.results.setups)
    some = []
    for m in MEASUREMENTS.values():
        fitting = [s for s in c.results.setups if s.signal in m.signals]
        there = sum(m.key in s.analyses for s in fitting)
        if fitting and there < len(fitting):
            some.append((mid_sentence(m.title), there, len(fitting)))
    none = [title for title, there, _ in some if not there]
    part = [f"{title} ({there} of {all_})" for title, there, all_ in some if there]
    if none:
        found.append(f"Not measured: {listed(none)}.")
    if part:
        found.append(f"Measured in some of {number(of)} setups only: {listed(part)}.")
    absent = c.about.modes - len({s.mode for s in c.results.setups})
    if absent > 0:
        found.append(f"Not measured at all: {number(absent)} of {number(c.about.modes)} picture modes.")
    return found
