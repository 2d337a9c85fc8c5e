"""Tunings on the bench: proposals are entered by the bench's remote and read, an attempt at a time."""

from __future__ import annotations

from lumenar.app.bench.guided_work import Steered, SteeredJob, free_bench
from lumenar.app.bench.patch_reading import read_patches
from lumenar.app.displays.displays import display
from lumenar.app.errors import ConflictError
from lumenar.app.figures import cells
from lumenar.app.runs.planning import setup_states
from lumenar.app.tuning import tunings
from lumenar.app.tuning.tunings import OpenTuning, Wish
from lumenar.bench.panel_timing import CLEAR_S, PANEL_TIMINGS, REST, SETUP_S, PanelTiming
from lumenar.bench.ports import Bench, EndedError, InstrumentError, RefusedError, Wanted
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.tuning.goals import GOALS
from lumenar.core.tuning.session import TuningStep
from lumenar.store import tunings as stored
from lumenar.store.tunings import OPEN, TuningState

MOST_ATTEMPTS = 400


class Tuner(Steered[TuningState]):
    """Carries tunings out, one at a time."""

    kind = "tuning"
    open_states = OPEN

    def start(self, review_id: int, setup_id: int, wish: Wish) -> int:
        """Begin a tuning; where the bench works alone it starts on it at once. ConflictError while the bench is in use."""
        if display(self.app, cells.setup_of(self.app, review_id, setup_id).unit_id).can.alone:
            free_bench(self.bench)
        made = tunings.begin(self.app, review_id, setup_id, wish)
        if tunings.opened(self.app, made).shown.can.alone:
            self.begin(made, review_id)
        return made

    def review_of(self, number: int) -> int:
        """The review of a tuning; errors as of `tunings.opened`."""
        return tunings.opened(self.app, number).row.review_id

    def state_of(self, number: int) -> TuningState | None:
        """The state of a tuning, None where there is none."""
        row = stored.get(self.app.db.connection(), number)
        return None if row is None else row.state

    def store_state(self, number: int, state: TuningState, message: str) -> None:
        """A tuning is in another state."""
        tunings.set_state(self.app, number, state, message)

    def left(self, number: int) -> str:
        """What a person is to leave the display at, where a person enters values and that can still be told."""
        try:
            t = tunings.opened(self.app, number)
        except ConflictError as e:
            return e.detail
        return "" if t.shown.can.alone else _restored(t)

    # -- on the bench -------------------------------------------------------------------------------------------------

    def work(self, job: SteeredJob) -> None:
        """The job's work, in the bench's thread."""
        t = tunings.opened(self.app, job.number)
        bench = self.bench.equipment.assemble_for(
            t.setup.unit_id, 104729 * job.number + len(t.stored), t.row.correction_id
        )
        habits = PANEL_TIMINGS[t.shown.row.panel]
        try:
            for _ in range(MOST_ATTEMPTS):
                end = t.following
                if not isinstance(end, TuningStep):
                    self._enter(bench, t, dict(end.values))
                    self.say(job.number, "found", "")
                    return
                if job.stopping.is_set():
                    break
                self._attempt(bench, t, end, habits, job)
                t = tunings.opened(self.app, job.number)
            else:
                self.say(
                    job.number,
                    "paused",
                    f"No end after {MOST_ATTEMPTS} attempts; end it here, or go back to one of them.",
                )
                return
            self._halted(bench, t, job)
        except EndedError:
            self._halted(bench, t, job)
        except RefusedError as e:
            self.say(job.number, "paused", f"The display refused: {e}. Correct the menu map, then go on.")
        except InstrumentError as e:
            self.say(job.number, "paused", f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}")

    def _halted(self, bench: Bench, t: OpenTuning, job: SteeredJob) -> None:
        """It stands still; one that is ended leaves the best state so far."""
        if job.then == "stopped":
            self._enter(bench, t, tunings.best_so_far(t))
        self.say(job.number, job.then, "")

    def _enter(self, bench: Bench, t: OpenTuning, values: dict[str, Value]) -> None:
        state = setup_states(self.app, t.row.review_id, t.setup.unit_id)[t.setup.id]
        bench.enter(Wanted(t.setup.mode, tunings.to_enter(t, values)), state.format)

    def _attempt(self, bench: Bench, t: OpenTuning, step: TuningStep, habits: PanelTiming, job: SteeredJob) -> None:
        """Enter, read and commit one attempt."""
        live = self.bench.live
        bench.source.show(REST)
        self._enter(bench, t, dict(step.values))
        bench.clock.sleep(max(CLEAR_S, SETUP_S / 2))
        XYZ = read_patches(
            bench=bench,
            live=live,
            patches=step.proposal.patches,
            habits=habits,
            place=GOALS[step.goal].title,
            setup=t.setup.name,
            stopping=job.stopping,
        )
        number = tunings.commit(self.app, t, step, XYZ, bench.clock.now())
        self.tell(t.row.id, "working", attempt=number)


def _restored(t: OpenTuning) -> str:
    """What to enter so that the best state stands there, where a person has to."""
    best = tunings.best_so_far(t)
    steps = [f"{p.split(' > ')[-1]} {text_of(v)}" for p, v in best.items() if v != t.plan.values.get(p)]
    return (
        f"Leave it at the best so far: {', '.join(steps)}."
        if steps
        else "Leave it as it began: nothing better was seen."
    )
