"""The registry of goals. A new one is one new file here that defines GOAL."""

from __future__ import annotations

from lumenar.core.registry import registered
from lumenar.core.tuning.goals.base import Goal

_FOUND = registered(__name__, __path__, "GOAL", Goal)
GOALS: dict[str, Goal] = {g.key: g for g in sorted(_FOUND, key=lambda g: g.place)}
"""Every goal by its key, in the order in which they are tuned: the curve bends white, white costs light, points stand on white,
colours on all."""
CHOSEN: tuple[str, ...] = tuple(g.key for g in GOALS.values() if g.chosen)
"""What a person can choose."""
FAITHFUL: tuple[str, ...] = tuple(g.key for g in GOALS.values() if g.chosen and g.faithful)
"""What brings a mode nearer to its target."""

__all__ = ["CHOSEN", "FAITHFUL", "GOALS", "Goal"]
