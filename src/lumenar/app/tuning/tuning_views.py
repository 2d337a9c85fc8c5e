"""Tunings as they are seen: what of a setup can be tuned, what comes next in the menu's own words, the way so far."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.figures import cells
from lumenar.app.tuning.tunings import (
    OpenTuning,
    Wish,
    final_values,
    name_of,
    next_number,
    opened,
    plan_for,
    sound,
    to_enter,
    tried_of,
    wish_for,
)
from lumenar.core.colour.spaces import XYZ_to_uv
from lumenar.core.measurements.charts import Chart
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.menu.menu import Menu
from lumenar.core.targets import resolve
from lumenar.core.tuning import session
from lumenar.core.tuning.base import WHITE, Suspicion
from lumenar.core.tuning.charts import Dot, dot_of
from lumenar.core.tuning.charts import charts as pictures
from lumenar.core.tuning.goals import FAITHFUL, GOALS
from lumenar.core.tuning.plan import Tried, controls_for
from lumenar.core.tuning.session import Finished, TuningStep
from lumenar.store import reviews, tunings
from lumenar.store.tunings import OPEN, TuningState


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


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
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
    doubt: str
    """What it reads as, where a value was entered wrongly and nobody can look any more; empty where none was."""


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


@dataclass(frozen=True, kw_only=True)
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
    purpose: str | None


@dataclass(frozen=True)
class TuningLine:
    """A tuning in a list."""

    id: int
    setup: int
    setup_name: str
    state: TuningState
    created_at: str


def choices(app: Application, review_id: int, setup_id: int) -> list[GoalChoice]:
    """The goals of a setup, with what stands in the way of each."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    plan = plan_for(app, shown, setup, Wish(FAITHFUL, 120.0))
    offered = []
    for key, why in session.possible(plan).items():
        goal = GOALS[key]
        found = controls_for(plan, goal.kinds)
        offered.append(GoalChoice(key, goal.title, why, [c.path for c, _ in found], goal.usual_readings(plan, found)))
    return offered


@dataclass(frozen=True)
class Aim:
    """What a setup is tuned to for a purpose."""

    purpose: str
    title: str
    goals: list[str]
    luminance: float | None
    target: str
    target_title: str


def aims(app: Application, review_id: int, setup_id: int) -> list[Aim]:
    """What a setup would be tuned to for each purpose of its signal."""
    setup = cells.setup_of(app, review_id, setup_id)
    every = app.rubric.purposes.values()
    own = [p for p in every if p.signal == setup.signal] or every
    wishes = [(p, wish_for(app, setup, p.key)) for p in own]
    return [
        Aim(p.key, p.title, list(w.goals), w.luminance, w.target or "", resolve(w.target or setup.target).title)
        for p, w in wishes
    ]


# -- what is seen ---------------------------------------------------------------------------------------------------


def view(app: Application, tuning_id: int) -> TuningView:
    """A tuning as its view shows it."""
    t = opened(app, tuning_id)
    tried = t.tried
    end = t.following
    stands = _stands(t)
    step = _step(t, end, stands) if isinstance(end, TuningStep) and t.row.state in OPEN else None
    asked = sound(lambda: session.suspect(t.plan, tried), None) if t.row.state in OPEN else None
    counted = [a for a in t.stored if not a.dropped]
    if asked is not None and counted[-1].proposed is not None:
        asked = None
    white = t.plan.target.white_XYZ(1.0)
    u, v = XYZ_to_uv(white)
    final = final_values(t)
    off: Sequence[float] = sound(lambda: session.off_by(t.plan, tried), [float("nan")] * len(tried))
    return TuningView(
        id=t.row.id,
        review=t.row.review_id,
        setup=t.row.setup_id,
        setup_name=t.setup.name,
        mode=t.setup.mode,
        sample=t.shown.row.sample,
        goals=list(t.row.goals),
        target=t.row.target,
        target_title=t.plan.target.title,
        target_uv=(float(u), float(v)),
        luminance=t.row.luminance,
        state=t.row.state,
        message=t.row.message,
        by_hand=not t.shown.can.alone,
        step=step,
        question=None
        if asked is None
        else QuestionView(counted[-1].number, asked.path, text_of(asked.entered), text_of(asked.seems), asked.sentence),
        attempts=_attempts(t, off),
        outcomes=[
            OutcomeView(o.goal, GOALS[o.goal].title, o.reason, o.unreached, o.skipped)
            for o in (end.outcomes if isinstance(end, Finished) else ())
        ],
        settings=[
            SettingView(p, text_of(t.plan.values[p]), text_of(value))
            for p, value in final.items()
            if value != t.plan.values.get(p)
        ],
        readings=sum(len(a.patches) for a in t.stored),
        result=t.row.result_id,
        result_name=_name_of(app, t),
        created_at=t.row.created_at,
        charts=sound(lambda: pictures(_dots(t), t.plan.target, t.row.luminance, _others(t, off)), []),
        purpose=t.row.purpose if t.row.purpose in app.rubric.purposes else None,
    )


def _name_of(app: Application, t: OpenTuning) -> str:
    found = next(
        (s.name for s in reviews.setups_of(app.db.connection(), t.row.review_id) if s.id == t.row.result_id), ""
    )
    return found or f"{t.setup.name} tuned"


def _others(t: OpenTuning, off: Sequence[float]) -> list[tuple[str, str, list[tuple[int, float]]]]:
    """How points and six colours came nearer, each where two attempts or more tell; off (n,): how far each attempt is."""
    numbers = [a.number for a in t.stored if not a.dropped]
    said = {g.key: g.charted for g in GOALS.values() if g.charted is not None}
    seen = {
        goal: [(n, e) for n, e, x in zip(numbers, off, t.tried, strict=True) if x.goal == goal and np.isfinite(e)]
        for goal in said
    }
    return [(*said[goal], s) for goal, s in seen.items() if len(s) > 1]


def _dots(t: OpenTuning) -> list[Dot]:
    """White of the attempts that count and read it."""
    counted = [a for a in t.stored if not a.dropped]
    # What bends the curve leaves white where it is.
    counted = [a for a in counted if GOALS[a.goal].moves_white] or counted
    made = (dot_of(a.number, tried_of(a, t.matrix).attempt.of(WHITE), t.plan.target) for a in counted)
    return [d for d in made if d is not None]


def listed(app: Application, review_id: int) -> list[TuningLine]:
    """The tunings of a review, the newest first."""
    db = app.db.connection()
    names = {s.id: s.name for s in reviews.setups_of(db, review_id)}
    return [
        TuningLine(r.id, r.setup_id, names[r.setup_id], r.state, r.created_at)
        for r in tunings.of_review(db, review_id)
        if r.setup_id in names
    ]


def _stands(t: OpenTuning) -> dict[str, Value]:
    """What stands in the menu now, as far as the tuning knows: where it began, and all that was entered since."""
    values = dict(t.plan.values)
    for a in t.stored:
        values.update(a.entered)
    return values


def _step(t: OpenTuning, step: TuningStep, stands: Mapping[str, Value]) -> StepView:
    moved = {p: v for p, v in step.values.items() if v != stands.get(p)}
    order = [p for p in to_enter(t, dict(step.values)) if p in moved]
    expected = step.proposal.expected
    patches = [
        PatchToRead(
            name_of(p), p.rgb, None if expected is None or not np.isfinite(expected[i, 1]) else float(expected[i, 1])
        )
        for i, p in enumerate(step.proposal.patches)
    ]
    entries = [_entry(t, p, stands.get(p), moved[p]) for p in order]
    return StepView(
        number=next_number(t),
        goal=step.goal,
        title=GOALS[step.goal].title,
        why=step.proposal.why,
        entries=entries,
        patches=patches,
        order=order,
    )


def _entry(t: OpenTuning, path: str, was: Value | None, value: Value) -> EntryToMake:
    control = t.shown.menu.control(path)
    presses = ""
    if control.numeric and isinstance(was, int | float) and isinstance(value, int | float):
        count = round((value - was) / control.step)
        presses = f"{abs(count)} {'up' if count > 0 else 'down'}"
    said = text_of(value)
    if control.kind == "notches" and isinstance(value, int | float):
        said = f"{round((control.maximum - value) / control.step)} notches from the right"
    return EntryToMake(path, t.shown.menu.short(path), "" if was is None else text_of(was), said, presses)


def _doubt(s: Suspicion | None, menu: Menu) -> str:
    if s is None:
        return ""
    name = menu.short(s.path)
    which = "" if s.attempts == 1 else f" here and in the {'next' if s.attempts == 2 else f'{s.attempts - 1} next'}"
    return f"reads as if {name} had been {text_of(s.seems)}, not {text_of(s.entered)}{which}; taken as that"


def _figure(t: OpenTuning, one: Tried) -> float:
    """How far an attempt is from its target, NaN if nothing can be made of it."""
    return sound(lambda: session.figure(t.plan, one), float("nan"))


def _attempts(t: OpenTuning, off: Sequence[float]) -> list[AttemptView]:
    out, stands = [], dict(t.plan.values)
    counted = [a.number for a in t.stored if not a.dropped]
    none: dict[int, Suspicion] = {}
    doubts = {counted[i]: s for i, s in sound(lambda: session.doubts(t.plan, t.tried), none).items()}
    by_number = dict(zip(counted, off, strict=True))
    for a in t.stored:
        one = tried_of(a, t.matrix)
        moved = [f"{t.shown.menu.short(p)} {text_of(v)}" for p, v in a.entered.items() if stands.get(p) != v]
        stands.update(a.entered)
        white = one.attempt.of(WHITE)
        seen = bool(np.isfinite(white).all() and white[1] > 0)
        u, v = XYZ_to_uv(white) if seen else (np.nan, np.nan)
        figure = by_number[a.number] if not a.dropped else _figure(t, one)
        out.append(
            AttemptView(
                number=a.number,
                goal=a.goal,
                title=GOALS[a.goal].title,
                why=a.why,
                moved=moved,
                figure=figure if np.isfinite(figure) else None,
                unit=GOALS[a.goal].unit,
                Y=float(white[1]) if seen else None,
                u=float(u) if seen else None,
                v=float(v) if seen else None,
                readings=len(a.patches),
                dropped=bool(a.dropped),
                doubt=_doubt(doubts.get(a.number), t.shown.menu),
            )
        )
    return out
