"""A whole tuning: one goal after another, in the order in which they do not spoil one another. Pure like the solvers: what comes
next follows from the plan and the attempts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lumenar.core.measurements import blue_light
from lumenar.core.menu.controls import Value
from lumenar.core.numbers import significant
from lumenar.core.tuning.base import (
    BLACK,
    WHITE,
    Attempt,
    Done,
    Proposal,
    Solver,
    Suspicion,
    errors_of,
    remembered,
    white_error,
)
from lumenar.core.tuning.colours import CORNERS, FADED, JUDGED, beside_white
from lumenar.core.tuning.goals import CHOSEN, GOALS, luminance_again
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for
from lumenar.core.tuning.points import ManyPoints
from lumenar.core.tuning.white import TwoPoints


@dataclass(frozen=True)
class TuningStep:
    """The next attempt: its goal, what to try, and all values as they are to stand."""

    goal: str
    proposal: Proposal
    values: Mapping[str, Value]


@dataclass(frozen=True)
class Outcome:
    """How a goal ended, in one sentence. skipped: nothing could be tried."""

    goal: str
    reason: str
    unreached: bool = False
    skipped: bool = False


@dataclass(frozen=True)
class Finished:
    """The values that all goals ended with, and how each ended."""

    values: Mapping[str, Value]
    outcomes: tuple[Outcome, ...]


AGAIN = luminance_again.GOAL.key
RAISES_BLUE = blue_light.MELANOPIC.name
"""The figure that white tuned from warm to the target's would make worse."""
HDR = "In HDR white alone is tuned: light and curve are the signal's."


def goals_for(figures: Collection[str]) -> tuple[str, ...]:
    """The goals that make any of these figures better, luminance apart."""
    return tuple(g for g in CHOSEN if any(f.startswith(GOALS[g].figures) for f in figures))


def possible(plan: TuningPlan) -> dict[str, str]:
    """By goal why it cannot be tuned; empty where it can."""
    return {g: p if isinstance(p := _problem(plan, g, plan.values, ()), str) else "" for g in CHOSEN}


def following(plan: TuningPlan, tried: Sequence[Tried]) -> TuningStep | Finished:
    """What comes next after what was tried."""
    values = dict(plan.values)
    outcomes: list[Outcome] = []
    for goal in _order(plan):
        own = [t.attempt for t in tried if t.goal == goal]
        problem = _problem(plan, goal, values, tried)
        if isinstance(problem, str):
            if problem:
                outcomes.append(Outcome(goal, problem, skipped=True))
            continue
        end = _proposed(plan, goal, problem, values, own)
        if isinstance(end, Proposal):
            return TuningStep(goal, end, {**values, **end.values})
        values.update(end.values)
        outcomes.append(Outcome(goal, end.reason, end.unreached))
    return Finished(values, tuple(_corrected(plan, o, tried) for o in outcomes))


CHANGED, CHANGED_DE = 0.01, 0.3
"""A goal's result is corrected if later goals changed luminance by more than this share, or white by more than this dE2000."""


def _corrected(plan: TuningPlan, outcome: Outcome, tried: Sequence[Tried]) -> Outcome:
    """An outcome with what became of white since, where goals that came later moved it."""
    own = [i for i, t in enumerate(tried) if t.goal == outcome.goal]
    if outcome.skipped or outcome.goal not in ("luminance", "white") or not own:
        return outcome
    whites = [(i, t.attempt.of(WHITE)) for i, t in enumerate(tried) if np.isfinite(t.attempt.of(WHITE)).all()]
    then = next((XYZ for i, XYZ in reversed(whites) if i <= own[-1]), None)
    now = next((XYZ for i, XYZ in reversed(whites) if i > own[-1]), None)
    if then is None or now is None:
        return outcome
    if outcome.goal == "luminance" and abs(now[1] / then[1] - 1) > CHANGED:
        return replace(
            outcome, reason=f"{outcome.reason} Later goals moved white to {significant(float(now[1]), 3)} cd/m²."
        )
    dE = [float(white_error(XYZ, plan.target)) for XYZ in (then, now)]
    if outcome.goal == "white" and abs(dE[1] - dE[0]) > CHANGED_DE:
        return replace(outcome, reason=f"{outcome.reason} After later goals, white is dE {dE[1]:.1f} off.")
    return outcome


def suspect(plan: TuningPlan, tried: Sequence[Tried]) -> Suspicion | None:
    """Whether the last attempt is rather explained by a wrong entry."""
    if not tried:
        return None
    goal, values = tried[-1].goal, dict(plan.values)
    for g in _order(plan):
        problem = _problem(plan, g, values, tried)
        if isinstance(problem, str):
            continue
        own = [t.attempt for t in tried if t.goal == g]
        if g == goal:
            return problem.suspect(own)
        end = _proposed(plan, g, problem, values, own)
        if isinstance(end, Done):
            values.update(end.values)
    return None


def doubts(plan: TuningPlan, tried: Sequence[Tried]) -> dict[int, Suspicion]:
    """By place among what was tried the wrong entries that were noticed when they did not stand any more."""
    places = [i for i, t in enumerate(tried) if t.goal == "white"]
    own = [tried[i].attempt for i in places]
    if not own:
        return {}
    problem = _problem(plan, "white", {**plan.values, **own[0].values}, tried)
    if not isinstance(problem, TwoPoints):
        return {}
    return {places[place]: s for place, s in problem.doubts(own)}


def _proposed(
    plan: TuningPlan, goal: str, problem: Solver, values: Mapping[str, Value], own: Sequence[Attempt]
) -> Proposal | Done:
    if GOALS[goal].remembers:
        return problem.propose(own)
    controls = [c for c, _ in controls_for(plan, GOALS[goal].kinds)]
    known = problem.primaries if isinstance(problem, ManyPoints) else None
    return remembered(
        kind=goal,
        controls=controls,
        target=plan.target,
        noise=plan.noise,
        values=values,
        attempts=own,
        make=lambda: problem.propose(own),
        more=known,
    )


def off_by(plan: TuningPlan, tried: Sequence[Tried]) -> list[float]:
    """How far each attempt is from what its goal wants, in the goal's unit: of points mean dE2000 of the greys that were read, of
    six colours of those they are judged by, both beside the newest white; NaN where an attempt does not tell."""
    out: list[float] = []
    white, black = np.full(3, np.nan), 0.0
    # Where less of the way was tried, corners were not read there.
    of = (
        FADED
        if any(
            x.goal == "colours" and set(FADED) < set(x.attempt.patches) and CORNERS[0] not in x.attempt.patches
            for x in tried
        )
        else JUDGED
    )
    for one in tried:
        a = one.attempt
        white = a.of(WHITE) if np.isfinite(a.of(WHITE)).all() else white
        black = float(np.nan_to_num(a.of(BLACK)[1])) if BLACK in a.patches else black
        greys = [p for p in a.patches if len(set(p.rgb)) == 1 and p != BLACK]
        # What steps of the controls do, which only the faded ones are read for, is no try to come nearer.
        six = of if set(of) < set(a.patches) or a.patches == JUDGED else ()
        judged = {"points": greys, "colours": six}.get(one.goal)
        if judged is None:
            out.append(figure(plan, one))
        elif not judged or not np.isfinite(white).all():
            out.append(float("nan"))
        else:
            points = one.goal == "points"
            seen = a if points else beside_white(a, white, plan.target, plan.noise)
            errors = errors_of(seen, judged, plan.target, float(white[1]), black if points else 0.0)
            out.append(float(np.nanmean(errors)) if np.isfinite(errors).any() else float("nan"))
    return out


def figure(plan: TuningPlan, one: Tried) -> float:
    """How far an attempt is from what its goal wants; NaN where it does not tell alone."""
    problem = _problem(plan, one.goal, {**plan.values, **one.attempt.values}, (one,))
    try:
        return float("nan") if isinstance(problem, str) else problem.figure(one.attempt)
    except (ValueError, IndexError):
        return float("nan")


def _order(plan: TuningPlan) -> tuple[str, ...]:
    goals = tuple(g for g in CHOSEN if g in plan.goals)
    spent = any(GOALS[g].spends for g in goals)
    return (*goals, AGAIN) if "luminance" in goals and spent and plan.luminance is not None else goals


def _problem(plan: TuningPlan, goal: str, values: Mapping[str, Value], tried: Sequence[Tried]) -> Solver | str:
    """The problem of a goal with the values that those before it ended with; a sentence why there is none, empty where nothing
    needs to be said."""
    if plan.mode.signal != "sdr" and not GOALS[goal].hdr:
        return HDR
    return GOALS[goal].problem(replace(plan, values=values), tried)
