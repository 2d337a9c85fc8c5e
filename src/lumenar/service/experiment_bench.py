"""Experiments on the bench: stage after stage is entered literally by the stand-in's remote, looked at and read; at the end all
is put back."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from typing import Literal

from lumenar.bench.habits import CLEAR_S, HABITS, REST, SETUP_S, Habits
from lumenar.bench.ports import Bench, EndedError, InstrumentError, LiteralRemote, RefusedError, Wanted
from lumenar.core.experiments.base import Act, Stage
from lumenar.service import cells, experiments
from lumenar.service.application import Application
from lumenar.service.bench import BenchService
from lumenar.service.displays import stand_in_of
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.service.events import Event
from lumenar.service.experiments import Open, Question
from lumenar.service.patch_reading import read_patches
from lumenar.service.planning import setup_states
from lumenar.store import corrections
from lumenar.store import experiments as stored
from lumenar.store.experiments import OPEN, ExperimentState


class ExperimentJob:
    """One experiment on the bench."""

    kind: Literal["experiment"] = "experiment"

    def __init__(self, owner: Experimenter, experiment: int, review: int) -> None:
        self._owner, self.experiment, self.review = owner, experiment, review
        self.stopping = threading.Event()
        self.then: Literal["paused", "stopped"] = "paused"

    def work(self) -> None:
        """Stage after stage until all are read."""
        self._owner.work(self)

    def leave(self) -> None:
        """Stay where it is."""
        self.stopping.set()

    def failed(self, error: BaseException) -> bool:
        """It pauses, whatever it was; what was read is stored."""
        said = f"The bench stopped on a fault ({type(error).__name__}: {error}); go on to try again."
        self._owner.say(self.experiment, "paused", said)
        return False


class Experimenter:
    """Carries experiments out, one at a time."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self._job: ExperimentJob | None = None

    def start(self, review_id: int, q: Question) -> int:
        """Begin an experiment; on a stand-in the bench starts on it at once. ConflictError while the bench is in use."""
        if self.bench.seat.kind == "experiment" and self._over():
            # It has said that it is done, and gets up at this moment.
            self.bench.seat.wait(timeout=5)
        if self.bench.seat.kind and stand_in_of(self.app, cells.setup_of(self.app, review_id, q.setup).unit_id):
            raise ConflictError("bench", "The bench is in use; stop what is on it first.")
        made = experiments.begin(self.app, review_id, q)
        x = experiments.opened(self.app, made)
        if x.shown.stand_in:
            try:
                self._take(x)
            except ConflictError:
                # Somebody sat down before the bench meanwhile: it waits to be gone on with.
                self.say(made, "paused", "The bench is in use; go on when it is free.")
        return made

    def _over(self) -> bool:
        """Whether the last experiment is over, though it may still sit on the bench."""
        job = self._job
        row = None if job is None else stored.get(self.app.db.connection(), job.experiment)
        return row is None or row.state not in OPEN

    def resume(self, experiment_id: int) -> None:
        """Go on with an experiment that stands still. ConflictError where it is over."""
        x = experiments.opened(self.app, experiment_id)
        if x.row.state != "paused":
            raise ConflictError("experiment", "Only an experiment that is paused can go on.")
        self._take(x)

    def _take(self, x: Open) -> None:
        job = ExperimentJob(self, x.row.id, x.row.review_id)
        self.bench.seat.take(job, lambda: self.say(x.row.id, "working", ""))
        self._job = job

    def halt(self, experiment_id: int, then: Literal["paused", "stopped"]) -> None:
        """Pause an experiment, or end it with all put back."""
        row = stored.get(self.app.db.connection(), experiment_id)
        if row is None:
            raise NotFoundError("experiment", f"There is no experiment {experiment_id}.")
        if row.state not in OPEN:
            raise ConflictError("experiment", "This experiment is over.")
        job = self._job
        if row.state == "working" and job is not None and job.experiment == experiment_id:
            job.then = then
            job.stopping.set()
            self.bench.seat.wait(timeout=10)
        elif then == "stopped":
            self.say(experiment_id, "stopped", "Ended before all was read; nothing follows from it.")

    def say(self, experiment_id: int, state: ExperimentState, message: str) -> None:
        """An experiment's state, stored and told to everyone who watches."""
        experiments.set_state(self.app, experiment_id, state, message)
        self.bench.live.hub.publish(Event("tuning", {"experiment": experiment_id, "state": state}))

    # -- on the bench -------------------------------------------------------------------------------------------------

    def work(self, job: ExperimentJob) -> None:
        """The job's work, in the bench's thread."""
        x = experiments.opened(self.app, job.experiment)
        stand_in = stand_in_of(self.app, x.setup.unit_id)
        bench = self.bench.rig.assemble(
            x.setup.unit_id, (stand_in.seed if stand_in else 0) + 179424673 * job.experiment + len(x.read)
        )
        c = None if x.row.correction_id is None else corrections.get(self.app.db.connection(), x.row.correction_id)
        self.bench.rig.correction = c
        habits = HABITS[x.shown.row.panel]
        try:
            self._begun(bench, x)
            while x.next is not None:
                if job.stopping.is_set():
                    break
                self._stage(bench, x, x.made.stages[x.next], habits, job)
                x = experiments.opened(self.app, job.experiment)
            self._act(bench, x.made.back)
            if x.next is None:
                self.say(job.experiment, "done", "")
                return
        except EndedError:
            self._act(bench, x.made.back)
        except InstrumentError as e:
            self.say(job.experiment, "paused", f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}")
            return
        self.say(
            job.experiment,
            job.then,
            "" if job.then == "paused" else "Ended before all was read; nothing follows from it.",
        )

    def _begun(self, bench: Bench, x: Open) -> None:
        """The setup as it is known, then what the stages that were read already did."""
        state = setup_states(self.app, x.row.review_id, x.setup.unit_id)[x.setup.id]
        bench.enter(Wanted(x.setup.mode, dict(x.row.question["state"])), state.format)
        for stage in x.made.stages[: x.next]:
            self._act(bench, stage.acts)

    def _act(self, bench: Bench, acts: Sequence[Act]) -> dict[str, str]:
        """Do it literally; what was refused, with the reason."""
        remote = bench.remote
        if not isinstance(remote, LiteralRemote):
            raise InstrumentError("this remote cannot enter settings one by one")
        refused = {}
        for act in acts:
            try:
                if act.kind == "mode":
                    remote.select(str(act.value))
                else:
                    remote.apply(act.path, act.value)
            except RefusedError as e:
                refused[act.path] = str(e)
        return refused

    def _stage(self, bench: Bench, x: Open, stage: Stage, habits: Habits, job: ExperimentJob) -> None:
        """Do, look, read and commit one stage."""
        live = self.bench.live
        bench.source.show(REST)
        refused = self._act(bench, stage.acts)
        bench.clock.sleep(max(CLEAR_S, SETUP_S / 2))
        stands = bench.remote.enter(Wanted(self._mode(x), {})) if stage.look else None
        XYZ = read_patches(bench, live, stage.patches, habits, stage.title, x.setup.name, job.stopping)
        shown = {} if stands is None else {p: v for p, v in stands.values.items() if p in stage.look}
        greyed = [] if stands is None else [p for p in stage.look if p in stands.greyed]
        experiments.commit(self.app, x, XYZ, shown, greyed, refused)
        live.hub.publish(Event("tuning", {"experiment": x.row.id, "state": "working", "stage": len(x.read)}))

    def _mode(self, x: Open) -> str:
        until = len(x.read) + 1
        return experiments.stood(x, until).mode or x.setup.mode
