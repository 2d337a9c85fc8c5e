"""The bench as the application sees it: plan, start, pause, resume, stop; one thing at a time, runs queue."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace

import numpy as np

from lumenar.bench.habits import Habits
from lumenar.bench.plan import Cell
from lumenar.bench.ports import Bench, MeterReading
from lumenar.bench.runner import Outcome, Runner, SetupState, State, Step, Watched
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.meter import COLORIMETER, FAULTS
from lumenar.core.colour import difference, spaces
from lumenar.core.colour.correction import corrected
from lumenar.core.targets import TARGETS, Anchor
from lumenar.service.application import Application, now
from lumenar.service.bench_views import BenchStatus, LivePatch, LiveReading, PlanPreview, place_of
from lumenar.service.errors import BadInputError, ConflictError
from lumenar.service.events import Event, Hub
from lumenar.service.journal import StoreJournal
from lumenar.service.planning import Options, Planner, settings_text, setup_states
from lumenar.service.units import unit_by_id
from lumenar.store import corrections, reviews, runs
from lumenar.store.corrections import CorrectionRow
from lumenar.store.runs import NewPatch, NewRun

SPEEDS = (1.0, 20.0, 0.0)
"""Bench clock: real time, twenty times as fast, without waiting."""
TELL_EVERY_S = 0.04


class BenchService:
    """Owns the one bench of this server and the thread that works on it."""

    def __init__(self, app: Application, hub: Hub | None = None, speed: float = 20.0) -> None:
        self.app, self.hub = app, hub or Hub()
        self.clock_speed = speed
        self.lock = threading.RLock()
        self._telling = threading.Lock()
        self.kind = ""
        self.message = ""
        self.bench: Bench | None = None
        self.clock: SimulatedClock | None = None
        self._thread: threading.Thread | None = None
        self._runner: Runner | None = None
        self._journal: StoreJournal | None = None
        self._run: runs.RunRow | None = None
        self._patch: LivePatch | None = None
        self._reading: LiveReading | None = None
        self._correction: CorrectionRow | None = None
        self._whites: dict[int, np.ndarray] = {}
        self._targets: dict[int, str] = {}
        self._references: dict[int, float] = {}
        self._drift: float | None = None
        self._queued = 0
        self._told = 0.0
        self._closing = False

    # -- planning -------------------------------------------------------------------------------------------------

    def preview(self, review_id: int, wanted: Sequence[Cell], options: Options | None = None) -> PlanPreview:
        """What measuring the cells would take."""
        plans = Planner(self.app, review_id, options or Options()).plans(wanted)
        readings = sum(len(p.plan.patches) for p in plans)
        seconds = sum(p.plan.seconds for p in plans)
        warm = all(runs.was_warm(self.app.db.connection(), p.unit_id) for p in plans)
        wall = seconds / self.clock_speed if self.clock_speed else 0.0
        asked = sum(p.plan.asked for p in plans)
        return PlanPreview(readings, asked - readings, seconds, sum(p.plan.saved_seconds for p in plans), wall, warm)

    # -- runs -----------------------------------------------------------------------------------------------------

    def start(self, review_id: int, wanted: Sequence[Cell], options: Options | None = None) -> int:
        """Plan and queue a run, one for each unit; they start when the bench is free. Returns the first one's number."""
        options = options or Options()
        made = []
        with self.lock:
            for p in Planner(self.app, review_id, options).plans(wanted):
                row, _ = unit_by_id(self.app, p.unit_id)
                db = self.app.db.connection()
                correction = corrections.newest(db, row.panel, COLORIMETER.name)
                new = NewRun(
                    review_id, p.unit_id, now(), p.firmware, asdict(COLORIMETER), asdict(p.habits),
                    correction.id if correction else None, options.warm_up,
                    {s.id: settings_text(s) for s in p.setups.values()},
                    [NewPatch(x.setup, x.patch, x.seconds, x.measurements) for x in p.plan.patches],
                )  # fmt: skip
                with self.app.db.transaction() as writing:
                    made.append(runs.add_run(writing, new))
                    if runs.was_warm(writing, p.unit_id):
                        runs.set_warm(writing, made[-1], True)
            self._count_queue()
        self.work_on_next()
        self.tell()
        return made[0]

    def _count_queue(self) -> None:
        current = self._run.id if self._run else None
        self._queued = sum(r.id != current for r in runs.unfinished(self.app.db.connection()))

    def work_on_next(self) -> None:
        """Start the thread on the oldest queued run, unless something is on the bench."""
        with self.lock:
            if self._closing or self.kind:
                return
            waiting = [r for r in runs.unfinished(self.app.db.connection()) if r.state in ("queued", "paused")]
            # A paused run keeps the bench until the person resumes or stops it.
            paused = [r for r in waiting if r.state == "paused"]
            if waiting:
                self._load(paused[0] if paused else waiting[0], start=not paused)
            self._count_queue()

    def assemble(self, unit_id: int, seed: int) -> Bench:
        """Put a unit with the instruments on the bench; its clock goes on where the unit was last read."""
        row, file = unit_by_id(self.app, unit_id)
        db = self.app.db.connection()
        self._correction = corrections.newest(db, row.panel, COLORIMETER.name)
        self.clock = SimulatedClock(self.clock_speed, runs.bench_time(db, unit_id))
        self.bench = simulated_bench(file, self.clock, seed)
        return self.bench

    def _load(self, run: runs.RunRow, start: bool) -> None:
        _, file = unit_by_id(self.app, run.unit_id)
        db = self.app.db.connection()
        bench = self.assemble(run.unit_id, file.seed + 7919 * run.id)
        self._correction = corrections.get(db, run.correction_id) if run.correction_id else None
        journal = StoreJournal(self.app, run.id, lambda: setup_states(self.app, run.review_id, run.unit_id), self)
        self._run, self._journal, self.kind, self.message = run, journal, "run", run.message
        self._patch = self._reading = self._drift = None
        self._whites, self._references = {}, {}
        self._targets = {s.id: s.target for s in reviews.setups_of(db, run.review_id)}
        self._runner = Runner(bench, journal, Habits(**run.habits), bool(run.warm_up), bool(run.warm))
        if start:
            self._spawn(self._runner)

    def _spawn(self, runner: Runner) -> None:
        self.occupy("run", lambda: self._work(runner))

    def occupy(self, kind: str, work: Callable[[], object], first: Callable[[], object] | None = None) -> None:
        """Work on the bench in its thread; ConflictError while something else does. `first` is called before the work
        begins and only if it will, so that what it sets is never later than what the work sets."""
        with self.lock:
            if self._thread is not None or (self.kind and self.kind != kind):
                raise ConflictError("bench", "The bench is in use; stop what is on it first.")
            if first is not None:
                first()
            self.kind = kind
            # Started before it is named: it gives its name back under the lock that is held here.
            thread = threading.Thread(target=self._whole, args=(work,), name="bench", daemon=True)
            thread.start()
            self._thread = thread

    def _whole(self, work: Callable[[], object]) -> None:
        try:
            work()
        finally:
            # In one go, so that nobody finds the bench at rest between two runs.
            with self.lock:
                self._thread = None
                if not self._closing:
                    self.kind = self.message = ""
                    self._run = self._runner = self._journal = self._patch = None
                self.work_on_next()
            self.tell()
            self.app.db.close()

    def _work(self, runner: Runner) -> None:
        runner.work()

    def recover(self) -> None:
        """After a start: put a run that was cut short back on the bench, paused."""
        self.work_on_next()

    def _current(self) -> tuple[Runner, runs.RunRow]:
        if self._runner is None or self._run is None:
            raise ConflictError("bench", "No run is on the bench.")
        return self._runner, self._run

    def pause(self) -> None:
        """Stand still before the next patch. Pausing what is paused changes nothing."""
        with self.lock:
            runner, run = self._current()
            if run.state != "paused":
                runner.pause()

    def resume(self) -> None:
        """Go on. Resuming what runs changes nothing."""
        with self.lock:
            runner, run = self._current()
            if run.state != "paused":
                return
            if self._thread is None:
                self._spawn(runner)
            else:
                runner.resume()

    def stop(self) -> None:
        """End the run; what was read stays."""
        with self.lock:
            runner, _ = self._current()
            runner.stop()
            if self._thread is None:
                self._spawn(runner)

    def set_speed(self, speed: float) -> None:
        """Real time (1), faster (20) or without waiting (0)."""
        if speed not in SPEEDS:
            raise BadInputError(
                "speed", f"The clock runs at {', '.join(f'{s:g}' for s in SPEEDS)}; 0 does not wait.", "speed"
            )
        with self.lock:
            self.clock_speed = speed
            if self.clock is not None:
                self.clock.speed = speed
        self.tell()

    def set_fault(self, fault: str | None) -> None:
        """Make the stand-in meter fail, or heal it."""
        if fault is not None and fault not in FAULTS:
            raise BadInputError("fault", f"The stand-in can fail by {', '.join(FAULTS)}.", "fault")
        with self.lock:
            if self.bench is None or not self.kind:
                raise ConflictError("bench", "Nothing is on the bench, so no meter can fail.")
            self.bench.meter.fault = fault  # type: ignore[attr-defined]
        self.tell()

    def wait(self, timeout: float | None = None) -> None:
        """Wait until nothing is being worked on, queued runs included, or a run stands paused."""
        end = None if timeout is None else time.monotonic() + timeout
        while True:
            with self.lock:
                thread, run = self._thread, self._run
            over = end is not None and time.monotonic() >= end
            if thread is None or over or (run is not None and run.state == "paused"):
                return
            thread.join(0.02)

    def released(self, kind: str, timeout: float) -> None:
        """Wait until nothing of this kind is being worked on."""
        end = time.monotonic() + timeout
        while time.monotonic() < end:
            with self.lock:
                thread = self._thread if self.kind == kind else None
            if thread is None:
                return
            thread.join(0.02)

    def finish(self) -> None:
        """Wait until all is done; ConflictError with its message where a run pauses instead."""
        self.wait()
        if (run := self._run) is not None:
            raise ConflictError("bench", f"The run paused: {run.message}")

    def close(self) -> None:
        """Leave the bench: a run under way stays, paused, where it is."""
        with self.lock:
            self._closing = True
            runner, thread = self._runner, self._thread
            self.kind = "" if runner is None else self.kind
        if thread is None:
            return
        if runner is not None:
            runner.stop()
        if self.clock:
            self.clock.speed = 0.0
        thread.join(5)
        if self._run is not None:
            with self.app.db.transaction() as db:
                runs.set_state(db, self._run.id, "paused", "The server was closed. Resume goes on at the next patch.")

    # -- telling --------------------------------------------------------------------------------------------------

    def corrected(self, XYZ: Sequence[float]) -> np.ndarray:
        """A raw reading of the working meter with the correction in force."""
        raw = np.asarray(XYZ, float)
        return raw if self._correction is None else corrected(raw, self._correction.matrix)

    def live(self, code: str, outcome: str, XYZ: np.ndarray | None, target: tuple[float, float] | None = None) -> None:
        """The last reading as the bench bar shows it."""
        u, v = (None, None) if XYZ is None else (float(x) for x in spaces.XYZ_to_uv(XYZ))
        Y, de = target or (None, None)
        self._reading = LiveReading(outcome, None if XYZ is None else float(XYZ[1]), u, v, code, Y, de)

    def shown(self, code: str, rgb: tuple[float, float, float], place: str, setup: str) -> None:
        """What is on the screen as the bench bar shows it."""
        self._patch = LivePatch(code, rgb, place, setup)

    def show(self, step: Step) -> None:
        """A patch goes on the screen."""
        p = step.patch
        self.shown(p.code, p.rgb, place_of(p), step.setup.name)
        self.tell(throttled=True)

    def took(self, step: Step, outcome: Outcome, reading: MeterReading | None) -> None:
        """A reading was committed."""
        XYZ = None if reading is None else self.corrected(reading.XYZ)
        p = step.patch
        if XYZ is not None and p.rgb == (1.0, 1.0, 1.0) and p.level is None and p.zone is None and p.reads == "XYZ":
            self._whites[step.setup.key] = XYZ
        if self._quiet():
            return
        self.live(p.code, outcome, XYZ, self._against_target(step, XYZ))
        if self._run is not None:
            self.hub.publish(Event("reading", {"review": self._run.review_id}))
        self.tell()

    def _against_target(self, step: Step, XYZ: np.ndarray | None) -> tuple[float, float] | None:
        """Target luminance and dE2000 of a plain patch, once white is known and while black counts as zero."""
        p, white = step.patch, self._whites.get(step.setup.key)
        plain = p.level is None and p.zone is None and p.pattern == "window" and p.reads == "XYZ" and p.at_s is None
        if XYZ is None or white is None or not plain:
            return None
        target = TARGETS[self._targets[step.setup.key]]
        wanted = target.XYZ(np.clip(np.array([p.rgb]), 0, 1), Anchor(white[1], np.array(0.0)))[0]
        Lab = [target.Lab(c[None, :], white[1])[0] for c in (XYZ, wanted)]
        return float(wanted[1]), float(difference.de2000(*Lab))

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading) -> None:
        """A reading that watches the bench: the drift is told against the first of its kind."""
        first = self._references.setdefault(setup.key, reading.XYZ[1])
        self._drift = 100 * (reading.XYZ[1] / first - 1)
        self.live("reference white" if kind == "reference" else "warming up", "ok", self.corrected(reading.XYZ))
        self.tell(throttled=True)

    def became(self, state: State, message: str) -> None:
        """The run changed its state."""
        if self._run is not None:
            self._run = replace(self._run, state=state, message=message)
            self.message = message
            self.hub.publish(Event("run", {"review": self._run.review_id, "state": state}))
        self.tell()

    def _quiet(self) -> bool:
        """Whether something was told a moment ago: a bench that does not wait would flood everyone."""
        return self.clock_speed == 0 and time.monotonic() - self._told < TELL_EVERY_S

    def tell(self, throttled: bool = False) -> None:
        """Send the bench's state to everyone who watches."""
        if throttled and self._quiet():
            return
        self._told = time.monotonic()
        # State and telling go together: else one thread could tell what another has overtaken, and nobody would tell
        # again.
        with self._telling:
            self.hub.publish(Event("bench", asdict(self.status())))

    def status(self) -> BenchStatus:
        """The bench's present state."""
        run, tally = self._run, self._journal.tally if self._journal else None
        name = unit_by_id(self.app, run.unit_id)[0].name if run is not None else ""
        fault = getattr(self.bench.meter, "fault", None) if self.bench is not None and self.kind else None
        # Between two runs the bench is not at rest: the next one is about to be put on it. A run that has just ended may
        # still lie on it for a moment.
        waiting = "queued" if self._queued and not self._closing else "idle"
        over = run is not None and run.state in ("done", "stopped")
        state = waiting if over else run.state if run is not None else "running" if self.kind else waiting
        c = self._correction
        return BenchStatus(
            state=state,
            kind=self.kind,
            message=self.message,
            run=run.id if run else None,
            review=run.review_id if run else None,
            review_name=name,
            done=tally.done if tally else 0,
            total=tally.total if tally else 0,
            left_s=tally.left_s if tally else 0.0,
            speed=self.clock_speed,
            meter=COLORIMETER.name,
            correction=f"{c.panel}, {c.made_at[:10]}" if c else "",
            drift_percent=self._drift,
            fault=fault,
            patch=self._patch,
            reading=self._reading,
            queued=self._queued,
        )
