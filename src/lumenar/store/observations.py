"""What somebody saw of a display beside what was measured, with pictures."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class ObservationRow:
    """An observation without its picture. document: what was made of it."""

    id: int
    review_id: int
    setup_id: int | None
    kind: str
    document: Mapping[str, Any]
    made_at: str


def add(db: sqlite3.Connection, new: ObservationRow, picture: bytes) -> int:
    """Store an observation with its picture; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO observation (review_id, setup_id, kind, document, picture, made_at) VALUES (?,?,?,?,?,?)",
        (new.review_id, new.setup_id, new.kind, json.dumps(new.document), picture, new.made_at),
    )
    return int(cursor.lastrowid or 0)


def of_review(db: sqlite3.Connection, review_id: int) -> list[ObservationRow]:
    """The observations of a review, the newest first."""
    rows = db.execute(
        "SELECT id, review_id, setup_id, kind, document, made_at FROM observation WHERE review_id = ? ORDER BY id DESC",
        (review_id,),
    )
    return [ObservationRow(**{**r, "document": json.loads(r["document"])}) for r in rows]


def picture(db: sqlite3.Connection, observation_id: int) -> bytes | None:
    """The picture of an observation, None where there is no such."""
    row = db.execute("SELECT picture FROM observation WHERE id = ?", (observation_id,)).fetchone()
    return None if row is None else bytes(row["picture"])


def review_of(db: sqlite3.Connection, observation_id: int) -> int | None:
    """The review that an observation belongs to."""
    row = db.execute("SELECT review_id FROM observation WHERE id = ?", (observation_id,)).fetchone()
    return None if row is None else int(row["review_id"])


def delete(db: sqlite3.Connection, observation_id: int) -> None:
    """Forget an observation."""
    db.execute("DELETE FROM observation WHERE id = ?", (observation_id,))
