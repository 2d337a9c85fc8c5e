"""Six colours."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.measurements import gamut, saturation, swatches
from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import CHANNELS, Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.colours import CHECKED, JUDGED, WATCHED, AxisControl, SixColours
from lumenar.core.tuning.goals.base import Goal
from lumenar.core.tuning.plan import Tried, TuningPlan, controls_for, locked

KINDS = ("hue", "saturation", "lightness", "mix")


def problem(plan: TuningPlan, tried: Sequence[Tried]) -> Solver | str:
    """Hue, saturation and lightness of six colours, or their mixes."""
    found = controls_for(plan, KINDS)
    controls = tuple(
        AxisControl(str(r.axis), CHANNELS[r.channel] if r.channel is not None else r.kind, c)
        for c, r in found
        if c.numeric and r.axis is not None
    )
    if len({c.axis for c in controls}) < 2:
        return locked(plan, KINDS) or "No control is said to set one of six colours."
    return SixColours(
        controls, plan.target, {c.control.path: plan.values[c.control.path] for c in controls}, plan.noise
    )


def usual_readings(plan: TuningPlan, found: Sequence[tuple[Control, Role]]) -> int:
    """The colours it is judged by four times, and what is watched."""
    return 1 + len(CHECKED) + 4 * len(JUDGED) + WATCHED


GOAL = Goal(
    key="colours",
    place=6,
    title="Six colours",
    unit="dE",
    kinds=KINDS,
    figures=(gamut.MEASUREMENT.named("own_white_"), saturation.MEASUREMENT.named(""), swatches.MEASUREMENT.named("")),
    problem=problem,
    usual_readings=usual_readings,
    spends=True,
    charted=("Six colours", "mean dE2000 of the colours it is judged by"),
)
