"""The rubric, points, and scores with their intervals."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, get_args

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.numbers import grouped, significant
from lumenar.core.targets import TARGETS, Signal, resolve

Array = NDArray[np.float64]

LEAST_CD_M2, MOST_CD_M2 = 1.0, 10_000.0
"""What white of a display can be asked to have."""


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
        if not at_least:
            return text
        return f"{'≥' if self.rises else '≤'} {text}"

    @property
    def rises(self) -> bool:
        """Whether more is better."""
        return self.knots[-1][1] > self.knots[0][1]

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
    """What a display may be wanted for: weight by figure, and the core figures without which there is no score.

    meaning: in one line; target: the key of what setups are judged against whatever they aim at, empty for their own;
    luminance: what white is set to for it in cd/m2, None where any will do; signal: what is watched, so that setups for
    another have no score.
    """

    key: str
    title: str
    weights: Mapping[str, float]
    core: tuple[str, ...]
    meaning: str = ""
    target: str = ""
    luminance: float | None = None
    signal: Signal = "sdr"

    def judges_by(self, target: str) -> str:
        """The key of the target that a setup with a declared target is judged against: its own, or the purpose's where that
        is for the same signal."""
        if self.target and resolve(self.target).signal == resolve(target).signal:
            return self.target
        return target


@dataclass(frozen=True)
class Rubric:
    """A named, versioned, hashed set of rules and purposes."""

    name: str
    version: int
    hash: str
    rules: Mapping[str, Rule]
    purposes: Mapping[str, Purpose]

    def measurements_for(self, purpose: Purpose) -> frozenset[str]:
        """The measurements that a purpose's figures come from, and those that may stand in for them."""
        rules = [self.rules[f] for f, w in purpose.weights.items() if w > 0]
        return frozenset(f.split(".")[0] for r in rules for f in (r.figure, r.instead) if f)


def rubric_from(document: Mapping[str, object], digest: str) -> Rubric:
    """A rubric from its JSON document; RubricError where an entry is missing or wrong."""
    try:
        rules = {
            r["figure"]: Rule(**{**r, "knots": tuple((float(a), float(b)) for a, b in r["knots"])})
            for r in document["rules"]  # type: ignore[attr-defined]
        }
        purposes = {
            p["key"]: purpose_from(p)
            for p in document["purposes"]  # type: ignore[attr-defined]
        }
        name, version = str(document["name"]), int(document["version"])  # type: ignore[call-overload]
    except (KeyError, TypeError, ValueError) as e:
        raise RubricError(f"rubric: {e}") from e
    for purpose in purposes.values():
        check_purpose(purpose, rules)
    return Rubric(name, version, digest, rules, purposes)


def purpose_from(document: Mapping[str, Any]) -> Purpose:
    """A purpose from its JSON document; KeyError, TypeError or ValueError where an entry is missing or wrong."""
    weights = {str(k): float(v) for k, v in document["weights"].items()}
    core = tuple(str(f) for f in document["core"])
    meaning, target = str(document.get("meaning", "")), str(document.get("target", ""))
    luminance = document.get("luminance")
    return Purpose(
        key=str(document["key"]),
        title=str(document["title"]),
        weights=weights,
        core=core,
        meaning=meaning,
        target=target,
        luminance=None if luminance is None else float(luminance),
        signal=document.get("signal", "sdr"),
    )


def check_purpose(purpose: Purpose, rules: Mapping[str, Rule]) -> None:
    """RubricError where a purpose weighs a figure without a rule, or cannot give a score."""
    for figure in (*purpose.weights, *purpose.core):
        if figure not in rules:
            raise RubricError(f"purpose {purpose.key}: no rule for the figure {figure}")
    if not all(np.isfinite(w) and w >= 0 for w in purpose.weights.values()) or not sum(purpose.weights.values()) > 0:
        raise RubricError(f"purpose {purpose.key}: weights must not be negative, and not all 0")
    for figure in purpose.core:
        if not purpose.weights.get(figure, 0) > 0:
            raise RubricError(f"purpose {purpose.key}: {figure} is a core figure without weight")
    if purpose.signal not in get_args(Signal):
        raise RubricError(f"purpose {purpose.key}: there is no signal {purpose.signal}")
    if purpose.target and purpose.target not in TARGETS:
        raise RubricError(f"purpose {purpose.key}: there is no target {purpose.target}")
    if purpose.luminance is not None and not LEAST_CD_M2 <= purpose.luminance <= MOST_CD_M2:
        raise RubricError(
            f"purpose {purpose.key}: white has {LEAST_CD_M2:g} to {MOST_CD_M2:,.0f} cd/m2, not {purpose.luminance:g}"
        )
