"""A maker's claim with the figure that tests it, and claims understood from a maker's words."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from math import isfinite
from typing import Literal, get_args

from lumenar.core.measurements import MEASUREMENTS, Figure, gamut, modulation, peak, swatches, white_black

Comparison = Literal["at_least", "at_most"]
COMPARISONS = get_args(Comparison)
MOST_NUMBER = 1e9
FLICKER_PERCENT = 5.0
"""Modulation that "flicker-free" allows: less is not seen even on moving objects."""


@dataclass(frozen=True, kw_only=True)
class Claim:
    """A maker's words, and the figure, comparison and number that test them. figure: "measurement.key", empty if nothing that is
    measured tests it; decimals: of the number as the maker wrote it."""

    words: str
    figure: str = ""
    comparison: Comparison = "at_least"
    number: float = 0.0
    decimals: int = 0

    @property
    def bound(self) -> float:
        """The value that decides. For "at least" it is half of the last digit below the number, because makers round: 99.6 %
        counts as 100 %. For "at most" it is the number."""
        return self.number - 0.5 * 10.0**-self.decimals if self.comparison == "at_least" else self.number


@dataclass(frozen=True, kw_only=True)
class ClaimableFigure:
    """A figure that a claim can be about, as a person chooses it from a list."""

    name: str
    title: str
    unit: str


def figures() -> list[ClaimableFigure]:
    """Every figure that a claim can be about, in the order of the measurements."""
    found: dict[str, ClaimableFigure] = {}
    for m in MEASUREMENTS.values():
        named = [(c.figure, c.head, c.unit) for c in m.columns if not c.words]
        named += [(f.key, f.title, f.unit) for f in m.figures]
        for key, title, unit in named:
            name = f"{m.key}.{key}"
            found.setdefault(name, ClaimableFigure(name=name, title=f"{m.title}: {title}", unit=unit))
    return list(found.values())


@dataclass(frozen=True)
class _Form:
    """A common form of a claim. figure: that tests it, from the match."""

    pattern: re.Pattern[str]
    figure: Callable[[re.Match[str]], Figure]
    comparison: Comparison
    number: float | None = None


_NUMBER = r"(?P<n>\d{1,7}(?:[.,]\d{1,3})*)"
_GAMUTS = {"srgb": gamut.OF_SRGB, "bt.709": gamut.OF_SRGB, "rec.709": gamut.OF_SRGB, "p3": gamut.OF_P3}
_SPACE = r"(?P<space>sRGB|(?:BT|Rec)\.? ?709|(?:\w{1,8}[- ])?P3)"


def _space(m: re.Match[str]) -> Figure:
    name = m["space"].lower().replace(" ", "")
    return gamut.OF_P3 if name.endswith("p3") else _GAMUTS["srgb"]


def _light(m: re.Match[str]) -> Figure:
    if m["window"]:
        return peak.BURST_10
    return peak.HIGHEST if m["peak"] or m["before"] else white_black.LUMINANCE


_FORMS = (
    _Form(re.compile(_NUMBER + r" ?% (?:of )?(?:the )?" + _SPACE, re.I), _space, "at_least"),
    _Form(re.compile(r"\ball of (?:the )?" + _SPACE, re.I), _space, "at_least", 100.0),
    _Form(
        re.compile(
            r"(?P<before>peak[a-z ]{0,20}?)?"
            + _NUMBER
            + r" ?(?:nits?|cd/m(?:2|²))(?P<peak> peak)?(?P<window>[^.;]{0,20}\b10 ?%)?",
            re.I,
        ),
        _light,
        "at_least",
    ),
    _Form(re.compile(_NUMBER + r" ?: ?1\b"), lambda m: white_black.CONTRAST, "at_least"),
    _Form(
        re.compile(r"(?:dE|ΔE|delta[ -]?E)(?: ?2000)? ?(?:<|≤|below|under|less than|of|at most)? ?" + _NUMBER, re.I),
        lambda m: swatches.MEAN,
        "at_most",
    ),
    _Form(re.compile(r"flicker[- ]free|no flicker", re.I), lambda m: modulation.DEPTH, "at_most", FLICKER_PERCENT),
)


def understood(words: str) -> list[Claim]:
    """The claims in a maker's words, one for each figure that they name; one that nothing tests if no form fits."""
    words = " ".join(words.split())
    found: list[tuple[int, Claim]] = []
    for form in _FORMS:
        for match in form.pattern.finditer(words):
            number, decimals = (form.number, 0) if form.number is not None else _number(match["n"])
            claim = Claim(
                words=words,
                figure=form.figure(match).name,
                comparison=form.comparison,
                number=number,
                decimals=decimals,
            )
            found.append((match.start(), claim))
    # What one figure is claimed of twice in one line is one claim.
    by_figure = {c.figure: c for _, c in sorted(found, key=lambda f: f[0], reverse=True)}
    return [c for _, c in sorted(found, key=lambda f: f[0]) if by_figure[c.figure] is c] or [Claim(words=words)]


def _number(text: str) -> tuple[float, int]:
    """A number as makers write it, and its decimals: 1,000 is a thousand, 99,5 and 99.5 are the same."""
    if re.fullmatch(r"\d{1,3}([.,]\d{3})+", text):
        return float(re.sub(r"[.,]", "", text)), 0
    whole, _, part = text.replace(",", ".").partition(".")
    return float(f"{whole}.{part or 0}"), len(part)


def checked(claim: Claim) -> str:
    """What is wrong with a claim, in a sentence; empty if nothing is."""
    if claim.figure and claim.figure not in {f.name for f in figures()}:
        return f"there is no figure {claim.figure!r}"
    if not isfinite(claim.number) or not 0 <= claim.number <= MOST_NUMBER:
        return f"a number from 0 to {MOST_NUMBER:g} is needed"
    return ""


def by_name(name: str) -> ClaimableFigure | None:
    """A figure by its name, None if claims can't be about it."""
    return next((f for f in figures() if f.name == name), None)
