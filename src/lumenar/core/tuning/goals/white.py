"""White, by gains and offsets."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.measurements import grey_ramp, white_black
from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.channels import Channel
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for, locked
from lumenar.core.tuning.white import TwoPoints

KINDS = ("gain", "offset")


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """Gains at white, offsets at a dark grey."""
    found = controls_for(plan, KINDS)
    gains, offsets = (
        tuple(Channel(c, r.channel) for c, r in found if r.kind == kind and r.channel is not None and c.numeric)
        for kind in ("gain", "offset")
    )
    if plan.mode.signal != "sdr":
        # The dark end of PQ is what the curve makes of it; gains are what white costs.
        offsets = ()
    if not gains and not offsets:
        return locked(plan, KINDS) or "No control is said to set a channel's gain or offset."
    values = {c.control.path: plan.values[c.control.path] for c in (*gains, *offsets)}
    return TwoPoints(gains, offsets, plan.target, values, plan.noise)


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """More with offsets."""
    return 8 + (6 if any(r.kind == "offset" for _, r in found) else 0)


GOAL = Goal(
    key="white",
    place=4,
    title="White",
    unit="dE",
    kinds=KINDS,
    figures=(grey_ramp.MEASUREMENT.named("own_white_"), white_black.MEASUREMENT.named("white_de")),
    problem=problem,
    usual_readings=usual_readings,
    hdr=True,
    spends=True,
    remembers=True,
)
