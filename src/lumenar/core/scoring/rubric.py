"""The rubric, points, and scores with their intervals."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.analysis import Analysis
from lumenar.core.numbers import grouped, significant

Array = NDArray[np.float64]

MIN_COVERAGE = 0.70
"""Under this share of a purpose's weight there is no score."""


class RubricError(ValueError):
    """A rubric that cannot be used; the text names the entry and the reason."""


@dataclass(frozen=True)
class Rule:
    """How one figure becomes points: a monotone piecewise-linear map through `knots` of (value, points).

    figure is "measurement.key"; `instead` is a figure that may stand in for it, a lower bound for a contrast say.
    """

    figure: str
    title: str
    unit: str
    decimals: int
    knots: tuple[tuple[float, float], ...]
    scale: str = "linear"
    instead: str | None = None
    significant: int | None = None

    def written(self, value: float, at_least: bool = False) -> str:
        """A value as people read it, without its unit."""
        text = significant(value, self.significant) if self.significant else grouped(value, self.decimals)
        return f"≥ {text}" if at_least else text

    def __post_init__(self) -> None:
        x, y = (np.array(v, float) for v in zip(*self.knots, strict=True))
        if len(x) < 2 or np.any(np.diff(x) <= 0):
            raise RubricError(f"{self.figure}: the knots' values must rise")
        if not (np.all(np.diff(y) <= 0) or np.all(np.diff(y) >= 0)) or y.min() < 0 or y.max() > 100:
            raise RubricError(f"{self.figure}: points must be monotone within 0..100")

    @property
    def measurement(self) -> str:
        """The measurement that gives the figure."""
        return self.figure.split(".")[0]

    def points(self, value: ArrayLike) -> Array:
        """Points 0..100 (...) for values (...)."""
        x, y = (np.array(v, float) for v in zip(*self.knots, strict=True))
        v = np.asarray(value, float)
        if self.scale == "log":
            return np.asarray(np.interp(np.log10(np.maximum(v, 1e-12)), np.log10(x), y), float)
        return np.asarray(np.interp(v, x, y), float)


@dataclass(frozen=True)
class Purpose:
    """What a display may be wanted for: weight by figure, and the core figures without which there is no score."""

    key: str
    title: str
    weights: Mapping[str, float]
    core: tuple[str, ...]


@dataclass(frozen=True)
class Rubric:
    """A named, versioned, hashed set of rules and purposes."""

    name: str
    version: int
    hash: str
    rules: Mapping[str, Rule]
    purposes: Mapping[str, Purpose]


@dataclass(frozen=True)
class Line:
    """One line of "where the points went". value and points are None where the figure was not measured."""

    figure: str
    title: str
    unit: str
    text: str
    value: float | None
    points: float | None
    weight: float
    loss: float | None
    measurement: str


@dataclass(frozen=True)
class Score:
    """A score 0..100 with its 95 % interval, or None with the reason, and where the points went."""

    purpose: str
    value: float | None
    low: float | None
    high: float | None
    coverage: float
    reason: str
    lines: tuple[Line, ...]


def rubric_from(document: Mapping[str, object], digest: str) -> Rubric:
    """A rubric from its JSON document; RubricError where an entry is missing or wrong."""
    try:
        rules = {
            r["figure"]: Rule(**{**r, "knots": tuple((float(a), float(b)) for a, b in r["knots"])})
            for r in document["rules"]  # type: ignore[attr-defined]
        }
        purposes = {
            p["key"]: Purpose(p["key"], p["title"], p["weights"], tuple(p["core"]))
            for p in document["purposes"]  # type: ignore[attr-defined]
        }
        name, version = str(document["name"]), int(document["version"])  # type: ignore[call-overload]
    except (KeyError, TypeError, ValueError) as e:
        raise RubricError(f"rubric: {e}") from e
    for purpose in purposes.values():
        for figure in (*purpose.weights, *purpose.core):
            if figure not in rules:
                raise RubricError(f"purpose {purpose.key}: no rule for the figure {figure}")
    return Rubric(name, version, digest, rules, purposes)


def _figure(rule: Rule, analyses: Mapping[str, Analysis]) -> tuple[float, Array | None, bool] | None:
    """Value, draws, and whether it is a lower bound, of a rule's figure; None where it was not measured."""
    for figure in filter(None, (rule.figure, rule.instead)):
        measurement, key = figure.split(".")
        analysis = analyses.get(measurement)
        value = analysis.scalar(key) if analysis else None
        if analysis is not None and value is not None:
            return value, analysis.draws.get(key), figure == rule.instead
    return None


def figure_points(rubric: Rubric, measurement: str, key: str, analyses: Mapping[str, Analysis]) -> float | None:
    """Points of one figure, None where no rule judges it or it was not measured."""
    rule = rubric.rules.get(f"{measurement}.{key}")
    found = _figure(rule, analyses) if rule else None
    return float(rule.points(found[0])) if rule and found else None


def score(rubric: Rubric, purpose_key: str, analyses: Mapping[str, Analysis]) -> Score:
    """The weighted mean of the points that exist, for one setup's analyses by measurement.

    Unmeasured figures lower the coverage, not the score; without a core figure or under 70 % coverage there is none.
    The interval comes from the figures' draws, which are shared by all figures of one set of readings.
    """
    purpose = rubric.purposes[purpose_key]
    lines: list[Line] = []
    total = sum(purpose.weights.values())
    got, weight_got = 0.0, 0.0
    spread: Array | float = 0.0
    missing_core: list[str] = []
    for figure, weight in purpose.weights.items():
        rule = rubric.rules[figure]
        found = _figure(rule, analyses)
        base = (figure, rule.title, rule.unit)
        if found is None:
            lines.append(Line(*base, "not measured", None, None, weight, None, rule.measurement))
            if figure in purpose.core:
                missing_core.append(rule.title)
            continue
        value, draws, at_least = found
        points = float(rule.points(value))
        loss = weight * (100 - points) / total
        lines.append(Line(*base, rule.written(value, at_least), value, points, weight, loss, rule.measurement))
        got, weight_got = got + weight * points, weight_got + weight
        # The draws give the spread about the value; the value itself always comes from the actual readings.
        if draws is not None:
            spread = spread + weight * (rule.points(draws) - float(np.nanmean(rule.points(draws))))
    lines.sort(key=lambda line: -(line.loss if line.loss is not None else -1))
    coverage = weight_got / total
    if missing_core or coverage < MIN_COVERAGE:
        reason = f"not measured: {', '.join(missing_core)}" if missing_core else f"only {100 * coverage:.0f} % measured"
        return Score(purpose_key, None, None, None, coverage, reason, tuple(lines))
    value = got / weight_got
    low, high = np.nanquantile(value + np.asarray(spread) / weight_got, [0.025, 0.975])
    return Score(purpose_key, value, max(0.0, float(low)), min(100.0, float(high)), coverage, "", tuple(lines))


def tied(one: Score, two: Score) -> bool:
    """Whether two scores cannot be told apart: their intervals overlap."""
    if one.low is None or one.high is None or two.low is None or two.high is None:
        return False
    return one.low <= two.high and two.low <= one.high
