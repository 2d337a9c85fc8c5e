"""Testing a claim: in which modes the figure is as the maker says, with its uncertainty."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import floor, inf, log10
from typing import Literal

from lumenar.core.analysis import Analysis
from lumenar.core.claims.claim import Claim, by_name
from lumenar.core.findings.base import number
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.numbers import grouped, listed, significant

Verdict = Literal["holds", "holds in some", "holds with settings", "open", "fails", "not tested"]
WORDS: Mapping[Verdict, str] = {
    "holds": "holds",
    "holds in some": "holds only in",
    "holds with settings": "holds only with our settings, in",
    "open": "within uncertainty",
    "fails": "fails",
    "not tested": "not tested",
}
MOST_NAMED = 3


@dataclass(frozen=True, kw_only=True)
class ClaimEvidence:
    """A setup that a claim can be tested in. shipped: it is a mode as shipped."""

    name: str
    shipped: bool
    analyses: Mapping[str, Analysis]


@dataclass(frozen=True, kw_only=True)
class ClaimResult:
    """What became of a claim. said: the verdict in words; test: figure, comparison and number; sentence: the figures that
    decide it."""

    claim: Claim
    verdict: Verdict
    said: str
    test: str
    sentence: str


@dataclass(frozen=True)
class _Value:
    """The figure in one setup with its interval, and whether it is as claimed (1), is not (-1) or is undecided (0)."""

    setup: ClaimEvidence
    value: float
    low: float
    high: float
    holds: int


def outcome_of(claim: Claim, setups: Sequence[ClaimEvidence]) -> ClaimResult:
    """Test a claim in every setup that has its figure."""
    if not claim.figure:
        return _untested(claim, "", "No figure tests it.")
    values = [v for s in setups if (v := _value(claim, s)) is not None]
    if not values:
        return _untested(claim, _test(claim), "It was not measured.")
    shipped = [v for v in values if v.setup.shipped] or values
    ours = [v for v in values if v not in shipped]
    good = [v for v in shipped if v.holds > 0]
    verdict: Verdict
    where = good
    if good:
        verdict = "holds" if len(good) == len(shipped) else "holds in some"
    elif where := [v for v in ours if v.holds > 0]:
        verdict = "holds with settings"
    else:
        where = [v for v in values if v.holds == 0]
        verdict = "open" if where else "fails"
    said = WORDS[verdict]
    if verdict in ("holds in some", "holds with settings"):
        said = f"{said} {_names(where)}"
    return ClaimResult(
        claim=claim, verdict=verdict, said=said, test=_test(claim), sentence=_sentence(claim, values, where)
    )


def _untested(claim: Claim, test: str, sentence: str) -> ClaimResult:
    return ClaimResult(claim=claim, verdict="not tested", said=WORDS["not tested"], test=test, sentence=sentence)


def _test(claim: Claim) -> str:
    """What a claim is tested by, in words."""
    found = by_name(claim.figure)
    title, unit = (found.title, found.unit) if found else (claim.figure, "")
    how = "at least" if claim.comparison == "at_least" else "at most"
    return f"{title} {how} {grouped(claim.number, claim.decimals)} {unit}".rstrip()


def _value(claim: Claim, s: ClaimEvidence) -> _Value | None:
    measurement, _, key = claim.figure.partition(".")
    analysis = s.analyses.get(measurement)
    if analysis is None:
        return None
    value = analysis.scalar(key)
    if value is None:
        return _bounded(claim, s, analysis)
    u = analysis.uncertainty.get(key)
    # What is under the meter's floor makes some figures less certain than their readings do.
    open_low, open_high = analysis.range.get(key, (value, value))
    low, high = (value, value) if u is None else (min(u.low, value), max(u.high, value))
    low, high = min(low, open_low), max(high, open_high)
    sign = 1 if claim.comparison == "at_least" else -1
    least, most = (low, high) if sign > 0 else (-high, -low)
    bound = sign * claim.bound
    return _Value(s, value, low, high, 1 if least >= bound else -1 if most < bound else 0)


def _bounded(claim: Claim, s: ClaimEvidence, analysis: Analysis) -> _Value | None:
    """A figure with only a lower bound. It can confirm "at least"; everything else stays open."""
    measurement, _, key = claim.figure.partition(".")
    lower = next((c.floor_figure for c in MEASUREMENTS[measurement].columns if c.figure == key), None)
    least = analysis.scalar(lower) if lower else None
    if least is None:
        return None
    return _Value(s, least, least, inf, int(claim.comparison == "at_least" and least >= claim.bound))


def _names(values: Sequence[_Value]) -> str:
    names = [v.setup.name for v in values]
    rest = len(names) - MOST_NAMED
    return listed(names[:MOST_NAMED] + ([f"{number(rest)} more"] if rest > 0 else []))


def _sentence(claim: Claim, values: Sequence[_Value], where: Sequence[_Value]) -> str:
    """The best value with its interval, and the range of the other setups."""
    sign = 1 if claim.comparison == "at_least" else -1
    best = max(where or values, key=lambda v: sign * v.value)
    found = by_name(claim.figure)
    unit = found.unit if found else ""
    said = f"{_amount(best)} {unit} in {best.setup.name}".replace("  ", " ")
    others = sorted(v.value for v in values if v is not best)
    if not others:
        return f"{said}."
    low, high = significant(others[0], 3), significant(others[-1], 3)
    where_else = "in the other" if len(others) == 1 else f"in the {number(len(others))} others"
    return f"{said}, {low if low == high else f'{low} to {high}'} {where_else}."


def _amount(v: _Value) -> str:
    """A value with half of its interval, both to the first digit of that."""
    half = (v.high - v.low) / 2
    if half == inf:
        return f"At least {significant(v.low, 3)}"
    if half <= 0:
        return significant(v.value, 3)
    decimals = -floor(log10(half))
    value, half = round(v.value, decimals), round(half, decimals)
    return f"{grouped(value, max(0, decimals))} ± {grouped(half, max(0, decimals))}"
