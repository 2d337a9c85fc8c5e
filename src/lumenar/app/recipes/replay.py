"""Replay a recipe: reset the display, enter the steps literally in their order, read the proof. Where a remote enters values, the
bench does it; elsewhere a person follows the steps and types."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.guided_work import SteeredJob, free_bench
from lumenar.app.bench.patch_reading import read_patches
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.events import Event
from lumenar.app.figures import cells
from lumenar.app.recipes.recipes import written_steps
from lumenar.app.runs.planning import format_of, meters_before, setup_states
from lumenar.bench.panel_timing import CLEAR_S, FIRST_RESTS, PANEL_TIMINGS, SETUP_S
from lumenar.bench.ports import (
    Bench,
    EndedError,
    InstrumentError,
    LiteralRemote,
    OtherSignalError,
    RefusedError,
    Wanted,
)
from lumenar.core.measurements import MEASUREMENTS, Context, first_pass
from lumenar.core.menu.controls import MenuError, Value, text_of
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.typed_readings import Form, parse
from lumenar.core.targets import resolve
from lumenar.store import replays, reviews
from lumenar.store.replays import ReplayRow, ReplayState
from lumenar.store.reviews import SetupRow

GREY_STEP = 10.0
"""A replay reads eleven greys."""


def proof_patches(app: Application, setup: SetupRow) -> list[Patch]:
    """What a replay reads: white, black, eleven greys, corners."""
    row = display(app, setup.unit_id).row
    signal = format_of(row, setup)
    context = Context(
        target=resolve(setup.target),
        bits=int(signal["bits"]),
        grey_step=GREY_STEP,
        limited=signal["range"] == "limited",
    )
    every = [p for m in first_pass(setup.signal) for p in MEASUREMENTS[m].patches(context)]
    within = [p for p in every if all(0 <= v <= 1 for v in p.rgb)]
    return sorted(dict.fromkeys(within), key=lambda p: -sum(p.rgb))


class Replayer:
    """Replays recipes, one at a time."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench

    def start(self, review_id: int, setup_id: int, unit_id: int | None = None) -> int:
        """Begin a replay, on the setup's own sample or another of the review. ConflictError while the bench is in use."""
        setup = cells.setup_of(self.app, review_id, setup_id)
        unit = setup.unit_id if unit_id is None else unit_id
        db = self.app.db.connection()
        if unit not in {u.id for u in reviews.units_of(db, review_id)}:
            raise NotFoundError("unit", f"Review {review_id} has no sample {unit}.")
        shown = display(self.app, unit)
        if shown.can.alone:
            free_bench(self.bench)
        meter, correction = meters_before(self.app, shown)
        row = ReplayRow(
            id=0,
            review_id=review_id,
            setup_id=setup_id,
            unit_id=unit,
            steps=[asdict(s) for s in written_steps(self.app, setup)],
            firmware=shown.row.firmware,
            meter=meter["XYZ"],
            correction_id=correction,
            state="working" if shown.can.alone else "waiting",
            message="",
            patches=[list(p.rgb) for p in proof_patches(self.app, setup)],
            XYZ=[],
            created_at=now(),
            at_s=0.0,
        )
        with self.app.db.transaction() as writing:
            made = replays.add(writing, row)
        if shown.can.alone:
            try:
                self.bench.occupancy.take(self._job(made, review_id))
            except ConflictError:
                self.end(made, "stopped", "The bench is in use; replay it again when it is free.")
                raise
        return made

    def _job(self, replay: int, review: int) -> SteeredJob:
        def failed(said: str) -> None:
            self.end(replay, "stopped", f"{said}; replay it again.")

        return SteeredJob("replay", replay, review, self.work, failed)

    def end(
        self,
        replay: int,
        state: ReplayState,
        message: str,
        XYZ: Sequence[Sequence[float] | None] = (),
        at_s: float = 0.0,
    ) -> None:
        """A replay is over; everyone who watches is told."""
        with self.app.db.transaction(of=0) as db:
            replays.finish(db, replay, state, message, XYZ, at_s)
        self.bench.live.hub.publish(Event("tuning", {"replay": replay, "state": state}))

    def work(self, job: SteeredJob) -> None:
        """The job's work, in the bench's thread."""
        row = row_of(self.app, job.number)
        setup = cells.setup_of(self.app, row.review_id, row.setup_id)
        bench = self.bench.equipment.assemble_for(row.unit_id, 15485863 * job.number, row.correction_id)
        said = self._carried_out(bench, row, setup, job)
        job.over = True
        self.end(job.number, *said)

    def _carried_out(
        self, bench: Bench, row: ReplayRow, setup: SetupRow, job: SteeredJob
    ) -> tuple[ReplayState, str, Sequence[Sequence[float] | None], float]:
        """How it ended: state, message, XYZ of the proof, and when."""
        try:
            if failure := self._entered(bench, row, setup):
                return "failed", failure, (), 0.0
            XYZ = self._read(bench, row, job, setup.name)
        except EndedError:
            return "stopped", "Stopped before all was read; replay it again.", (), 0.0
        except InstrumentError as e:
            return "stopped", f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}", (), 0.0
        return "done", "", XYZ, bench.clock.now()

    def _entered(self, bench: Bench, row: ReplayRow, setup: SetupRow) -> str:
        """Enter the steps once each, in their order, from a factory reset. Returns why it cannot be had, empty where all
        stands."""
        remote = bench.remote
        if not isinstance(remote, LiteralRemote):
            raise InstrumentError("this remote cannot reset the display")
        state = setup_states(self.app, row.review_id, setup.unit_id)[setup.id]
        menu = display(self.app, row.unit_id).menu
        # What is set while SDR shows comes first; the signal itself is sent once it stands.
        ahead = set(menu.ahead(s["path"] for s in row.steps))
        if state.format is not None:
            bench.source.configure(state.format.as_sdr if ahead else state.format)
        remote.reset()
        wanted: dict[str, Value] = {}
        for n, step in enumerate(row.steps, 1):
            if ahead and step["path"] not in ahead and state.format is not None:
                ahead = set()
                try:
                    bench.send(state.format)
                except (RefusedError, OtherSignalError) as e:
                    return f"Before step {n}: {e}."
            # What is set only where the model has the part is set here too where the menu has it.
            if step["kind"] != "set" and (step["kind"] != "only-if" or step["path"] not in menu.by_path):
                continue
            try:
                if step["path"] == menu.mode_path:
                    remote.select(step["value"])
                    continue
                control = menu.control(step["path"])
                value: Value = float(step["value"]) if control.numeric else step["value"]
                remote.apply(step["path"], value)
                wanted[step["path"]] = value
            except (RefusedError, MenuError) as e:
                return f"Step {n}, {step['path']} = {step['value']}: {e}."
        stands: Mapping[str, Value] = bench.remote.enter(Wanted(setup.mode, {})).values
        undone = [p for p, v in wanted.items() if p in stands and stands[p] != v]
        if undone:
            name = menu.short(undone[0])
            now_, then = text_of(stands[undone[0]]), text_of(wanted[undone[0]])
            return f"All was entered, but {name} is {now_}, not {then}: a later step put it back."
        return ""

    def _read(self, bench: Bench, row: ReplayRow, job: SteeredJob, name: str) -> list[Sequence[float] | None]:
        habits = PANEL_TIMINGS[display(self.app, row.unit_id).row.panel]
        bench.clock.sleep(SETUP_S + max(CLEAR_S, FIRST_RESTS * habits.rest_s))
        patches = [Patch((p[0], p[1], p[2])) for p in row.patches]
        return read_patches(
            bench=bench,
            live=self.bench.live,
            patches=patches,
            habits=habits,
            place="replay",
            setup=name,
            stopping=job.stopping,
        )

    def typed_in(self, replay_id: int, form: Form, texts: Sequence[str]) -> None:
        """The proof as a person typed it after the steps were entered, one text a patch. BadInputError names the patch that
        cannot be read; nothing is stored then."""
        row = row_of(self.app, replay_id)
        if row.state != "waiting":
            raise ConflictError("replay", "Nothing is waited for in this replay.")
        if len(texts) != len(row.patches):
            raise BadInputError(
                "readings", f"The proof has {len(row.patches)} patches, {len(texts)} were typed.", "texts"
            )
        if form == "Y":
            raise BadInputError("form", "The proof needs colour: type X Y Z, Y x y or Y u′ v′.", "form")
        XYZ: list[Sequence[float] | None] = []
        for i, (text, p) in enumerate(zip(texts, row.patches, strict=True)):
            try:
                XYZ.append(parse(text, form).XYZ)
            except ValueError as e:
                raise BadInputError(
                    "reading", f"{Patch((p[0], p[1], p[2])).code}: {e}. Nothing was stored.", f"texts.{i}"
                ) from e
        self.end(replay_id, "done", "", XYZ)

    def failed_at(self, replay_id: int, step: int, what: str) -> None:
        """A person could not enter a step: the replay failed there. step counts from 1."""
        row = row_of(self.app, replay_id)
        if row.state != "waiting" or not 1 <= step <= len(row.steps):
            raise ConflictError("replay", "There is no such step to enter in this replay.")
        s = row.steps[step - 1]
        said = " ".join(what.split())[:200] or "it could not be entered"
        self.end(replay_id, "failed", f"Step {step}, {s['path']} = {s['value']}: {said}.")


def row_of(app: Application, replay_id: int) -> ReplayRow:
    row = replays.get(app.db.connection(), replay_id)
    if row is None:
        raise NotFoundError("replay", f"There is no replay {replay_id}.")
    return row
