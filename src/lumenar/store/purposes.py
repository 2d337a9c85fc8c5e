"""Purposes that somebody added to those that ship."""

from __future__ import annotations

import json
import sqlite3
from typing import Any


def every(db: sqlite3.Connection) -> list[dict[str, Any]]:
    """Their documents, the oldest first."""
    return [json.loads(r["document"]) for r in db.execute("SELECT document FROM purpose ORDER BY id")]


def get(db: sqlite3.Connection, key: str) -> dict[str, Any] | None:
    """One of them."""
    row = db.execute("SELECT document FROM purpose WHERE key = ?", (key,)).fetchone()
    return None if row is None else json.loads(row["document"])


def put(db: sqlite3.Connection, document: dict[str, Any], at: str) -> None:
    """Add one, or change the one of its key, which keeps its place."""
    db.execute(
        "INSERT INTO purpose (key, document, changed_at) VALUES (?, ?, ?)"
        " ON CONFLICT (key) DO UPDATE SET document = excluded.document, changed_at = excluded.changed_at",
        (document["key"], json.dumps(document, ensure_ascii=False), at),
    )


def delete(db: sqlite3.Connection, key: str) -> bool:
    """Forget one; False where there is none."""
    return db.execute("DELETE FROM purpose WHERE key = ?", (key,)).rowcount > 0
