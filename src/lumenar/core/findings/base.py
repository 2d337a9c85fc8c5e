"""What a finding is, what it rests on, and when it is certain."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.analysis import Analysis, drawn_figures
from lumenar.core.numbers import listed
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Signal, Target

Array = NDArray[np.float64]
T = TypeVar("T")

VISIBLE_WHITE = 1.0
"""dE2000 that is visible in white beside a reference."""
VISIBLE_COLOUR = 2.0
"""dE2000 that is visible in a colour on its own."""
VISIBLE_SHADOW = 1.0
"""Difference in L* that is visible in shadows."""
VISIBLE_STEP = 3.0
"""Change of luminance in % that is visible if it happens at once."""
DRAWS = 60
"""Draws for figures with many values. Their standard deviation is good to a tenth."""
HALF_WIDTH = 2.0
"""Half width of a 95 % interval in standard deviations of the draws."""
AT_ALL, AT_ALL_OF_MANY = 2.0, 3.0
"""A rule fires only if its figure is this many half widths away from zero. The second number is for the worst of many values. The
95 % interval alone would give false findings by chance, because hundreds of figures are judged on each display."""

Kind = Literal["fault", "strength", "note"]


@dataclass(frozen=True)
class Ranged:
    """Values with the ends of their 95 % intervals, all of one shape."""

    value: Array
    low: Array
    high: Array

    def at(self, index: int) -> tuple[float, float, float]:
        """One value and its interval."""
        return float(self.value[index]), float(self.low[index]), float(self.high[index])

    def least(self, sign: int = 1) -> Array:
        """Return the smallest size (n,) of each value that its interval allows, in the direction of `sign`; 0 if it could be
        zero."""
        value, end = sign * self.value, self.low if sign > 0 else -self.high
        return np.asarray(np.where(value - AT_ALL_OF_MANY * (value - end) > 0, np.maximum(end, 0.0), 0.0))


def least(found: tuple[float, float, float], sign: int = 1, of_many: bool = False) -> float:
    """Return the smallest size of a figure (value, low, high) that its interval allows, in the direction of `sign`; 0 if the
    figure could be zero. of_many: the figure is the worst of many values."""
    value, end = sign * found[0], found[1] if sign > 0 else -found[2]
    enough = value - (AT_ALL_OF_MANY if of_many else AT_ALL) * (value - end) > 0
    return max(end, 0.0) if enough else 0.0


def ranged(value: ArrayLike, draws: ArrayLike) -> Ranged:
    """Values (n,) with intervals from their draws (draws, n). Noise makes errors without a sign larger on average, so the
    interval is moved back by that."""
    value, draws = np.asarray(value, float), np.asarray(draws, float)
    with np.errstate(invalid="ignore"), warnings.catch_warnings():
        # Levels without a number in any draw have no interval either.
        warnings.simplefilter("ignore", RuntimeWarning)
        middle, half = np.nanmean(draws, axis=0), HALF_WIDTH * np.nanstd(draws, axis=0)
    centre = 2 * value - middle
    return Ranged(value, np.minimum(centre - half, value), np.maximum(centre + half, value))


@dataclass(frozen=True)
class SetupEvidence:
    """One setup with all its measurements. key: its identity in findings; shipped: whether it is a mode with the
    settings of a reset; analyses: by measurement; readings: gives the readings of a measurement; sample: of the display."""

    key: str
    name: str
    signal: Signal
    target: Target
    shipped: bool
    analyses: Mapping[str, Analysis]
    readings: Callable[[str], Readings | None]
    sample: str = ""
    _kept: dict[object, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def memo(self, key: object, find: Callable[[], T]) -> T:
        """The value under a key, found once. Several rules share it."""
        if key not in self._kept:
            self._kept[key] = find()
        kept: T = self._kept[key]
        return kept

    def scalar(self, measurement: str, key: str) -> tuple[float, float, float] | None:
        """A figure with its 95 % interval; None if it was not measured."""
        analysis = self.analyses.get(measurement)
        value = analysis.scalar(key) if analysis else None
        if analysis is None or value is None:
            return None
        u = analysis.uncertainty.get(key)
        return (value, value, value) if u is None else (value, min(u.low, value), max(u.high, value))

    def exact(self, measurement: str, key: str) -> Array | None:
        """The values of a figure without intervals; None if it was not measured."""
        analysis = self.analyses.get(measurement)
        return None if analysis is None or key not in analysis.figures else analysis.figures[key]

    def drawn(self, measurement: str) -> Mapping[str, Array]:
        """All figures of a measurement from draws of its readings. Empty if it has none."""

        def find() -> Mapping[str, Array]:
            readings = self.readings(measurement)
            found = {} if readings is None else drawn_figures(measurement, readings, self.target, DRAWS)
            return {k: np.asarray(v, float) for k, v in found.items()}

        return self.memo(("drawn", measurement), find)

    def each(self, measurement: str, key: str) -> Ranged | None:
        """The values (n,) of a figure with their intervals; None if it was not measured, or has no draws."""
        value, drawn = self.exact(measurement, key), self.drawn(measurement).get(key)
        if value is None or drawn is None or drawn.ndim != value.ndim + 1:
            return None
        return ranged(value, drawn)


@dataclass(frozen=True)
class DisplayEvidence:
    """All setups of a display, those of the sample under review first."""

    setups: Sequence[SetupEvidence]

    @cached_property
    def as_shipped(self) -> Sequence[SetupEvidence]:
        """The setups of the first sample that are modes with the settings of a reset; all its setups if none is. Modes of another
        sample would count twice."""
        own = [s for s in self.setups if s.sample == self.setups[0].sample]
        return [s for s in own if s.shipped] or own


@dataclass(frozen=True, kw_only=True)
class Observed:
    """A fault or a strength of one setup. amount: in the rule's unit, with the ends of its interval; excess: how many times the
    visible limit it is at least; share: of the picture, or of the range of use, that it concerns (0..1); detail: where and how,
    as a phrase; figures: the keys it rests on; chart: of its measurement; levels: in % of the signal; zone: column
    and row."""

    setup: SetupEvidence
    measurement: str
    amount: tuple[float, float, float]
    excess: float
    figures: tuple[str, ...]
    detail: str = ""
    share: float = 1.0
    chart: str = ""
    levels: tuple[float, ...] = ()
    zone: tuple[int, int] | None = None


@dataclass(frozen=True, kw_only=True)
class FindingRule:
    """A rule that finds one kind of fault, strength or comparison.

    key: permanent name, "subject.fault"; observe: judges one setup and returns None if nothing is certain; compare: judges
    several setups together; sentence: makes the sentence from the setups that show it, the worst first, and the number of
    measured setups; unit: unit of the amounts; advice: what a reader can do about it.
    """

    key: str
    sentence: Callable[[Sequence[Observed], int], str]
    measurement: str
    unit: str = "dE"
    observe: Callable[[SetupEvidence], Observed | None] | None = None
    compare: Callable[[Sequence[SetupEvidence]], Sequence[Observed]] | None = None
    kind: Kind = "fault"
    advice: str = ""
    signals: tuple[Signal, ...] = ("sdr", "pq", "hlg")

    def found(self, setups: Sequence[SetupEvidence]) -> list[Observed]:
        """What these setups show, all of them measured for it."""
        alone = [o for s in setups if self.observe and (o := self.observe(s)) is not None]
        return alone + list(self.compare(setups) if self.compare else ())


@dataclass(frozen=True, kw_only=True)
class Finding:
    """What a rule found on a display. severity: 0 if just visible, larger if worse; evidence: the setups that show it, the worst
    first; measured: the number of setups that were measured for it."""

    key: str
    kind: Kind
    severity: float
    sentence: str
    advice: str
    unit: str
    evidence: tuple[Observed, ...]
    measured: int

    @property
    def subject(self) -> str:
        """What it is about."""
        return self.key.split(".")[0]


def name_of(o: Observed) -> str:
    """The name of a setup in a sentence, in quotes if it contains a comma."""
    return f"“{o.setup.name}”" if "," in o.setup.name else o.setup.name


def in_modes(found: Sequence[Observed], measured: int) -> str:
    """In which modes, as a phrase: "in Film", "in Film and Play", "in four of six modes", "in all five modes"."""
    if measured == 1:
        return f"in {name_of(found[0])}"
    if len(found) == measured:
        return "in both modes" if measured == 2 else f"in all {number(measured)} modes"
    if len(found) <= 2:
        return f"in {listed([name_of(o) for o in found])}"
    return f"in {number(len(found))} of {number(measured)} modes"


def number(count: int) -> str:
    """A count in words up to twelve."""
    words = ["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"]
    return words[count] if count < len(words) else str(count)


def span(found: Sequence[Observed], decimals: int) -> str:
    """The amounts of all setups as one number or from the least to the most, without signs."""
    amounts = sorted(abs(o.amount[0]) for o in found)
    low, high = f"{amounts[0]:.{decimals}f}", f"{amounts[-1]:.{decimals}f}"
    return high if low == high else f"{low} to {high}"


def most(found: Sequence[Observed], decimals: int) -> str:
    """The largest amount of all setups, without its sign."""
    return f"{max(abs(o.amount[0]) for o in found):.{decimals}f}"


def levels_words(levels: Sequence[float]) -> str:
    """Signal levels as a phrase: "at 10 % signal", "from 5 to 20 % signal"."""
    low, high = min(levels), max(levels)
    return f"at {high:.0f} % signal" if high - low < 0.5 else f"from {low:.0f} to {high:.0f} % signal"
