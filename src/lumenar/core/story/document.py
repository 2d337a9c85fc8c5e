"""Stories as JSON documents (`lumenar-story`, version 1)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields
from math import isfinite
from typing import Any, cast

from lumenar.core.claims.claim import COMPARISONS, Claim, Comparison, checked
from lumenar.core.story.story import (
    APPLIES,
    MOST_ITEMS,
    MOST_PARAGRAPH,
    MOST_SENTENCE,
    PLACES,
    SECTIONS,
    Amount,
    Applies,
    FindingChoice,
    Paragraph,
    Place,
    Section,
    Sibling,
    Story,
    StoryError,
    Words,
)

FORMAT, VERSION = "lumenar-story", 1
FIELDS = tuple(f.name for f in fields(Story))
MOST_LINE = 200
"""The most characters of a name."""


def document_of(story: Story) -> dict[str, Any]:
    """A story as a document; everything that is as in an empty story is left out."""
    said: dict[str, Any] = {
        "headline": _words(story.headline),
        "standfirst": _words(story.standfirst),
        "author": story.author,
        "bench": story.bench,
        "purposes": {key: _words(w) for key, w in story.purposes.items()},
        "findings": [_choice(c) for c in story.findings],
        "order": list(story.order),
        "paragraphs": [{"text": p.text, "after": p.after} for p in story.paragraphs],
        "untested": list(story.untested),
        "siblings": [{"name": s.name, "applies": s.applies, "note": s.note} for s in story.siblings],
        "claims": [asdict(c) for c in story.claims],
        "reason": story.reason,
    }
    return {"format": FORMAT, "version": VERSION, **{k: v for k, v in said.items() if v}}


def _words(words: Words | None) -> dict[str, Any] | None:
    return None if words is None else {"text": words.text, "basis": {k: list(v) for k, v in words.basis.items()}}


def _choice(c: FindingChoice) -> dict[str, Any]:
    return {"key": c.key, "place": c.place, "words": _words(c.words), "chart": c.chart}


def story_from(document: Mapping[str, Any]) -> Story:
    """The story of a document; StoryError says which field is wrong. Texts are stripped; words without text, and choices that
    decide nothing, are left out."""
    if document.get("format") != FORMAT or document.get("version") != VERSION:
        raise StoryError("format", f"is not {FORMAT}, version {VERSION}")
    unknown = set(document) - {*FIELDS, "format", "version"}
    if unknown:
        raise StoryError(sorted(unknown)[0], "is no part of a story")
    purposes = _object(document.get("purposes"), "purposes")
    choices = [_choice_from(c, f"findings.{i}") for i, c in enumerate(_list(document, "findings"))]
    keys = [c.key for c in choices]
    if len(set(keys)) < len(keys):
        raise StoryError("findings", "has a finding twice")
    wordings = {key: _words_from(w, f"purposes.{key}") for key, w in purposes.items()}
    return Story(
        headline=_words_from(document.get("headline"), "headline"),
        standfirst=_words_from(document.get("standfirst"), "standfirst"),
        author=_text(document.get("author", ""), "author", MOST_LINE),
        bench=_text(document.get("bench", ""), "bench", MOST_LINE),
        purposes={key: w for key, w in wordings.items() if w is not None},
        findings=tuple(c for c in choices if c != FindingChoice(key=c.key)),
        order=tuple(dict.fromkeys(_text(k, f"order.{i}", MOST_LINE) for i, k in enumerate(_list(document, "order")))),
        paragraphs=tuple(
            p
            for i, each in enumerate(_list(document, "paragraphs"))
            if (p := _paragraph(_object(each, f"paragraphs.{i}"), f"paragraphs.{i}")).text
        ),
        untested=tuple(
            t
            for i, each in enumerate(_list(document, "untested"))
            if (t := _text(each, f"untested.{i}", MOST_SENTENCE))
        ),
        siblings=tuple(
            _sibling(_object(each, f"siblings.{i}"), f"siblings.{i}")
            for i, each in enumerate(_list(document, "siblings"))
        ),
        claims=tuple(
            _claim(_object(each, f"claims.{i}"), f"claims.{i}") for i, each in enumerate(_list(document, "claims"))
        ),
        reason=_text(document.get("reason", ""), "reason", MOST_SENTENCE),
    )


def _text(value: object, field: str, most: int) -> str:
    if not isinstance(value, str):
        raise StoryError(field, "is no text")
    if any(0xD800 <= ord(c) <= 0xDFFF or (ord(c) < 32 and c not in "\n\t") for c in value):
        raise StoryError(field, "has characters that no text has")
    if len(value) > most:
        raise StoryError(field, f"has {len(value):,} characters, at most {most:,} are possible")
    return value.strip()


def _object(value: object, field: str) -> Mapping[str, Any]:
    if value is None:
        return {}
    if not isinstance(value, Mapping) or len(value) > MOST_ITEMS:
        raise StoryError(field, f"is no object of at most {MOST_ITEMS} entries")
    return cast(Mapping[str, Any], value)


def _list(document: Mapping[str, Any], field: str) -> Sequence[Any]:
    value = document.get(field, [])
    if not isinstance(value, list) or len(value) > MOST_ITEMS:
        raise StoryError(field, f"is no list of at most {MOST_ITEMS} entries")
    return value


def _words_from(value: object, field: str) -> Words | None:
    if value is None:
        return None
    given = _object(value, field)
    text = _text(given.get("text", ""), f"{field}.text", MOST_SENTENCE)
    basis = _object(given.get("basis"), f"{field}.basis")
    amounts = {_text(k, f"{field}.basis", MOST_LINE): _amount(v, f"{field}.basis.{k}") for k, v in basis.items()}
    return Words(text=text, basis=amounts) if text else None


def _amount(value: object, field: str) -> Amount:
    good = isinstance(value, list) and len(value) == 3
    if not good or not all(isinstance(v, int | float) and not isinstance(v, bool) and isfinite(v) for v in value):  # type: ignore[attr-defined]
        raise StoryError(field, "is no figure with the ends of its interval")
    low_to_high = cast(list[float], value)
    return float(low_to_high[0]), float(low_to_high[1]), float(low_to_high[2])


def _one_of(value: object, field: str, known: tuple[str, ...]) -> str:
    if value not in known:
        raise StoryError(field, f"is none of {', '.join(known)}")
    return str(value)


def _choice_from(value: object, field: str) -> FindingChoice:
    given = _object(value, field)
    key, place, chart = given.get("key"), given.get("place"), given.get("chart", True)
    if not isinstance(chart, bool):
        raise StoryError(f"{field}.chart", "is neither true nor false")
    if not isinstance(key, str) or not key:
        raise StoryError(f"{field}.key", "is missing")
    return FindingChoice(
        key=_text(key, f"{field}.key", MOST_LINE),
        place=None if place is None else cast(Place, _one_of(place, f"{field}.place", PLACES)),
        words=_words_from(given.get("words"), f"{field}.words"),
        chart=chart,
    )


def _paragraph(given: Mapping[str, Any], field: str) -> Paragraph:
    return Paragraph(
        text=_text(given.get("text", ""), f"{field}.text", MOST_PARAGRAPH),
        after=cast(Section, _one_of(given.get("after", "start"), f"{field}.after", SECTIONS)),
    )


def _sibling(given: Mapping[str, Any], field: str) -> Sibling:
    name = _text(given.get("name", ""), f"{field}.name", MOST_LINE)
    if not name:
        raise StoryError(f"{field}.name", "is missing; say which model or variant is meant")
    return Sibling(
        name=name,
        applies=cast(Applies, _one_of(given.get("applies"), f"{field}.applies", APPLIES)),
        note=_text(given.get("note", ""), f"{field}.note", MOST_SENTENCE),
    )


def _claim(given: Mapping[str, Any], field: str) -> Claim:
    words = _text(given.get("words", ""), f"{field}.words", MOST_SENTENCE)
    if not words:
        raise StoryError(f"{field}.words", "is missing; write what the maker says")
    value, decimals = given.get("number", 0.0), given.get("decimals", 0)
    if not isinstance(value, int | float) or isinstance(value, bool):
        raise StoryError(f"{field}.number", "is no number")
    if not isinstance(decimals, int) or isinstance(decimals, bool) or not 0 <= decimals <= 9:
        raise StoryError(f"{field}.decimals", "is no number of decimals")
    claim = Claim(
        words=words,
        figure=_text(given.get("figure", ""), f"{field}.figure", MOST_LINE),
        comparison=cast(Comparison, _one_of(given.get("comparison"), f"{field}.comparison", COMPARISONS)),
        number=float(value),
        decimals=decimals,
    )
    if wrong := checked(claim):
        raise StoryError(field, wrong)
    return claim
