"""Figures that other parts of the program refer to, as objects: a name that is mistyped is found by the type checker."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Tolerance:
    """How far a replay may be from what a recipe promised: what a viewer would not see, with room for a meter that was set up
    anew. place: where it is listed; tolerance: in the figure's unit, or as a share of the promised value."""

    place: int
    tolerance: float
    relative: bool = False


@dataclass(frozen=True)
class Figure:
    """A scalar figure of a measurement with its name and unit for people. compared: its place among those that a tuning's
    result and start are compared by, None where it is none; better: whether less (-1) or more (1) of it is better, 0 where
    neither; expected: its place among what a recipe says to expect; reported: whether it stands beside what a host reports."""

    measurement: str
    key: str
    title: str
    unit: str
    decimals: int
    better: Literal[-1, 0, 1] = 0
    compared: int | None = None
    expected: int | None = None
    promise: Tolerance | None = None
    reported: bool = False

    @property
    def name(self) -> str:
        """Measurement and key, as rubrics and the API write them."""
        return f"{self.measurement}.{self.key}"
