"""Scores of a setup for a purpose, with their intervals, and scores beside one another."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lumenar.core.analysis import Analysis
from lumenar.core.measurements.base import FLOOR_ASSUMED
from lumenar.core.scoring.rubric import Array, Purpose, Rubric, Rule
from lumenar.core.signals import WORDS
from lumenar.core.targets import Signal
from lumenar.core.uncertainty import summarise

MIN_COVERAGE = 0.70
"""Under this share of a purpose's weight there is no score."""


@dataclass(frozen=True)
class Line:
    """One line of "where the points went". value and points are None where the figure was not measured; at_least: the value is a
    lower bound; open: by how many points what is not known could lower and raise it."""

    figure: str
    title: str
    unit: str
    text: str
    value: float | None
    points: float | None
    weight: float
    loss: float | None
    measurement: str
    at_least: bool = False
    open: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Score:
    """A score 0..100 with its 95 % interval, or None with the reason, and where the points went.

    The interval is widened by what was not measured, from 0 points for all of it to 100, and by figures that are only a
    lower bound, from their points to the most the rule gives; scores are ranked by its lower end, so that leaving something
    out never raises one. spread (draws,): by how much the draws of the figures move the score; open_low, open_high: by how
    much what is not known could. systematic: as of the analyses;
    ranked: what it is ranked by, None without a score.
    """

    purpose: str
    value: float | None
    low: float | None
    high: float | None
    coverage: float
    reason: str
    lines: tuple[Line, ...]
    spread: Array | None = field(default=None, repr=False, compare=False)
    open_low: float = 0.0
    open_high: float = 0.0
    systematic: bool = False
    ranked: float | None = None


@dataclass(frozen=True)
class _Known:
    """A rule's figure: its value with its points, by how much its draws move these, whether it is a bound, and by how much what
    is not known could lower and raise the points."""

    value: float
    points: float
    moved: Array | None
    at_least: bool
    open_low: float
    open_high: float


def _figure(rule: Rule, analyses: Mapping[str, Analysis]) -> _Known | None:
    """A rule's figure, None where it was not measured."""
    for figure in filter(None, (rule.figure, rule.instead)):
        measurement, key = figure.split(".")
        analysis = analyses.get(measurement)
        value = analysis.scalar(key) if analysis else None
        if analysis is not None and value is not None:
            # What a figure is worth does not depend on its weight: a weight that is moved costs a sum.
            known = analysis.judged.get(rule)
            if known is None:
                draws = analysis.draws.get(key)
                points = float(rule.points(value))
                moved = None if draws is None else _moved(rule, points, draws)
                at_least = figure == rule.instead
                ends = [points, *(float(rule.points(v)) for v in analysis.range.get(key, ()))]
                ends += [max(y for _, y in rule.knots)] if at_least else []
                low, high = min(ends) - points, max(ends) - points
                known = analysis.judged[rule] = _Known(value, points, moved, at_least, low, high)
            return known
    return None


NOT_MEASURED, OUT_OF_DATE = "not measured", "out of date"


def _why_unknown(rule: Rule, analyses: Mapping[str, Analysis]) -> str:
    """Why there is no figure for a rule, in a few words."""
    analysis = analyses.get(rule.measurement)
    if analysis is not None and analysis.scalar(FLOOR_ASSUMED) is not None:
        return "meter's floor not stated"
    return NOT_MEASURED


def figure_points(rubric: Rubric, measurement: str, key: str, analyses: Mapping[str, Analysis]) -> float | None:
    """Points of one figure, None where no rule judges it or it was not measured."""
    rule = rubric.rules.get(f"{measurement}.{key}")
    known = _figure(rule, analyses) if rule else None
    return known.points if known else None


def _moved(rule: Rule, points: float, draws: Array) -> Array:
    """By how much the points of a figure's draws (draws,) are off from its own; nothing where a draw gave no number. What noise
    shifts is still in it: the score's interval takes that out once, of the whole."""
    return np.asarray(np.where(np.isnan(draws), 0.0, rule.points(np.nan_to_num(draws, posinf=1e12)) - points), float)


def _added(one: Array | None, two: Array | None) -> Array | None:
    """The sum of two sets of draws, over as many as both have: the first draws of a setup are the same in all its
    figures."""
    if one is None or two is None:
        return one if two is None else two
    count = min(len(one), len(two))
    return one[:count] + two[:count]


@dataclass
class _Sum:
    """What a purpose's figures add up to: lines with their points, the weight of those that are known, by how much what is not
    known could move the sum, and the core figures that are missing."""

    lines: list[Line] = field(default_factory=list)
    points: float = 0.0
    weight: float = 0.0
    open_low: float = 0.0
    open_high: float = 0.0
    spread: Array | None = None
    missing_core: list[str] = field(default_factory=list)
    all_stale: bool = True

    def take(self, rule: Rule, figure: str, weight: float, known: _Known) -> None:
        """Add a figure that is known."""
        self.lines.append(
            Line(
                figure=figure,
                title=rule.title,
                unit=rule.unit,
                text=rule.written(known.value, known.at_least),
                value=known.value,
                points=known.points,
                weight=weight,
                loss=weight * (100 - known.points),
                measurement=rule.measurement,
                at_least=known.at_least,
                open=(known.open_low, known.open_high),
            )
        )
        self.points += weight * known.points
        self.weight += weight
        self.open_low += weight * known.open_low
        self.open_high += weight * known.open_high
        self.spread = _added(self.spread, None if known.moved is None else weight * known.moved)

    def lack(self, rule: Rule, figure: str, weight: float, why: str, core: bool) -> None:
        """Note a figure that is not known, and why."""
        self.lines.append(
            Line(
                figure=figure,
                title=rule.title,
                unit=rule.unit,
                text=why,
                value=None,
                points=None,
                weight=weight,
                loss=None,
                measurement=rule.measurement,
            )
        )
        if core:
            self.all_stale = self.all_stale and why == OUT_OF_DATE
            self.missing_core.append(rule.title if why in (NOT_MEASURED, OUT_OF_DATE) else f"{rule.title} ({why})")

    def sorted_lines(self) -> tuple[Line, ...]:
        """The lines, the greatest loss first. Each loss is a share of the measured weight, so all losses add up to 100 minus the
        score."""
        shares = [x if x.loss is None else replace(x, loss=x.loss / self.weight) for x in self.lines]
        return tuple(sorted(shares, key=lambda x: -(x.loss if x.loss is not None else -1)))

    def why_none(self, coverage: float) -> str:
        """Why there is no score, empty if there is one."""
        if self.missing_core:
            return f"{OUT_OF_DATE if self.all_stale else NOT_MEASURED}: {', '.join(self.missing_core)}"
        return f"only {100 * coverage:.0f} % measured" if coverage < MIN_COVERAGE else ""


def _summed(rubric: Rubric, purpose: Purpose, analyses: Mapping[str, Analysis], stale: Collection[str]) -> _Sum:
    """All figures of a purpose that have a weight."""
    found = _Sum()
    for figure, weight in purpose.weights.items():
        if weight == 0:
            continue
        rule = rubric.rules[figure]
        known = _figure(rule, analyses)
        if known is not None:
            found.take(rule, figure, weight, known)
            continue
        why = OUT_OF_DATE if rule.measurement in stale else _why_unknown(rule, analyses)
        found.lack(rule, figure, weight, why, figure in purpose.core)
    return found


def _none(purpose: Purpose, reason: str, coverage: float = 0.0, lines: tuple[Line, ...] = ()) -> Score:
    return Score(purpose=purpose.key, value=None, low=None, high=None, coverage=coverage, reason=reason, lines=lines)


def score(
    rubric: Rubric,
    purpose: str | Purpose,
    analyses: Mapping[str, Analysis],
    signal: Signal | None = None,
    stale: Collection[str] = (),
) -> Score:
    """The weighted mean of the points that exist, for one setup's analyses by measurement.

    Unmeasured figures lower the coverage, not the score, and widen its interval; without a core figure or under 70 %
    coverage there is none. The draws are shared by all figures of one set of readings. purpose: one of the rubric's by key,
    or one that is only being tried; signal: that of the setup, None for the purpose's; stale: measurements that were read, but
    before a change.
    """
    purpose = rubric.purposes[purpose] if isinstance(purpose, str) else purpose
    if signal not in (None, purpose.signal):
        return _none(purpose, f"for {WORDS[purpose.signal]} alone")
    total = sum(purpose.weights.values())
    found = _summed(rubric, purpose, analyses, stale)
    coverage, lines = found.weight / total, found.sorted_lines()
    if reason := found.why_none(coverage):
        return _none(purpose, reason, coverage, lines)
    value = found.points / found.weight
    # Draws move what was measured; what was not could be worth nothing or everything.
    spread = np.zeros(2) if found.spread is None else found.spread / total
    open_low = (found.points + found.open_low) / total - value
    open_high = (found.points + found.open_high + 100 * (total - found.weight)) / total - value
    used = {line.measurement for line in lines if line.points is not None}
    systematic = any(analyses[m].systematic for m in used if m in analyses)
    low, high = interval_of(spread, value, systematic)
    # An unknown correction is the same in all modes of a display, so it doesn't decide which is better.
    by_noise = interval_of(spread, value)[0] if systematic else low
    return Score(
        purpose=purpose.key,
        value=value,
        low=max(0.0, value + open_low + low),
        high=min(100.0, value + open_high + high),
        coverage=coverage,
        reason="",
        lines=lines,
        spread=spread,
        open_low=open_low,
        open_high=open_high,
        systematic=systematic,
        ranked=max(0.0, value + open_low + by_noise),
    )


def rank(one: Score) -> float:
    """What scores are ranked by: the lower end of the interval, without what an unknown correction adds to it; -1 if there is no
    score."""
    return -1.0 if one.ranked is None else one.ranked


LEAST_POINTS = 1.0
"""A gain of fewer points isn't worth the effort of tuning."""


def gain(one: Score, two: Score) -> tuple[float, float, float] | None:
    """By how many points the first is better, with the 95 % interval of that: of two setups that were measured for the same
    things, so that what was not measured plays no part, nor does what is a lower bound in both. None if either has no score."""
    if one.value is None or two.value is None:
        return None
    d = one.value - two.value
    low, high = _spread_of_difference(one, two, d)
    known = sum(line.weight for line in one.lines if line.points is not None)
    beside = {line.figure: line for line in two.lines}
    for line in one.lines:
        other = beside.get(line.figure)
        if line.points is None or other is None or other.points is None:
            continue
        share = line.weight / known
        if line.at_least and other.at_least:
            # Two lower bounds tell nothing about the difference.
            d -= share * (line.points - other.points)
            continue
        low += share * (line.open[0] - other.open[1])
        high += share * (line.open[1] - other.open[0])
    return d, d + low, d + high


LEAST_KNOWN = 0.3
"""Under this share of a purpose's weight a gain in points tells too little about the purpose."""


def gain_of_known(
    rubric: Rubric, purpose: Purpose, one: Mapping[str, Analysis], two: Mapping[str, Analysis]
) -> tuple[float, float, float] | None:
    """By how many points of the whole score the first is better in the figures that both have, with the 95 % interval, if neither
    needs to have a score. Figures that one lacks are taken to be equal. None if both know under `LEAST_KNOWN` of the weight, or
    if a core figure is missing that one of them has."""
    total = sum(purpose.weights.values())
    known, value, low, high, spread = 0.0, 0.0, 0.0, 0.0, np.zeros(2)
    for figure, weight in purpose.weights.items():
        a, b = (_figure(rubric.rules[figure], analyses) for analyses in (one, two))
        if a is None or b is None:
            if figure in purpose.core and (a or b):
                return None
            continue
        known += weight
        if a.at_least and b.at_least:
            # Two lower bounds tell nothing about the difference.
            continue
        value += weight * (a.points - b.points) / total
        low += weight * (a.open_low - b.open_high) / total
        high += weight * (a.open_high - b.open_low) / total
        if a.moved is not None and b.moved is not None:
            count = min(len(a.moved), len(b.moved), len(spread) if len(spread) > 2 else len(a.moved))
            spread = (spread[:count] if len(spread) > 2 else 0.0) + weight * (a.moved[:count] - b.moved[:count]) / total
    if known < LEAST_KNOWN * total:
        return None
    by_noise = interval_of(spread, value, any(a.systematic for a in (*one.values(), *two.values())))
    return value, value + low + by_noise[0], value + high + by_noise[1]


def measurably_better(one: Score, two: Score) -> bool:
    """Whether the first is better by more than its uncertainty, by however little."""
    found = gain(one, two)
    return found is not None and found[1] > 0


def worth_it(one: Score, two: Score) -> bool:
    """Whether the first is better by more than its uncertainty, and by enough to be worth a person's trouble."""
    found = gain(one, two)
    return found is not None and found[0] >= LEAST_POINTS and found[1] > 0


def _spread_of_difference(one: Score, two: Score, d: float) -> tuple[float, float]:
    a, b = (np.zeros(2) if s.spread is None else s.spread for s in (one, two))
    count = min(len(a), len(b))
    if count <= 2:
        return 0.0, 0.0
    return interval_of(a[:count] - b[:count], d, one.systematic or two.systematic)


def interval_of(moved: Array, value: float, systematic: bool = False) -> tuple[float, float]:
    """The ends of the 95 % interval of a score, or of a difference of two, as distances from it: from by how much its draws (n,)
    are off from it. A score is a figure like any other: noise lowers it, in the readings and once more in the draws, and
    `uncertainty.summarise` takes both out. systematic: the draws are what an unknown correction may make of the readings.
    Then the truth may also be one of them, and the interval holds both."""
    found = summarise(value, value + moved, ratio=True) if len(moved) > 2 else None
    if found is None:
        return 0.0, 0.0
    low, high = found.low - value, found.high - value
    if systematic:
        ends = np.quantile(moved, [0.025, 0.975])
        low, high = min(low, float(ends[0])), max(high, float(ends[1]))
    return low, high


def tied(one: Score, two: Score) -> bool:
    """Whether two scores cannot be told apart: the interval of their difference contains 0. What both setups share, the
    correction of one meter, cancels in their draws."""
    if one.value is None or two.value is None:
        return False
    d = one.value - two.value
    low, high = _spread_of_difference(one, two, d)
    return bool(d + low + one.open_low - two.open_high <= 1e-9 and d + high + one.open_high - two.open_low >= -1e-9)
