"""What the bench bar shows, and what a plan would take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.app.drivers.simulated import FaultKey
from lumenar.core.measurements.base import direction
from lumenar.core.menu.controls import Panel
from lumenar.core.readings.patches import Outcome, Patch

BenchState = Literal["idle", "queued", "running", "paused", "waiting", "stopped", "done"]
Occupied = Literal["", "run", "free", "correction", "reread", "tuning", "replay", "experiment"]
"""What has the bench; nothing at rest."""


@dataclass(frozen=True)
class LivePatch:
    """What is on the screen: how a person names it, the signal, where and how it is shown, and for what."""

    code: str
    rgb: tuple[float, float, float]
    place: str
    setup: str


@dataclass(frozen=True, kw_only=True)
class LiveReading:
    """The last reading, corrected, beside the setup's own target once its white is known."""

    outcome: Outcome
    Y: float | None
    u: float | None
    v: float | None
    code: str
    target_Y: float | None
    de: float | None


@dataclass(frozen=True)
class CorrectionInForce:
    """What the working meter's readings are corrected by: the panel type it was made for, and its date."""

    panel: Panel
    made_on: str


@dataclass(frozen=True, kw_only=True)
class BenchStatus:
    """All that the bench bar shows. kind: what occupies the bench, "run", "free" or "correction", empty at rest."""

    state: BenchState
    kind: Occupied
    message: str
    run: int | None
    review: int | None
    review_name: str
    done: int
    total: int
    left_s: float
    speed: float
    meter: str
    correction: CorrectionInForce | None
    drift_percent: float | None
    fault: FaultKey | None
    patch: LivePatch | None
    reading: LiveReading | None
    queued: int


@dataclass(frozen=True, kw_only=True)
class PlanPreview:
    """What measuring the cells would take, and whether the unit is known to be warm."""

    readings: int
    shared: int
    seconds: float
    saved_seconds: float
    wall_seconds: float
    warm: bool
    left_out: list[str]
    """What of the selection cannot be measured, and why, one sentence each."""


def place_of(patch: Patch) -> str:
    """Where and how a patch is shown, in words."""
    if patch.zone is not None:
        c, r, columns, rows = patch.zone
        return f"{direction(((c + 0.5) / columns, (r + 0.5) / rows))}, column {c + 1} row {r + 1}"
    if patch.level is not None:
        return f"setting {patch.level:g}"
    if patch.pattern != "window":
        return "4x4"
    return f"window {100 * patch.window:g} %" + (f", held {patch.at_s:.0f} s" if patch.at_s else "")
