"""What a library says of an edition: its name, headline, key figures and scores."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from lumenar.core.scoring.score import Score
from lumenar.core.story.previous import document_of
from lumenar.publish.page import words
from lumenar.publish.page.contents import Contents, PurposeScores
from lumenar.publish.page.strip import key_figures

FORMAT, VERSION = "lumenar-summary", 1


def summary(c: Contents) -> dict[str, Any]:
    """The summary file of an edition (docs/formats.md)."""
    about, story = c.about, c.results.story
    return {
        "format": FORMAT,
        "version": VERSION,
        "maker": about.maker,
        "model": about.model,
        "kind": about.kind,
        "panel": about.panel,
        "edition": about.edition,
        "published_at": about.published_at,
        "author": story.author or story.bench,
        "headline": story.headline.text if story.headline else words.headline(c),
        "standfirst": story.standfirst.text if story.standfirst else words.standfirst(c),
        "reason": story.reason,
        "figures": [asdict(k) for k in key_figures(c)],
        "kept": document_of(c.kept),
        "purposes": [_purpose(c, p) for p in c.purposes],
    }


def _purpose(c: Contents, p: PurposeScores) -> dict[str, Any]:
    best = p.ours or p.shipped
    return {
        "key": p.purpose.key,
        "title": p.purpose.title,
        "mode": c.labels[best[0].key] if best else "",
        "as_shipped": _value(p.shipped[1] if p.shipped else None),
        "with_settings": _value(p.ours[1] if p.ours else None),
    }


def _value(s: Score | None) -> float | None:
    return None if s is None else s.value
