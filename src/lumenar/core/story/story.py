"""The story of a review: an editor's words and choices for the report.

An empty story changes nothing: findings, scores and recipes make the report. An editor's words keep the figures that they were
written for (`basis`), so that Lumenar can tell the editor when those change.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, get_args

import numpy as np

from lumenar.core.claims.claim import Claim

Amount = tuple[float, float, float]
"""A figure with the ends of its 95 % interval."""
Basis = Mapping[str, Amount]
"""Figures by what they are called, for example the setups that show a finding."""

Place = Literal["kept", "dropped"]
Applies = Literal["measured", "confirmed", "assumed", "not"]
Section = Literal["start", "modes", "settings", "findings", "end"]
PLACES, APPLIES, SECTIONS = get_args(Place), get_args(Applies), get_args(Section)

MOST_SENTENCE, MOST_PARAGRAPH = 2_000, 8_000
"""The most characters of a sentence and of a paragraph."""
MOST_ITEMS = 60
"""The most entries of each list."""


class StoryError(Exception):
    """A story has a wrong field. field: its path."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.field, self.message = field, message


@dataclass(frozen=True, kw_only=True)
class Words:
    """An editor's text in place of one that follows from the figures, and the figures it was written for."""

    text: str
    basis: Basis = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class FindingChoice:
    """What an editor decided about a finding. place: None leaves it to the rules whether it is reported; words: in place of its
    sentence; chart: whether the report shows its chart."""

    key: str
    place: Place | None = None
    words: Words | None = None
    chart: bool = True


@dataclass(frozen=True, kw_only=True)
class Paragraph:
    """A paragraph of an editor's in Markdown. after: the section of the report that it follows."""

    text: str
    after: Section = "start"


@dataclass(frozen=True, kw_only=True)
class Sibling:
    """A model or variant that was not tested, and whether the results apply to it."""

    name: str
    applies: Applies
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class Story:
    """Everything an editor wrote. order: keys of findings in the editor's order; untested: what was not tested, line by line;
    claims: of the maker; reason: why the next edition is published, printed in it."""

    headline: Words | None = None
    standfirst: Words | None = None
    author: str = ""
    bench: str = ""
    purposes: Mapping[str, Words] = field(default_factory=dict)
    findings: tuple[FindingChoice, ...] = ()
    order: tuple[str, ...] = ()
    paragraphs: tuple[Paragraph, ...] = ()
    untested: tuple[str, ...] = ()
    siblings: tuple[Sibling, ...] = ()
    claims: tuple[Claim, ...] = ()
    reason: str = ""

    def choice(self, key: str) -> FindingChoice:
        """What was decided about a finding; nothing if it has none."""
        return next((c for c in self.findings if c.key == key), FindingChoice(key=key))

    def wordings(self) -> list[tuple[str, Words]]:
        """Every text that stands in place of one by Lumenar, with what it is of: "headline", "standfirst", "purpose.<key>" or
        "finding.<key>"."""
        found = [("headline", self.headline), ("standfirst", self.standfirst)]
        found += [(f"purpose.{key}", w) for key, w in self.purposes.items()]
        found += [(f"finding.{c.key}", c.words) for c in self.findings]
        return [(name, words) for name, words in found if words is not None]


def told(automatic: list[str], every: list[str], story: Story) -> list[str]:
    """The keys of the findings that a report tells, in their order. automatic: those that the rules choose, in order; every:
    all that there are. A finding that the editor has not ordered follows the one that it would follow without the editor."""
    kept = [k for k in automatic if story.choice(k).place != "dropped"]
    kept += [k for k in every if k not in automatic and story.choice(k).place == "kept"]
    arranged = [k for k in story.order if k in kept]
    for i, key in enumerate(kept):
        if key in arranged:
            continue
        before = next((k for k in reversed(kept[:i]) if k in arranged), None)
        place = 0 if before is None else arranged.index(before) + 1
        arranged.insert(place, key)
    return arranged


@dataclass(frozen=True, kw_only=True)
class Moved:
    """A figure that an editor's words rest on and that has changed measurably. was, now: None if it was not, or is no longer,
    there."""

    name: str
    was: Amount | None
    now: Amount | None


def moved(basis: Basis, now: Basis) -> list[Moved]:
    """Figures that differ measurably from those that a text was written for: the 95 % interval of the difference, from both
    intervals in quadrature, leaves out 0. Figures that are new or gone are among them."""
    found = [Moved(name=k, was=v, now=now.get(k)) for k, v in basis.items() if k not in now or _differ(v, now[k])]
    return found + [Moved(name=k, was=None, now=v) for k, v in now.items() if k not in basis]


def _differ(a: Amount, b: Amount) -> bool:
    lower, upper = (a, b) if a[0] <= b[0] else (b, a)
    reach = float(np.hypot(lower[2] - lower[0], upper[0] - upper[1]))
    # Figures without an interval are exact, but for the last bits.
    return upper[0] - lower[0] > max(reach, 1e-9 * abs(upper[0]))
