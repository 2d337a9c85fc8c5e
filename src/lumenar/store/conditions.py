"""The light in the room in which setups are measured."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass


@dataclass(frozen=True)
class ConditionRow:
    """A light state: its label, lux at the screen where somebody measured it, and a note, such as what lights it from where."""

    id: int
    review_id: int
    label: str
    lux: float | None
    note: str


def of_review(db: sqlite3.Connection, review_id: int) -> list[ConditionRow]:
    """The light states of a review, the oldest first."""
    rows = db.execute(
        "SELECT id, review_id, label, lux, note FROM condition WHERE review_id = ? ORDER BY id", (review_id,)
    )
    return [ConditionRow(**r) for r in rows]


def put(db: sqlite3.Connection, review_id: int, label: str, lux: float | None, note: str) -> int:
    """A light state of that label, made or given these values."""
    db.execute(
        "INSERT INTO condition (review_id, label, lux, note) VALUES (?, ?, ?, ?)"
        " ON CONFLICT (review_id, label) DO UPDATE SET lux = excluded.lux, note = excluded.note",
        (review_id, label, lux, note),
    )
    row = db.execute("SELECT id FROM condition WHERE review_id = ? AND label = ?", (review_id, label)).fetchone()
    return int(row["id"])


def sweep(db: sqlite3.Connection, review_id: int) -> None:
    """Forget the light states that no setup is in."""
    db.execute(
        "DELETE FROM condition WHERE review_id = ? AND id NOT IN (SELECT condition_id FROM setup WHERE condition_id IS NOT NULL)",
        (review_id,),
    )
