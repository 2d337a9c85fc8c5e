"""The curve: gamma presets and what lifts shadows."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.measurements import grey_ramp, near_black
from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for, locked
from lumenar.core.tuning.tone import FEW_CHOICES, GREYS, Tone

KINDS = ("tone", "shadows")


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """The curve's solver."""
    # What lifts shadows for a purpose doesn't follow the target's curve as well.
    found = controls_for(plan, ("tone",) if "shadows" in plan.goals else KINDS)
    if not found:
        return locked(plan, KINDS) or "No control of the menu is said to set the curve."
    ordered = sorted(found, key=lambda pair: pair[1].kind != "tone")
    return Tone(
        tuple(c for c, _ in ordered), plan.target, {c.path: plan.values[c.path] for c, _ in ordered}, plan.noise
    )


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """A ramp at the start and a few for each control."""
    return len(GREYS) * (1 + sum(2 if not c.numeric and len(c.values) <= FEW_CHOICES else 4 for c, _ in found))


GOAL = Goal(
    key="tone",
    place=1,
    title="Curve",
    unit="L*",
    kinds=KINDS,
    figures=(grey_ramp.MEASUREMENT.named("curve_"), near_black.MEASUREMENT.named("error_")),
    problem=problem,
    usual_readings=usual_readings,
    bends=True,
    moves_white=False,
)
