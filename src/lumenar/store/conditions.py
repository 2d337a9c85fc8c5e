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


def of_review(db: sqlite3.Connection, review_id: int) -> dict[int, ConditionRow]:
    """The light states of a review by number, the oldest first."""
    rows = db.execute(
        "SELECT id, review_id, label, lux, note FROM condition WHERE review_id = ? ORDER BY id", (review_id,)
    )
    return {r["id"]: ConditionRow(**r) for r in rows}


def put(db: sqlite3.Connection, review_id: int, label: str, lux: float | None, note: str) -> int:
    """The number of a light state, made where there is none such. It never changes: another lux is another state."""
    known = (review_id, label, lux, note)
    db.execute("INSERT INTO condition (review_id, label, lux, note) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", known)
    row = db.execute(
        "SELECT id FROM condition WHERE review_id = ? AND label = ? AND lux IS ? AND note = ?", known
    ).fetchone()
    return int(row["id"])


def sweep(db: sqlite3.Connection, review_id: int) -> None:
    """Forget the light states that no setup is in, nor was before a change that can be taken back."""
    db.execute(
        "DELETE FROM condition WHERE review_id = ? AND id NOT IN (SELECT condition_id FROM setup WHERE condition_id IS NOT NULL"
        " UNION SELECT was->>'$.condition_id' FROM setup_change WHERE was->>'$.condition_id' IS NOT NULL)",
        (review_id,),
    )
