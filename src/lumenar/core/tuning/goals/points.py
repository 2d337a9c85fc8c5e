"""White at many levels."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.measurements import grey_ramp
from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import BLACK, PRIMARIES, WHITE, Solver
from lumenar.core.tuning.channels import primaries_of
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for, locked, stands
from lumenar.core.tuning.points import ManyPoints, Point

KINDS = ("point",)


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """The points of a white balance table."""
    found = controls_for(plan, KINDS)
    by_level: dict[float, list[Control | None]] = {}
    for c, r in found:
        if r.level is not None and r.channel is not None and c.numeric:
            by_level.setdefault(r.level, [None, None, None])[r.channel] = c
    if len(by_level) < 2:
        return locked(plan, KINDS) or "No control is said to be a point of a white balance table."
    points = tuple(Point(level, (row[0], row[1], row[2])) for level, row in sorted(by_level.items()))
    values = {c.path: plan.values[c.path] for p in points for c in p.controls if c is not None}
    return ManyPoints(points, plan.target, values, plan.noise, _primaries(plan, tried))


def _primaries(plan: TuningPlan, tried: Sequence[Tried]) -> tuple[tuple[float, ...], ...] | None:
    """Red, green, blue, white and black as tuning white has left them: those read first, in the amounts that make up the white
    that was read last. None where white was not tuned."""
    white = [t.attempt for t in tried if t.goal == "white" and np.isfinite(t.attempt.of(WHITE)).all()]
    first = next((a for a in white if set(PRIMARIES) <= set(a.patches)), None)
    if first is None:
        return None
    standing = [a for a in white if stands(plan, a)] or white
    last, black = standing[-1].of(WHITE), np.nan_to_num(first.of(BLACK))
    found = primaries_of(last, np.array([first.of(p) for p in PRIMARIES]), black)
    if found is None:
        return None
    return tuple(tuple(map(float, row)) for row in (*(found.rows + found.black), last, black))


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """Three for each point."""
    return 3 * len({r.level for _, r in found})


GOAL = Goal(
    key="points",
    place=5,
    title="White, point by point",
    unit="dE",
    kinds=KINDS,
    figures=(grey_ramp.MEASUREMENT.named(""),),
    problem=problem,
    usual_readings=usual_readings,
    spends=True,
    last_counts=True,
    charted=("Greys", "dE2000 of the greys that were read, all at first"),
)
