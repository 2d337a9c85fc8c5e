"""The registry of goals. A new one is one new file here that defines GOAL."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from lumenar.core.tuning.goals.base import Goal

_FOUND = [getattr(import_module(f"{__name__}.{m.name}"), "GOAL", None) for m in iter_modules(__path__)]
GOALS: dict[str, Goal] = {g.key: g for g in sorted((g for g in _FOUND if g is not None), key=lambda g: g.place)}
"""Every goal by its key, in the order in which they are tuned: the curve bends white, white costs light, points stand on white,
colours on all."""
CHOSEN: tuple[str, ...] = tuple(g.key for g in GOALS.values() if g.chosen)
"""What a person can choose."""
FAITHFUL: tuple[str, ...] = tuple(g.key for g in GOALS.values() if g.chosen and g.faithful)
"""What brings a mode nearer to its target."""

__all__ = ["CHOSEN", "FAITHFUL", "GOALS", "Goal"]
