"""Modes compared as they ship: the most accurate one, and the one that the factory must have adjusted."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.findings.base import FindingRule, Observed, SetupEvidence, name_of
from lumenar.core.measurements import grey_ramp, saturation
from lumenar.core.numbers import listed

GREYS, COLOURS = grey_ramp.MEASUREMENT.key, saturation.MEASUREMENT.key
MEAN = "de2000_mean"
ADJUSTED = 2.0
"""Means of greys and colours under which a mode was most likely adjusted one by one, if all others are at least twice as far
off."""


def _ranked(setups: Sequence[SetupEvidence]) -> list[tuple[SetupEvidence, tuple[float, float, float]]]:
    """Modes with the mean error of greys, and of colours if all were measured for them, the least first."""
    found = []
    both = all(s.scalar(COLOURS, MEAN) for s in setups)
    for s in setups:
        parts = [part for m in (GREYS, COLOURS)[: 2 if both else 1] if (part := s.scalar(m, MEAN)) is not None]
        if parts:
            value, low, high = np.mean(parts, axis=0)
            found.append((s, (float(value), float(low), float(high))))
    return sorted(found, key=lambda f: f[1][0])


def _seen(s: SetupEvidence, error: tuple[float, float, float], excess: float) -> Observed:
    parts = [(name, s.scalar(m, MEAN)) for m, name in ((GREYS, "greys"), (COLOURS, "colours"))]
    detail = ", ".join(f"{name} dE {found[0]:.1f}" for name, found in parts if found)
    return Observed(setup=s, measurement=GREYS, amount=error, excess=excess, figures=(MEAN,), detail=detail)


def _best(setups: Sequence[SetupEvidence]) -> list[Observed]:
    """The mode with the least error, with those that can't be told apart from it."""
    ranked = _ranked(setups)
    if len(ranked) < 2:
        return []
    best = ranked[0][1]
    # What two intervals share leaves open which of the two is better.
    tied = [(s, e) for s, e in ranked if e[1] <= best[2]]
    if len(tied) == len(ranked):
        return []
    others = min(e[0] for _, e in ranked if e[1] > best[2])
    return [_seen(s, e, others - e[0]) for s, e in tied]


def _best_words(found: Sequence[Observed], measured: int) -> str:
    if len(found) == 1:
        return f"{name_of(found[0])} is the most accurate mode as shipped: {found[0].detail}."
    return f"The most accurate modes as shipped are {listed([name_of(o) for o in found])}: {found[0].detail}."


def _factory(setups: Sequence[SetupEvidence]) -> list[Observed]:
    ranked = _ranked(setups)
    if len(ranked) < 3:
        return []
    (first, error), (_, second) = ranked[:2]
    if error[2] >= ADJUSTED or second[1] <= 2 * error[2]:
        return []
    return [_seen(first, error, second[1] / max(error[2], 0.1))]


def _factory_words(found: Sequence[Observed], measured: int) -> str:
    return f"The factory probably adjusted {name_of(found[0])}: all other modes are at least twice as far off."


RULES = (
    FindingRule(key="mode.best", measurement=GREYS, kind="note", compare=_best, sentence=_best_words, signals=("sdr",)),
    FindingRule(
        key="mode.factory", measurement=GREYS, kind="note", compare=_factory, sentence=_factory_words, signals=("sdr",)
    ),
)
