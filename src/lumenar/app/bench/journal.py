"""A run's journal in the database."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

from lumenar.app.application import Application
from lumenar.app.bench.follow_up_patches import asks_more, extend
from lumenar.app.data import now
from lumenar.bench.ports import MeterReading, Said
from lumenar.bench.runner_port import RunnerStep, SetupState, State, Watched
from lumenar.core.readings.patches import Outcome
from lumenar.core.signals import document_of
from lumenar.store import host_reports, plans, readings, runs, watched
from lumenar.store.database import StoreError
from lumenar.store.host_reports import HostReportRow
from lumenar.store.plans import PatchRow
from lumenar.store.readings import NewReading


class Audience(Protocol):
    """Whom the journal tells what is going on."""

    def show(self, step: RunnerStep) -> None: ...

    def took(self, step: RunnerStep, outcome: Outcome, reading: MeterReading | None) -> None: ...

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading) -> None: ...

    def became(self, state: State, message: str) -> None: ...


@dataclass
class Tally:
    """How far a run is: readings done and planned, expected bench time left in s, bench time of the last reading."""

    done: int
    total: int
    left_s: float
    last_s: float
    cells: dict[tuple[int, str], tuple[int, int]]
    """Readings done and planned of every cell, by setup and measurement."""
    changed: set[tuple[int, str]]
    """Cells that have grown since somebody last told of them."""


class StoreJournal:
    """Reads the plan once and keeps its place in it; what is committed is committed before the next step is given out."""

    def __init__(
        self, app: Application, run_id: int, states: Callable[[], dict[int, SetupState]], audience: Audience
    ) -> None:
        self._app, self._run, self._audience = app, run_id, audience
        db = app.db.connection()
        self._setups = states()
        self._left = plans.unread(db, run_id)[::-1]
        progress = runs.progress(db, run_id)
        run = runs.get(db, run_id)
        self._review = None if run is None else run.review_id
        self._uses = plans.uses_of(db, run_id)
        left = sum(p.expected_s for p in self._left)
        cells = runs.progress_by_cell(db, run_id)
        self.tally = Tally(progress.done, progress.total, left, progress.last_s, cells, set())

    def next_step(self) -> RunnerStep | None:
        """The first patch without a reading."""
        if not self._left:
            return None
        row = self._left[-1]
        return RunnerStep(row.id, self._setups[row.setup_id], row.patch)

    def showing(self, step: RunnerStep) -> None:
        """A step begins."""
        self._audience.show(step)

    def commit(
        self, step: RunnerStep, outcome: Outcome, reading: MeterReading | None, at_s: float, attempt: int = 1
    ) -> None:
        """One reading, one transaction."""
        new = NewReading(
            patch_id=step.number,
            attempt=attempt,
            outcome=outcome,
            XYZ=reading.XYZ if reading else None,
            exposure_s=reading.exposure_s if reading else None,
            at_s=at_s,
            read_at=now(),
            trace=reading.trace if reading else None,
        )
        added: list[PatchRow] = []
        try:
            with self._app.db.transaction(of=self._review, step=True) as db:
                readings.add(db, new)
                if attempt == 1:
                    added = self._further(db, step)
        except sqlite3.IntegrityError as e:
            raise StoreError(f"a reading of this patch was refused: {e}") from e
        if attempt == 1:
            row = self._left.pop()
            self.tally.done += 1
            for measurement in self._uses.get(row.id, ()):
                cell = (row.setup_id, measurement)
                done, total = self.tally.cells[cell]
                self.tally.cells[cell] = done + 1, total
                self.tally.changed.add(cell)
            self.tally.left_s = max(0.0, self.tally.left_s - row.expected_s)
            self._take(added)
        self.tally.last_s = at_s
        self._audience.took(step, outcome, reading)

    def _further(self, db: sqlite3.Connection, step: RunnerStep) -> list[PatchRow]:
        """What measurements ask for now that the last of their patches is read."""
        added: list[PatchRow] = []
        for measurement in self._uses.get(step.number, ()):
            done, total = self.tally.cells[step.setup.key, measurement]
            if done + 1 == total and asks_more(measurement):
                rows = extend(self._app, db, self._run, step.setup.key, measurement)
                self._uses.update({r.id: [measurement] for r in rows})
                added += rows
        return added

    def _take(self, added: Sequence[PatchRow]) -> None:
        """What was planned besides comes next."""
        self._left += added[::-1]
        for row in added:
            self.tally.total += 1
            self.tally.left_s += row.expected_s
            for measurement in self._uses[row.id]:
                done, total = self.tally.cells[row.setup_id, measurement]
                self.tally.cells[row.setup_id, measurement] = done, total + 1

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading, at_s: float) -> None:
        """A reading that watches the bench."""
        with self._app.db.transaction(of=self._review, step=True) as db:
            watched.add_watch(db, self._run, setup.key, kind, at_s, reading.XYZ)
        self._audience.watched(kind, setup, reading)

    def signed(self, setup: SetupState, XYZ: Sequence[Sequence[float]], changed: bool, said: Said) -> None:
        """What a setup looks like in this run, and what is said of it."""
        with self._app.db.transaction(of=self._review, step=True) as db:
            runs.sign(db, self._run, setup.key, XYZ, changed)
            if said.shown is not None:
                runs.set_shown(db, self._run, setup.key, document_of(said.shown))
            if (r := said.reported) is not None:
                host_reports.put(db, HostReportRow(setup.key, r.max_cd_m2, r.full_cd_m2, r.min_cd_m2, False))

    def warm(self, warm: bool) -> None:
        """The unit was seen to be warm."""
        with self._app.db.transaction(of=self._review, step=True) as db:
            runs.set_warm(db, self._run, warm)

    def state(self, state: State, message: str) -> None:
        """The run's state and what the person should know."""
        try:
            with self._app.db.transaction(of=self._review) as db:
                runs.set_state(db, self._run, state, message)
        except StoreError:
            # The state is told all the same; a restart finds the run and pauses it.
            pass
        self._audience.became(state, message)
