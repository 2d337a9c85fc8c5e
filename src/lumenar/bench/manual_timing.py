"""How long a person takes who shows patches, reads a meter and types."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.core.readings.patches import Patch

STEP_S, ENTER_S, CONTROL_S, CARRY_S = 8.0, 30.0, 8.0, 8.0
"""In s: to show a patch, read the meter and type what it says; to enter a setup; to move the luminance control; to carry the
meter to another place."""


def step_times(patches: Sequence[Patch]) -> list[float]:
    """How long a person takes for each patch of one setup in s, in their order."""
    times: list[float] = []
    before: Patch | None = None
    for p in patches:
        spent = STEP_S + (ENTER_S if before is None else 0.0)
        spent += CONTROL_S if p.level is not None and (before is None or before.level != p.level) else 0.0
        spent += CARRY_S if p.zone is not None and (before is None or before.zone != p.zone) else 0.0
        held = 0.0 if before is None or before.at_s is None else before.at_s
        times.append(spent + (max(p.at_s - held, 0.0) if p.at_s else 0.0))
        before = p
    return times
