"""Luminance once more, where other goals have cost some."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import WHITE, Solver
from lumenar.core.tuning.goals import luminance
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.luminance import CLOSE, Luminance
from lumenar.core.tuning.plan import Tried, TuningPlan, stands

KEY = "luminance again"
LATER = ("white", "points", KEY)


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """From what the first time gave, moved to what white has now."""
    first = [t.attempt for t in tried if t.goal == luminance.GOAL.key]
    later = [t.attempt for t in tried if t.goal in LATER]
    whites = [a.of(WHITE)[1] for a in later if stands(plan, a)]
    seen = [float(Y) for Y in whites if np.isfinite(Y)]
    problem = luminance.problem_with(plan, ())
    if isinstance(problem, str) or not isinstance(problem, Luminance):
        return ""
    begun = any(t.goal == KEY for t in tried)
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


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """It is counted with luminance."""
    return 0


GOAL = Goal(
    key=KEY,
    place=7,
    title="Luminance once more",
    unit="%",
    kinds=("luminance",),
    figures=(),
    problem=problem,
    usual_readings=usual_readings,
    chosen=False,
    bends=True,
    remembers=True,
)
