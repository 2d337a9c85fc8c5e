"""Menus, and what they were before they were changed."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from typing import Any


def add(db: sqlite3.Connection, document: Mapping[str, Any]) -> int:
    """Store a menu's document; returns its number."""
    return int(db.execute("INSERT INTO menu (document) VALUES (?)", (_text(document),)).lastrowid or 0)


def get(db: sqlite3.Connection, menu_id: int) -> dict[str, Any]:
    """A menu's document; KeyError where there is none."""
    document: dict[str, Any] = json.loads(text(db, menu_id))
    return document


def text(db: sqlite3.Connection, menu_id: int) -> str:
    """A menu's document as it is kept; KeyError where there is none."""
    row = db.execute("SELECT document FROM menu WHERE id = ?", (menu_id,)).fetchone()
    if row is None:
        raise KeyError(menu_id)
    return str(row["document"])


def change(db: sqlite3.Connection, menu_id: int, document: Mapping[str, Any], at: str) -> None:
    """Give a menu another document; what it was is kept."""
    db.execute(
        "INSERT INTO menu_change (menu_id, changed_at, document) SELECT id, ?, document FROM menu WHERE id = ?",
        (at, menu_id),
    )
    db.execute("UPDATE menu SET document = ? WHERE id = ?", (_text(document), menu_id))


def undo(db: sqlite3.Connection, menu_id: int) -> bool:
    """Back to what a menu was before its last change; False where there was none."""
    row = db.execute("SELECT max(id) AS id FROM menu_change WHERE menu_id = ?", (menu_id,)).fetchone()
    if row["id"] is None:
        return False
    db.execute(
        "UPDATE menu SET document = (SELECT document FROM menu_change WHERE id = ?) WHERE id = ?", (row["id"], menu_id)
    )
    db.execute("DELETE FROM menu_change WHERE id = ?", (row["id"],))
    return True


def changes(db: sqlite3.Connection, menu_id: int) -> list[str]:
    """When a menu was changed, the oldest first."""
    rows = db.execute("SELECT changed_at FROM menu_change WHERE menu_id = ? ORDER BY id", (menu_id,))
    return [str(r["changed_at"]) for r in rows]


def _text(document: Mapping[str, Any]) -> str:
    return json.dumps(document, sort_keys=True)
