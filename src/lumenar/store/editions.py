"""Editions: what was published, immutable."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class EditionRow:
    """One edition: its number within the review (None once that was deleted), whether its folder is still being made, and
    where that lies below the data folder."""

    id: int
    review_id: int | None
    number: int
    state: str
    published_at: str
    folder: str
    summary: Mapping[str, object]


def add(db: sqlite3.Connection, edition: EditionRow) -> int:
    """Take an edition's number and folder; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO edition (review_id, number, state, published_at, folder, summary) VALUES (?,?,?,?,?,?)",
        (
            edition.review_id,
            edition.number,
            edition.state,
            edition.published_at,
            edition.folder,
            json.dumps(edition.summary),
        ),
    )
    return int(cursor.lastrowid or 0)


def _row(r: sqlite3.Row) -> EditionRow:
    return EditionRow(**{**r, "summary": json.loads(r["summary"])})


def of_review(db: sqlite3.Connection, review_id: int) -> list[EditionRow]:
    """The published editions of a review, newest first."""
    rows = db.execute(
        "SELECT * FROM edition WHERE review_id = ? AND state = 'published' ORDER BY number DESC", (review_id,)
    )
    return [_row(r) for r in rows]


def every(db: sqlite3.Connection) -> list[EditionRow]:
    """All published editions, also those whose review was deleted."""
    return [_row(r) for r in db.execute("SELECT * FROM edition WHERE state = 'published' ORDER BY id DESC")]


def last_number(db: sqlite3.Connection, review_id: int) -> int:
    """The highest number that an edition of a review has taken, 0 where there is none."""
    row = db.execute("SELECT coalesce(max(number), 0) FROM edition WHERE review_id = ?", (review_id,)).fetchone()
    return int(row[0])


def unfinished(db: sqlite3.Connection) -> list[EditionRow]:
    """Editions whose folder was being made when the process ended."""
    return [_row(r) for r in db.execute("SELECT * FROM edition WHERE state = 'making'")]


def finish(db: sqlite3.Connection, edition_id: int) -> bool:
    """An edition is published; False where its review is gone meanwhile."""
    query = "UPDATE edition SET state = 'published' WHERE id = ? AND review_id IS NOT NULL"
    return db.execute(query, (edition_id,)).rowcount > 0


def remove(db: sqlite3.Connection, edition_id: int) -> None:
    """Take back an edition that could not be made."""
    db.execute("DELETE FROM edition WHERE id = ? AND state = 'making'", (edition_id,))


def is_published(db: sqlite3.Connection, folder: str) -> bool:
    """Whether a folder is that of a published edition."""
    query = "SELECT 1 FROM edition WHERE folder = ? AND state = 'published'"
    return db.execute(query, (folder,)).fetchone() is not None
