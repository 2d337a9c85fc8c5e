"""From committed readings to analyses, cell by cell."""

from __future__ import annotations

import json
import logging
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from lumenar.app.application import Application
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.figures import background, stored_analyses
from lumenar.app.figures.helper import FigureTask, compute
from lumenar.app.figures.loading import SetupReadings, setup_readings
from lumenar.app.runs.planning import condition_of, format_of
from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.measurements import MEASUREMENTS, Figure, MissingPatchError
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.readings.readings import Readings
from lumenar.core.signals import METADATA
from lumenar.core.targets import Target, TargetError, resolve
from lumenar.core.uncertainty import DRAWS
from lumenar.store import computed, conditions, reviews, runs
from lumenar.store.conditions import ConditionRow
from lumenar.store.database import StoreError
from lumenar.store.reviews import SetupRow
from lumenar.store.runs import CellRow

log = logging.getLogger("lumenar.figures")


def target_of(key: str, signal: str | None = None) -> Target:
    """A target by key; BadInputError where it is unknown or made for another signal."""
    try:
        target = resolve(key)
    except TargetError as e:
        raise BadInputError("target", f"There is no such target: {e}.", "target") from e
    if signal is not None and target.signal != signal:
        raise BadInputError(
            "target", f"{target.title} is a target for {target.signal}, this setup is {signal}.", "target"
        )
    return target


def setup_of(app: Application, review_id: int, setup_id: int) -> SetupRow:
    """One setup of a review."""
    found = reviews.setup(app.db.connection(), setup_id)
    if found is None or found[1] != review_id:
        raise NotFoundError("setup", f"Review {review_id} has no setup {setup_id}.")
    return found[0]


@dataclass(frozen=True)
class Newest:
    """By cell: the newest complete run, the newest run of any state, and why a complete cell is stale where it is."""

    complete: dict[Cell, CellRow]
    latest: dict[Cell, CellRow]
    stale: dict[Cell, str]

    @cached_property
    def fresh(self) -> dict[Cell, CellRow]:
        """Complete cells that still hold."""
        return {c: r for c, r in self.complete.items() if c not in self.stale}

    @cached_property
    def by_setup(self) -> dict[int, dict[str, CellRow]]:
        """Fresh cells by setup and measurement."""
        found: dict[int, dict[str, CellRow]] = {}
        for cell, row in self.fresh.items():
            found.setdefault(cell.setup, {})[cell.measurement] = row
        return found


def newest(app: Application, review_id: int, patient: bool = True) -> Newest:
    """The state of every cell of a review. patient: whether whoever asks waits for figures; else a cell whose figures are still
    being worked out is not complete yet, and one whose run has just ended keeps those it had."""
    db = app.db.connection()
    complete, latest = (
        {Cell(row.setup_id, row.measurement): row for row in runs.cells(db, review_id, complete=only)}
        for only in (True, False)
    )
    changed = runs.last_change(db, review_id)
    rooms = conditions.of_review(db, review_id)
    setups = reviews.setups_of(db, review_id)
    present = {s.id: Present(app, s, rooms) for s in setups}
    if not patient:
        _leave_for_later(app, review_id, complete, {s.id: s.target for s in setups})
    stale = {}
    for cell, row in complete.items():
        reason = present[cell.setup].why_stale(row)
        if not reason and row.run_id < changed.get(cell.setup, 0):
            reason = "the unit looked different in a later run"
        if reason:
            stale[cell] = reason
    return Newest(complete, latest, stale)


def _leave_for_later(
    app: Application, review_id: int, complete: dict[Cell, CellRow], targets: Mapping[int, str]
) -> None:
    """Take out cells whose figures are not there yet, and let those of a run that has just ended have what they had; what is
    missing is worked out meanwhile. Nothing outside a server."""
    if app.background is None:
        return
    wanted: dict[FigureTask, Cell] = {}
    kept: set[Cell] = set()
    for cell, row in complete.items():
        for target in _judged_by(app, cell.measurement, targets[cell.setup]) if cell.setup in targets else ():
            task = _early_task(row, target)
            known = _early_key(task) in app.cache
            if row.over and _missing(app, [_key(row, resolve(target))]):
                wanted[replace(task, draws=DRAWS)] = cell
                kept |= {cell} if known else set()
            elif not row.over and not known:
                wanted[task] = cell
    coming = app.background.pending(review_id, wanted)
    for cell in {wanted[t]: None for t in coming}:
        if cell in kept:
            complete[cell] = replace(complete[cell], state="finishing")
        else:
            del complete[cell]


def keep_found(app: Application, found: Mapping[FigureTask, Analysis], since: int) -> None:
    """Keep figures that were worked out meanwhile: of runs under way until they are over, of others for good. since: the turn of
    the data when their readings were loaded; nothing is kept if it is another now."""
    if app.turn != since:
        return
    last = {task: analysis for task, analysis in found.items() if task.draws == DRAWS}
    for task, analysis in found.items():
        if task not in last:
            app.cache.put(_early_key(task), analysis)
    _keep(app, {_kept_as(task): analysis for task, analysis in last.items()}, since)
    for task, analysis in last.items():
        app.analyses.put(_kept_as(task), analysis)
        app.cache.drop(_early_key(task))


def _kept_as(task: FigureTask) -> computed.Key:
    return computed.Key(task.run_id, task.setup_id, task.measurement, task.target, stored_analyses.VERSION)


def _early_key(task: FigureTask) -> tuple[object, ...]:
    return "early", task.run_id, task.setup_id, task.measurement, task.target


def _judged_by(app: Application, measurement: str, declared: str) -> set[str]:
    """The targets that a cell's figures are wanted against: its setup's, and those of purposes that judge by another."""
    found = {declared}
    if MEASUREMENTS[measurement].against_target:
        purposes = [p for p in app.rubric.purposes.values() if measurement in app.rubric.measurements_for(p)]
        found |= {p.judges_by(declared) for p in purposes}
    return {resolve(key).key for key in found}


def _early_task(row: CellRow, target: str) -> FigureTask:
    return FigureTask(row.run_id, row.setup_id, row.measurement, target, draws=background.DRAWS)


MOST_DIFFERENCES = 3
"""So many differences are named one by one."""


class Present:
    """What a setup is at present, to tell whether what was measured of it still holds."""

    def __init__(self, app: Application, setup: SetupRow, rooms: Mapping[int, ConditionRow]) -> None:
        self._app, self._setup, self._rooms = app, setup, rooms
        self._known: dict[object, str] = {}

    @cached_property
    def _shown(self) -> Display:
        return display(self._app, self._setup.unit_id)

    @cached_property
    def _defaults(self) -> dict[str, Value]:
        return self._shown.menu.defaults(self._shown.menu.mode(self._setup.mode, self._setup.signal))

    def why_stale(self, row: CellRow) -> str:
        """What differs from what was measured, in words; empty where nothing does that can change a reading. What became known
        since, or is known no longer, is no difference."""
        # Cells of one run share what their setup was.
        key = row.settings, row.applied, row.condition, row.format, row.firmware
        if key not in self._known:
            self._known[key] = "; ".join(self._differences(row))
        return self._known[key]

    def _differences(self, row: CellRow) -> list[str]:
        changed = {**self._defaults, **json.loads(row.settings)}
        was = changed if row.applied is None else json.loads(row.applied)
        differ = self._shown.menu.differences(was or changed, {**self._defaults, **self._setup.changes})
        said = [f"{p.split(' > ')[-1]} {text_of(a)} → {text_of(b)}" for p, a, b in differ]
        if len(said) > MOST_DIFFERENCES:
            said = [*said[: MOST_DIFFERENCES - 1], f"{len(said) - MOST_DIFFERENCES + 1} more settings"]
        if row.firmware != self._shown.row.firmware and row.firmware and self._shown.row.firmware:
            said.append(f"firmware {row.firmware} → {self._shown.row.firmware}")
        room = condition_of(self._shown, self._setup, self._rooms)
        before = None if row.condition is None else json.loads(row.condition)
        if room and before and (room["label"], room["lux"]) != (before.get("label"), before.get("lux")):
            same = room["label"] == before.get("label")
            was_light = _lux(before.get("lux")) if same else before.get("label") or "light"
            said.append(f"room {was_light} → {_lux(room['lux']) if same else room['label']}")
        if row.format is not None:
            said += _another_signal(json.loads(row.format), format_of(self._shown.row, self._setup))
        return said


def _another_signal(before: Mapping[str, Any], now: Mapping[str, Any]) -> list[str]:
    """What is sent otherwise than it was. What nobody said may be anything, but metadata and flags that are not said are
    not sent; a name is no matter of light."""
    told = {**METADATA, "flag": "HDR flag", "mastering_primaries": "mastering primaries", "content": "content flag"}
    usual = dict.fromkeys((*METADATA, "mastering_primaries", "content"), "none") | {"flag": "sent"}
    keys = [k for k in dict.fromkeys((*before, *now)) if k != "name" and (k in told or (k in before and k in now))]
    values = [(told.get(k, k), before.get(k, usual.get(k)), now.get(k, usual.get(k))) for k in keys]
    return [f"signal {k} {was} → {v}" for k, was, v in values if was != v]


def _lux(lux: float | None) -> str:
    return "of unknown light" if lux is None else f"{lux:g} lux"


def readings_of(app: Application, row: CellRow) -> Readings:
    """The readings of one complete cell as arrays. A finished run's are kept for a while: its cells ask in turn."""
    if not row.over:
        return setup_readings(app, row.run_id, row.setup_id).of(row.measurement)
    key = ("readings", row.run_id, row.setup_id)
    loaded: SetupReadings = app.loaded.get(key, lambda: setup_readings(app, row.run_id, row.setup_id))
    return loaded.of(row.measurement)


def analysis_of(app: Application, row: CellRow, target: Target, declared: str | None = None) -> Analysis:
    """The analysis of one complete cell against a target. Its readings never change, so it is computed once and kept
    between starts; against a target other than the one declared, which is only being tried, it is made with fewer draws and
    kept for a while."""
    if declared is not None and not MEASUREMENTS[row.measurement].against_target:
        target = resolve(declared)
    if target.key != (declared or target.key):
        quick = ("tried", row.run_id, row.setup_id, row.measurement, target.key)
        result: Analysis = app.cache.get(
            quick, lambda: analyse(row.measurement, readings_of(app, row), target, most_draws=background.DRAWS)
        )
        return result
    if not row.over:
        # Reference whites that belong to it are yet to come: nothing is kept of it when its run is over.
        task = _early_task(row, target.key)
        early: Analysis = app.cache.get(
            _early_key(task), lambda: analyse(row.measurement, readings_of(app, row), target, most_draws=task.draws)
        )
        return early
    key = _key(row, target)

    def find() -> Analysis:
        since = app.turn
        text = computed.get(app.db.connection(), key)
        if text is not None:
            return stored_analyses.loads(text)
        made = analyse(row.measurement, readings_of(app, row), target)
        _keep(app, {key: made}, since)
        return made

    kept: Analysis = app.analyses.get(key, find)
    return kept


def reason_of(error: Exception, row: CellRow) -> str:
    """Why a cell has no figures, as a sentence for the person; a fault of ours goes into the log."""
    if isinstance(error, MissingPatchError):
        return f"no figures: {error}"
    if isinstance(error, StoreError):
        return str(error)
    log.error(
        "%s of setup %d in run %d could not be computed", row.measurement, row.setup_id, row.run_id, exc_info=error
    )
    return f"no figures, by a fault of Lumenar ({type(error).__name__}: {' '.join(str(error).split())[:120]})"


def tried(app: Application, row: CellRow, target: Target, declared: str | None = None) -> Analysis | str:
    """`analysis_of`, or why there is none: one cell that cannot be computed must not take others with it."""
    key = ("failed", row.run_id, row.setup_id, row.measurement, target.key)
    if key in app.cache:
        reason: str = app.cache.get(key, lambda: "")
        return reason
    try:
        return analysis_of(app, row, target, declared)
    except Exception as e:
        reason = reason_of(e, row)
        # A run that is not over may still get what is missing.
        if row.over and not isinstance(e, StoreError):
            app.cache.put(key, reason)
        return reason


TOGETHER = 6
"""From so many analyses on that are missing, they are computed together."""


def ensure(app: Application, complete: Mapping[Cell, CellRow], targets: Mapping[int, str]) -> None:
    """See that the analyses of complete cells are there, each against its setup's target (by setup): what is missing is
    computed together, by this process and the helper, and kept."""
    keys = [_key(row, resolve(targets[c.setup])) for c, row in complete.items() if row.over]
    if len(_missing(app, keys)) < TOGETHER:
        return
    # Whoever comes while another computes waits for that, and finds most of it done.
    with app.computing:
        since = app.turn
        by_task = {FigureTask(k.run_id, k.setup_id, k.measurement, k.target): k for k in _missing(app, keys)}
        made = {by_task[task]: a for task, a in compute(app, app.helper, list(by_task)).items()}
        for key, analysis in made.items() if app.turn == since else ():
            app.analyses.put(key, analysis)
        _keep(app, made, since)


def _missing(app: Application, keys: Iterable[computed.Key]) -> list[computed.Key]:
    db = app.db.connection()
    return [
        k
        for k in keys
        if k not in app.analyses
        and ("failed", k.run_id, k.setup_id, k.measurement, k.target) not in app.cache
        and not computed.there(db, k)
    ]


def _key(row: CellRow, target: Target) -> computed.Key:
    return computed.Key(row.run_id, row.setup_id, row.measurement, target.key, stored_analyses.VERSION)


def _keep(app: Application, made: Mapping[computed.Key, Analysis], since: int) -> None:
    """Store figures, unless what they follow from was changed since that turn."""
    try:
        # What is kept was already to be seen.
        with app.db.transaction(of=0) as db:
            # Whoever changes readings counts the turn up inside a transaction, so this one comes first or sees the change.
            for key, analysis in made.items() if app.turn == since else ():
                computed.put(db, key, stored_analyses.dumps(analysis))
    except StoreError:
        # A full disk must not keep anyone from seeing figures.
        pass


def figures_of(app: Application, setup: SetupRow, now: Newest, wanted: Sequence[Figure]) -> dict[Figure, float]:
    """Some figures of a setup that still hold; those that are not there are left out."""
    target, rows = resolve(setup.target), now.by_setup.get(setup.id, {})
    found: dict[Figure, float] = {}
    for f in (f for f in wanted if f.measurement in rows):
        analysis = tried(app, rows[f.measurement], target)
        if isinstance(analysis, Analysis) and (value := analysis.scalar(f.key)) is not None:
            found[f] = value
    return found


def analyses_of(app: Application, setup: SetupRow, now: Newest) -> dict[str, Analysis]:
    """A setup's analyses that still hold by measurement, against its own declared target."""
    target = resolve(setup.target)
    found = {m: tried(app, row, target) for m, row in now.by_setup.get(setup.id, {}).items()}
    return {m: a for m, a in found.items() if isinstance(a, Analysis)}
