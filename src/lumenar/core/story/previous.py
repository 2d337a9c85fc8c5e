"""What the edition before said, and what has changed since."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lumenar.core.story.story import Amount, Basis, Moved, StoryError, moved

FORMAT, VERSION = "lumenar-previous", 1
MOST = 500
"""The most scores and findings that are kept of an edition."""


@dataclass(frozen=True, kw_only=True)
class Previous:
    """What is kept of an edition for the next one. firmware: of its first sample; rubric: its hash; scores: the best ones for
    each purpose, by what they are of; findings: sentences by key."""

    edition: int
    published_at: str
    firmware: str
    rubric: str
    made_by: str
    scores: Basis
    findings: Mapping[str, str]


@dataclass(frozen=True, kw_only=True)
class Changes:
    """What changed since an edition. causes: other firmware, rubric or version; scores: those that differ measurably; appeared,
    gone: findings."""

    edition: int
    published_at: str
    causes: tuple[str, ...]
    scores: tuple[Moved, ...]
    appeared: tuple[str, ...]
    gone: tuple[str, ...]

    @property
    def nothing(self) -> bool:
        """Whether nothing that readers would notice is different."""
        return not (self.scores or self.appeared or self.gone)


def changes(was: Previous, now: Previous) -> Changes:
    """What is different in an edition from the one before."""
    causes = []
    if was.firmware != now.firmware:
        causes.append(f"Firmware {was.firmware or 'not recorded'} before, {now.firmware or 'not recorded'} now.")
    if was.rubric != now.rubric:
        causes.append("Scored by other rules.")
    if was.made_by != now.made_by:
        causes.append(f"Computed by {now.made_by}; before by {was.made_by}.")
    return Changes(
        edition=was.edition,
        published_at=was.published_at,
        causes=tuple(causes),
        scores=tuple(moved(was.scores, now.scores)),
        appeared=tuple(s for key, s in now.findings.items() if key not in was.findings),
        gone=tuple(s for key, s in was.findings.items() if key not in now.findings),
    )


def document_of(p: Previous) -> dict[str, Any]:
    """As a document."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "edition": p.edition,
        "published_at": p.published_at,
        "firmware": p.firmware,
        "rubric": p.rubric,
        "made_by": p.made_by,
        "scores": {name: list(amount) for name, amount in p.scores.items()},
        "findings": dict(p.findings),
    }


def previous_from(document: Mapping[str, Any]) -> Previous:
    """From its document; StoryError says which field is wrong."""
    if not isinstance(document, Mapping):
        raise StoryError("kept", "is no object")
    if document.get("format") != FORMAT or document.get("version") != VERSION:
        raise StoryError("format", f"is not {FORMAT}, version {VERSION}")
    for name, kind in (("edition", int), ("scores", dict), ("findings", dict)):
        if not isinstance(document.get(name), kind) or isinstance(document.get(name), bool):
            raise StoryError(name, "is missing or wrong")
    for name in ("published_at", "firmware", "rubric", "made_by"):
        if not isinstance(document.get(name), str):
            raise StoryError(name, "is missing or wrong")
    scores, findings = document["scores"], document["findings"]
    if len(scores) > MOST or len(findings) > MOST:
        raise StoryError("scores", f"has more than {MOST} entries")
    if not all(isinstance(s, str) for s in findings.values()):
        raise StoryError("findings", "has something that is no sentence")
    return Previous(
        edition=document["edition"],
        published_at=document["published_at"],
        firmware=document["firmware"],
        rubric=document["rubric"],
        made_by=document["made_by"],
        scores={name: _amount(value, f"scores.{name}") for name, value in scores.items()},
        findings=dict(findings),
    )


def _amount(value: object, field: str) -> Amount:
    numbers = isinstance(value, list) and len(value) == 3 and all(type(v) in (int, float) for v in value)
    if not numbers:
        raise StoryError(field, "is no figure with the ends of its interval")
    return float(value[0]), float(value[1]), float(value[2])  # type: ignore[index]
