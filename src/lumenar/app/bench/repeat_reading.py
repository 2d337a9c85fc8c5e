"""Any one patch read again: two more readings of it in the same state, so that the median of three counts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.runs.planning import setup_states
from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.plan import Cell
from lumenar.bench.ports import BelowFloorError, InstrumentError, SaturatedError
from lumenar.core.readings.patches import Outcome, Patch, code_of
from lumenar.store import manual_runs, readings, runs
from lumenar.store.readings import NewReading

AGAIN = 2


@dataclass(frozen=True)
class CellPatches:
    """The patches of a cell; message: why the last attempt to read one of them again came to nothing, empty where it did not."""

    patches: list[ReadPatch]
    message: str


@dataclass(frozen=True)
class ReadPatch:
    """A patch of a cell with all that was read of it: Y in cd/m2 as read, None where it was no number."""

    run: int
    patch: int
    code: str
    place: str
    Y: list[float | None]


def patches_of(app: Application, review_id: int, setup_id: int, measurement: str) -> list[ReadPatch]:
    """The patches of a cell's newest complete run. NotFoundError where it was not measured."""
    cells.setup_of(app, review_id, setup_id)
    row = cells.newest(app, review_id).complete.get(Cell(setup_id, measurement))
    if row is None:
        raise NotFoundError("cell", f"{measurement} of setup {setup_id} was not measured.")
    db = app.db.connection()
    found: dict[int, ReadPatch] = {}
    for number, patch, Y in readings.by_patch(db, row.run_id, setup_id, measurement):
        made = found.setdefault(number, ReadPatch(row.run_id, number, _code(patch), _place(patch), []))
        made.Y.append(Y)
    return list(found.values())


def _code(patch: Patch) -> str:
    return code_of(patch.rgb, patch.pattern)


def _place(patch: Patch) -> str:
    if patch.zone is not None:
        column, row, *_ = patch.zone
        return f"column {column + 1}, row {row + 1}"
    if patch.level is not None:
        return f"luminance control at {patch.level:g}"
    return f"{100 * patch.window:g} % of the screen"


@dataclass
class _Job:
    review: int
    owner: Reread
    run: int
    patch: int
    kind: Literal["reread"] = "reread"

    def work(self) -> None:
        self.owner.work(self.run, self.patch)

    def leave(self) -> None:
        """It takes two readings; nothing is to be left."""

    def failed(self, error: BaseException) -> bool:
        self.owner.failed(self.run, f"The patch could not be read again ({type(error).__name__}: {error}).")
        return False


class Reread:
    """Reads patches again on the bench, one at a time."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self._failed: tuple[int, str] | None = None

    def failed(self, run_id: int, message: str) -> None:
        """A patch of that run could not be read again."""
        self._failed = run_id, message

    def cell(self, review_id: int, setup_id: int, measurement: str) -> CellPatches:
        """As of `patches_of`, with what became of the last attempt to read one of them again."""
        patches = patches_of(self.app, review_id, setup_id, measurement)
        run, message = self._failed or (0, "")
        return CellPatches(patches, message if patches and patches[0].run == run else "")

    def start(self, run_id: int, patch_id: int) -> None:
        """Begin; it works on the bench in its thread. ConflictError while the bench is in use, the run is by hand or is not
        over, or the setup is no longer as it was; BadInputError for a patch that is held for some time."""
        db = self.app.db.connection()
        run = runs.get(db, run_id)
        row = None if run is None else next((r for r in manual_runs.rows(db, run_id) if r.id == patch_id), None)
        if run is None or row is None:
            raise NotFoundError("patch", f"Run {run_id} has no patch {patch_id}.")
        if manual_runs.is_by_hand(db, run_id):
            raise ConflictError(
                "by-hand", "This run was read by hand: take the reading back on its list and type it anew."
            )
        if run.state not in ("done", "stopped"):
            raise ConflictError("run-in-progress", "The run is not over; let it finish or stop it first.")
        if row.patch.at_s is not None or row.patch.reads != "XYZ":
            raise BadInputError(
                "patch", "A held patch, a waveform or a spectrum is measured again as a whole.", "patch"
            )
        newest = cells.newest(self.app, run.review_id)
        held = [c for c, r in newest.complete.items() if r.run_id == run_id and c.setup == row.setup_id]
        if any(c in newest.stale for c in held):
            raise ConflictError(
                "stale", f"The setup is not as it was: {newest.stale[held[0]]}. Measure the cell again."
            )
        self._failed = None
        self.bench.occupancy.take(_Job(run.review_id, self, run_id, patch_id))
        self.bench.live.tell()

    def work(self, run_id: int, patch_id: int) -> None:
        """Two readings of the patch, each kept as it comes."""
        db = self.app.db.connection()
        run = runs.get(db, run_id)
        row = next((r for r in manual_runs.rows(db, run_id) if r.id == patch_id), None)
        if run is None or row is None:
            return
        bench = self.bench.equipment.assemble(run.unit_id, 104_729 + patch_id)
        state = setup_states(self.app, run.review_id, run.unit_id)[row.setup_id]
        bench.enter(state.wanted, state.format)
        if row.patch.level is not None and state.luminance_control is not None:
            bench.remote.apply(state.luminance_control, row.patch.level)
        habits = PANEL_TIMINGS[display(self.app, run.unit_id).row.panel]
        first = readings.attempts(db, patch_id) + 1
        for attempt in range(first, first + AGAIN):
            bench.source.show(row.patch)
            self.bench.live.shown(_code(row.patch), row.patch.rgb, _place(row.patch), state.name)
            bench.clock.sleep(habits.settle_s + habits.large_step_s)
            try:
                read = bench.read(row.patch)
                new = NewReading(
                    patch_id=patch_id,
                    attempt=attempt,
                    outcome="ok",
                    XYZ=read.XYZ,
                    exposure_s=read.exposure_s,
                    at_s=bench.clock.now(),
                    read_at=now(),
                )
            except (BelowFloorError, SaturatedError) as e:
                outcome: Outcome = "below_floor" if isinstance(e, BelowFloorError) else "saturated"
                new = NewReading(
                    patch_id=patch_id,
                    attempt=attempt,
                    outcome=outcome,
                    XYZ=None,
                    exposure_s=None,
                    at_s=bench.clock.now(),
                    read_at=now(),
                )
            except InstrumentError as e:
                self.failed(run_id, f"{e}. {e.advice}")
                break
            with self.app.db.transaction() as writing:
                readings.add(writing, new)
                manual_runs.drop_figures(writing, run_id)
            self.app.forget()
        self.bench.live.tell()
