"""The registry of measurements.

A new one is one new file here that defines MEASUREMENT; nothing else knows their number.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from lumenar.core.measurements.base import Column, Context, Figures, Group, Measurement, MissingPatchError
from lumenar.core.measurements.figure import Figure
from lumenar.core.registry import registered
from lumenar.core.signals import Signal

_GROUPS = get_args(Group)


def _load() -> dict[str, Measurement]:
    found = registered(__name__, __path__, "MEASUREMENT", Measurement)
    found.sort(key=lambda m: (_GROUPS.index(m.group), m.order, m.key))
    return {m.key: m for m in found}


MEASUREMENTS: dict[str, Measurement] = _load()


def first_pass(signal: Signal) -> tuple[str, ...]:
    """The measurements that every mode of a signal is measured for first."""
    return tuple(m.key for m in MEASUREMENTS.values() if m.first_pass and signal in m.signals)


def greys(signal: Signal) -> Measurement:
    """What is meant by greys for a signal."""
    return next(m for m in MEASUREMENTS.values() if m.greys and signal in m.signals)


FIGURES: tuple[Figure, ...] = tuple(f for m in MEASUREMENTS.values() for f in m.figures)
"""Every figure that other parts of the program refer to."""


def _in_place(place: Callable[[Figure], int | None]) -> tuple[Figure, ...]:
    placed = [(p, f) for f in FIGURES if (p := place(f)) is not None]
    return tuple(f for _, f in sorted(placed, key=lambda x: x[0]))


COMPARED = _in_place(lambda f: f.compared)
"""Figures that a tuning's result and start are compared by: the first that moved decides."""
EXPECTED = _in_place(lambda f: f.expected)
"""Figures that a recipe says to expect."""
PROMISED = _in_place(lambda f: None if f.promise is None else f.promise.place)
"""Figures that a recipe promises and its replays are held to."""


def prepare() -> None:
    """Compute now what measurements need once of every target, rather than when a target is first tried."""
    for m in MEASUREMENTS.values():
        if m.prepare is not None:
            m.prepare()


__all__ = [
    "COMPARED",
    "EXPECTED",
    "FIGURES",
    "MEASUREMENTS",
    "PROMISED",
    "Column",
    "Context",
    "Figure",
    "Figures",
    "Group",
    "Measurement",
    "MissingPatchError",
    "first_pass",
    "greys",
    "prepare",
]
