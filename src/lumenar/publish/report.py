"""The report page: what the reader sees. It follows from the data package alone, so that it can be checked against it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from jinja2 import Environment, PackageLoader, select_autoescape
from markupsafe import Markup

from lumenar import __version__
from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.app.exchange.file_meters import FileUnit
from lumenar.app.exchange.readings_file import FileSetup, ReadingsFile
from lumenar.core.analysis import value_of
from lumenar.core.findings import for_report
from lumenar.core.measurements import MEASUREMENTS, Figure, brightness_ladder, gamut, grey_ramp, white_black
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.numbers import grouped, kelvin, mid_sentence, significant
from lumenar.core.recipes.purpose import Recipe
from lumenar.core.scoring.rubric import Rubric
from lumenar.core.scoring.score import Score, rank, tied
from lumenar.core.signals import WORDS, words_of
from lumenar.core.targets import resolve
from lumenar.publish import pictures
from lumenar.publish.package import FINDINGS, About, Results, files_of
from lumenar.publish.pictures.notched_rule import rule

PANELS = {"lcd": "liquid-crystal panel", "oled": "emissive panel", "projector": "projector", "other": "panel"}


@dataclass(frozen=True)
class ModeLine:
    """One row of the table of all modes."""

    name: str
    target: str
    cells: tuple[str, ...]


@dataclass(frozen=True)
class ModePlates:
    """The charts of one mode, and what is no number of its readings."""

    name: str
    anchor: str
    target: str
    charts: Sequence[Chart]
    remarks: Sequence[str]


def _environment() -> Environment:
    environment = Environment(
        loader=PackageLoader("lumenar.publish", "templates"),
        autoescape=select_autoescape(["html"]),
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals["rule"] = lambda s: Markup(rule(s.value, s.low, s.high))
    environment.globals["draw"] = lambda c: Markup(pictures.draw(c))
    environment.filters["mid_sentence"] = mid_sentence
    environment.filters["number"] = lambda v, d=1: "–" if v is None else v if isinstance(v, str) else grouped(v, d)
    environment.filters["points"] = lambda v: "–" if v is None else f"{v:.0f}"
    environment.filters["weight"] = lambda v: f"{v:g}" if v else ""
    environment.filters["target"] = lambda key: resolve(key).title
    environment.filters["date"] = lambda v: f"{datetime.fromisoformat(v):%-d %B %Y}"
    return environment


@dataclass(frozen=True)
class FoundLine:
    """A finding as the page tells it. modes: names of those that show it, with the anchors of their charts."""

    sentence: str
    advice: str
    modes: Sequence[tuple[str, str]]


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


def lede(about: About, results: Results, labels: Mapping[str, str], purpose: str, title: str) -> str:
    """The report's first words, from the scores."""
    scored = sorted(
        ((k, s) for k, s in results.scores[purpose].items() if s.value is not None), key=lambda item: -rank(item[1])
    )
    if not scored:
        which = f"None of {about.modes} picture modes" if about.modes > 1 else "The one picture mode"
        return f"{which} is{'' if about.modes > 1 else ' not'} measured far enough for a score yet."
    by_key = {s.key: s for s in results.setups}
    key, best = scored[0]
    grey = value_of(by_key[key].analyses, grey_ramp.BESIDE_OWN_WHITE)
    ties = [labels[k] for k, s in scored[1:] if tied(best, s)]
    modes = len({by_key[k].mode for k, _ in scored})
    units = len({by_key[k].unit for k, _ in scored})
    what = f"{modes} picture {'mode' if modes == 1 else 'modes'}"
    what += f", on {units} samples" if units > 1 else ""
    state = " as shipped" if by_key[key].shipped else ""
    # One alone is not the truest of anything.
    which = (
        f"Of {what}, {labels[key]} is the truest{state}" if len(scored) > 1 else f"{labels[key]}{state} was measured"
    )
    opening = f"{which} for {mid_sentence(title)}: {best.value:.0f} of 100"
    if ties:
        opening += f", a tie with {' and '.join(ties)} within the uncertainty"
    opening += f"; beside its own white its greys are off by dE {grey:.1f} on average." if grey is not None else "."
    # What can't be told apart from the best is not far off.
    if len(scored) > 1 and not tied(best, scored[-1][1]):
        last, worst = scored[-1]
        lost = [line for line in worst.lines if line.loss is not None]
        loss = max(lost, key=lambda line: line.loss or 0)
        subject, _, kind = loss.title.partition(", ")
        value = " ".join(filter(None, (kind, loss.text, loss.unit)))
        most = f"most of all in {mid_sentence(subject)} ({value})."
        opening += f" {labels[last]} is the furthest off, with {worst.value:.0f}, {most}"
    return opening


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


def charts_of(s: SetupFigures, label: str, aspect: float) -> list[Chart]:
    """The charts of one mode, all measurements."""
    target = resolve(s.target)
    return [c for m, a in s.analyses.items() for c in MEASUREMENTS[m].charts([Shown(label, a.figures, target, aspect)])]


NOT_RECORDED = "not recorded"


def method(results: Results) -> list[tuple[str, str]]:
    """How the readings came about, item by item, as far as it was recorded."""
    readings = results.readings
    rooms = []
    for setup in readings.setups:
        c = setup.condition
        said = [] if c is None else [c.label] if c.label else []
        said += [f"{c.lux:g} lux at the display"] if c is not None and c.lux is not None else []
        rooms.append(", ".join(said) or NOT_RECORDED)
    windows = sorted(
        {r.window for s in readings.setups for r in s.readings if r.pattern == "window" and r.zone is None}
    )
    meters = []
    for m in readings.meters:
        name = m.name or f"a {m.kind}, name {NOT_RECORDED}"
        name += f" ({m.serial})" if m.serial else ""
        if m.kind == "colorimeter":
            name += (
                ", corrected for this panel" if m.correction is not None else ", without a correction for this panel"
            )
        meters.append(name)
    return [
        ("Samples", _joined(_sample(u) for u in readings.units)),
        ("Signal", _joined(_signal(s) for s in readings.setups)),
        ("Room", _joined(rooms)),
        ("Meters", _joined(meters) or NOT_RECORDED),
        ("Near black", _joined(f for s in results.setups for f in s.floors) or "as the meters state it"),
        ("Lit share of the screen", ", ".join(f"{100 * w:g} %" for w in windows) + ", on black unless said otherwise"),
    ]


def _signal(s: FileSetup) -> str:
    """What a setup was sent, and whether the display said that it showed it."""
    sent = words_of({"transfer": s.signal, **({} if s.format is None else s.format.model_dump(exclude_none=True))})
    if s.shown is None:
        return sent
    if s.shown.transfer != s.signal:
        return f"{sent}; the display said it showed {WORDS[s.shown.transfer]}"
    return f"{sent}, which the display said it showed"


def _sample(u: FileUnit) -> str:
    return f"{u.sample or NOT_RECORDED} (serial {u.serial or NOT_RECORDED}, firmware {u.firmware or NOT_RECORDED})"


def _joined(texts: Iterable[str]) -> str:
    """Texts without doubles, as one line."""
    return "; ".join(dict.fromkeys(texts))


def render(about: About, results: Results, rubric: Rubric, version: str = __version__) -> str:
    """The report page as HTML; static, its charts SVG, no scripts. version: of Lumenar; of another one the page has the contents,
    though not the words."""
    labels = labels_of(results.setups, results.readings)
    by_key = {s.key: s for s in results.setups}
    purposes = []
    for purpose in rubric.purposes.values():
        scored = sorted(results.scores[purpose.key].items(), key=lambda i: -rank(i[1]))
        recipe: Recipe | None = results.recipes[purpose.key]
        rows = [(labels[k], by_key[k].shipped, s, interval(s)) for k, s in scored if by_key[k].signal == purpose.signal]
        if rows:
            # Else nothing of this signal was measured.
            purposes.append((purpose, rows, recipe))
    first = purposes[0][0] if purposes else next(iter(rubric.purposes.values()))
    order = [k for k, _ in sorted(results.scores[first.key].items(), key=lambda i: -rank(i[1]))]
    setups = sorted(results.setups, key=lambda s: order.index(s.key))
    anchors = {s.key: f"mode-{i}" for i, s in enumerate(setups, 1)}
    plates = [
        ModePlates(
            labels[s.key],
            anchors[s.key],
            resolve(s.target).title,
            charts_of(s, labels[s.key], about.aspect),
            [f"{MEASUREMENTS[m].title}: {a.remark}" for m, a in s.analyses.items() if a.remark]
            + [f"{MEASUREMENTS[m].title}: none, {reason}" for m, reason in s.left_out.items()],
        )
        for s in setups
    ]
    return (
        _environment()
        .get_template("report.html")
        .render(
            about=about,
            panel=PANELS[about.panel],
            lede=lede(about, results, labels, first.key, first.title),
            purposes=purposes,
            modes=[mode_line(s, labels[s.key]) for s in setups],
            plates=plates,
            found=[
                FoundLine(f.sentence, f.advice, [(o.setup.name, anchors[o.setup.key]) for o in f.evidence])
                for f in (for_report(results.findings) if FINDINGS in files_of(version) else ())
            ],
            seen=results.seen,
            rubric=rubric,
            method=method(results),
            digest=results.digest,
            version=version,
            rubric_rules=list(rubric.rules.values()),
        )
    )
