"""What measuring cells would take: setups as the unit knows them, expected times, plans by unit."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace

import numpy as np

from lumenar.bench.habits import HABITS, Habits
from lumenar.bench.plan import Cell, Plan, plan_run
from lumenar.bench.runner import SetupState
from lumenar.bench.simulated.meter import BY_READS, COLORIMETER, DARK_ROOM, WAVEFORM_S, exposure_s, spectral_exposure_s
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings import Patch
from lumenar.core.targets import TARGETS, Anchor
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.errors import BadInputError
from lumenar.service.units import unit_by_id
from lumenar.store import corrections, reviews, runs
from lumenar.store.reviews import SetupRow
from lumenar.store.runs import NewPatch, NewRun

GRIDS = ((3, 3), (5, 5), (7, 5))


@dataclass(frozen=True)
class Options:
    """How a run is to be made: what its measurements may be asked to do otherwise, and how the bench treats the panel.

    None leaves a habit as the panel type has it.
    """

    grid: tuple[int, int] = (5, 5)
    grey_step: float = 5.0
    hold_s: float = 180.0
    sum_levels: int = 4
    fine_black: bool = False
    warm_up: bool = False
    settle_s: float | None = None
    rest_every: int | None = None
    rest_s: float | None = None
    reference_every_s: float | None = None

    def __post_init__(self) -> None:
        if self.grid not in GRIDS:
            known = ", ".join(f"{c}x{r}" for c, r in GRIDS)
            raise BadInputError("grid", f"The uniformity grid is one of {known}.", "grid")
        for name, (low, high) in RANGES.items():
            value = getattr(self, name)
            if value is not None and not low <= value <= high:
                raise BadInputError("options", f"{name} lies within {low:g} and {high:g}, not {value:g}.", name)

    def habits(self, panel: str) -> Habits:
        """The bench's habits for a panel type, with what was asked otherwise."""
        asked = {k: getattr(self, k) for k in ("settle_s", "rest_every", "rest_s", "reference_every_s")}
        return replace(HABITS[panel], **{k: v for k, v in asked.items() if v is not None})


RANGES: dict[str, tuple[float, float]] = {
    "grey_step": (1, 25),
    "hold_s": (60, 1800),
    "sum_levels": (1, 10),
    "settle_s": (0, 30),
    "rest_every": (0, 200),
    "rest_s": (0, 120),
    "reference_every_s": (0, 3600),
}


@dataclass(frozen=True)
class UnitPlan:
    """The plan of one unit's cells, with its setups and the bench's habits for its panel."""

    unit_id: int
    firmware: str
    plan: Plan
    setups: dict[int, SetupRow]
    habits: Habits


@dataclass
class Planner:
    """Plans for one review."""

    app: Application
    review_id: int
    options: Options = field(default_factory=Options)
    left_out: list[str] = field(default_factory=list)

    def checked(self, wanted: Sequence[Cell]) -> list[Cell]:
        """The cells without doubles, in the order of setups; BadInputError for one that is not there."""
        setups = {s.id: s for s in reviews.setups_of(self.app.db.connection(), self.review_id)}
        if not wanted:
            raise BadInputError("cells", "No cells are selected; choose some on the Board.", "cells")
        for i, cell in enumerate(wanted):
            if cell.setup not in setups:
                raise BadInputError("cells", f"Review {self.review_id} has no setup {cell.setup}.", f"cells[{i}].setup")
            if cell.measurement not in MEASUREMENTS:
                raise BadInputError(
                    "cells", f"There is no measurement {cell.measurement!r}.", f"cells[{i}].measurement"
                )
        order = {setup: i for i, setup in enumerate(setups)}
        return sorted(dict.fromkeys(wanted), key=lambda c: order[c.setup])

    def plans(self, wanted: Sequence[Cell]) -> list[UnitPlan]:
        """One plan for each unit that the cells belong to. BadInputError where nothing can be measured."""
        ordered = self.checked(wanted)
        setups = {s.id: s for s in reviews.setups_of(self.app.db.connection(), self.review_id)}
        made = []
        for unit_id in dict.fromkeys(setups[c.setup].unit_id for c in ordered):
            row, file = unit_by_id(self.app, unit_id)
            cells = [
                c for c in ordered if setups[c.setup].unit_id == unit_id and self._possible(file, setups[c.setup], c)
            ]
            if not cells:
                continue
            own = {s: setups[s] for s in dict.fromkeys(c.setup for c in cells)}
            estimate = Estimate(file, own)
            habits = self.options.habits(row.panel)
            plan = plan_run(cells, lambda s, f=file: self._context(f, setups[s]), habits, estimate.seconds)  # type: ignore[misc]
            if plan.patches:
                made.append(UnitPlan(unit_id, row.firmware, plan, own, habits))
        if not made:
            raise BadInputError("cells", f"There is nothing to measure. {' '.join(self.left_out)}".strip(), "cells")
        return made

    def _possible(self, file: UnitFile, setup: SetupRow, cell: Cell) -> bool:
        """Whether a cell has patches that suffice for its figures; why not is kept to be told."""
        m = MEASUREMENTS[cell.measurement]
        if setup.signal not in m.signals:
            self.left_out.append(f"{m.title} of {setup.name}: it is not for the signal {setup.signal}.")
            return False
        patches = m.patches(self._context(file, setup))
        if len(patches) >= max(m.least, 1):
            return True
        control = file.luminance_control
        reason = f"it needs {m.least // 2} positions of the luminance control"
        if control is None:
            reason += ", and the unit has none"
        elif control.path in file.mode(setup.mode).locks:
            reason += f", and the mode locks {control.path}"
        else:
            reason += f", and {control.path} has {len(patches) // 2}"
        self.left_out.append(f"{m.title} of {setup.name}: {reason}.")
        return False

    def _context(self, file: UnitFile, setup: SetupRow) -> Context:
        mode = file.mode(setup.mode)
        return Context(
            luminance_levels=file.luminance_levels(mode),
            target=TARGETS[setup.target],
            bits=file.light.input_bits,
            grid=self.options.grid,
            grey_step=self.options.grey_step,
            hold_s=self.options.hold_s,
            sum_levels=self.options.sum_levels,
            fine_black=self.options.fine_black,
            limited=file.signal_range == "limited",
            modulation_levels=file.modulation_levels(mode),
        )


def settings_of(file: UnitFile, setup: SetupRow) -> dict[str, float | str]:
    """Every control's value in a setup: its mode's defaults with the setup's own changes."""
    return {**file.defaults(file.mode(setup.mode)), **setup.changes}


def settings_text(setup: SetupRow) -> str:
    """A setup's changes from default as the text that runs remember it by."""
    return json.dumps(setup.changes, sort_keys=True)


def new_run(
    app: Application, review_id: int, unit_id: int, setups: Sequence[SetupRow], habits: Habits, warm_up: bool,
    patches: Sequence[NewPatch],
) -> NewRun:  # fmt: skip
    """A run to be stored: with the meters, room, correction and firmware as they are now, and all values of its setups."""
    row, file = unit_by_id(app, unit_id)
    correction = corrections.newest(app.db.connection(), row.panel, COLORIMETER.name)
    return NewRun(
        review_id=review_id,
        unit_id=unit_id,
        created_at=now(),
        firmware=row.firmware,
        meters={reads: asdict(m) for reads, m in BY_READS.items()},
        condition=DARK_ROOM,
        habits=asdict(habits),
        correction_id=correction.id if correction else None,
        warm_up=warm_up,
        setups={s.id: settings_text(s) for s in setups},
        applied={s.id: settings_of(file, s) for s in setups},
        patches=patches,
    )


def setup_states(app: Application, review_id: int, unit_id: int) -> dict[int, SetupState]:
    """What each setup of a unit needs of it, with the signature of its last run."""
    row, file = unit_by_id(app, unit_id)
    db = app.db.connection()
    luminance = file.luminance_control
    return {
        setup.id: SetupState(
            setup.id, setup.name, setup.mode, settings_of(file, setup), luminance.path if luminance else None,
            runs.last_signature(db, setup.id, settings_text(setup), row.firmware),
        )
        for setup in reviews.setups_of(db, review_id)
        if setup.unit_id == unit_id
    }  # fmt: skip


class Estimate:
    """Reading times expected from the setup's target and an honest guess of its white."""

    def __init__(self, file: UnitFile, setups: dict[int, SetupRow]) -> None:
        self._file, self._setups = file, setups

    def _white(self, setup: int, level: float | None) -> float:
        settings = settings_of(self._file, self._setups[setup])
        share = 1.0
        for control in self._file.controls:
            if control.effect == "luminance" and control.table is not None:
                ladder = level is not None and control.role == "luminance"
                x, y = zip(*control.table, strict=True)
                share *= float(
                    np.interp(level if ladder and level is not None else float(settings[control.path]), x, y)
                )
        return share * self._file.light.peak_cd_m2

    def seconds(self, setup: int, patches: Sequence[Patch]) -> list[float]:
        """Expected integration times of patches."""
        target, leak = TARGETS[self._setups[setup].target], self._file.light.leakage
        found = [WAVEFORM_S] * len(patches)
        for level in dict.fromkeys(p.level for p in patches):
            white = self._white(setup, level)
            here = [i for i, p in enumerate(patches) if p.level == level and p.reads != "waveform"]
            shown = np.array([_lit(patches[i]) for i in here]).reshape(-1, 3)
            Y = target.XYZ(np.clip(shown, 0, 1), Anchor(np.array(white), np.array(white * leak)))[:, 1]
            for i, expected in zip(here, Y.tolist(), strict=True):
                if patches[i].reads == "spectrum":
                    found[i] = spectral_exposure_s(white)
                else:
                    bloom = self._file.behaviour.bloom * white if patches[i].pattern == "checker_inverse" else 0.0
                    found[i] = exposure_s(expected + bloom)
        return found


def _lit(patch: Patch) -> tuple[float, float, float]:
    """What the meter looks at: the black field of a checkerboard turned round."""
    return patch.rgb if patch.pattern != "checker_inverse" else (0.0, 0.0, 0.0)
