"""What measuring cells would take: setups as the unit knows them, expected times, plans by unit."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import BadInputError
from lumenar.bench.panel_timing import PANEL_TIMINGS, PanelTiming
from lumenar.bench.plan import Cell, Plan, plan_run
from lumenar.bench.runner_port import SetupState
from lumenar.bench.stated_meter import LUMINANCE, StatedMeter
from lumenar.core.colour.transfer import pq_inverse
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.menu.menu import Menu
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat, format_from
from lumenar.core.targets import Anchor, resolve
from lumenar.store import conditions, corrections, reviews, runs
from lumenar.store.conditions import ConditionRow
from lumenar.store.plans import NewPatch
from lumenar.store.reviews import SetupRow, UnitRow
from lumenar.store.runs import AsMeasured, NewRun

LEAST_CD_M2 = 50.0
"""A white in PQ that is darker than this was no white."""
GRIDS = ((3, 3), (5, 5), (7, 5))


@dataclass(frozen=True, kw_only=True)
class Options:
    """How a run is to be made: what its measurements may be asked to do otherwise, and how the bench treats the panel.

    None leaves a habit as the panel type has it.
    """

    grid: tuple[int, int] = (5, 5)
    grey_step: float = 5.0
    hold_s: float = 180.0
    hold_area: float = 0.0
    hold_grey: float = 100.0
    peak_s: float = 120.0
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

    def habits(self, panel: str) -> PanelTiming:
        """The bench's habits for a panel type, with what was asked otherwise."""
        asked = {k: getattr(self, k) for k in ("settle_s", "rest_every", "rest_s", "reference_every_s")}
        return replace(PANEL_TIMINGS[panel], **{k: v for k, v in asked.items() if v is not None})


RANGES: dict[str, tuple[float, float]] = {
    "grey_step": (1, 25),
    "hold_s": (60, 1800),
    "hold_area": (0, 1),
    "hold_grey": (10, 100),
    "peak_s": (2, 120),
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
    habits: PanelTiming


@dataclass
class Planner:
    """Plans for one review."""

    app: Application
    review_id: int
    options: Options = field(default_factory=Options)
    luminance_alone: bool = False
    """Whether the meter shows no colour, so that only what rests on luminance can be measured."""
    left_out: list[str] = field(default_factory=list)
    _contexts: dict[int, Context] = field(default_factory=dict)

    @cached_property
    def _rooms(self) -> dict[int, ConditionRow]:
        return conditions.of_review(self.app.db.connection(), self.review_id)

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
            shown = display(self.app, unit_id)
            row = shown.row
            cells = [
                c for c in ordered if setups[c.setup].unit_id == unit_id and self._possible(shown, setups[c.setup], c)
            ]
            if not cells:
                continue
            own = {s: setups[s] for s in dict.fromkeys(c.setup for c in cells)}
            estimate = Estimate(self.app, shown, own)
            habits = self.options.habits(row.panel)
            plan = plan_run(cells, lambda s, d=shown: self._context(d, setups[s]), habits, estimate.seconds)  # type: ignore[misc]
            plan = shown.station.timed(plan)
            if plan.patches:
                made.append(UnitPlan(unit_id, row.firmware, plan, own, habits))
        self.left_out = list(dict.fromkeys(self.left_out))
        if not made:
            raise BadInputError("cells", f"There is nothing to measure. {' '.join(self.left_out)}".strip(), "cells")
        return made

    def _possible(self, shown: Display, setup: SetupRow, cell: Cell) -> bool:
        """Whether a cell has patches that suffice for its figures; why not is kept to be told."""
        m = MEASUREMENTS[cell.measurement]
        if setup.signal not in m.signals:
            self.left_out.append(f"{m.title} of {setup.name}: it is not for the signal {setup.signal}.")
            return False
        if self.luminance_alone and not shown.can.reads and not m.luminance_alone:
            self.left_out.append(f"{m.title} of {setup.name}: it needs colour, and the meter shows luminance alone.")
            return False
        if reason := self._beyond(shown, setup):
            self.left_out.append(f"{setup.name}: {reason}.")
            return False
        patches = m.patches(self._context(shown, setup))
        if not shown.can.traces and any(p.reads != "XYZ" for p in patches):
            self.left_out.append(
                f"{m.title} of {setup.name}: a meter that only shows numbers gives no {patches[0].reads}."
            )
            return False
        if len(patches) >= max(m.least, 1):
            return True
        control = shown.menu.luminance_control
        reason = f"it needs {m.least // 2} positions of the luminance control"
        if control is None:
            reason += ", and the unit has none"
        elif control.path in shown.menu.mode(setup.mode, setup.signal).locks:
            reason += f", and the mode locks {control.path}"
        else:
            reason += f", and {control.path} has {len(patches) // 2}"
        self.left_out.append(f"{m.title} of {setup.name}: {reason}.")
        return False

    def _beyond(self, shown: Display, setup: SetupRow) -> str:
        """What a setup asks for that cannot be had on the bench, empty where nothing is."""
        light = condition_of(shown, setup, self._rooms) or {}
        return shown.station.beyond(light, format_of(shown.row, setup), usual_format(shown.row))

    def _context(self, shown: Display, setup: SetupRow) -> Context:
        """What a setup's patches depend on; asked for by every cell, so found once."""
        if setup.id not in self._contexts:
            self._contexts[setup.id] = self._context_of(shown, setup)
        return self._contexts[setup.id]

    def _context_of(self, shown: Display, setup: SetupRow) -> Context:
        menu = shown.menu
        mode = menu.mode(setup.mode, setup.signal)
        signal = format_of(shown.row, setup)
        return Context(
            luminance_levels=menu.luminance_levels(mode),
            target=resolve(setup.target),
            bits=int(signal["bits"]),
            grid=self.options.grid,
            grey_step=self.options.grey_step,
            hold_s=self.options.hold_s,
            hold_area=self.options.hold_area,
            hold_grey=self.options.hold_grey,
            peak_s=self.options.peak_s,
            sum_levels=self.options.sum_levels,
            fine_black=self.options.fine_black,
            limited=signal["range"] == "limited",
            top=self._top(shown, setup),
            modulation_levels=menu.modulation_levels(mode),
        )

    def _top(self, shown: Display, setup: SetupRow) -> float:
        """The signal that asks for all light a setup has, as it was read last; all of the signal where it is not absolute, or
        nobody read it."""
        if setup.signal != "pq":
            return 1.0
        read = runs.last_signature(self.app.db.connection(), setup.id, settings_text(setup), shown.row.firmware)
        return float(pq_inverse(read[0][1])) if read and read[0][1] > LEAST_CD_M2 else 1.0


def settings_of(menu: Menu, setup: SetupRow) -> dict[str, float | str]:
    """Every value that is known in a setup, its mode's defaults with the setup's changes, in an order in which they can be
    entered so that none undoes another."""
    mode = menu.mode(setup.mode, setup.signal)
    changes = {path: setup.changes[path] for path in menu.order(mode, setup.changes)}
    return {**{p: v for p, v in menu.defaults(mode).items() if p not in changes}, **changes}


def signal_of(row: UnitRow, setup: SetupRow) -> SignalFormat:
    """A setup's signal as a source sends it."""
    return format_from(setup.signal, format_of(row, setup))


def format_of(row: UnitRow, setup: SetupRow) -> dict[str, Any]:
    """A setup's signal: what it says, else the unit's usual."""
    return {**usual_format(row), **setup.format}


def usual_format(row: UnitRow) -> dict[str, Any]:
    """The signal that a unit usually gets."""
    return {"range": row.signal_range, "bits": row.bits}


def condition_of(shown: Display, setup: SetupRow, rooms: Mapping[int, ConditionRow]) -> dict[str, Any] | None:
    """The light in which a setup is measured, of its review's light states; where none is stated, the one that its bench is
    in."""
    if setup.condition_id is None:
        return None if shown.station.light is None else dict(shown.station.light)
    held = rooms[setup.condition_id]
    known: dict[str, Any] = {"lux": held.lux, "label": held.label, "automatic": []}
    return known | ({"note": held.note} if held.note else {})


def settings_text(setup: SetupRow) -> str:
    """A setup's changes from default as the text that runs remember it by."""
    return json.dumps(setup.changes, sort_keys=True)


def meters_before(
    app: Application, shown: Display, hand_meter: StatedMeter | None = None
) -> tuple[dict[str, dict[str, Any]], int | None]:
    """The meters that stand before a display now, by what they read, as whatever is read remembers them; and the number of the
    correction in force."""
    meter = shown.station.meters(hand_meter)
    light = meter["XYZ"]
    # A matrix needs all three of X, Y and Z.
    if light.get("kind") == LUMINANCE:
        return meter, None
    found = corrections.newest(app.db.connection(), shown.row.panel, light["name"], light.get("serial", ""))
    return meter, None if found is None else found.id


def new_run(
    app: Application,
    review_id: int,
    unit_id: int,
    setups: Sequence[SetupRow],
    habits: PanelTiming,
    warm_up: bool,
    patches: Sequence[NewPatch],
    hand_meter: StatedMeter | None = None,
) -> NewRun:
    """A run to be stored: with the meters, room, correction and firmware as they are now, and all values of its setups."""
    shown = display(app, unit_id)
    rooms = conditions.of_review(app.db.connection(), review_id)
    row = shown.row
    meter, correction = meters_before(app, shown, hand_meter)
    return NewRun(
        review_id=review_id,
        unit_id=unit_id,
        created_at=now(),
        firmware=row.firmware,
        meters=meter,
        # A person keeps to no rule of the bench.
        habits=asdict(habits) if shown.can.alone else {},
        correction_id=correction,
        warm_up=warm_up,
        setups={
            s.id: AsMeasured(
                settings_text(s), settings_of(shown.menu, s), condition_of(shown, s, rooms), format_of(row, s), s.target
            )
            for s in setups
        },
        patches=patches,
        state="queued" if shown.can.alone else "waiting",
    )


def setup_states(app: Application, review_id: int, unit_id: int) -> dict[int, SetupState]:
    """What each setup of a unit needs of it, with the signature of its last run."""
    shown = display(app, unit_id)
    row, db, luminance = shown.row, app.db.connection(), shown.menu.luminance_control
    return {
        setup.id: SetupState(
            key=setup.id,
            name=setup.name,
            mode=setup.mode,
            settings=settings_of(shown.menu, setup),
            luminance_control=luminance.path if luminance else None,
            signature=runs.last_signature(db, setup.id, settings_text(setup), row.firmware),
            format=signal_of(row, setup),
        )
        for setup in reviews.setups_of(db, review_id)
        if setup.unit_id == unit_id
    }


USUAL_WHITE_CD_M2 = 200.0
"""White of a setup that nobody has read yet, for how long it will take to read."""
USUAL_CONTRAST = 2000.0


class Estimate:
    """Reading times expected of a display's setups, by what its meters say of themselves."""

    def __init__(self, app: Application, shown: Display, setups: dict[int, SetupRow]) -> None:
        self._app, self._shown, self._setups = app, shown, setups

    def _white(self, setup: SetupRow) -> float:
        """A setup's white in cd/m2 as it was read last with these settings, else a usual one."""
        read = runs.last_signature(self._app.db.connection(), setup.id, settings_text(setup), self._shown.row.firmware)
        return float(read[0][1]) if read else USUAL_WHITE_CD_M2

    def seconds(self, setup: int, patches: Sequence[Patch]) -> list[float]:
        """Expected integration times of patches; by hand, the time it takes a person to show, read and type one."""
        row = self._setups[setup]
        white = self._white(row)
        # What the meter looks at: the black field of a checkerboard turned round.
        lit = np.array([(0.0,) * 3 if p.pattern == "checker_inverse" else p.rgb for p in patches]).reshape(-1, 3)
        anchor = Anchor(np.array(white), np.array(white / USUAL_CONTRAST))
        Y = resolve(row.target).XYZ(np.clip(lit, 0, 1), anchor)[:, 1]
        return self._shown.station.reading_s(patches, Y)
