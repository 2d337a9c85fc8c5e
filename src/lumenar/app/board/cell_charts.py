"""Plates: the charts of one cell, alone or with other setups and targets over it, against any target."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lumenar.app.application import Application
from lumenar.app.board.board import doubts
from lumenar.app.displays.displays import display, display_of, settings_words
from lumenar.app.displays.targets import TargetChoice
from lumenar.app.displays.targets import choices as target_choices
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.experiments import observed_behaviour
from lumenar.app.experiments.kinds import KINDS
from lumenar.app.figures import cells
from lumenar.app.instruments.stated_floor import MeterFloor, floor_of
from lumenar.app.keys import MeasurementKey
from lumenar.app.setups import host_reports
from lumenar.bench.plan import Cell
from lumenar.bench.stated_meter import NAMELESS
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.figures import difference_u, written
from lumenar.core.host_report import chart_of
from lumenar.core.measurements import MEASUREMENTS, Column, Measurement
from lumenar.core.measurements.base import FLOOR_ASSUMED, WHITE, anchor_of
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.numbers import signed, significant
from lumenar.core.readings.readings import Readings
from lumenar.core.readings.warm_up import WarmUp, warmed_up
from lumenar.core.targets import Target, resolve
from lumenar.core.uncertainty import measurable
from lumenar.store import corrections, reviews, runs, watched
from lumenar.store import host_reports as stored_reports
from lumenar.store.host_reports import HostReportRow
from lumenar.store.reviews import SetupRow
from lumenar.store.runs import CellRow

MOST = 4
"""Setups and pinned targets on one chart."""


@dataclass(frozen=True, kw_only=True)
class PlateSetup:
    """One setup on the plates: its name, its state, whether its measurement is there, and what is doubtful of it."""

    setup: int
    name: str
    state: str
    measured: bool
    target: str
    target_title: str
    note: str


@dataclass(frozen=True)
class PlateFigure:
    """A scalar figure of the first setup with its uncertainty, noise floor and range."""

    key: str
    value: float
    standard: float | None
    noise_floor: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True)
class PlateColumn:
    """One of the measurement's own figures as written, with its uncertainty, for each setup shown; where a second one is
    laid over the first, whether the two can be told apart."""

    head: str
    unit: str
    texts: list[str]
    measurable: bool | None


@dataclass(frozen=True, kw_only=True)
class Plates:
    """The plates of one measurement. pins: targets, drawn as a perfect display would measure; hosted: whether the host's
    report is shown beside them; reported: what the host reports about the setup, None where unknown; floor: the meter's floor, if
    it was not stated before the run and the figures depend on it."""

    measurement: str
    title: str
    target: str
    target_title: str
    declared: bool
    against_target: bool
    shown: list[PlateSetup]
    others: list[PlateSetup]
    targets: list[TargetChoice]
    pins: list[TargetChoice]
    can_pin: bool
    words: str
    charts: list[Chart]
    figures: list[PlateFigure]
    columns: list[PlateColumn]
    provenance: str
    hosted: bool
    reported: HostReportRow | None
    floor: MeterFloor | None


@dataclass(frozen=True)
class _Found:
    setup: SetupRow
    review: int
    name: str
    row: CellRow
    note: str


def _found(app: Application, setup_id: int, measurement: str, home: int, states: dict[int, cells.Newest]) -> _Found:
    """A setup of any review with its complete cell; a setup of another review carries its display's name. `states` holds
    the states of the reviews seen so far."""
    found = reviews.setup(app.db.connection(), setup_id)
    if found is None:
        raise NotFoundError("setup", f"There is no setup {setup_id}.")
    setup, review = found
    if review not in states:
        states[review] = cells.newest(app, review)
    newest = states[review]
    cell = Cell(setup_id, measurement)
    row = newest.complete.get(cell)
    unit = display(app, setup.unit_id).row
    name = setup.name if review == home else f"{setup.name}, {unit.model}"
    if row is None:
        title = MEASUREMENTS[measurement].title
        raise NotFoundError("cell", f"{title} of {name} is not measured yet; measure it from the Board.")
    return _Found(setup, review, name, row, newest.stale.get(cell) or doubts(app, row).words)


def _state(app: Application, setup: SetupRow) -> str:
    return settings_words(setup, display(app, setup.unit_id).menu)


def plates(
    app: Application,
    review_id: int,
    setup_id: int,
    measurement: str,
    overlay: list[int],
    target_key: str | None,
    pins: list[str] | None = None,
) -> Plates:
    """The plates of a cell with up to three other setups or targets over it; against the setup's own target unless
    another is named. Setups may be of other reviews.

    All setups are compared with the one target, so that their curves can be told apart by the display alone.
    """
    m = MEASUREMENTS.get(measurement)
    if m is None:
        raise NotFoundError("measurement", f"There is no measurement {measurement!r}.")
    setup = cells.setup_of(app, review_id, setup_id)
    target = cells.target_of(target_key or setup.target, setup.signal)
    pinned = [cells.target_of(p, setup.signal) for p in dict.fromkeys(pins or [])]
    wanted = [setup_id, *(i for i in dict.fromkeys(overlay) if i != setup_id)]
    if len(wanted) + len(pinned) > MOST:
        raise BadInputError("overlay", f"At most {MOST - 1} other setups or targets can be laid over one.", "overlay")
    states = {review_id: cells.newest(app, review_id)}
    found = [_found(app, i, measurement, review_id, states) for i in wanted]
    analyses = [_analysed(app, f, target) for f in found]
    own = cells.readings_of(app, found[0].row)
    can_pin = bool(own.ordinary.all()) and len(own.find(WHITE)) > 0
    if pinned and not can_pin:
        raise BadInputError("pin", f"{m.title} has no patches that a target says anything of.", "pin")
    charts = _charts(app, m, found, analyses, target, {p.key: ideal(m, own, p, target) for p in pinned})
    hosted = setup.signal == "pq" and m.beside_report
    said = stored_reports.of_review(app.db.connection(), review_id) if hosted else {}
    words, more = _beside(app, review_id, m, found[0], states[review_id], said)
    first = analyses[0]
    plain = {k: float(v) for k, v in first.figures.items() if v.ndim == 0}
    return Plates(
        measurement=m.key,
        title=m.title,
        target=target.key,
        target_title=target.title,
        declared=target.key == setup.target,
        against_target=m.against_target,
        shown=[_shown(app, f) for f in found],
        others=_others(app, review_id, measurement, wanted, states[review_id]),
        targets=target_choices(app, setup.signal),
        pins=[TargetChoice(t.key, t.title) for t in pinned],
        can_pin=can_pin,
        words=" ".join(filter(None, (m.words(plain), _remark(first), *words))),
        charts=[*charts, *more],
        hosted=hosted,
        reported=said.get(setup.id),
        figures=[_figure(first, k, v) for k, v in plain.items() if np.isfinite(v)],
        columns=[_column(c, analyses) for c in m.columns if setup.signal in (c.signals or m.signals)],
        provenance=provenance(app, found[0].row.run_id, found[0].setup.id),
        floor=_floor(app, found[0].row, first),
    )


def _analysed(app: Application, found: _Found, target: Target) -> Analysis:
    """The analysis of a cell against a target."""
    analysis = cells.tried(app, found.row, target, found.setup.target)
    if isinstance(analysis, str):
        raise BadInputError("readings", f"{found.name}: {analysis}")
    return analysis


def _charts(
    app: Application,
    m: Measurement,
    found: list[_Found],
    analyses: list[Analysis],
    target: Target,
    pinned: dict[str, Shown],
) -> list[Chart]:
    """The charts of setups and of pinned targets (by key). They follow from the analyses, so they are made once."""
    shown = [
        Shown(f.name, a.figures, target, display(app, f.setup.unit_id).aspect)
        for f, a in zip(found, analyses, strict=True)
    ]
    drawn = (
        m.key,
        target.key if m.against_target else "",
        tuple((f.row.run_id, f.row.over, f.setup.id, f.name) for f in found),
        tuple(pinned),
    )
    charts: list[Chart] = app.cache.get(("charts", *drawn), lambda: m.charts([*shown, *pinned.values()]))
    return charts


def _beside(
    app: Application,
    review_id: int,
    m: Measurement,
    found: _Found,
    newest: cells.Newest,
    said: dict[int, HostReportRow],
) -> tuple[list[str], list[Chart]]:
    """Sentences and charts that stand beside those of a measurement: what the host reports, how the display warmed up in the
    run, and what experiments found. said: the host's reports by setup."""
    setup = found.setup
    every = reviews.setups_of(app.db.connection(), review_id) if said else []
    reported = host_reports.beside(app, newest, every, said)
    kinds = [k for k, kind in KINDS.items() if m.key in kind.beside]
    observed = observed_behaviour.of_setup(app, review_id, setup.id, kinds)
    warm = _warm_up(app, found.row) if m.warms else None
    words = [reported[setup.id].words if setup.id in reported else "", warm.words if warm else ""]
    charts = [chart_of(list(reported.values()))] if reported else []
    charts += [warm.chart] if warm else []
    return [*words, *(c.sentence for c in observed)], [*charts, *(chart for c in observed for chart in c.charts)]


def _shown(app: Application, found: _Found) -> PlateSetup:
    return PlateSetup(
        setup=found.setup.id,
        name=found.name,
        state=_state(app, found.setup),
        measured=True,
        target=found.setup.target,
        target_title=resolve(found.setup.target).title,
        note=found.note,
    )


def _floor(app: Application, row: CellRow, analysis: Analysis) -> MeterFloor | None:
    """The floor of the meter if figures of a cell depend on it and it was not stated before the run."""
    found = floor_of(app, row.run_id)
    dark = analysis.scalar(FLOOR_ASSUMED) is not None or bool(analysis.scalar("under_floor"))
    return found if found is not None and (dark or found.stated) else None


def _warm_up(app: Application, row: CellRow) -> WarmUp | None:
    """How the display warmed up in the run that a cell comes from."""
    read = watched.watched(app.db.connection(), row.run_id)
    return warmed_up([(t, Y) for _, kind, t, Y in read if kind == "warm_up"])


def _remark(analysis: Analysis) -> str:
    return f"Of {analysis.remark}, left out." if analysis.remark else ""


def _column(column: Column, analyses: list[Analysis]) -> PlateColumn:
    texts = []
    for a in analyses:
        text, value, key = written(column, a)
        u = a.uncertainty.get(key)
        # Under half of the last digit that is shown, an uncertainty says nothing.
        told = u is not None and value is not None and u.standard >= column.last_digit(value) / 2
        texts.append(f"{text} ± {significant(u.standard, 1)}" if told and u is not None else text)
    apart = None
    if len(analyses) > 1:
        values = [a.scalar(column.figure) for a in analyses[:2]]
        spread = difference_u(column.figure, analyses[1], analyses[0])
        if values[0] is not None and values[1] is not None and spread is not None:
            apart = measurable(values[1] - values[0], spread)
    return PlateColumn(column.head, column.unit, texts, apart)


def provenance(app: Application, run_id: int, setup_id: int) -> str:
    """When and with what the readings were made: meter, correction, the panel's habits, warmth and drift."""
    db = app.db.connection()
    run = runs.get(db, run_id)
    if run is None:
        return ""
    c = corrections.get(db, run.correction_id) if run.correction_id else None
    name = run.meter.get("name", "")
    by = "and typed by hand" if name in ("", NAMELESS) else f"with the {name}"
    said = [f"Read {run.created_at[:10]} {by}"]
    said.append(f"corrected by {c.reference} on {c.made_on} ({c.made_at[:10]})" if c else "without a correction")
    said.append("warmed up" if run.warm else "not known to be warm" if run.warm == 0 else "warm-up not recorded")
    whites = [Y for s, kind, _, Y in watched.watched(db, run_id) if s == setup_id and kind == "reference"]
    if len(whites) > 1:
        said.append(f"white drifted by {signed(100 * (whites[-1] / whites[0] - 1), 1)} %")
    if h := run.habits:
        rests = f", {h['rest_s']:g} s of rest after {h['rest_every']} patches" if h.get("rest_every") else ""
        said.append(f"{h['settle_s']:g} s to settle{rests}")
    return "; ".join(said) + "."


def ideal(m: Measurement, own: Readings, pinned: Target, target: Target) -> Shown:
    """What a display that is the pinned target would show, judged like the setups."""
    XYZ = np.asarray(pinned.XYZ(np.clip(own.rgb, 0, 1), anchor_of(own)), float)
    perfect = own.with_XYZ(XYZ)
    return Shown(pinned.title, analyse(m, perfect, target, uncertain=False).figures, target)


def _others(
    app: Application, review_id: int, measurement: str, wanted: list[int], now: cells.Newest
) -> list[PlateSetup]:
    return [
        PlateSetup(
            setup=s.id,
            name=s.name,
            state=_state(app, s),
            measured=Cell(s.id, measurement) in now.complete,
            target=s.target,
            target_title=resolve(s.target).title,
            note="",
        )
        for s in reviews.setups_of(app.db.connection(), review_id)
        if s.id not in wanted
    ]


def _figure(analysis: Analysis, key: str, value: float) -> PlateFigure:
    u, span = analysis.uncertainty.get(key), analysis.range.get(key)
    low, high = span if span else (None, None)
    return PlateFigure(key, value, u.standard if u else None, analysis.noise_floor.get(key), low, high)


@dataclass(frozen=True)
class PlatesAt:
    """Where plates are: a setup's measurement whose figures are there, fresh or not."""

    setup: int
    measurement: MeasurementKey
    stale: bool


def plates_of(app: Application, review_id: int) -> list[PlatesAt]:
    """Every plate of a review in the order of its Board; NotFoundError where there is no such review."""
    display_of(app, review_id)
    newest = cells.newest(app, review_id)
    return [
        PlatesAt(s.id, m, Cell(s.id, m) in newest.stale)
        for s in reviews.setups_of(app.db.connection(), review_id)
        for m in MEASUREMENTS
        if Cell(s.id, m) in newest.complete
    ]
