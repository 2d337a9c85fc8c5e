"""A whole tuning: one goal after another, in the order in which they do not spoil one another. Pure like the solvers: what comes
next follows from the plan and the attempts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lumenar.core.menu import Control, Menu, Mode, Value
from lumenar.core.numbers import significant
from lumenar.core.roles import CHANNELS, Role, role_of
from lumenar.core.targets import Target
from lumenar.core.tuning.base import (
    BLACK,
    PRIMARIES,
    USUAL,
    WHITE,
    Attempt,
    Done,
    Noise,
    Problem,
    Proposal,
    Suspicion,
    errors_of,
    remembered,
    white_error,
)
from lumenar.core.tuning.channels import Channel, primaries_of
from lumenar.core.tuning.colours import CORNERS, FADED, JUDGED, AxisControl, SixColours, beside_white
from lumenar.core.tuning.luminance import CLOSE, Luminance
from lumenar.core.tuning.points import ManyPoints, Point
from lumenar.core.tuning.shadows import Shadows
from lumenar.core.tuning.tone import Tone
from lumenar.core.tuning.white import TwoPoints

GOALS = ("tone", "shadows", "luminance", "white", "points", "colours")
"""What can be tuned, in the order in which it is: the curve bends white, white costs light, points stand on
white, colours on all."""
FAITHFUL = tuple(g for g in GOALS if g != "shadows")
"""The goals that bring a mode nearer to its target. Lifted shadows take it away from there: only a purpose asks for them."""
AGAIN = "luminance again"
KINDS: Mapping[str, tuple[str, ...]] = {
    "tone": ("tone", "shadows"),
    "shadows": ("shadows",),
    "luminance": ("luminance",),
    "white": ("gain", "offset"),
    "points": ("point",),
    "colours": ("hue", "saturation", "lightness", "mix"),
}
"""The kinds of controls that each goal moves."""
MOVES: Mapping[str, tuple[str, ...]] = {
    "tone": ("grey_ramp.curve_", "near_black.error_"),
    "shadows": ("near_black.shadow_lift_",),
    "luminance": (),
    "white": ("grey_ramp.own_white_", "white_black.white_de"),
    "points": ("grey_ramp.",),
    "colours": ("gamut.own_white_", "saturation.", "swatches."),
}
"""How the figures begin that each goal makes better."""
RAISES_BLUE = "blue_light.melanopic_der"
"""The figure that white tuned from warm to the target's would make worse."""
TITLES = {
    "tone": "Curve",
    "shadows": "Lifted shadows",
    "luminance": "Luminance",
    "white": "White",
    "points": "White, point by point",
    "colours": "Six colours",
    AGAIN: "Luminance once more",
}


@dataclass(frozen=True)
class Tried:
    """An attempt with the goal it was made for."""

    goal: str
    attempt: Attempt


@dataclass(frozen=True)
class Plan:
    """What is wanted of a mode. values: of all its controls that are known, as it begins; luminance: of white in cd/m2, None
    where it is to stay; ladder: values of the luminance control with what they gave in an earlier run."""

    menu: Menu
    mode: Mode
    values: Mapping[str, Value]
    goals: tuple[str, ...]
    target: Target
    luminance: float | None = None
    noise: Noise = USUAL
    ladder: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Step:
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


def controls_for(plan: Plan, kinds: Sequence[str]) -> list[tuple[Control, Role]]:
    """The controls of some kinds that can be set now, as they stand in the menu."""
    found = ((c, role_of(c.role)) for c in plan.menu.controls)
    return [
        (c, r)
        for c, r in found
        if r is not None
        and r.kind in kinds
        and c.path in plan.values
        and plan.menu.why_not_now(plan.values, plan.mode, c.path) is None
    ]


def goals_for(figures: Collection[str]) -> tuple[str, ...]:
    """The goals that make any of these figures better, luminance apart."""
    return tuple(g for g in GOALS if any(f.startswith(MOVES[g]) for f in figures))


HDR = "In HDR white alone is tuned: light and curve are the signal's."


def possible(plan: Plan) -> dict[str, str]:
    """By goal why it cannot be tuned; empty where it can."""
    return {g: p if isinstance(p := _problem(plan, g, plan.values, ()), str) else "" for g in GOALS}


def following(plan: Plan, tried: Sequence[Tried]) -> Step | Finished:
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
            return Step(goal, end, {**values, **end.values})
        values.update(end.values)
        outcomes.append(Outcome(goal, end.reason, end.unreached))
    return Finished(values, tuple(_corrected(plan, o, tried) for o in outcomes))


CHANGED, CHANGED_DE = 0.01, 0.3
"""A goal's result is corrected if later goals changed luminance by more than this share, or white by more than this dE2000."""


def _corrected(plan: Plan, outcome: Outcome, tried: Sequence[Tried]) -> Outcome:
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


def suspect(plan: Plan, tried: Sequence[Tried]) -> Suspicion | None:
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


def doubts(plan: Plan, tried: Sequence[Tried]) -> dict[int, Suspicion]:
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
    plan: Plan, goal: str, problem: Problem, values: Mapping[str, Value], own: Sequence[Attempt]
) -> Proposal | Done:
    if goal in ("white", AGAIN, "luminance"):
        # White remembers its own stages, and luminance costs nothing.
        return problem.propose(own)
    kinds = KINDS[goal]
    controls = [c for c, _ in controls_for(plan, kinds)]
    known = problem.primaries if isinstance(problem, ManyPoints) else None
    return remembered(goal, controls, plan.target, plan.noise, values, own, lambda: problem.propose(own), known)


def off_by(plan: Plan, tried: Sequence[Tried]) -> list[float]:
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


def figure(plan: Plan, one: Tried) -> float:
    """How far an attempt is from what its goal wants; NaN where it does not tell alone."""
    problem = _problem(plan, one.goal, {**plan.values, **one.attempt.values}, (one,))
    try:
        return float("nan") if isinstance(problem, str) else problem.figure(one.attempt)
    except (ValueError, IndexError):
        return float("nan")


def _order(plan: Plan) -> tuple[str, ...]:
    goals = tuple(g for g in GOALS if g in plan.goals)
    spent = any(g in goals for g in ("white", "points", "colours"))
    return (*goals, AGAIN) if "luminance" in goals and spent and plan.luminance is not None else goals


def _problem(plan: Plan, goal: str, values: Mapping[str, Value], tried: Sequence[Tried]) -> Problem | str:
    """The problem of a goal with the values that those before it ended with; a sentence why there is none, empty where nothing
    needs to be said."""
    now = replace(plan, values=values)
    if plan.mode.signal != "sdr" and goal != "white":
        return HDR
    if goal == "tone":
        return _tone(now)
    if goal == "shadows":
        return _shadows(now)
    if goal == "luminance":
        return _luminance(now, plan.ladder)
    if goal == AGAIN:
        return _again(now, tried)
    if goal == "colours":
        return _colours(now)
    return _white(now) if goal == "white" else _points(now, tried)


def _locked(plan: Plan, goal: str) -> str:
    """What keeps a goal's controls from being set, as a sentence; empty where there are none or nothing does."""
    own = [c.path for c in plan.menu.controls if (r := role_of(c.role)) is not None and r.kind in KINDS[goal]]
    reasons = [plan.menu.why_not_now(plan.values, plan.mode, p) for p in own if p in plan.values]
    why = next(filter(None, reasons), None)
    return "" if why is None else f"{why}."


def _tone(plan: Plan) -> Problem | str:
    # What lifts shadows for a purpose doesn't follow the target's curve as well.
    found = controls_for(plan, ("tone",) if "shadows" in plan.goals else KINDS["tone"])
    if not found:
        return _locked(plan, "tone") or "No control of the menu is said to set the curve."
    ordered = sorted(found, key=lambda pair: pair[1].kind != "tone")
    return Tone(
        tuple(c for c, _ in ordered), plan.target, {c.path: plan.values[c.path] for c, _ in ordered}, plan.noise
    )


def _shadows(plan: Plan) -> Problem | str:
    found = controls_for(plan, KINDS["shadows"])
    if not found:
        return _locked(plan, "shadows") or "No control of the menu is said to lift shadows."
    return Shadows(tuple(c for c, _ in found), plan.target, {c.path: plan.values[c.path] for c, _ in found}, plan.noise)


def _luminance(plan: Plan, ladder: tuple[tuple[float, float], ...]) -> Problem | str:
    control = plan.menu.luminance_control
    if plan.luminance is None:
        return "No luminance is wanted."
    if control is None or control.path not in plan.values or not control.numeric:
        return "No control of the menu is said to set the luminance of white."
    if reason := plan.menu.why_locked(plan.values, plan.mode, control.path):
        return f"{reason}."
    return Luminance(control, plan.luminance, float(plan.values[control.path]), plan.noise, ladder)


def _again(plan: Plan, tried: Sequence[Tried]) -> Problem | str:
    """Luminance once more, where white has cost some: from what the first time gave, moved to what white has now."""
    first = [t.attempt for t in tried if t.goal == "luminance"]
    later = [t.attempt for t in tried if t.goal in ("white", "points", AGAIN)]
    whites = [a.of(WHITE)[1] for a in later if _stands(plan, a)]
    seen = [float(Y) for Y in whites if np.isfinite(Y)]
    problem = _luminance(plan, ())
    if isinstance(problem, str) or not isinstance(problem, Luminance):
        return ""
    begun = any(t.goal == AGAIN for t in tried)
    if not begun and seen and plan.luminance and abs(seen[-1] / plan.luminance - 1) <= CLOSE:
        return ""
    path = problem.control.path
    ladder = tuple((float(a.values[path]), float(a.of(WHITE)[1])) for a in first if np.isfinite(a.of(WHITE)[1]))
    known = dict(ladder) if len({v for v, _ in ladder}) >= 2 else dict(plan.ladder)
    again = Luminance(problem.control, problem.wanted, problem.start, plan.noise, tuple(known.items()))
    if not begun and seen and len(known) >= 2 and again.nearest_to(problem.start, seen[-1]) == problem.start:
        # It stands at the nearest step already.
        return ""
    return again


def _white(plan: Plan) -> Problem | str:
    found = controls_for(plan, KINDS["white"])
    gains, offsets = (
        tuple(Channel(c, r.channel) for c, r in found if r.kind == kind and r.channel is not None and c.numeric)
        for kind in ("gain", "offset")
    )
    if plan.mode.signal != "sdr":
        # The dark end of PQ is what the curve makes of it; gains are what white costs.
        offsets = ()
    if not gains and not offsets:
        return _locked(plan, "white") or "No control is said to set a channel's gain or offset."
    values = {c.control.path: plan.values[c.control.path] for c in (*gains, *offsets)}
    return TwoPoints(gains, offsets, plan.target, values, plan.noise)


def _points(plan: Plan, tried: Sequence[Tried]) -> Problem | str:
    found = controls_for(plan, KINDS["points"])
    by_level: dict[float, list[Control | None]] = {}
    for c, r in found:
        if r.level is not None and r.channel is not None and c.numeric:
            by_level.setdefault(r.level, [None, None, None])[r.channel] = c
    if len(by_level) < 2:
        return _locked(plan, "points") or "No control is said to be a point of a white balance table."
    points = tuple(Point(level, (row[0], row[1], row[2])) for level, row in sorted(by_level.items()))
    values = {c.path: plan.values[c.path] for p in points for c in p.controls if c is not None}
    return ManyPoints(points, plan.target, values, plan.noise, _primaries(plan, tried))


def _colours(plan: Plan) -> Problem | str:
    found = controls_for(plan, KINDS["colours"])
    controls = tuple(
        AxisControl(str(r.axis), CHANNELS[r.channel] if r.channel is not None else r.kind, c)
        for c, r in found
        if c.numeric and r.axis is not None
    )
    if len({c.axis for c in controls}) < 2:
        return _locked(plan, "colours") or "No control is said to set one of six colours."
    return SixColours(
        controls, plan.target, {c.control.path: plan.values[c.control.path] for c in controls}, plan.noise
    )


def _stands(plan: Plan, attempt: Attempt) -> bool:
    """Whether an attempt was made with the values as they are now."""
    return all(plan.values.get(p) == v for p, v in attempt.values.items())


def _primaries(plan: Plan, tried: Sequence[Tried]) -> tuple[tuple[float, ...], ...] | None:
    """Red, green, blue, white and black as tuning white has left them: those read first, in the amounts that make up the white
    that was read last. None where white was not tuned."""
    white = [t.attempt for t in tried if t.goal == "white" and np.isfinite(t.attempt.of(WHITE)).all()]
    first = next((a for a in white if set(PRIMARIES) <= set(a.patches)), None)
    if first is None:
        return None
    stands = [a for a in white if _stands(plan, a)] or white
    last, black = stands[-1].of(WHITE), np.nan_to_num(first.of(BLACK))
    found = primaries_of(last, np.array([first.of(p) for p in PRIMARIES]), black)
    if found is None:
        return None
    return tuple(tuple(map(float, row)) for row in (*(found.rows + found.black), last, black))
