"""Editions: what was published, immutable."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class EditionRow:
    """One published edition: its number within the review, and the folder it lies in, below the data folder."""

    id: int
    review_id: int
    number: int
    published_at: str
    folder: str
    summary: Mapping[str, object]


def add(db: sqlite3.Connection, edition: EditionRow) -> int:
    """Store an edition; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO edition (review_id, number, published_at, folder, summary) VALUES (?,?,?,?,?)",
        (edition.review_id, edition.number, edition.published_at, edition.folder, json.dumps(edition.summary)),
    )
    return int(cursor.lastrowid or 0)


def of_review(db: sqlite3.Connection, review_id: int) -> list[EditionRow]:
    """The editions of a review, newest first."""
    rows = db.execute("SELECT * FROM edition WHERE review_id = ? ORDER BY number DESC", (review_id,))
    return [EditionRow(**{**r, "summary": json.loads(r["summary"])}) for r in rows]
