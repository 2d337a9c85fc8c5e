"""What a goal of a tuning is: all that the rest of the program knows of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from lumenar.core.menu.controls import Control
from lumenar.core.menu.roles import Role
from lumenar.core.tuning.base import Solver
from lumenar.core.tuning.plan import Tried, TuningPlan


@dataclass(frozen=True)
class Goal:
    """One thing that can be tuned. key: what the store calls it; place: in the order in which goals don't spoil one another;
    title, unit: for people; kinds: of the controls that it moves; figures: how those begin that it makes better; problem: the
    solver with the values as they are now, or a sentence why there is none, empty where nothing needs to be said;
    usual_readings: how many it takes as a rule (`make tuning`), by its controls."""

    key: str
    place: int
    title: str
    unit: str
    kinds: tuple[str, ...]
    figures: tuple[str, ...]
    problem: Callable[[TuningPlan, Sequence[Tried]], Solver | str]
    usual_readings: Callable[[TuningPlan, Sequence[tuple[Control, Role]]], int]
    chosen: bool = True
    """Whether a person chooses it; else it follows from others."""
    faithful: bool = True
    """Whether it brings a mode nearer to its target. What takes it away from there is tuned only where a purpose asks for it."""
    hdr: bool = False
    """Whether there is something to tune in HDR, where light and curve are the signal's."""
    spends: bool = False
    """Whether it costs light, so that luminance is looked at again."""
    bends: bool = False
    """Whether its controls change the luminance of a patch by much."""
    moves_white: bool = True
    """Whether its controls move white."""
    remembers: bool = False
    """Whether its solver keeps what it found, or finds it at no cost. What the others find is kept for them."""
    last_counts: bool = False
    """Whether the last attempt stands, and not the one with the least error."""
    charted: tuple[str, str] | None = None
    """Title and note of the chart that shows how it came nearer, where white's path doesn't."""
