"""Experiments: questions about a menu, the stages that answer them, and what they write into the menu map. Where a remote enters
values, the bench carries them out (`experiment_bench`); elsewhere a person enters, looks and types."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import ConflictError, NotFoundError, UserError
from lumenar.app.experiments import questions
from lumenar.app.experiments.kinds.base import Question, noise_of
from lumenar.app.figures import cells
from lumenar.core.colour.correction import corrected
from lumenar.core.experiments.base import Act, Conclusion, Experiment, StageRead
from lumenar.core.experiments.condition_results import Explained
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.readings.patches import Spectrum, Trace, Waveform
from lumenar.store import corrections, reviews
from lumenar.store import experiments as stored
from lumenar.store.experiments import ExperimentRow, ExperimentState, StageRow
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True)
class OpenExperiment:
    """An experiment with what it works on, and what was read so far."""

    row: ExperimentRow
    setup: SetupRow
    shown: Display
    made: Experiment
    read: list[StageRow]
    matrix: Sequence[Sequence[float]] | None

    @cached_property
    def reads(self) -> list[StageRead]:
        """What came of the stages, corrected."""
        return [self._of(r) for r in self.read]

    def _of(self, r: StageRow) -> StageRead:
        XYZ = np.array([(np.nan,) * 3 if v is None else v for v in r.XYZ], float).reshape(-1, 3)
        if self.matrix is not None:
            XYZ = corrected(XYZ, self.matrix)
        return StageRead(XYZ, r.stands, frozenset(r.greyed), r.refused, tuple(map(_trace_of, r.traces)))

    @property
    def next(self) -> int | None:
        """The number of the stage that is next; None where all are read."""
        return len(self.read) if len(self.read) < len(self.made.stages) else None


# -- carrying it out ------------------------------------------------------------------------------------------------


def begin(app: Application, review_id: int, q: Question) -> int:
    """An experiment is stored. BadInputError where the question makes no sense; ConflictError where another on the same display
    is open."""
    p = questions.planned(app, review_id, q)
    setup, shown = p.ground.setup, p.ground.shown
    row = ExperimentRow(
        id=0,
        review_id=review_id,
        setup_id=setup.id,
        kind=q.kind,
        question=p.question,
        meter=p.meter,
        correction_id=p.correction,
        firmware=shown.row.firmware,
        state="working" if shown.can.alone else "waiting",
        message="",
        created_at=now(),
        applied=0,
    )
    with app.db.transaction() as writing:
        # Looked at while nobody else can write, so that two requests at once make one experiment.
        units = {s.id: s.unit_id for s in reviews.setups_of(writing, review_id)}
        if any(units.get(o.setup_id) == setup.unit_id for o in stored.open_ones(writing)):
            raise ConflictError("experiment", f"Another experiment on {shown.row.name} is open; end that one first.")
        return stored.add(writing, row)


def opened(app: Application, experiment_id: int) -> OpenExperiment:
    """An experiment by its number; NotFoundError where there is none."""
    db = app.db.connection()
    row = stored.get(db, experiment_id)
    if row is None:
        raise NotFoundError("experiment", f"There is no experiment {experiment_id}.")
    setup = cells.setup_of(app, row.review_id, row.setup_id)
    made = questions.experiment_of(row.kind, row.question, noise_of(row.meter))
    matrix = None if row.correction_id is None else corrections.get(db, row.correction_id)
    read = stored.stages(db, experiment_id)
    return OpenExperiment(
        row=row,
        setup=setup,
        shown=display(app, setup.unit_id),
        made=made,
        read=read,
        matrix=None if matrix is None else matrix.matrix,
    )


MOST_SAMPLES = 4000
"""Of a waveform so many are kept: 0.2 s at 20 kHz, which hold dozens of periods of any light that pulses."""


def _written(t: Trace) -> dict[str, Any]:
    """A trace as it is stored."""
    if isinstance(t, Spectrum):
        return {
            "kind": "spectrum",
            "start": t.start_nm,
            "step": t.step_nm,
            "samples": [float(f"{v:.6g}") for v in t.radiance],
        }
    samples = [float(f"{v:.6g}") for v in t.samples[:MOST_SAMPLES]]
    return {"kind": "waveform", "start": 0.0, "step": 1 / t.rate_hz, "samples": samples}


def _trace_of(d: Mapping[str, Any] | None) -> Trace | None:
    if d is None:
        return None
    samples = np.array(d["samples"], float)
    return Spectrum(d["start"], d["step"], samples) if d["kind"] == "spectrum" else Waveform(1 / d["step"], samples)


def explained(app: Application, x: OpenExperiment, made: Conditions) -> Explained:
    """What an experiment under conditions shows so far: what was read never changes, so it is worked out once."""
    kept: Explained = app.cache.get(("explained", x.row.id, len(x.read)), lambda: made.explain(x.reads))
    return kept


def conclusion(app: Application, x: OpenExperiment) -> Conclusion | None:
    """What follows, where all was read; worked out once too."""
    if x.next is not None:
        return None
    kept: Conclusion = app.cache.get(("concluded", x.row.id), lambda: _follows(app, x))
    return kept


def concluded(app: Application, row: ExperimentRow) -> Conclusion:
    """What followed from an experiment of which all was read."""
    kept: Conclusion = app.cache.get(("concluded", row.id), lambda: _follows(app, opened(app, row.id)))
    return kept


def _follows(app: Application, x: OpenExperiment) -> Conclusion:
    made = x.made
    return made.concluded(explained(app, x, made)) if isinstance(made, Conditions) else made.conclude(x.reads)


def commit(
    app: Application,
    x: OpenExperiment,
    XYZ: Sequence[Sequence[float] | None],
    stands: Mapping[str, Value],
    greyed: Sequence[str],
    refused: Mapping[str, str],
    traces: Sequence[Trace | None] = (),
) -> None:
    """A stage was carried out. ConflictError if it was read meanwhile, or the experiment ended; nothing is stored then."""
    kept = [None if v is None else [float(c) for c in v] for v in XYZ]
    written = [None if t is None else _written(t) for t in traces] if any(t is not None for t in traces) else []
    row = StageRow(
        experiment_id=x.row.id,
        number=len(x.read),
        XYZ=kept,
        stands=dict(stands),
        greyed=sorted(greyed),
        refused=dict(refused),
        read_at=now(),
        traces=written,
    )
    with app.db.transaction(of=0) as db:
        present = stored.get(db, x.row.id)
        # The bench may have been told to pause meanwhile; what it has read counts all the same.
        ended = present is None or (not x.shown.can.alone and present.state != x.row.state)
        if ended or len(stored.stages(db, x.row.id)) != len(x.read):
            raise ConflictError(
                "experiment", "The experiment has gone on meanwhile; look at it again. Nothing was stored."
            )
        stored.add_stage(db, row)


def loses_light(x: OpenExperiment, refused: Collection[str]) -> bool:
    """Whether the next stage can't be read as its light is among what was refused."""
    return isinstance(x.made, Conditions) and x.next is not None and x.made.light_of(x.next).label in refused


def leave_out(app: Application, experiment_id: int) -> OpenExperiment:
    """An experiment once the stages that can't be read after what was refused are past; there is nothing in them."""
    x = opened(app, experiment_id)
    while isinstance(x.made, Conditions) and x.made.left_out(x.reads):
        commit(app, x, [None] * len(x.made.stages[len(x.read)].patches), {}, [], {})
        x = opened(app, experiment_id)
    return x


def set_state(app: Application, experiment_id: int, state: ExperimentState, message: str = "") -> None:
    """An experiment is in another state."""
    with app.db.transaction(of=0) as db:
        stored.set_state(db, experiment_id, state, message)


def recover(app: Application) -> None:
    """Finish the experiments of which all was read when the process ended: their last stage was stored, their end was not."""
    for row in stored.open_ones(app.db.connection()):
        try:
            if opened(app, row.id).next is None:
                set_state(app, row.id, "done")
        except UserError:
            # Its view says what is in the way.
            continue


@dataclass(frozen=True)
class Stood:
    """What the acts so far have brought about: the mode, empty before the first, and by mode the values that were entered; about:
    the light, the signal and whether the display is on, as far as any act tells."""

    mode: str
    by_mode: dict[str, dict[str, Value]]
    about: dict[str, tuple[str, Value]]

    @property
    def values(self) -> dict[str, Value]:
        """What was entered in the present mode."""
        return self.by_mode.get(self.mode, {})


def stood(x: OpenExperiment, until: int) -> Stood:
    """What stands in the menu before a stage, as far as the acts of those before it tell."""
    by_mode: dict[str, dict[str, Value]] = {}
    mode = ""
    about: dict[str, tuple[str, Value]] = {"power": ("", "on")}
    for i, stage in enumerate(x.made.stages[:until]):
        for act in stage.acts:
            if act.kind == "mode":
                mode = str(act.value)
            elif act.kind == "set":
                by_mode.setdefault(mode, {})[act.path] = act.value
            else:
                about[act.kind] = (act.path, act.value)
        if i < len(x.read):
            # Where the menu was looked at, it says so itself.
            mode = str(x.read[i].stands.get(x.shown.menu.mode_path, mode))
    return Stood(mode, by_mode, about)


def to_do(x: OpenExperiment, acts: Sequence[Act], until: int) -> list[Act]:
    """The acts that change anything, after the stages before."""
    before = stood(x, until)
    modes, mode, menu = before.by_mode, before.mode, x.shown.menu
    needed = []
    for act in acts:
        if act.kind == "mode":
            if act.value != mode:
                needed.append(act)
            mode = str(act.value)
            continue
        if act.kind != "set":
            if before.about.get(act.kind) != (act.path, act.value):
                needed.append(act)
            before.about[act.kind] = (act.path, act.value)
            continue
        known = modes.setdefault(mode, {})
        if act.path not in known:
            # Before anything was entered, the setup stands there, and modes at their defaults.
            own = x.row.question.get("state", {}) if mode == x.setup.mode else {}
            try:
                default = menu.defaults(menu.mode(mode, x.setup.signal)).get(act.path)
            except MenuError:
                default = None
            known[act.path] = own.get(act.path, "" if default is None else default)
        if known[act.path] != act.value:
            needed.append(act)
        known[act.path] = act.value
    return needed
