"""JSON that means one thing only: RFC 8259 lets a name stand twice in one object and leaves the meaning open."""

from __future__ import annotations

import json
from typing import Any


class DoubledNameError(ValueError):
    """A name stands twice in one object."""


def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object of its pairs (an `object_pairs_hook`); DoubledNameError where a name stands twice."""
    made = dict(pairs)
    if len(made) != len(pairs):
        names: set[str] = set()
        doubled = next(k for k, _ in pairs if k in names or names.add(k))  # type: ignore[func-returns-value]
        raise DoubledNameError(f"the name {doubled[:80]!r} stands twice in one object")
    return made


def refuse_doubled(text: str | bytes) -> None:
    """DoubledNameError where an object of this JSON text has a name twice. Keeps nothing of the document in memory,
    so that a file of 50 MB costs no second tree."""

    def check(pairs: list[tuple[str, Any]]) -> None:
        once(pairs)

    json.loads(text, object_pairs_hook=check)
