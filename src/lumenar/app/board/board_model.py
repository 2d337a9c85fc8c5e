"""A Board as its view shows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.app.board.shelf import Headline, ShelfEntry
from lumenar.app.keys import MeasurementKey
from lumenar.bench.capabilities import Capabilities
from lumenar.core.measurements import Group
from lumenar.core.targets import Signal


@dataclass(frozen=True, kw_only=True)
class BoardColumn:
    """One figure's column; columns of one measurement stand together."""

    measurement: MeasurementKey
    title: str
    group: Group
    figure: str
    head: str
    unit: str
    main: bool
    short: str
    signals: list[Signal]
    """Setups of these signals have it."""
    first_pass: bool
    """Whether every mode is measured for it first."""


@dataclass(frozen=True)
class BoardFigure:
    """One figure as written, its raw value, uncertainty and points."""

    figure: str
    text: str
    raw: float | None
    uncertainty: float | None
    points: float | None


CellState = Literal["unmeasured", "queued", "measuring", "computing", "partial", "measured", "stale", "failed"]


@dataclass(frozen=True, kw_only=True)
class BoardCell:
    """One measurement of one setup: its state ("computing" if everything is read and its figures are being computed), progress
    and figures. note: why it is stale or has no figures (state "failed"), or what is doubtful about it; marked: whether that is
    doubtful enough for a mark in the cell."""

    measurement: MeasurementKey
    state: CellState
    done: int
    total: int
    figures: list[BoardFigure]
    note: str
    marked: bool


@dataclass(frozen=True, kw_only=True)
class BoardRow:
    """One setup."""

    setup: int
    name: str
    sample: str
    firmware: str
    signal: Signal
    mode: str
    nested: bool
    """Whether it stands under what its mode ships with."""
    room: str
    """The light in the room, empty where it is not said or as usual."""
    format: str
    """What differs from the sample's usual signal, in words."""
    target: str
    target_title: str
    state: str
    score: float | None
    low: float | None
    high: float | None
    score_note: str
    cells: list[BoardCell]


@dataclass(frozen=True)
class OptionChoice:
    """A value that an option may have, and how it is called."""

    value: float | list[int]
    words: str


@dataclass(frozen=True, kw_only=True)
class RunOption:
    """What a measurement may be asked to do otherwise: the field of a run's options that it sets, its name and unit, and the
    values or the range that it may have; a switch has neither."""

    measurement: MeasurementKey
    field: str
    title: str
    unit: str
    choices: list[OptionChoice]
    low: float | None
    high: float | None
    usual: float | list[int] | bool


@dataclass(frozen=True)
class NextStep:
    """The sensible next step: a sentence, the cells it would measure, or a view to go to."""

    text: str
    cells: list[tuple[int, MeasurementKey]]
    view: str | None


@dataclass(frozen=True)
class PurposeChoice:
    """A purpose that setups can be scored for, and the measurements that it needs."""

    key: str
    title: str
    meaning: str
    needs: list[str]


@dataclass(frozen=True, kw_only=True)
class Board:
    """The whole Board of a review."""

    review: ShelfEntry
    headline: list[Headline]
    purpose: str
    purpose_title: str
    purposes: list[PurposeChoice]
    columns: list[BoardColumn]
    rows: list[BoardRow]
    options: list[RunOption]
    next: NextStep
    can: Capabilities
    by_hand: list[int]
    """Runs that wait for a person, oldest first."""
