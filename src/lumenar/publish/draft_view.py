"""The blocks of a report as an editor sees them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenar.app.story.stories import CurrentStory
from lumenar.core.claims.claim import Claim
from lumenar.core.findings import for_report
from lumenar.core.findings.base import Finding, Kind
from lumenar.core.numbers import significant
from lumenar.core.story.story import Amount, Basis, Moved, Paragraph, Place, Sibling, Story, moved
from lumenar.publish.page import front, words
from lumenar.publish.page.contents import Contents

MOST_MOVED = 6
"""The most changed figures that are named for one text."""


@dataclass(frozen=True, kw_only=True)
class Wording:
    """A sentence of the report. automatic: the sentence that Lumenar makes; text: the editor's sentence, None if there is none;
    moved: figures that have changed measurably since the editor wrote it."""

    name: str
    title: str
    automatic: str
    text: str | None
    moved: list[str]


@dataclass(frozen=True, kw_only=True)
class FindingBlock:
    """A finding as the editor sees it. told: the report tells it; automatic_place: it would without the editor; found: False if
    the figures no longer show it and only the editor's words are left."""

    key: str
    kind: Kind
    wording: Wording
    advice: str
    told: bool
    automatic_place: bool
    place: Place | None
    chart: bool
    has_chart: bool
    found: bool


@dataclass(frozen=True, kw_only=True)
class DraftReport:
    """The report of a review as an editor works on it. version: of the story; edition: the number it would be published under;
    outcomes: of the claims, in their order; offered_claims: that came with the display and are not among them."""

    version: str
    saved_at: str
    can_undo: bool
    can_redo: bool
    edition: int
    headline: Wording
    standfirst: Wording
    purposes: list[Wording]
    findings: list[FindingBlock]
    order: list[str]
    author: str
    bench: str
    paragraphs: list[Paragraph]
    untested: list[str]
    automatic_untested: list[str]
    siblings: list[Sibling]
    claims: list[Claim]
    outcomes: list[str]
    offered_claims: list[Claim]
    reason: str


@dataclass(frozen=True)
class _Texts:
    """The editor's texts, and what each rests on now, by name."""

    story: Story
    rests_on: Mapping[str, Basis]

    def wording(self, name: str, title: str, automatic: str) -> Wording:
        """One of the report's sentences."""
        own = dict(self.story.wordings()).get(name)
        changes = [] if own is None else [_said(m) for m in moved(own.basis, self.rests_on.get(name, {}))]
        more = len(changes) - MOST_MOVED
        shown = changes[:MOST_MOVED] + ([f"{more} more"] if more > 0 else [])
        return Wording(name=name, title=title, automatic=automatic, text=own.text if own else None, moved=shown)

    def block(self, c: Contents, f: Finding, told: bool, automatic: bool) -> FindingBlock:
        """A finding that the figures show."""
        choice = self.story.choice(f.key)
        return FindingBlock(
            key=f.key,
            kind=f.kind,
            wording=self.wording(f"finding.{f.key}", "", f.sentence),
            advice=f.advice,
            told=told,
            automatic_place=automatic,
            place=choice.place,
            chart=choice.chart,
            has_chart=bool(f.evidence[0].chart),
            found=True,
        )

    def gone(self, key: str) -> FindingBlock:
        """A finding that the figures no longer show, though the editor wrote to it."""
        choice = self.story.choice(key)
        return FindingBlock(
            key=key,
            kind="fault",
            wording=self.wording(f"finding.{key}", "", ""),
            advice="",
            told=False,
            automatic_place=False,
            place=choice.place,
            chart=choice.chart,
            has_chart=False,
            found=False,
        )


def _said(m: Moved) -> str:
    """What changed of a figure."""
    if m.now is None:
        return f"{m.name}: was {_number(m.was)}, is no longer there"
    if m.was is None:
        return f"{m.name}: is new, {_number(m.now)}"
    return f"{m.name}: was {_number(m.was)}, is {_number(m.now)}"


def _number(amount: Amount | None) -> str:
    return "" if amount is None else significant(amount[0], 3)


def view(now: CurrentStory, c: Contents, rests_on: Mapping[str, Basis], offered: Sequence[Claim]) -> DraftReport:
    """The report of a story and of what it is made of. rests_on: the figures that each text rests on; offered: claims that came
    with the display."""
    story, texts = now.story, _Texts(now.story, rests_on)
    return DraftReport(
        version=str(now.version),
        saved_at=now.saved_at,
        can_undo=now.can_undo,
        can_redo=now.can_redo,
        edition=c.about.edition,
        headline=texts.wording("headline", "Headline", words.headline(c)),
        standfirst=texts.wording("standfirst", "Summary", words.standfirst(c)),
        purposes=[
            texts.wording(f"purpose.{p.purpose.key}", p.purpose.title, words.purpose_sentence(c, p)) for p in c.purposes
        ],
        findings=_blocks(c, texts),
        order=list(story.order),
        author=story.author,
        bench=story.bench,
        paragraphs=list(story.paragraphs),
        untested=list(story.untested),
        automatic_untested=front.not_measured(c),
        siblings=list(story.siblings),
        claims=list(story.claims),
        outcomes=[f"{o.said}: {o.sentence}" for o in c.claims],
        offered_claims=[o for o in offered if o.words not in {k.words for k in story.claims}],
        reason=story.reason,
    )


def _blocks(c: Contents, texts: _Texts) -> list[FindingBlock]:
    """The findings that the report tells in their order, then the others, then those that are gone."""
    told = {f.key: i for i, f in enumerate(c.told)}
    automatic = {f.key for f in for_report(c.results.findings)}
    found = sorted(c.results.findings, key=lambda f: told.get(f.key, len(told)))
    gone = {choice.key for choice in texts.story.findings if choice.words} - {f.key for f in found}
    return [texts.block(c, f, f.key in told, f.key in automatic) for f in found] + [
        texts.gone(key) for key in sorted(gone)
    ]
