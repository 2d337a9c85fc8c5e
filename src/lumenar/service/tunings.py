"""Tunings: what they are, what comes next in them, and what a person does in one. On a stand-in the bench carries them out
(`tuning_bench`); with a display of one's own a person enters and types. Every attempt is committed before the next is thought of,
and what comes next follows from the attempts, so that a session that was cut off goes on where it stood."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lumenar.bench.drivers import typed
from lumenar.bench.drivers.simulated import meters
from lumenar.core.colour.correction import corrected
from lumenar.core.colour.spaces import XYZ_to_uv
from lumenar.core.measurements.charts import Chart
from lumenar.core.menu import MenuError, Mode, Value, text_of
from lumenar.core.readings import Patch
from lumenar.core.targets import resolve
from lumenar.core.tuning import session
from lumenar.core.tuning.base import Attempt, Noise
from lumenar.core.tuning.charts import Dot, dot_of
from lumenar.core.tuning.charts import charts as pictures
from lumenar.core.tuning.colours import CHECKED, JUDGED
from lumenar.core.tuning.session import Finished, Plan, Step, Tried
from lumenar.core.tuning.tone import GREYS
from lumenar.core.tuning.white import WHITE
from lumenar.core.typed import Form, parse
from lumenar.service import cells, setups
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.displays import Display, display
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.service.planning import settings_of
from lumenar.store import corrections, reviews, tunings
from lumenar.store.reviews import SetupRow
from lumenar.store.tunings import OPEN, AttemptRow, TuningRow, TuningState

LEAST_CD_M2, MOST_CD_M2 = 1.0, 10_000.0


@dataclass(frozen=True)
class Wish:
    """What is to be tuned: goals in any order, none for all that can be; luminance of white in cd/m2, None where it is to stay;
    target: a key, None for the setup's own."""

    goals: Sequence[str] = ()
    luminance: float | None = None
    target: str | None = None


@dataclass(frozen=True)
class GoalChoice:
    """A goal that can be chosen for a setup. why_not: why it cannot, empty where it can; controls: what it would move."""

    key: str
    title: str
    why_not: str
    controls: list[str]
    readings: int
    """How many readings it takes as a rule."""


@dataclass(frozen=True)
class EntryToMake:
    """One control to set: where it stands, where it is to stand, and how far that is in key presses."""

    path: str
    name: str
    was: str
    value: str
    presses: str


@dataclass(frozen=True)
class PatchToRead:
    """One patch of a step, with what it should read in cd/m2 where that is known."""

    code: str
    rgb: tuple[float, float, float]
    expected: float | None


@dataclass(frozen=True)
class StepView:
    """The next attempt in the words of the menu."""

    number: int
    goal: str
    title: str
    why: str
    entries: list[EntryToMake]
    patches: list[PatchToRead]
    order: list[str]
    """Paths in the order in which they are entered, so that none undoes another."""


@dataclass(frozen=True)
class AttemptView:
    """One attempt. figure: how far it was from its goal, in its goal's unit; Y, u, v: white where it was read."""

    number: int
    goal: str
    title: str
    why: str
    moved: list[str]
    figure: float | None
    unit: str
    Y: float | None
    u: float | None
    v: float | None
    readings: int
    dropped: bool


@dataclass(frozen=True)
class QuestionView:
    """A reading that a wrong entry would explain."""

    number: int
    path: str
    entered: str
    seems: str
    sentence: str


@dataclass(frozen=True)
class OutcomeView:
    """How a goal ended."""

    goal: str
    title: str
    reason: str
    unreached: bool
    skipped: bool


@dataclass(frozen=True)
class SettingView:
    """One value that the result differs by from where it began."""

    path: str
    was: str
    value: str


@dataclass(frozen=True)
class TuningView:
    """A tuning as its view shows it."""

    id: int
    review: int
    setup: int
    setup_name: str
    mode: str
    sample: str
    goals: list[str]
    target: str
    target_title: str
    target_uv: tuple[float, float]
    luminance: float | None
    state: TuningState
    message: str
    by_hand: bool
    step: StepView | None
    question: QuestionView | None
    attempts: list[AttemptView]
    outcomes: list[OutcomeView]
    settings: list[SettingView]
    readings: int
    result: int | None
    result_name: str
    created_at: str
    charts: list[Chart]


NAMES = {(1.0, 0.0, 0.0): "red", (0.0, 1.0, 0.0): "green", (0.0, 0.0, 1.0): "blue"}
UNITS = {"luminance": "%", session.AGAIN: "%", "tone": "L*", "white": "dE", "points": "dE", "colours": "dE"}


# -- what can be tuned ----------------------------------------------------------------------------------------------


def choices(app: Application, review_id: int, setup_id: int) -> list[GoalChoice]:
    """The goals of a setup, with what stands in the way of each."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    plan = _plan(app, shown, setup, Wish(session.GOALS, 120.0))
    return [
        GoalChoice(
            g, session.TITLES[g], why, [c.path for c, _ in session.controls_for(plan, session.KINDS[g])],
            _usual_readings(plan, g, session.KINDS[g]),
        )
        for g, why in session.possible(plan).items()
    ]  # fmt: skip


def _usual_readings(plan: Plan, goal: str, kinds: Sequence[str]) -> int:
    """How many readings a goal takes as a rule, as measured over random displays (`make tuning`)."""
    found = session.controls_for(plan, kinds)
    if goal == "luminance":
        return 2 if plan.ladder else 4
    if goal == "tone":
        return len(GREYS) * sum(6 if c.numeric else len(c.values) for c, _ in found)
    if goal == "colours":
        return 1 + 2 * len(CHECKED) + 6 * len(JUDGED)
    if goal == "points":
        return 3 * len({r.level for _, r in found})
    return 8 + (6 if any(r.kind == "offset" for _, r in found) else 0)


def _plan(app: Application, shown: Display, setup: SetupRow, wish: Wish) -> Plan:
    target = resolve(wish.target or setup.target)
    return Plan(
        shown.menu, shown.menu.mode(setup.mode, setup.signal), settings_of(shown.menu, setup), tuple(wish.goals), target,
        wish.luminance, Noise(), _ladder(app, setup),
    )  # fmt: skip


def _ladder(app: Application, setup: SetupRow) -> tuple[tuple[float, float], ...]:
    """Values of the luminance control with what white had, where a ladder was measured."""
    for cell, row in cells.newest(app, _review_of(app, setup)).complete.items():
        if cell.setup == setup.id and cell.measurement == "brightness_ladder":
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
    if setup.signal != "sdr":
        raise BadInputError("setup", f"{setup.name} is no SDR setup; only these can be tuned.", "setup")
    for g in wish.goals:
        if g not in session.GOALS:
            raise BadInputError("goal", f"There is no goal {g!r}; known are {', '.join(session.GOALS)}.", "goals")
    if wish.luminance is not None and not LEAST_CD_M2 <= wish.luminance <= MOST_CD_M2:
        raise BadInputError(
            "luminance", f"White has {LEAST_CD_M2:g} to {MOST_CD_M2:,.0f} cd/m², not {wish.luminance:g}.", "luminance"
        )
    if wish.target is not None:
        cells.target_of(wish.target, setup.signal)
    whole = replace(wish, goals=wish.goals or session.GOALS)
    plan = _plan(app, shown, setup, whole)
    open_goals = [g for g, why in session.possible(plan).items() if not why and g in plan.goals]
    if not open_goals:
        reasons = " ".join(dict.fromkeys(why for g, why in session.possible(plan).items() if g in plan.goals))
        raise BadInputError("goal", f"{setup.name} cannot be tuned for this. {reasons}", "goals")
    db = app.db.connection()
    units = {s.id: s.unit_id for s in reviews.setups_of(db, review_id)}
    for other in tunings.open_ones(db):
        if units.get(other.setup_id) == setup.unit_id:
            raise ConflictError("tuning-open", f"{shown.row.name} is being tuned already; end that one first.")
    meter = meters()["XYZ"] if shown.stand_in else typed.meters(None)["XYZ"]
    correction = corrections.newest(db, shown.row.panel, str(meter["name"]), str(meter.get("serial", "")))
    row = TuningRow(
        0, review_id, setup_id, plan.values, [g for g in session.GOALS if g in open_goals], wish.target or setup.target,
        wish.luminance, plan.ladder, meter, None if correction is None else correction.id, shown.row.firmware,
        "working" if shown.stand_in else "waiting", "", now(), None,
    )  # fmt: skip
    with app.db.transaction() as writing:
        return tunings.add(writing, row)


# -- what comes next ------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Open:
    """A tuning with what it works on."""

    row: TuningRow
    setup: SetupRow
    shown: Display
    plan: Plan
    mode: Mode
    stored: list[AttemptRow]

    @property
    def tried(self) -> list[Tried]:
        """The attempts that count."""
        return [_tried(a, self.matrix) for a in self.stored if not a.dropped]

    matrix: Sequence[Sequence[float]] | None = None


def _tried(a: AttemptRow, matrix: Sequence[Sequence[float]] | None) -> Tried:
    XYZ = np.array([(np.nan,) * 3 if v is None else v for v in a.XYZ], float)
    if matrix is not None:
        XYZ = corrected(XYZ, matrix)
    patches = tuple(Patch((p[0], p[1], p[2])) for p in a.patches)
    return Tried(a.goal, Attempt(a.stage, a.entered, patches, XYZ))


def opened(app: Application, tuning_id: int) -> Open:
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
    plan = Plan(shown.menu, mode, values, tuple(row.goals), resolve(row.target), row.luminance, noise, ladder)
    return Open(
        row,
        setup,
        shown,
        plan,
        mode,
        tunings.attempts(db, tuning_id),
        None if correction is None else correction.matrix,
    )


def commit(app: Application, tuning: Open, step: Step, XYZ: Sequence[Sequence[float] | None], at_s: float) -> int:
    """An attempt was entered and read: XYZ of each patch as read, None under the meter's floor. Returns its number."""
    expected = step.proposal.expected
    row = AttemptRow(
        0, tuning.row.id, 0, step.goal, step.proposal.stage, step.proposal.why, dict(step.proposal.values), None,
        [list(p.rgb) for p in step.proposal.patches], [None if v is None else [float(c) for c in v] for v in XYZ],
        None if expected is None else float(expected[0, 1]), now(), at_s, 0,
    )  # fmt: skip
    with app.db.transaction(of=tuning.row.review_id) as db:
        return tunings.add_attempt(db, row)


def set_state(app: Application, tuning_id: int, state: TuningState, message: str = "") -> None:
    """A tuning is in another state."""
    with app.db.transaction(of=0) as db:
        tunings.set_state(db, tuning_id, state, message)


def to_enter(menu_owner: Open, values: Mapping[str, Value]) -> dict[str, Value]:
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


# -- what is seen ---------------------------------------------------------------------------------------------------


def view(app: Application, tuning_id: int) -> TuningView:
    """A tuning as its view shows it."""
    t = opened(app, tuning_id)
    tried = t.tried
    end = session.following(t.plan, tried)
    stands = _stands(t)
    step = _step(t, end, stands) if isinstance(end, Step) and t.row.state in OPEN else None
    asked = session.suspect(t.plan, tried) if t.row.state in OPEN else None
    counted = [a for a in t.stored if not a.dropped]
    if asked is not None and counted[-1].proposed is not None:
        asked = None
    white = t.plan.target.white_XYZ(1.0)
    u, v = XYZ_to_uv(white)
    final = final_values(t)
    return TuningView(
        t.row.id, t.row.review_id, t.row.setup_id, t.setup.name, t.setup.mode, t.shown.row.sample, list(t.row.goals),
        t.row.target, t.plan.target.title, (float(u), float(v)), t.row.luminance, t.row.state, t.row.message,
        not t.shown.stand_in, step,
        None if asked is None else QuestionView(
            counted[-1].number, asked.path, text_of(asked.entered), text_of(asked.seems), asked.sentence
        ),
        _attempts(t), [
            OutcomeView(o.goal, session.TITLES[o.goal], o.reason, o.unreached, o.skipped)
            for o in (end.outcomes if isinstance(end, Finished) else ())
        ],
        [
            SettingView(p, text_of(t.plan.values[p]), text_of(value))
            for p, value in final.items() if value != t.plan.values.get(p)
        ],
        sum(len(a.patches) for a in t.stored), t.row.result_id, _name_of(app, t), t.row.created_at,
        pictures(_dots(t), t.plan.target, t.row.luminance),
    )  # fmt: skip


def _name_of(app: Application, t: Open) -> str:
    found = next(
        (s.name for s in reviews.setups_of(app.db.connection(), t.row.review_id) if s.id == t.row.result_id), ""
    )
    return found or f"{t.setup.name} tuned"


def _dots(t: Open) -> list[Dot]:
    """White of the attempts that count and read it."""
    counted = [a for a in t.stored if not a.dropped]
    # What bends the curve leaves white where it is.
    counted = [a for a in counted if a.goal != "tone"] or counted
    made = (dot_of(a.number, _tried(a, t.matrix).attempt.of(WHITE), t.plan.target) for a in counted)
    return [d for d in made if d is not None]


def listed(app: Application, review_id: int) -> list[TuningView]:
    """The tunings of a review, the newest first; those that the menu no longer fits are left out."""
    out = []
    for row in tunings.of_review(app.db.connection(), review_id):
        try:
            out.append(view(app, row.id))
        except (ConflictError, NotFoundError):
            continue
    return out


def best_so_far(t: Open) -> dict[str, Value]:
    """Values of the goals that are done, and of the one under way its best attempt's: what a tuning that is stopped leaves."""
    tried = t.tried
    values = dict(t.plan.values)
    for goal in dict.fromkeys(x.goal for x in tried):
        own = [x for x in tried if x.goal == goal]
        figures = [session.figure(t.plan, x) for x in own]
        known = [(f, i) for i, f in enumerate(figures) if np.isfinite(f)]
        # Stages of one goal look at different greys, so only the last one's figures are compared.
        last = own[-1].attempt.stage
        known = [(f, i) for f, i in known if own[i].attempt.stage == last] or known
        chosen = own[min(known)[1]] if known and goal != "points" else own[-1]
        values.update(chosen.attempt.values)
    return values


def final_values(t: Open) -> dict[str, Value]:
    """All values that a tuning ends with, or would end with now."""
    end = session.following(t.plan, t.tried)
    return dict(end.values) if isinstance(end, Finished) else best_so_far(t)


def _stands(t: Open) -> dict[str, Value]:
    """What stands in the menu now, as far as the tuning knows: where it began, and all that was entered since."""
    values = dict(t.plan.values)
    for a in t.stored:
        values.update(a.entered)
    return values


def _step(t: Open, step: Step, stands: Mapping[str, Value]) -> StepView:
    moved = {p: v for p, v in step.values.items() if v != stands.get(p)}
    order = [p for p in to_enter(t, dict(step.values)) if p in moved]
    expected = step.proposal.expected
    patches = [
        PatchToRead(
            p.code, p.rgb, None if expected is None or not np.isfinite(expected[i, 1]) else float(expected[i, 1])
        )
        for i, p in enumerate(step.proposal.patches)
    ]
    number = 1 + max((a.number for a in t.stored), default=0)
    return StepView(
        number, step.goal, session.TITLES[step.goal], step.proposal.why, [_entry(t, p, stands.get(p), moved[p]) for p in order],
        patches, order,
    )  # fmt: skip


def _entry(t: Open, path: str, was: Value | None, value: Value) -> EntryToMake:
    control = t.shown.menu.control(path)
    presses = ""
    if control.numeric and isinstance(was, int | float) and isinstance(value, int | float):
        count = round((value - was) / control.step)
        presses = f"{abs(count)} {'up' if count > 0 else 'down'}"
    said = text_of(value)
    if control.kind == "notches" and isinstance(value, int | float):
        said = f"{round((control.maximum - value) / control.step)} notches from the right"
    return EntryToMake(path, path.split(" > ")[-1], "" if was is None else text_of(was), said, presses)


def _attempts(t: Open) -> list[AttemptView]:
    out, stands = [], dict(t.plan.values)
    for a in t.stored:
        one = _tried(a, t.matrix)
        moved = [f"{p.split(' > ')[-1]} {text_of(v)}" for p, v in a.entered.items() if stands.get(p) != v]
        stands.update(a.entered)
        white = one.attempt.of(WHITE)
        seen = bool(np.isfinite(white).all() and white[1] > 0)
        u, v = XYZ_to_uv(white) if seen else (np.nan, np.nan)
        figure = session.figure(t.plan, one)
        out.append(
            AttemptView(
                a.number, a.goal, session.TITLES[a.goal], a.why, moved, figure if np.isfinite(figure) else None, UNITS[a.goal],
                float(white[1]) if seen else None, float(u) if seen else None, float(v) if seen else None, len(a.patches),
                bool(a.dropped),
            )
        )  # fmt: skip
    return out


# -- what a person does ---------------------------------------------------------------------------------------------


def typed_in(app: Application, tuning_id: int, number: int, form: Form, texts: Sequence[str]) -> TuningView:
    """The readings of a step as a person typed them, one a patch, `-` where the meter shows no number. ConflictError where the
    tuning has gone on meanwhile; BadInputError names the patch that cannot be read."""
    t = opened(app, tuning_id)
    if t.shown.stand_in:
        raise ConflictError("stand-in", "The bench reads this display; nothing is typed.")
    end = session.following(t.plan, t.tried)
    step = _step(t, end, _stands(t)) if isinstance(end, Step) else None
    if t.row.state != "waiting" or step is None or step.number != number or not isinstance(end, Step):
        raise ConflictError("tuning", "The tuning has gone on meanwhile; look at it again. Nothing was stored.")
    if form == "Y" and any(p != WHITE for p in end.proposal.patches):
        raise BadInputError("form", "This step needs colour: type X Y Z, Y x y or Y u′ v′.", "form")
    if len(texts) != len(step.patches):
        raise BadInputError(
            "readings", f"This step reads {len(step.patches)} patches, {len(texts)} were typed.", "texts"
        )
    XYZ: list[Sequence[float] | None] = []
    for i, (text, patch) in enumerate(zip(texts, step.patches, strict=True)):
        if text.strip() == "-":
            XYZ.append(None)
            continue
        try:
            XYZ.append(parse(text, form).XYZ)
        except ValueError as e:
            raise BadInputError("reading", f"{patch.code}: {e}. Nothing was stored.", f"texts.{i}") from e
    commit(app, t, end, XYZ, 0.0)
    after = opened(app, tuning_id)
    if isinstance(session.following(after.plan, after.tried), Finished):
        set_state(app, tuning_id, "found")
    return view(app, tuning_id)


def answer(app: Application, tuning_id: int, number: int, as_it_seems: bool) -> TuningView:
    """A person has looked what stood there at an attempt that was asked about. ConflictError where nothing is asked."""
    t = opened(app, tuning_id)
    asked = session.suspect(t.plan, t.tried)
    last = [a for a in t.stored if not a.dropped][-1:]
    if asked is None or not last or last[0].number != number:
        raise ConflictError("tuning", "Nothing is asked about this attempt any more.")
    entered = {**last[0].entered, asked.path: asked.seems} if as_it_seems else dict(last[0].entered)
    with app.db.transaction(of=0) as db:
        tunings.entered_otherwise(db, tuning_id, number, entered)
    return view(app, tuning_id)


def go_back(app: Application, tuning_id: int, number: int) -> TuningView:
    """Go on from an earlier attempt; what came after it is kept and no longer counts."""
    t = opened(app, tuning_id)
    if t.row.state == "kept":
        raise ConflictError("tuning", "Its result was kept; begin a new tuning from that.")
    if t.row.state == "working":
        raise ConflictError("tuning", "The bench works on it; pause it first.")
    if number not in [a.number for a in t.stored if not a.dropped]:
        raise NotFoundError("attempt", f"There is no attempt {number} to go back to.")
    with app.db.transaction(of=0) as db:
        tunings.drop_after(db, tuning_id, number)
        tunings.set_state(db, tuning_id, "paused" if t.shown.stand_in else "waiting")
    return view(app, tuning_id)


def keep(app: Application, tuning_id: int, name: str) -> int:
    """What was found becomes a setup, a row on the Board. ConflictError where nothing was found that differs."""
    t = opened(app, tuning_id)
    if t.row.state not in ("found", "stopped"):
        raise ConflictError("tuning", "Nothing can be kept of this tuning: it is still going on, or was kept already.")
    changed = {p: v for p, v in final_values(t).items() if v != t.plan.values.get(p)}
    if not changed:
        raise ConflictError("tuning", f"{t.setup.name} is as good as it gets: nothing was found that differs from it.")
    made = setups.add(app, t.row.review_id, t.row.setup_id, name, setups.Edit({**changed}, target=t.row.target))
    with app.db.transaction() as db:
        tunings.keep(db, tuning_id, made)
    return made
