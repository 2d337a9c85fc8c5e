"""Tunings: what they are, what comes next in them, and what a person does in one. Where a remote enters values, the bench carries
them out (`tuning_bench`); elsewhere a person enters and types. Every attempt is committed before the next is proposed, and what
comes next follows from the attempts, so that an interrupted session goes on where it stood."""

from __future__ import annotations

import logging
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import TypeVar

import numpy as np

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError, UserError
from lumenar.app.figures import cells
from lumenar.app.runs.planning import meters_before, settings_of
from lumenar.app.setups import setups
from lumenar.core.colour.correction import corrected
from lumenar.core.measurements import brightness_ladder, white_black
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.menu.menu import Mode
from lumenar.core.readings.patches import Patch
from lumenar.core.scoring.rubric import LEAST_CD_M2, MOST_CD_M2
from lumenar.core.targets import resolve
from lumenar.core.tuning import session
from lumenar.core.tuning.base import Attempt, Noise
from lumenar.core.tuning.goals import CHOSEN, FAITHFUL, GOALS
from lumenar.core.tuning.plan import Tried, TuningPlan
from lumenar.core.tuning.session import Finished, Outcome, TuningStep
from lumenar.store import corrections, reviews, tunings
from lumenar.store.reviews import SetupRow
from lumenar.store.tunings import AttemptRow, TuningRow, TuningState

log = logging.getLogger("lumenar.tuning")
T = TypeVar("T")


@dataclass(frozen=True)
class Wish:
    """What to tune. goals: in any order; if empty, all that bring the mode closer to its target. luminance: of white in cd/m2,
    None to keep it. target: a key, None for the setup's own. purpose: what the result is for, None if not given."""

    goals: Sequence[str] = ()
    luminance: float | None = None
    target: str | None = None
    purpose: str | None = None


def wish_for(app: Application, setup: SetupRow, purpose: str) -> Wish:
    """What a setup is tuned to for a purpose: its target, its luminance of white, and the goals whose figures it weighs.
    NotFoundError where there is no such purpose."""
    p = app.rubric.purposes.get(purpose)
    if p is None:
        raise NotFoundError("purpose", f"There is no purpose {purpose!r}.")
    lit = ("luminance",) if p.luminance is not None else ()
    weighed = [f for f, w in p.weights.items() if w > 0]
    goals = (*session.goals_for(weighed), *lit)
    if session.RAISES_BLUE in weighed and not any(
        f.startswith(white_black.MEASUREMENT.named("white_de")) for f in weighed
    ):
        # A warm white is the point of such a purpose: tuned to the target's white it would have more blue.
        goals = tuple(g for g in goals if g not in ("white", "points"))
    return Wish(tuple(g for g in CHOSEN if g in goals), p.luminance, p.judges_by(setup.target), purpose)


# -- what can be tuned ----------------------------------------------------------------------------------------------


def plan_for(app: Application, shown: Display, setup: SetupRow, wish: Wish) -> TuningPlan:
    target = resolve(wish.target or setup.target)
    return TuningPlan(
        menu=shown.menu,
        mode=shown.menu.mode(setup.mode, setup.signal),
        values=settings_of(shown.menu, setup),
        goals=tuple(wish.goals),
        target=target,
        luminance=wish.luminance,
        noise=Noise(),
        ladder=_ladder(app, setup),
    )


def _ladder(app: Application, setup: SetupRow) -> tuple[tuple[float, float], ...]:
    """Values of the luminance control with what white had, where a ladder was measured."""
    for cell, row in cells.newest(app, _review_of(app, setup)).complete.items():
        if cell.setup == setup.id and cell.measurement == brightness_ladder.MEASUREMENT.key:
            figures = cells.tried(app, row, resolve(setup.target), setup.target)
            if not isinstance(figures, str):
                f = figures.figures
                return tuple(zip(map(float, f["settings"]), map(float, f["white_cd_m2"]), strict=True))
    return ()


def _review_of(app: Application, setup: SetupRow) -> int:
    found = reviews.setup(app.db.connection(), setup.id)
    if found is None:
        raise NotFoundError("setup", f"There is no setup {setup.id}.")
    return found[1]


def begin(app: Application, review_id: int, setup_id: int, wish: Wish) -> int:
    """A tuning of a setup is stored. BadInputError where a goal is unknown, a luminance makes no sense, or nothing of it can be
    tuned; ConflictError where another of the same display is open."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    for g in wish.goals:
        if g not in CHOSEN:
            raise BadInputError("goal", f"There is no goal {g!r}; known are {', '.join(CHOSEN)}.", "goals")
    if wish.luminance is not None and not LEAST_CD_M2 <= wish.luminance <= MOST_CD_M2:
        raise BadInputError(
            "luminance", f"White has {LEAST_CD_M2:g} to {MOST_CD_M2:,.0f} cd/m², not {wish.luminance:g}.", "luminance"
        )
    if wish.target is not None:
        cells.target_of(wish.target, setup.signal)
    if wish.purpose is not None and wish.purpose not in app.rubric.purposes:
        known = ", ".join(app.rubric.purposes)
        raise BadInputError("purpose", f"There is no purpose {wish.purpose!r}; known are {known}.", "purpose")
    whole = replace(wish, goals=wish.goals or FAITHFUL)
    plan = plan_for(app, shown, setup, whole)
    open_goals = [g for g, why in session.possible(plan).items() if not why and g in plan.goals]
    if not open_goals:
        reasons = " ".join(dict.fromkeys(why for g, why in session.possible(plan).items() if g in plan.goals))
        raise BadInputError("goal", f"{setup.name} cannot be tuned for this. {reasons}", "goals")
    meter, correction = meters_before(app, shown)
    row = TuningRow(
        id=0,
        review_id=review_id,
        setup_id=setup_id,
        begun=plan.values,
        goals=[g for g in CHOSEN if g in open_goals],
        target=wish.target or setup.target,
        luminance=wish.luminance,
        ladder=plan.ladder,
        meter=meter["XYZ"],
        correction_id=correction,
        firmware=shown.row.firmware,
        state="working" if shown.can.alone else "waiting",
        message="",
        created_at=now(),
        result_id=None,
        purpose=wish.purpose,
    )
    with app.db.transaction() as writing:
        # Looked at while nobody else can write, so that two requests at once make one tuning.
        units = {s.id: s.unit_id for s in reviews.setups_of(writing, review_id)}
        if any(units.get(other.setup_id) == setup.unit_id for other in tunings.open_ones(writing)):
            raise ConflictError("tuning-open", f"{shown.row.name} is being tuned already; end that one first.")
        return tunings.add(writing, row)


# -- what comes next ------------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class OpenTuning:
    """A tuning with what it works on."""

    row: TuningRow
    setup: SetupRow
    shown: Display
    plan: TuningPlan
    mode: Mode
    stored: list[AttemptRow]

    matrix: Sequence[Sequence[float]] | None = None

    @cached_property
    def tried(self) -> list[Tried]:
        """The attempts that count."""
        return [tried_of(a, self.matrix) for a in self.stored if not a.dropped]

    @cached_property
    def following(self) -> TuningStep | Finished:
        """What comes next. If nothing can be made of the readings, the tuning ends there and says so: it can still be looked at,
        gone back in and ended."""
        return sound(lambda: session.following(self.plan, self.tried), self._at_a_loss())

    def _at_a_loss(self) -> TuningStep | Finished:
        goal = self.tried[-1].goal if self.tried else self.plan.goals[0]
        said = (
            "The readings of the last attempt make no sense together. Go back to an earlier attempt, or end the tuning."
        )
        return Finished(dict(self.plan.values), (Outcome(goal, said, unreached=True),))


def sound(work: Callable[[], T], otherwise: T) -> T:
    """What the solvers make of attempts; something else if readings that make no sense stop them, so that a tuning that has such
    readings can always be opened."""
    try:
        return work()
    except (ValueError, ArithmeticError, LookupError, TypeError):
        log.warning("the attempts of a tuning make no sense together", exc_info=True)
        return otherwise


def tried_of(a: AttemptRow, matrix: Sequence[Sequence[float]] | None) -> Tried:
    XYZ = np.array([(np.nan,) * 3 if v is None else v for v in a.XYZ], float)
    if matrix is not None:
        XYZ = corrected(XYZ, matrix)
    patches = tuple(Patch((p[0], p[1], p[2])) for p in a.patches)
    return Tried(
        a.goal, Attempt(stage=a.stage, values=a.entered, patches=patches, XYZ=XYZ, sure=a.proposed is not None)
    )


def opened(app: Application, tuning_id: int) -> OpenTuning:
    """A tuning by its number. NotFoundError where there is none; ConflictError where the menu no longer is what it was."""
    db = app.db.connection()
    row = tunings.get(db, tuning_id)
    if row is None:
        raise NotFoundError("tuning", f"There is no tuning {tuning_id}.")
    setup = cells.setup_of(app, row.review_id, row.setup_id)
    shown = display(app, setup.unit_id)
    try:
        mode = shown.menu.mode(setup.mode, setup.signal)
    except MenuError as e:
        raise ConflictError("menu", f"The mode that was tuned is gone from the menu: {e}.") from e
    gone = [p for p in row.begun if p not in shown.menu.by_path]
    moved = {p for a in tunings.attempts(db, tuning_id) for p in a.entered}
    if lost := [p for p in gone if p in moved]:
        raise ConflictError(
            "menu", f"{lost[0]} is gone from the menu or called otherwise; end this tuning and begin anew."
        )
    correction = None if row.correction_id is None else corrections.get(db, row.correction_id)
    values = {p: v for p, v in row.begun.items() if p not in gone}
    noise = Noise(float(row.meter.get("repeatability", 0.002)), float(row.meter.get("absolute", 0.001)))
    ladder = tuple((float(v), float(Y)) for v, Y in row.ladder)
    plan = TuningPlan(
        menu=shown.menu,
        mode=mode,
        values=values,
        goals=tuple(row.goals),
        target=resolve(row.target),
        luminance=row.luminance,
        noise=noise,
        ladder=ladder,
    )
    return OpenTuning(
        row=row,
        setup=setup,
        shown=shown,
        plan=plan,
        mode=mode,
        stored=tunings.attempts(db, tuning_id),
        matrix=None if correction is None else correction.matrix,
    )


def commit(
    app: Application, tuning: OpenTuning, step: TuningStep, XYZ: Sequence[Sequence[float] | None], at_s: float
) -> int:
    """An attempt was entered and read: XYZ of each patch as read, None under the meter's floor. Returns its number.

    ConflictError if the tuning has gone on since it was opened: another attempt, or another state; nothing is stored then.
    """
    expected = step.proposal.expected
    row = AttemptRow(
        id=0,
        tuning_id=tuning.row.id,
        number=0,
        goal=step.goal,
        stage=step.proposal.stage,
        why=step.proposal.why,
        entered=dict(step.proposal.values),
        proposed=None,
        patches=[list(p.rgb) for p in step.proposal.patches],
        XYZ=[None if v is None else [float(c) for c in v] for v in XYZ],
        expected=None if expected is None else float(expected[0, 1]),
        read_at=now(),
        at_s=at_s,
        dropped=0,
    )
    with app.db.transaction(of=tuning.row.review_id) as db:
        present = tunings.get(db, tuning.row.id)
        # The bench may have been told to pause meanwhile; what it has read counts all the same.
        ended = present is None or (not tuning.shown.can.alone and present.state != tuning.row.state)
        if ended or tunings.attempts(db, tuning.row.id) != tuning.stored:
            raise ConflictError("tuning", GONE_ON)
        return tunings.add_attempt(db, row)


def recover(app: Application) -> None:
    """Finish the tunings in which nothing was left to try when the process ended: their last attempt was stored, their end was
    not."""
    for row in tunings.open_ones(app.db.connection()):
        try:
            t = opened(app, row.id)
        except UserError:
            # Its view says what is in the way.
            continue
        if t.tried and isinstance(t.following, Finished):
            set_state(app, row.id, "found")


def set_state(app: Application, tuning_id: int, state: TuningState, message: str = "") -> None:
    """A tuning is in another state."""
    with app.db.transaction(of=0) as db:
        tunings.set_state(db, tuning_id, state, message)


def to_enter(menu_owner: OpenTuning, values: Mapping[str, Value]) -> dict[str, Value]:
    """All values of a state in an order in which none undoes another. ConflictError names what cannot be had."""
    menu, mode = menu_owner.shown.menu, menu_owner.mode
    defaults = menu.defaults(mode)
    changes = {p: v for p, v in values.items() if v != defaults.get(p)}
    try:
        ordered = menu.order(mode, changes)
    except MenuError as e:
        raise ConflictError("menu", f"These values cannot all be entered: {e}.") from e
    # What resets others comes first even at its default, as it may stand otherwise now.
    first = [c.path for c in menu.controls if c.resets and c.path in values and c.path not in ordered]
    rest = [p for p in values if p not in ordered and p not in first]
    return {p: values[p] for p in (*first, *ordered, *rest)}


# -- what it comes to ---------------------------------------------------------------------------------------------------


def best_so_far(t: OpenTuning) -> dict[str, Value]:
    """Values of the goals that are done, and of the one under way its best attempt's: what a tuning that is stopped leaves."""
    # What was entered wrongly is no state to go back to: nobody knows what it was.
    doubted: Collection[int] = sound(lambda: session.doubts(t.plan, t.tried), {})
    tried = [x for i, x in enumerate(t.tried) if i not in doubted]
    values = dict(t.plan.values)
    for goal in dict.fromkeys(x.goal for x in tried):
        own = [x for x in tried if x.goal == goal]
        figures = [sound(partial(session.figure, t.plan, x), np.nan) for x in own]
        known = [(f, i) for i, f in enumerate(figures) if np.isfinite(f)]
        # Stages of one goal look at different greys, so only the last one's figures are compared.
        last = own[-1].attempt.stage
        known = [(f, i) for f, i in known if own[i].attempt.stage == last] or known
        chosen = own[min(known)[1]] if known and not GOALS[goal].last_counts else own[-1]
        values.update(chosen.attempt.values)
    return values


def final_values(t: OpenTuning) -> dict[str, Value]:
    """All values that a tuning ends with, or would end with now."""
    end = t.following
    return dict(end.values) if isinstance(end, Finished) else best_so_far(t)


# -- what a person does ---------------------------------------------------------------------------------------------


GONE_ON = "The tuning has gone on meanwhile; look at it again. Nothing was stored."


def next_number(t: OpenTuning) -> int:
    """The number that the next attempt will have."""
    return 1 + max((a.number for a in t.stored), default=0)


NAMES = {(1.0, 0.0, 0.0): "red", (0.0, 1.0, 0.0): "green", (0.0, 0.0, 1.0): "blue"}


def name_of(patch: Patch) -> str:
    """How a person calls a patch: the primaries by their names, the others by their signals."""
    return NAMES.get(patch.rgb, patch.code)


def keep(app: Application, tuning_id: int, name: str) -> int:
    """What was found becomes a setup, a row on the Board. ConflictError where nothing was found that differs."""
    t = opened(app, tuning_id)
    if t.row.state not in ("found", "stopped"):
        raise ConflictError("tuning", "Nothing can be kept of this tuning: it is still going on, or was kept already.")
    changed = {p: v for p, v in final_values(t).items() if v != t.plan.values.get(p)}
    if not changed:
        raise ConflictError("tuning", f"{t.setup.name} is as good as it gets: nothing was found that differs from it.")
    made = setups.add(app, t.row.review_id, t.row.setup_id, name, setups.Edit(values={**changed}, target=t.row.target))
    with app.db.transaction() as db:
        tunings.keep(db, tuning_id, made)
    return made
