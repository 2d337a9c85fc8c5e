"""The list that a person works through."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.core.readings.patches import Outcome, Pattern
from lumenar.core.signals import Signal
from lumenar.store.runs import RunState


@dataclass(frozen=True)
class Setting:
    """One value to enter."""

    path: str
    value: str


@dataclass(frozen=True, kw_only=True)
class SheetSetup:
    """A setup on the sheet: what is set before a signal other than SDR is sent, the signal to send, the mode to choose, and what
    then differs from how it ships, in the order to enter it. shown: the signal that the display says it shows, None where nobody
    looked; other: what that is instead of the one to be sent, in words, empty where it is that."""

    setup: int
    name: str
    ahead: list[Setting]
    signal: Signal
    send: str
    shown: Signal | None
    other: str
    mode_path: str
    mode: str
    enter: list[Setting]


@dataclass(frozen=True, kw_only=True)
class SheetPatch:
    """One line of the sheet: what to show, where to show it, and the reading. show: the patch in words; codes: its signal, from
    0 to top; outcome: "" until it is read."""

    patch: int
    setup: int
    show: str
    codes: list[int]
    top: int
    rgb: list[float]
    window_percent: float
    background: float
    level: float | None
    zone: list[int] | None
    pattern: Pattern
    at_s: float | None
    outcome: Outcome | Literal[""]
    XYZ: list[float] | None
    question: str


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """A whole run by hand."""

    run: int
    review: int
    state: RunState
    name: str
    meter: str
    luminance_alone: bool
    """Whether the meter shows no colour, so that readings are typed as Y alone."""
    luminance: str | None
    setups: list[SheetSetup]
    patches: list[SheetPatch]
    done: int
    total: int
    left_s: float
