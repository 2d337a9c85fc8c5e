"""How the bench treats a panel: waits, rests, the reference white, by panel technology. All can be set for a run."""

from __future__ import annotations

from dataclasses import dataclass

from lumenar.core.readings.patches import Patch


@dataclass(frozen=True)
class PanelTiming:
    """settle_s: wait after each patch; large_step_s: as much more after a full change from black to white, in proportion
    to the change of signal; rest_every and rest_s: after so many patches a dark grey is shown for so long (0: never);
    reference_every_s: how often the setup's white is read to see drift (0: never); warm_up_percent: the drift over ten
    minutes under which a unit counts as warm; tolerance_percent and tolerance_uv: how far a setup's signature may be from
    its last one before the person is asked."""

    settle_s: float
    large_step_s: float
    rest_every: int
    rest_s: float
    reference_every_s: float
    warm_up_percent: float = 0.5
    tolerance_percent: float = 3.0
    tolerance_uv: float = 0.004


PANEL_TIMINGS: dict[str, PanelTiming] = {
    "lcd": PanelTiming(0.35, 0.25, 0, 0.0, 300.0),
    "oled": PanelTiming(0.2, 0.1, 12, 3.0, 240.0),
    "projector": PanelTiming(0.5, 0.3, 0, 0.0, 300.0),
    "other": PanelTiming(0.35, 0.25, 0, 0.0, 300.0),
}
REST = Patch((0.12, 0.12, 0.12), 0.1)
SETUP_S, LEVEL_S, MOVE_S, CLEAR_S = 4.0, 1.0, 2.0, 1.0
"""Time to enter a setup, to move the luminance control, to move the meter to another place, and to show another picture
so that nothing stands still, in s."""
FIRST_RESTS = 20
"""Before a setup's first reading a panel that needs rests gets so many of them at a stretch, for what was shown before."""
WHITES = 3
"""Whites that all others are compared with are read so often."""
SIGNATURE = (Patch((1.0, 1.0, 1.0)), Patch((0.5, 0.5, 0.5)), Patch((0.75, 0.25, 0.25)))
"""White, mid grey and one colour: what a setup is recognised by."""


def settling(habits: PanelTiming, before: Patch | None, after: Patch) -> float:
    """Wait in s after a patch follows another."""
    if before is None:
        return habits.settle_s + habits.large_step_s
    step = max(abs(a - b) for a, b in zip(before.rgb, after.rgb, strict=True))
    return habits.settle_s + habits.large_step_s * step
