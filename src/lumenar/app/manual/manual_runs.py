"""Runs by hand: a list to work through with a meter that only shows numbers. Nothing waits for the person and nothing is lost
when they go away: each reading is kept as soon as it is typed."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from lumenar.app.application import Application
from lumenar.app.bench.follow_up_patches import asks_more, extend
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.drivers.manual import entries
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.manual.sheets import Setting, Sheet, SheetPatch, SheetSetup
from lumenar.app.runs.planning import format_of, settings_of, signal_of
from lumenar.bench.manual_timing import step_times
from lumenar.bench.patch_words import in_words
from lumenar.bench.stated_meter import LUMINANCE
from lumenar.core.menu.controls import text_of
from lumenar.core.menu.menu import Menu
from lumenar.core.readings import typed_readings
from lumenar.core.readings.patches import Outcome
from lumenar.core.readings.typed_readings import Form, TypedError
from lumenar.core.signals import WORDS, Signal
from lumenar.store import manual_runs, readings, reviews, runs
from lumenar.store.manual_runs import SheetRow
from lumenar.store.readings import NewReading
from lumenar.store.reviews import SetupRow
from lumenar.store.runs import RunRow, RunState

OPEN: RunState = "waiting"
"""The state of a run that a person reads by hand."""


@dataclass(frozen=True)
class Entry:
    """A reading as typed for a patch; sure: the person has answered what was asked about it."""

    patch: int
    text: str
    sure: bool = False


@dataclass(frozen=True)
class Answer:
    """What became of an entry: kept, asked about (question), or wrong (error); the text is the person's still."""

    patch: int
    kept: bool
    question: str
    error: str


@dataclass(frozen=True)
class Answers:
    """What became of entries, how far the run is, and its state."""

    answers: list[Answer]
    done: int
    total: int
    state: RunState


def _run(app: Application, run_id: int) -> RunRow:
    run = runs.get(app.db.connection(), run_id)
    if run is None:
        raise NotFoundError("run", f"There is no run {run_id}.")
    if not manual_runs.is_by_hand(app.db.connection(), run_id):
        raise ConflictError("by-hand", "This run was made by the bench, not by hand.")
    return run


def _luminance_alone(run: RunRow) -> bool:
    return run.meter.get("kind") == LUMINANCE


def sheet(app: Application, run_id: int) -> Sheet:
    """The sheet of a run by hand."""
    run, db = _run(app, run_id), app.db.connection()
    shown = display(app, run.unit_id)
    rows = manual_runs.rows(db, run_id)
    setups = {s.id: s for s in reviews.setups_of(db, run.review_id)}
    listed = []
    for setup_id in dict.fromkeys(r.setup_id for r in rows):
        setup = setups[setup_id]
        said = runs.recorded(db, run_id, setup_id, "shown")
        listed.append(
            SheetSetup(
                setup=setup_id,
                name=setup.name,
                ahead=_ahead(shown.menu, setup),
                signal=setup.signal,
                send=signal_of(shown.row, setup).words,
                shown=None if said is None else said["transfer"],
                other=_other(setup, said),
                mode_path=shown.menu.mode_path,
                mode=setup.mode,
                enter=_to_enter(shown.menu, setup),
            )
        )
    done = sum(bool(r.outcome) for r in rows)
    luminance = shown.menu.luminance_control
    return Sheet(
        run=run_id,
        review=run.review_id,
        state=run.state,
        name=shown.row.name,
        meter=str(run.meter.get("name", "")),
        luminance_alone=_luminance_alone(run),
        luminance=luminance.path if luminance else None,
        setups=listed,
        patches=[_line(r, rows, format_of(shown.row, setups[r.setup_id]), setups[r.setup_id].signal) for r in rows],
        done=done,
        total=len(rows),
        left_s=_left_s(rows),
    )


def _left_s(rows: Sequence[SheetRow]) -> float:
    """How long a person takes for what is not read yet, as the plan says too."""
    left = 0.0
    for setup in dict.fromkeys(r.setup_id for r in rows):
        own = [r for r in rows if r.setup_id == setup]
        times = step_times([r.patch for r in own])
        left += sum(t for r, t in zip(own, times, strict=True) if not r.outcome)
    return left


def _to_enter(menu: Menu, setup: SetupRow) -> list[Setting]:
    """What the hands at the remote have to enter once the mode is chosen and as shipped, in order. What the menu would refuse
    by now stands there too: the person sees what the display makes of it."""
    values = settings_of(menu, setup).items()
    own = {p: v for p, v in values if p in setup.changes and not menu.control(p).when}
    return [Setting(*entry) for entry in entries(menu, setup.mode, setup.signal, own)]


def _ahead(menu: Menu, setup: SetupRow) -> list[Setting]:
    """What differs from how it ships and is set before the signal is sent."""
    return [Setting(path, text_of(setup.changes[path])) for path in menu.ahead(setup.changes)]


def _other(setup: SetupRow, said: Mapping[str, Any] | None) -> str:
    return WORDS[said["transfer"]] if said is not None and said["transfer"] != setup.signal else ""


def looked(app: Application, run_id: int, setup_id: int, signal: Signal | None) -> Sheet:
    """What the display says it shows in a setup, None where that is not known after all."""
    run = _run(app, run_id)
    db = app.db.connection()
    if setup_id not in {r.setup_id for r in manual_runs.rows(db, run_id)}:
        raise NotFoundError("setup", f"Run {run.id} has no setup {setup_id}.")
    with app.db.transaction(of=run.review_id) as db:
        runs.set_shown(db, run_id, setup_id, None if signal is None else {"transfer": signal})
    return sheet(app, run_id)


def _line(row: SheetRow, rows: Sequence[SheetRow], sent: Mapping[str, Any], signal: Signal) -> SheetPatch:
    p, top = row.patch, 2 ** int(sent["bits"]) - 1
    asked = (
        ""
        if not row.outcome
        else typed_readings.question(p.rgb, typed_readings.Typed(row.XYZ), _beside(row, rows), signal)
    )
    return SheetPatch(
        patch=row.id,
        setup=row.setup_id,
        show=in_words(p),
        codes=[round(v * top) for v in p.rgb],
        top=top,
        rgb=list(p.rgb),
        window_percent=100 * p.window,
        background=p.background,
        level=p.level,
        zone=None if p.zone is None else list(p.zone),
        pattern=p.pattern,
        at_s=p.at_s,
        outcome=row.outcome,
        XYZ=None if row.XYZ is None else list(row.XYZ),
        question=asked,
    )


def _likeness(r: SheetRow) -> tuple[object, ...]:
    """Readings that are alike in this can be judged by one another."""
    p = r.patch
    return r.setup_id, p.window, p.background, p.level, p.zone, p.pattern


def _beside(row: SheetRow, rows: Sequence[SheetRow]) -> list[tuple[tuple[float, float, float], float]]:
    """Signals and luminances of the other patches that a reading can be judged by."""
    mine = _likeness(row)
    return [
        (r.patch.rgb, 0.0 if r.XYZ is None else r.XYZ[1])
        for r in rows
        if r.outcome and r.id != row.id and _likeness(r) == mine
    ]


MOST_ENTRIES = 5000


def enter(app: Application, run_id: int, form: Form, entries: Sequence[Entry]) -> Answers:
    """Keep readings as typed; what cannot be one is named, what is odd is asked about, and all others are kept. A patch that
    was read already is read anew. ConflictError where the run is over and a patch is not one of its own."""
    run = _run(app, run_id)
    if run.state == "stopped":
        raise ConflictError("run-over", "This run was ended. Measure the cells again from the Board.")
    # What a person has done is seen by the next who asks.
    with app.db.transaction() as db:
        rows = {r.id: r for r in manual_runs.rows(db, run_id)}
        read = {r.id for r in rows.values() if r.outcome}
        answers, pending = _understood(run, rows, form, entries)
        for wrong in _of_another_signal(app, run, pending):
            answers[wrong.patch] = wrong
            del pending[wrong.patch]
        signals = {s.id: s.signal for s in reviews.setups_of(db, run.review_id)}
        begun = datetime.fromisoformat(run.created_at)
        at_s = max(0.0, (datetime.now(UTC) - begun).total_seconds())
        for row in _asked_about(rows, pending, answers, {e.patch for e in entries if e.sure}, signals):
            if row.id in read:
                manual_runs.take_back(db, row.id)
            outcome: Outcome = "below_floor" if row.XYZ is None else "ok"
            readings.add(
                db,
                NewReading(
                    patch_id=row.id, attempt=1, outcome=outcome, XYZ=row.XYZ, exposure_s=None, at_s=at_s, read_at=now()
                ),
            )
            answers[row.id] = Answer(row.id, True, "", "")
        anew = any(a.kept and a.patch in read for a in answers.values())
        done = len(read | {a.patch for a in answers.values() if a.kept})
        more = _further(app, db, run_id, {rows[a.patch].setup_id for a in answers.values() if a.kept})
        state: RunState = "done" if done == len(rows) + more else OPEN
        if state != run.state:
            runs.set_state(db, run_id, state, "")
        if anew:
            manual_runs.drop_figures(db, run_id)
    if anew:
        app.forget()
    return Answers([answers[e.patch] for e in entries], done, len(rows) + more, state)


def _further(app: Application, db: sqlite3.Connection, run_id: int, setups: Iterable[int]) -> int:
    """Plan what measurements of some setups ask for where all their patches are read; how many patches that is."""
    cells = runs.progress_by_cell(db, run_id)
    whole = [(s, m) for (s, m), (done, total) in cells.items() if s in set(setups) and done == total and asks_more(m)]
    return sum(len(extend(app, db, run_id, s, m)) for s, m in whole)


def _of_another_signal(app: Application, run: RunRow, pending: Mapping[int, SheetRow]) -> list[Answer]:
    """Readings of setups in which the display says that it shows another signal than is meant: none of them is kept."""
    db = app.db.connection()
    setups = {s.id: s for s in reviews.setups_of(db, run.review_id)}
    others = {
        s: _other(setups[s], runs.recorded(db, run.id, s, "shown")) for s in {r.setup_id for r in pending.values()}
    }
    return [
        Answer(
            row.id,
            False,
            "",
            f"The display shows {others[row.setup_id]}, and this is for {WORDS[setups[row.setup_id].signal]}: see to its input "
            "and what its menu says of HDR, then say below what it shows.",
        )
        for row in pending.values()
        if others[row.setup_id]
    ]


def _understood(
    run: RunRow, rows: dict[int, SheetRow], form: Form, entries: Sequence[Entry]
) -> tuple[dict[int, Answer], dict[int, SheetRow]]:
    """By patch what cannot be a reading, and the readings that can."""
    answers: dict[int, Answer] = {}
    pending: dict[int, SheetRow] = {}
    for entry in entries:
        row = rows.get(entry.patch)
        if row is None:
            raise BadInputError("patch", f"Run {run.id} has no patch {entry.patch}.", "patch")
        try:
            XYZ = _reading(run, form, entry.text)
        except TypedError as e:
            answers[entry.patch] = Answer(entry.patch, False, "", f"{in_words(row.patch)}: {e}.")
            continue
        pending[row.id] = SheetRow(row.id, row.setup_id, row.patch, "ok" if XYZ is not None else "below_floor", XYZ)
    return answers, pending


def _reading(run: RunRow, form: Form, text: str) -> tuple[float, float, float] | None:
    """What was typed as XYZ in cd/m2, None where the meter shows that there is too little light. TypedError where it cannot be a
    reading of the run's meter."""
    if (form == "Y") != _luminance_alone(run):
        raise TypedError(
            "the meter of this run shows Y alone" if form != "Y" else "Y alone serves with a luminance meter only"
        )
    return typed_readings.parse(text.strip(), form).XYZ


def _asked_about(
    rows: dict[int, SheetRow],
    pending: dict[int, SheetRow],
    answers: dict[int, Answer],
    sure: set[int],
    signals: Mapping[int, Signal],
) -> list[SheetRow]:
    """The readings to keep. Of several that contradict each other the one that contradicts most is asked about, and put
    aside; the others may then be in order."""
    pending = dict(pending)

    def asked(row: SheetRow, beside: Sequence[tuple[tuple[float, float, float], float]]) -> str:
        return typed_readings.question(row.patch.rgb, typed_readings.Typed(row.XYZ), beside, signals[row.setup_id])

    while True:
        every = {**rows, **pending}
        groups: dict[object, list[SheetRow]] = {}
        for r in every.values():
            if r.outcome:
                groups.setdefault(_likeness(r), []).append(r)
        worst: tuple[int, int, str] | None = None
        for row in pending.values():
            beside = _beside(row, groups[_likeness(row)])
            if row.id in sure or not (said := asked(row, beside)):
                continue
            count = sum(bool(asked(row, [other])) for other in beside)
            # Of those that contradict as many, the darkest: what is brighter is judged by it.
            if worst is None or (count, -sum(row.patch.rgb)) > (worst[0], -sum(every[worst[1]].patch.rgb)):
                worst = count, row.id, said
        if worst is None:
            return list(pending.values())
        answers[worst[1]] = Answer(worst[1], False, worst[2], "")
        del pending[worst[1]]


def take_back(app: Application, run_id: int, patch_id: int, reopen: bool = False) -> None:
    """A reading was wrong: it is to be read again. ConflictError for a run that is over, unless it may be opened again for that:
    its cells wait for the reading then."""
    run = _run(app, run_id)
    if run.state != OPEN and not reopen:
        raise ConflictError(
            "run-over",
            "This run is over. Taking a reading back opens it again, and its cells wait until the patch is read.",
        )
    # What a person has done is seen by the next who asks.
    with app.db.transaction() as db:
        if all(r.id != patch_id for r in manual_runs.rows(db, run_id)):
            raise BadInputError("patch", f"Run {run_id} has no patch {patch_id}.", "patch")
        manual_runs.take_back(db, patch_id)
        runs.set_state(db, run_id, OPEN, "")
        manual_runs.drop_figures(db, run_id)
    app.forget()


def end(app: Application, run_id: int) -> None:
    """No more will be read in this run; what was stays."""
    run = _run(app, run_id)
    if run.state == OPEN:
        with app.db.transaction() as db:
            runs.set_state(db, run_id, "stopped", "Ended by hand; what was read is kept.")


def open_runs(app: Application, review_id: int) -> list[int]:
    """The runs of a review that wait for a person, oldest first."""
    return manual_runs.waiting(app.db.connection(), review_id)
