"""Lifted shadows, where a purpose asks for them."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.measurements import near_black
from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for, locked
from lumenar.core.tuning.shadows import PATCHES, Shadows

KINDS = ("shadows",)


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """What lifts shadows."""
    found = controls_for(plan, KINDS)
    if not found:
        return locked(plan, KINDS) or "No control of the menu is said to lift shadows."
    return Shadows(tuple(c for c, _ in found), plan.target, {c.path: plan.values[c.path] for c, _ in found}, plan.noise)


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """The dark greys for each value that is tried."""
    return len(PATCHES) * (1 + sum(3 if c.numeric else len(c.values) for c, _ in found))


GOAL = Goal(
    key="shadows",
    place=2,
    title="Lifted shadows",
    unit="L*",
    kinds=KINDS,
    figures=(near_black.MEASUREMENT.named("shadow_lift_"),),
    problem=problem,
    usual_readings=usual_readings,
    faithful=False,
    bends=True,
    moves_white=False,
)
