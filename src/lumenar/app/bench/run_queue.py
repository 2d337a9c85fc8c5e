"""Runs: planned, queued, put on the bench one after the other, paused, resumed and stopped."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.bench.bench_views import PlanPreview
from lumenar.app.bench.equipment import Equipment
from lumenar.app.bench.journal import StoreJournal
from lumenar.app.bench.live_view import LiveView
from lumenar.app.bench.occupancy import Occupancy
from lumenar.app.displays.displays import display
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.runs.planning import Options, Planner, new_run, setup_states
from lumenar.bench.panel_timing import PanelTiming
from lumenar.bench.plan import Cell
from lumenar.bench.runner import Runner
from lumenar.bench.stated_meter import LUMINANCE, StatedMeter
from lumenar.store import reviews, runs
from lumenar.store.database import StoreError
from lumenar.store.plans import NewPatch
from lumenar.store.runs import NewRun, RunRow

log = logging.getLogger("lumenar.bench")


class RunJob:
    """One run on the bench."""

    kind: Literal["run"] = "run"

    def __init__(self, app: Application, equipment: Equipment, live: LiveView, run: RunRow) -> None:
        self.app, self._equipment, self._live, self.run, self.review = app, equipment, live, run, run.review_id
        self.runner = self._made()

    def _made(self) -> Runner:
        run, db = self.run, self.app.db.connection()
        row = display(self.app, run.unit_id).row
        bench = self._equipment.assemble_for(run.unit_id, 7919 * run.id, run.correction_id)
        states = lambda: setup_states(self.app, run.review_id, run.unit_id)  # noqa: E731
        journal = StoreJournal(self.app, run.id, states, self._live)
        targets = {s.id: s.target for s in reviews.setups_of(db, run.review_id)}
        self._live.begin(run, row.name, journal.tally, targets)
        return Runner(bench, journal, PanelTiming(**run.habits), bool(run.warm_up), bool(run.warm))

    def work(self) -> None:
        """Read until the plan is done or the run stopped."""
        self.runner.work()

    def leave(self) -> None:
        """Stay where it is, paused."""
        self.runner.leave()

    def failed(self, error: BaseException) -> bool:
        """The run pauses, whatever it was; resuming starts its instruments anew."""
        message = (
            f"The bench stopped on a fault ({type(error).__name__}: {' '.join(str(error).split())[:200]}); Lumenar's output"
            " says where. What was read is safe. Resume tries again at the next patch, stop ends the run."
        )
        try:
            with self.app.db.transaction() as db:
                runs.set_state(db, self.run.id, "paused", message)
        except StoreError:
            log.exception("the run's state could not be saved")
        self._live.became("paused", message)
        stored = runs.get(self.app.db.connection(), self.run.id)
        if stored is None:
            self._live.end()
            return False
        self.run = stored
        self.runner = self._made()
        self.runner.pause(message)
        return True


def _luminance_alone(meter: StatedMeter | None) -> bool:
    return meter is not None and meter.kind == LUMINANCE


class RunQueue:
    """The runs of a data folder on the one bench."""

    def __init__(self, app: Application, occupancy: Occupancy, equipment: Equipment, live: LiveView) -> None:
        self.app, self._occupancy, self._equipment, self._live = app, occupancy, equipment, live
        occupancy.free = self._next

    def preview(
        self, review_id: int, wanted: Sequence[Cell], options: Options | None = None, meter: StatedMeter | None = None
    ) -> PlanPreview:
        """What measuring the cells would take, by hand with that meter."""
        planner = Planner(self.app, review_id, options or Options(), _luminance_alone(meter))
        plans = planner.plans(wanted)
        readings = sum(len(p.plan.patches) for p in plans)
        seconds = sum(p.plan.seconds for p in plans)
        warm = all(runs.was_warm(self.app.db.connection(), p.unit_id) for p in plans)
        wall = seconds / self._equipment.speed if self._equipment.speed else 0.0
        asked = sum(p.plan.asked for p in plans)
        saved = sum(p.plan.saved_seconds for p in plans)
        return PlanPreview(
            readings=readings,
            shared=asked - readings,
            seconds=seconds,
            saved_seconds=saved,
            wall_seconds=wall,
            warm=warm,
            left_out=planner.left_out,
        )

    def start(
        self,
        review_id: int,
        wanted: Sequence[Cell],
        options: Options | None = None,
        meter: StatedMeter | None = None,
        key: str | None = None,
    ) -> int:
        """Plan and queue a run, one for each unit; they start when the bench is free, those by hand (with that meter) when the
        person does. Returns the first one's number. key: whoever asks again with the same key gets the run that was started
        with it."""
        if key is not None and (there := runs.with_key(self.app.db.connection(), key)) is not None:
            return there
        options = options or Options()
        plans = Planner(self.app, review_id, options, _luminance_alone(meter)).plans(wanted)
        new: list[NewRun] = []
        for p in plans:
            patches = [NewPatch(x.setup, x.patch, x.seconds, x.measurements) for x in p.plan.patches]
            run = new_run(
                app=self.app,
                review_id=review_id,
                unit_id=p.unit_id,
                setups=list(p.setups.values()),
                habits=p.habits,
                warm_up=options.warm_up,
                patches=patches,
                hand_meter=meter,
            )
            new.append(replace(run, key=None if new else key))
        made = []
        # All samples' runs or none, so that a key stands for all of them.
        with self.app.db.transaction(of=review_id) as writing:
            if key is not None and (there := runs.with_key(writing, key)) is not None:
                return there
            for run in new:
                if reviews.unit(writing, run.unit_id) is None:
                    raise NotFoundError("review", f"There is no review {review_id}.")
                made.append(runs.add_run(writing, run))
                # By hand it is the person who knows that the display has been on for long enough.
                if runs.was_warm(writing, run.unit_id) or (run.state == "waiting" and options.warm_up):
                    runs.set_warm(writing, made[-1], True)
        self.work_on_next()
        self._live.tell()
        return made[0]

    def work_on_next(self) -> None:
        """Start on the oldest queued run, unless something is on the bench."""
        with self._occupancy.lock:
            if not self._occupancy.closing and self._occupancy.job is None:
                self._next()
            self._count()

    def _next(self) -> None:
        """Under the occupancy's lock, while it is free: put the next run there. A paused run keeps the bench until the person
        resumes or stops it."""
        self._live.end()
        waiting = runs.unfinished(self.app.db.connection())
        for run in [*(r for r in waiting if r.state == "paused"), *(r for r in waiting if r.state == "queued")]:
            try:
                job = RunJob(self.app, self._equipment, self._live, run)
            except NotFoundError:
                # Deleted with its review a moment ago.
                self._live.end()
                continue
            except Exception as e:
                log.exception("run %d could not be put on the bench", run.id)
                self._live.end()
                with self.app.db.transaction() as db:
                    runs.set_state(
                        db, run.id, "stopped", f"The run could not be put on the bench ({type(e).__name__}: {e})."
                    )
                continue
            if run.state == "paused":
                job.runner.pause(run.message)
                self._occupancy.park(job)
            else:
                self._occupancy.take(job)
            break
        self._count()

    def _count(self) -> None:
        job = self._occupancy.job
        current = job.run.id if isinstance(job, RunJob) else None
        self._live.queued = sum(r.id != current for r in runs.unfinished(self.app.db.connection()))

    def recover(self) -> None:
        """After a start: put a run that was cut short back on the bench, paused."""
        self.work_on_next()

    def _current(self) -> RunJob:
        job = self._occupancy.job
        if not isinstance(job, RunJob):
            raise ConflictError("bench", "No run is on the bench.")
        return job

    def pause(self) -> None:
        """Stand still before the next patch. Pausing what is paused changes nothing."""
        with self._occupancy.lock:
            self._current().runner.pause()

    def resume(self) -> None:
        """Go on. Resuming what runs changes nothing."""
        with self._occupancy.lock:
            job = self._current()
            if job.runner.resume() and not self._occupancy.working:
                self._occupancy.take(job)

    def stop(self) -> None:
        """End the run; what was read stays."""
        with self._occupancy.lock:
            job = self._current()
            if job.runner.stop() and not self._occupancy.working:
                self._occupancy.take(job)

    def wait(self, timeout: float | None = None) -> None:
        """Wait until nothing is being worked on, queued runs included, or a run stands paused."""
        self._occupancy.wait(lambda: (run := self._live.run) is not None and run.state == "paused", timeout)

    def finish(self) -> None:
        """Wait until all is done; ConflictError with its message where a run pauses instead."""
        self.wait()
        if (run := self._live.run) is not None and run.state == "paused":
            raise ConflictError("bench", f"The run paused: {run.message}")

    def close(self) -> None:
        """After the occupancy was closed: a run under way stays, paused, where it is."""
        job = self._occupancy.job
        if isinstance(job, RunJob):
            with self.app.db.transaction() as db:
                runs.pause_run(db, job.run.id, "The server was closed. Resume goes on at the next patch.")
