"""The Board: one row per setup, one column per figure, and the sensible next step."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from lumenar.app.application import Application
from lumenar.app.board.board_model import (
    Board,
    BoardCell,
    BoardColumn,
    BoardFigure,
    BoardRow,
    CellState,
    NextStep,
    OptionChoice,
    PurposeChoice,
    RunOption,
)
from lumenar.app.board.shelf import ShelfEntry, entry
from lumenar.app.displays.displays import display, display_of, settings_words
from lumenar.app.errors import BadInputError
from lumenar.app.figures import cells
from lumenar.app.manual import manual_runs
from lumenar.app.scoring import setup_scores
from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis
from lumenar.core.figures import written
from lumenar.core.measurements import MEASUREMENTS, Column, Context, Measurement
from lumenar.core.scoring.score import Score, figure_points, rank
from lumenar.core.signals import Signal, parts_of
from lumenar.core.targets import resolve
from lumenar.store import conditions, readings, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow
from lumenar.store.runs import CellRow


def board(app: Application, review_id: int, purpose: str = "colour_work") -> Board:
    """The Board of a review with its setups' scores for one purpose. BadInputError where there is no such purpose."""
    if purpose not in app.rubric.purposes:
        raise BadInputError("purpose", f"There is no purpose {purpose!r}.", "purpose")
    newest = cells.newest(app, review_id, patient=False)
    review = entry(app, review_id, newest)
    units = {u.id: u for u in reviews.units_of(app.db.connection(), review_id)}
    menus = {u: display(app, u).menu for u in units}
    rooms = conditions.of_review(app.db.connection(), review_id)
    rows, ranks = [], {}
    for setup, score in setup_scores.scores(app, review_id, purpose, newest):
        ranks[setup.id] = rank(score)
        room = "" if setup.condition_id is None else rooms[setup.condition_id].label
        state = settings_words(setup, menus[setup.unit_id])
        measured = [_cell(app, setup, m, newest) for m in MEASUREMENTS.values() if setup.signal in m.signals]
        rows.append(_row(setup, score, units[setup.unit_id], room, state, measured))
    choices = [
        PurposeChoice(p.key, p.title, p.meaning, sorted({f.split(".")[0] for f in p.weights}))
        for p in app.rubric.purposes.values()
    ]
    open_runs = manual_runs.open_runs(app, review_id)
    return Board(
        review=review,
        headline=review.headline,
        purpose=purpose,
        purpose_title=app.rubric.purposes[purpose].title,
        purposes=choices,
        columns=_columns({r.signal for r in rows}),
        rows=rows,
        options=run_options(),
        next=_next(rows, review, open_runs, ranks),
        can=display_of(app, review_id).can,
        by_hand=open_runs,
    )


def _row(setup: SetupRow, score: Score, unit: UnitRow, room: str, state: str, measured: list[BoardCell]) -> BoardRow:
    target = resolve(setup.target)
    return BoardRow(
        setup=setup.id,
        name=setup.name,
        sample=unit.sample,
        firmware=unit.firmware,
        signal=setup.signal,
        mode=setup.mode,
        nested=not setup.shipped,
        room=room,
        format=format_words(setup),
        target=target.key,
        target_title=target.title,
        state=state,
        score=score.value,
        low=score.low,
        high=score.high,
        score_note=score.reason,
        cells=measured,
    )


def _columns(signals: Collection[Signal]) -> list[BoardColumn]:
    """The columns of a Board with setups of these signals. Those of SDR are always there."""
    return [
        BoardColumn(
            measurement=m.key,
            title=m.title,
            group=m.group,
            figure=c.figure,
            head=c.head,
            unit=c.unit,
            main=c.main,
            short=m.short or m.title,
            signals=list(c.signals or m.signals),
            first_pass=m.first_pass,
        )
        for m in MEASUREMENTS.values()
        if {*signals, "sdr"} & set(m.signals)
        for c in m.columns
    ]


def format_words(setup: SetupRow) -> str:
    """What a setup's signal is called, else what it differs in from the sample's usual one."""
    return str(setup.format.get("name") or ", ".join(parts_of(setup.format)))


def run_options() -> list[RunOption]:
    """What the measurements declare."""

    def plain(value: object) -> float | list[int]:
        return list(value) if isinstance(value, tuple) else float(str(value))

    found = []
    for m in MEASUREMENTS.values():
        for o in m.options:
            usual = getattr(Context(), o.field)
            choices = [OptionChoice(plain(v), words) for v, words in o.choices]
            value = usual if o.switch else plain(usual)
            found.append(
                RunOption(
                    measurement=m.key,
                    field=o.field,
                    title=o.title,
                    unit=o.unit,
                    choices=choices,
                    low=o.low,
                    high=o.high,
                    usual=value,
                )
            )
    return found


def _cell(app: Application, setup: SetupRow, m: Measurement, newest: cells.Newest) -> BoardCell:
    cell = Cell(setup.id, m.key)
    last, done = newest.latest.get(cell), newest.complete.get(cell)
    state: CellState = "unmeasured"
    note = ""
    if last is not None and last.state in ("queued", "running", "paused", "waiting") and not last.complete:
        state = "measuring" if last.readings else "queued"
    elif last is not None and last.complete and (done is None or done.run_id != last.run_id):
        state = "computing"
    elif done is not None:
        note = newest.stale.get(cell, "")
        state = "stale" if note else "measured"
    elif last is not None and last.readings:
        state = "partial"
    figures: list[BoardFigure] = []
    marked = False
    if done is not None:
        kept = _figures(app, setup, m, done)
        if isinstance(kept, str):
            state, note = "failed", kept
        else:
            figures, remark = kept
            doubtful = doubts(app, done)
            note, marked = (
                note or "; ".join(filter(None, (remark, doubtful.words))),
                doubtful.marked and state != "stale",
            )
    return BoardCell(
        measurement=m.key,
        state=state,
        done=last.readings if last else 0,
        total=last.patches if last else 0,
        figures=figures,
        note=note,
        marked=marked,
    )


MISREAD = 0.02
"""A patch was misread where its first reading differs from the median of all by more than this share."""


@dataclass(frozen=True)
class Doubts:
    """What is doubtful about readings, in words, empty if nothing is. marked: the cell carries a mark for it."""

    words: str = ""
    marked: bool = False


def doubts(app: Application, row: CellRow) -> Doubts:
    """What is doubtful about the readings of a cell's setup in its run, once the run is over. A patch that was read again and
    gave the same is not doubtful."""
    if not row.over:
        return Doubts()

    def find() -> Doubts:
        db = app.db.connection()
        run = runs.get(db, row.run_id)
        said = []
        if run is not None and run.correction_id is None:
            said.append("read without a correction for this panel type")
        misread = [
            f"{100 * signal:.0f} %"
            for signal, Y in readings.read_again(db, row.run_id, row.setup_id)
            if abs(Y[0] - np.median(Y)) > MISREAD * np.median(Y)
        ]
        if misread:
            said.append(f"grey at {', '.join(misread)} was misread once; the median of three readings counts")
        marked = bool(said)
        if run is not None and run.warm == 0:
            said.append("the unit was not known to be warm")
        return Doubts("; ".join(said), marked)

    found: Doubts = app.cache.get(("doubts", row.run_id, row.setup_id), find)
    return found


def _figures(app: Application, setup: SetupRow, m: Measurement, row: CellRow) -> tuple[list[BoardFigure], str] | str:
    """A cell's figures and what is no number of its readings, kept as they are written: they change as little as its
    readings. Or why there are none."""
    key = ("written", row.over, row.run_id, row.setup_id, m.key, setup.target, app.rubric.hash)
    if key not in app.cache:
        analysis = cells.tried(app, row, resolve(setup.target))
        if isinstance(analysis, str):
            return analysis
        app.cache.put(key, ([_figure(app, m, column, analysis) for column in m.columns], analysis.remark))
    kept: tuple[list[BoardFigure], str] = app.cache.get(key, lambda: ([], ""))
    return kept


def _figure(app: Application, m: Measurement, column: Column, analysis: Analysis) -> BoardFigure:
    text, value, key = written(column, analysis)
    if value is None:
        return BoardFigure(column.figure, text, None, None, None)
    u = analysis.uncertainty.get(key)
    points = figure_points(app.rubric, m.key, column.judged_by or column.figure, {m.key: analysis})
    spread = u.standard if u is not None and math.isfinite(u.standard) else None
    return BoardFigure(column.figure, text, value, spread, points)


def _worth_a_full_pass(rows: list[BoardRow], ranks: Mapping[int, float]) -> set[int]:
    """The two modes of the first sample that score best."""
    known = [r for r in rows if r.score is not None and r.sample == rows[0].sample]
    return {r.setup for r in sorted(known, key=lambda r: -ranks[r.setup])[:2]}


def _cells(some: list[tuple[int, str]]) -> str:
    return f"{len(some)} {'cell' if len(some) == 1 else 'cells'}"


def _next(rows: list[BoardRow], review: ShelfEntry, by_hand: list[int], ranks: Mapping[int, float]) -> NextStep:
    """First pass on every mode, what is stale, a full pass on the best two, then the verdict."""
    if not rows:
        return NextStep("Name the picture modes: the menu map takes them as they stand in the menu", [], "menu")
    if by_hand:
        return NextStep("A run by hand is open: go on with its list", [], f"hand/{by_hand[0]}")
    if review.run_state:
        paused = review.run_state == "paused"
        return NextStep("The run is paused: resume it below." if paused else "A run is under way.", [], None)
    missing = [(r.setup, c.measurement) for r in rows for c in r.cells if c.state in ("unmeasured", "partial")]
    stale = [(r.setup, c.measurement) for r in rows for c in r.cells if c.state == "stale"]
    first_pass = [m for m in missing if MEASUREMENTS[m[1]].first_pass]
    if len(first_pass) == sum(MEASUREMENTS[c.measurement].first_pass for r in rows for c in r.cells):
        return NextStep(f"First pass: every mode as shipped, {_cells(first_pass)}", first_pass, None)
    if stale:
        return NextStep(f"Measure again what is stale, {_cells(stale)}", stale, None)
    if first_pass:
        return NextStep(f"Finish the first pass, {_cells(first_pass)}", first_pass, None)
    if missing:
        worth = _worth_a_full_pass(rows, ranks)
        full = [m for m in missing if m[0] in worth]
        if full:
            names = " and ".join(r.name for r in rows if r.setup in worth and any(f[0] == r.setup for f in full))
            return NextStep(f"Full pass on {names}, {_cells(full)}", full, None)
        if not review.editions:
            return NextStep(
                f"The best modes are measured whole: read the verdict ({_cells(missing)} left)", [], "verdict"
            )
        return NextStep(f"Published; {_cells(missing)} left", [], "verdict")
    if not review.editions:
        return NextStep("All measured: read the verdict and publish", [], "verdict")
    return NextStep("Published", [], "verdict")
