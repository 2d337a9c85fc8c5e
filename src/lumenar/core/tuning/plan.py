"""What a tuning is planned from and what was tried: what goals and the session share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenar.core.menu.controls import Control, Value
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.menu.roles import Role, role_of
from lumenar.core.targets import Target
from lumenar.core.tuning.base import USUAL, Attempt, Noise


@dataclass(frozen=True)
class Tried:
    """An attempt with the goal it was made for."""

    goal: str
    attempt: Attempt


@dataclass(frozen=True)
class TuningPlan:
    """What is wanted of a mode. values: of all its controls that are known, as it begins; luminance: of white in cd/m2, None
    where it is to stay; ladder: values of the luminance control with what they gave in an earlier run."""

    menu: Menu
    mode: Mode
    values: Mapping[str, Value]
    goals: tuple[str, ...]
    target: Target
    luminance: float | None = None
    noise: Noise = USUAL
    ladder: tuple[tuple[float, float], ...] = ()


def controls_for(plan: TuningPlan, kinds: Sequence[str]) -> list[tuple[Control, Role]]:
    """The controls of some kinds that can be set now, as they stand in the menu."""
    found = ((c, role_of(c.role)) for c in plan.menu.controls)
    return [
        (c, r)
        for c, r in found
        if r is not None
        and r.kind in kinds
        and c.path in plan.values
        and plan.menu.why_not_now(plan.values, plan.mode, c.path) is None
    ]


def locked(plan: TuningPlan, kinds: Sequence[str]) -> str:
    """What keeps controls of some kinds from being set, as a sentence; empty where there are none or nothing does."""
    own = [c.path for c in plan.menu.controls if (r := role_of(c.role)) is not None and r.kind in kinds]
    reasons = [plan.menu.why_not_now(plan.values, plan.mode, p) for p in own if p in plan.values]
    why = next(filter(None, reasons), None)
    return "" if why is None else f"{why}."


def stands(plan: TuningPlan, attempt: Attempt) -> bool:
    """Whether an attempt was made with the values as they are now."""
    return all(plan.values.get(p) == v for p, v in attempt.values.items())
