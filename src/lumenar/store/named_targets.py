"""Targets that somebody defined. A target's key says all of it; who declares it refers to it by that."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass


@dataclass(frozen=True)
class TargetRow:
    """A target of one's own."""

    id: int
    key: str
    made_at: str


def every(db: sqlite3.Connection) -> list[TargetRow]:
    """All of them, the oldest first."""
    return [TargetRow(**r) for r in db.execute("SELECT id, key, made_at FROM target ORDER BY id")]


def get(db: sqlite3.Connection, target_id: int) -> TargetRow | None:
    """One of them."""
    row = db.execute("SELECT id, key, made_at FROM target WHERE id = ?", (target_id,)).fetchone()
    return None if row is None else TargetRow(**row)


def add(db: sqlite3.Connection, key: str, made_at: str) -> int:
    """Store a target; one that is there already keeps its number."""
    db.execute("INSERT INTO target (key, made_at) VALUES (?, ?) ON CONFLICT (key) DO NOTHING", (key, made_at))
    return int(db.execute("SELECT id FROM target WHERE key = ?", (key,)).fetchone()["id"])


def change(db: sqlite3.Connection, target_id: int, was: str, key: str) -> None:
    """A target is another one now, for every setup and mode that declares it."""
    db.execute("UPDATE target SET key = ? WHERE id = ?", (key, target_id))
    db.execute("UPDATE setup SET target = ? WHERE target = ?", (key, was))
    for row in db.execute(
        "SELECT id, document FROM menu WHERE instr(document, ?)", (json.dumps(was)[1:-1],)
    ).fetchall():
        document = json.loads(row["document"])
        for mode in document["modes"]:
            if mode["target"] == was:
                mode["target"] = key
        db.execute("UPDATE menu SET document = ? WHERE id = ?", (json.dumps(document, sort_keys=True), row["id"]))


def delete(db: sqlite3.Connection, target_id: int) -> None:
    """Forget a target."""
    db.execute("DELETE FROM target WHERE id = ?", (target_id,))


def declared_by(db: sqlite3.Connection, key: str) -> int:
    """How many setups declare a target."""
    return int(db.execute("SELECT count(*) FROM setup WHERE target = ?", (key,)).fetchone()[0])
