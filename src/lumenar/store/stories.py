"""Stories: what editors write to reports, every version of it."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, kw_only=True)
class StoryRow:
    """One version. follows: the version that its text was edited from, 0 for the story that nobody has edited; restores: the
    version whose text it shows again (0 as above), None if its text is its own."""

    review_id: int
    version: int
    follows: int
    restores: int | None
    saved_at: str
    document: Mapping[str, Any]

    @property
    def state(self) -> int:
        """The version that its text was written in."""
        return self.version if self.restores is None else self.restores


_FIELDS = "review_id, version, follows, restores, saved_at, document"


def _row(r: sqlite3.Row) -> StoryRow:
    return StoryRow(**{**r, "document": json.loads(r["document"])})


def latest(db: sqlite3.Connection, review_id: int) -> StoryRow | None:
    """The newest version of a review's story, None if nobody has edited it."""
    query = f"SELECT {_FIELDS} FROM story WHERE review_id = ? ORDER BY version DESC LIMIT 1"
    row = db.execute(query, (review_id,)).fetchone()
    return None if row is None else _row(row)


def get(db: sqlite3.Connection, review_id: int, version: int) -> StoryRow | None:
    """One version, None if there is no such."""
    query = f"SELECT {_FIELDS} FROM story WHERE review_id = ? AND version = ?"
    row = db.execute(query, (review_id, version)).fetchone()
    return None if row is None else _row(row)


def edited_from(db: sqlite3.Connection, review_id: int, version: int) -> StoryRow | None:
    """The newest version whose text was edited from that of another one; None if there is none."""
    query = (
        f"SELECT {_FIELDS} FROM story WHERE review_id = ? AND follows = ? AND restores IS NULL"
        " ORDER BY version DESC LIMIT 1"
    )
    row = db.execute(query, (review_id, version)).fetchone()
    return None if row is None else _row(row)


def add(db: sqlite3.Connection, new: StoryRow) -> None:
    """Store a version. sqlite3.IntegrityError if the review has one of that number."""
    db.execute(
        f"INSERT INTO story ({_FIELDS}) VALUES (?,?,?,?,?,?)",
        (
            new.review_id,
            new.version,
            new.follows,
            new.restores,
            new.saved_at,
            json.dumps(new.document, ensure_ascii=False),
        ),
    )
