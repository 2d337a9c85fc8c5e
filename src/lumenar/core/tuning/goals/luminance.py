"""Luminance of white."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.luminance import Luminance
from lumenar.core.tuning.plan import Tried, TuningPlan


def problem_with(plan: TuningPlan, ladder: tuple[tuple[float, float], ...]) -> Solver | str:
    """The solver, with what is known of the control. ladder: its values with white in cd/m2."""
    control = plan.menu.luminance_control
    if plan.luminance is None:
        return "No luminance is wanted."
    if control is None or control.path not in plan.values or not control.numeric:
        return "No control of the menu is said to set the luminance of white."
    if reason := plan.menu.why_locked(plan.values, plan.mode, control.path):
        return f"{reason}."
    return Luminance(control, plan.luminance, float(plan.values[control.path]), plan.noise, ladder)


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """The solver, with the ladder of an earlier run."""
    return problem_with(plan, plan.ladder)


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """Fewer where a ladder was measured."""
    return 2 if plan.ladder else 4


GOAL = Goal(
    key="luminance",
    place=3,
    title="Luminance",
    unit="%",
    kinds=("luminance",),
    figures=(),
    problem=problem,
    usual_readings=usual_readings,
    bends=True,
    remembers=True,
)
