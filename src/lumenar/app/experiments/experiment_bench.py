"""Experiments on the bench: stage after stage is entered literally by the bench's remote, looked at and read; at the end all
is put back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import cast

from lumenar.app.bench.guided_work import Steered, SteeredJob, free_bench
from lumenar.app.bench.patch_reading import read_patches
from lumenar.app.displays.displays import display
from lumenar.app.experiments import experiments
from lumenar.app.experiments.experiments import OpenExperiment
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.figures import cells
from lumenar.app.runs.planning import setup_states
from lumenar.bench.panel_timing import CLEAR_S, PANEL_TIMINGS, REST, SETUP_S, PanelTiming
from lumenar.bench.ports import Bench, EndedError, InstrumentError, LiteralRemote, RefusedError, Wanted
from lumenar.core.experiments.base import Act, Stage
from lumenar.core.experiments.metadata import sent_as
from lumenar.core.experiments.samples import Samples
from lumenar.core.readings.patches import Trace
from lumenar.core.signals import Content, Signal, SignalFormat
from lumenar.store import experiments as stored
from lumenar.store.experiments import OPEN, ExperimentState

WARM_S = 3600.0
"""Samples that are compared have been on for so long."""
SENSOR_S = 10.0
"""A display's sensor has seen another light after so long."""
ENDED = "Ended before all was read; nothing follows from it."


class Experimenter(Steered[ExperimentState]):
    """Carries experiments out, one at a time."""

    kind = "experiment"
    _format = SignalFormat()
    """What the setup is sent as."""
    _unit = 0
    """The sample on the bench."""
    open_states = OPEN

    def start(self, review_id: int, q: Question) -> int:
        """Begin an experiment; where the bench works alone it starts on it at once. ConflictError while the bench is in use."""
        if display(self.app, cells.setup_of(self.app, review_id, q.setup).unit_id).can.alone:
            free_bench(self.bench)
        made = experiments.begin(self.app, review_id, q)
        if experiments.opened(self.app, made).shown.can.alone:
            self.begin(made, review_id)
        return made

    def review_of(self, number: int) -> int:
        """The review of an experiment; errors as of `experiments.opened`."""
        return experiments.opened(self.app, number).row.review_id

    def state_of(self, number: int) -> ExperimentState | None:
        """The state of an experiment, None where there is none."""
        row = stored.get(self.app.db.connection(), number)
        return None if row is None else row.state

    def store_state(self, number: int, state: ExperimentState, message: str) -> None:
        """An experiment is in another state."""
        experiments.set_state(self.app, number, state, message)

    def left(self, number: int) -> str:
        """What is said of one that is ended while it stands still."""
        return ENDED

    # -- on the bench -------------------------------------------------------------------------------------------------

    def work(self, job: SteeredJob) -> None:
        """The job's work, in the bench's thread."""
        x = experiments.opened(self.app, job.number)
        salt = 179424673 * job.number + len(x.read)
        on_s = WARM_S if isinstance(x.made, Samples) else 0.0
        bench = self.bench.equipment.assemble_for(x.setup.unit_id, salt, x.row.correction_id, on_s)
        said = ""
        try:
            self._stages(bench, x, job)
        except EndedError:
            pass
        except InstrumentError as e:
            said = f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}"
        except Exception:
            # What it was is told by who carries the job.
            self._act(bench, x.made.back)
            raise
        # However it ends, the display is left as it was; what is gone on with later is done again.
        kept = self._act(bench, x.made.back)
        if kept:
            said = " ".join(filter(None, (said, f"Not put back: {'; '.join(kept.values())}.")))
        if experiments.opened(self.app, job.number).next is None:
            self.say(job.number, "done", said)
        elif job.then == "stopped":
            self.say(job.number, "stopped", said or ENDED)
        else:
            self.say(job.number, "paused", said)

    def _stages(self, bench: Bench, x: OpenExperiment, job: SteeredJob) -> None:
        """Stage after stage until all are read or somebody stops it. InstrumentError where something fails."""
        self._begun(bench, x)
        while x.next is not None and not job.stopping.is_set():
            stage = x.made.stages[x.next]
            bench = self._before(bench, x, stage)
            self._stage(bench, x, stage, PANEL_TIMINGS[x.shown.row.panel], job)
            x = experiments.opened(self.app, job.number)

    def _before(self, bench: Bench, x: OpenExperiment, stage: Stage) -> Bench:
        """The bench with the sample that a stage reads; what it was sent is sent to it too."""
        unit = next((int(float(a.value)) for a in stage.acts if a.kind == "sample"), self._unit)
        if unit == self._unit:
            return bench
        self._unit = unit
        salt = 179424673 * x.row.id + len(x.read)
        other = self.bench.equipment.assemble_for(unit, salt, x.row.correction_id, WARM_S)
        other.send(self._format)
        return other

    def _begun(self, bench: Bench, x: OpenExperiment) -> None:
        """The setup as it is known, then what the stages that were read already did."""
        state = setup_states(self.app, x.row.review_id, x.setup.unit_id)[x.setup.id]
        self._format = state.format or SignalFormat()
        self._unit = x.setup.unit_id
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
                self._do(bench, remote, act)
            except RefusedError as e:
                refused[act.path] = str(e)
        return refused

    def _do(self, bench: Bench, remote: LiteralRemote, act: Act) -> None:
        """One thing; RefusedError where it can't be had."""
        if act.kind == "mode":
            remote.select(str(act.value))
        elif act.kind == "set":
            remote.apply(act.path, act.value)
        elif act.kind == "signal":
            sdr = act.value == "sdr"
            bench.send(self._format.as_sdr if sdr else replace(self._format, transfer=cast(Signal, act.value)))
        elif act.kind == "metadata":
            bench.send(replace(self._format, metadata=sent_as(str(act.value))))
        elif act.kind == "content":
            bench.send(replace(self._format, content=cast(Content, act.value)))
        elif act.kind == "power":
            remote.power(act.value == "on")
        elif act.kind == "light":
            if bench.room is None:
                raise InstrumentError("this bench has no lamps")
            bench.room.light(float(act.value))
            bench.clock.sleep(SENSOR_S)

    def _stage(self, bench: Bench, x: OpenExperiment, stage: Stage, habits: PanelTiming, job: SteeredJob) -> None:
        """Do, look, read and commit one stage."""
        live = self.bench.live
        bench.source.show(REST)
        refused = self._act(bench, stage.acts)
        bench.clock.sleep(max(CLEAR_S, SETUP_S / 2))
        if experiments.loses_light(x, refused):
            experiments.commit(self.app, x, [None] * len(stage.patches), {}, [], refused)
            experiments.leave_out(self.app, x.row.id)
            return
        stands = bench.remote.enter(Wanted("", {})) if stage.look else None
        traces: list[Trace | None] = []
        XYZ = read_patches(
            bench=bench,
            live=live,
            patches=stage.patches,
            habits=habits,
            place=stage.title,
            setup=x.setup.name,
            stopping=job.stopping,
            traces=traces,
        )
        path = x.shown.menu.mode_path
        seen = {} if stands is None else {path: stands.mode, **stands.values}
        shown = {p: v for p, v in seen.items() if p in stage.look}
        greyed = [] if stands is None else [p for p in stage.look if p in stands.greyed]
        experiments.commit(app=self.app, x=x, XYZ=XYZ, stands=shown, greyed=greyed, refused=refused, traces=traces)
        self.tell(x.row.id, "working", stage=len(x.read))
