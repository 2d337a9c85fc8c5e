"""Tunings on the bench: proposals are entered by the stand-in's remote and read, an attempt at a time."""

from __future__ import annotations

import threading
from typing import Literal

from lumenar.bench.habits import CLEAR_S, HABITS, REST, SETUP_S, Habits
from lumenar.bench.ports import (
    Bench,
    EndedError,
    InstrumentError,
    RefusedError,
    Wanted,
)
from lumenar.core.menu import Value, text_of
from lumenar.core.tuning import session
from lumenar.core.tuning.session import Step
from lumenar.service import cells, tunings
from lumenar.service.application import Application
from lumenar.service.bench import BenchService
from lumenar.service.displays import stand_in_of
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.service.events import Event
from lumenar.service.patch_reading import read_patches
from lumenar.service.planning import setup_states
from lumenar.service.tunings import Open, Wish
from lumenar.store import corrections
from lumenar.store import tunings as stored
from lumenar.store.tunings import OPEN, TuningState

MOST_ATTEMPTS = 400


class TuningJob:
    """One tuning on the bench."""

    kind: Literal["tuning"] = "tuning"

    def __init__(self, owner: Tuner, tuning_id: int, review: int) -> None:
        self._owner, self.tuning, self.review = owner, tuning_id, review
        self.stopping = threading.Event()
        self.then: Literal["paused", "stopped"] = "paused"

    def work(self) -> None:
        """Attempt after attempt until nothing better is to be had."""
        self._owner.work(self)

    def leave(self) -> None:
        """Stay where it is."""
        self.stopping.set()

    def failed(self, error: BaseException) -> bool:
        """It pauses, whatever it was; what was read is stored."""
        self._owner.say(
            self.tuning,
            "paused",
            f"The bench stopped on a fault ({type(error).__name__}: {error}); go on to try again.",
        )
        return False


class Tuner:
    """Carries tunings out, one at a time."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self._job: TuningJob | None = None

    def start(self, review_id: int, setup_id: int, wish: Wish) -> int:
        """Begin a tuning; on a stand-in the bench starts on it at once. ConflictError while the bench is in use."""
        if self.bench.seat.kind and stand_in_of(self.app, cells.setup_of(self.app, review_id, setup_id).unit_id):
            raise ConflictError("bench", "The bench is in use; stop what is on it first.")
        made = tunings.begin(self.app, review_id, setup_id, wish)
        t = tunings.opened(self.app, made)
        if t.shown.stand_in:
            try:
                self._take(t)
            except ConflictError:
                # Somebody sat down before the bench meanwhile: it waits to be gone on with.
                self.say(made, "paused", "The bench is in use; go on when it is free.")
        return made

    def resume(self, tuning_id: int) -> None:
        """Go on with a tuning that stands still. ConflictError where it is over."""
        t = tunings.opened(self.app, tuning_id)
        if t.row.state != "paused":
            raise ConflictError("tuning", "Only a tuning that is paused can go on.")
        self._take(t)

    def _take(self, t: Open) -> None:
        job = TuningJob(self, t.row.id, t.row.review_id)
        self.bench.seat.take(job, lambda: self.say(t.row.id, "working", ""))
        self._job = job

    def halt(self, tuning_id: int, then: Literal["paused", "stopped"]) -> None:
        """Pause a tuning, or end it with the best state entered again. One that stands still or is done by hand ends at once,
        also where the menu no longer is what it was."""
        row = stored.get(self.app.db.connection(), tuning_id)
        if row is None:
            raise NotFoundError("tuning", f"There is no tuning {tuning_id}.")
        if row.state not in OPEN:
            raise ConflictError("tuning", "This tuning is over.")
        job = self._job
        if row.state == "working" and job is not None and job.tuning == tuning_id:
            job.then = then
            job.stopping.set()
            self.bench.seat.wait(timeout=10)
        elif then == "stopped":
            self.say(tuning_id, "stopped", self._left(tuning_id))

    def _left(self, tuning_id: int) -> str:
        """What a person is to leave the display at, where it is no stand-in and that can still be told."""
        try:
            t = tunings.opened(self.app, tuning_id)
        except ConflictError as e:
            return e.detail
        return "" if t.shown.stand_in else _restored(t)

    def say(self, tuning_id: int, state: TuningState, message: str) -> None:
        """A tuning's state, stored and told to everyone who watches."""
        tunings.set_state(self.app, tuning_id, state, message)
        self.bench.live.hub.publish(Event("tuning", {"tuning": tuning_id, "state": state}))

    # -- on the bench -------------------------------------------------------------------------------------------------

    def work(self, job: TuningJob) -> None:
        """The job's work, in the bench's thread."""
        t = tunings.opened(self.app, job.tuning)
        stand_in = stand_in_of(self.app, t.setup.unit_id)
        bench = self.bench.rig.assemble(
            t.setup.unit_id, (stand_in.seed if stand_in else 0) + 104729 * job.tuning + len(t.stored)
        )
        db = self.app.db.connection()
        self.bench.rig.correction = None if t.row.correction_id is None else corrections.get(db, t.row.correction_id)
        habits = HABITS[t.shown.row.panel]
        try:
            for _ in range(MOST_ATTEMPTS):
                end = t.following
                if not isinstance(end, Step):
                    self._enter(bench, t, dict(end.values))
                    self.say(job.tuning, "found", "")
                    return
                if job.stopping.is_set():
                    break
                self._attempt(bench, t, end, habits, job)
                t = tunings.opened(self.app, job.tuning)
            else:
                self.say(
                    job.tuning,
                    "paused",
                    f"No end after {MOST_ATTEMPTS} attempts; end it here, or go back to one of them.",
                )
                return
            self._halted(bench, t, job)
        except EndedError:
            self._halted(bench, t, job)
        except RefusedError as e:
            self.say(job.tuning, "paused", f"The display refused: {e}. Correct the menu map, then go on.")
        except InstrumentError as e:
            self.say(job.tuning, "paused", f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}")

    def _halted(self, bench: Bench, t: Open, job: TuningJob) -> None:
        """It stands still; one that is ended leaves the best state so far."""
        if job.then == "stopped":
            self._enter(bench, t, tunings.best_so_far(t))
        self.say(job.tuning, job.then, "")

    def _enter(self, bench: Bench, t: Open, values: dict[str, Value]) -> None:
        state = setup_states(self.app, t.row.review_id, t.setup.unit_id)[t.setup.id]
        bench.enter(Wanted(t.setup.mode, tunings.to_enter(t, values)), state.format)

    def _attempt(self, bench: Bench, t: Open, step: Step, habits: Habits, job: TuningJob) -> None:
        """Enter, read and commit one attempt."""
        live = self.bench.live
        bench.source.show(REST)
        self._enter(bench, t, dict(step.values))
        bench.clock.sleep(max(CLEAR_S, SETUP_S / 2))
        XYZ = read_patches(
            bench, live, step.proposal.patches, habits, session.TITLES[step.goal], t.setup.name, job.stopping
        )
        number = tunings.commit(self.app, t, step, XYZ, bench.clock.now())
        live.hub.publish(Event("tuning", {"tuning": t.row.id, "state": "working", "attempt": number}))


def _restored(t: Open) -> str:
    """What to enter so that the best state stands there, where a person has to."""
    best = tunings.best_so_far(t)
    steps = [f"{p.split(' > ')[-1]} {text_of(v)}" for p, v in best.items() if v != t.plan.values.get(p)]
    return (
        f"Leave it at the best so far: {', '.join(steps)}."
        if steps
        else "Leave it as it began: nothing better was seen."
    )
