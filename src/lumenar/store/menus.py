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


def change(db: sqlite3.Connection, menu_id: int, document: Mapping[str, Any], at: str, answer: str = "") -> None:
    """Give a menu another document; what it was is kept, and what was said of defaults that it corrects ("were", "changed")."""
    db.execute(
        "INSERT INTO menu_change (menu_id, changed_at, document, answer) SELECT id, ?, document, ? FROM menu WHERE id = ?",
        (at, answer, menu_id),
    )
    db.execute("UPDATE menu SET document = ? WHERE id = ?", (_text(document), menu_id))


def undo(db: sqlite3.Connection, menu_id: int) -> str | None:
    """Back to what a menu was before its last change; gives what was said of defaults then, None where there was no change."""
    row = db.execute(
        "SELECT id, answer FROM menu_change WHERE menu_id = ? ORDER BY id DESC LIMIT 1", (menu_id,)
    ).fetchone()
    if row is None:
        return None
    db.execute(
        "UPDATE menu SET document = (SELECT document FROM menu_change WHERE id = ?) WHERE id = ?", (row["id"], menu_id)
    )
    db.execute("DELETE FROM menu_change WHERE id = ?", (row["id"],))
    return str(row["answer"])


def changes(db: sqlite3.Connection, menu_id: int) -> list[tuple[str, dict[str, Any]]]:
    """When a menu was changed and what it was before, the oldest first."""
    rows = db.execute("SELECT changed_at, document FROM menu_change WHERE menu_id = ? ORDER BY id", (menu_id,))
    return [(str(r["changed_at"]), json.loads(r["document"])) for r in rows]


def count_changes(db: sqlite3.Connection, menu_id: int) -> int:
    """How often a menu was changed."""
    return int(db.execute("SELECT count(*) FROM menu_change WHERE menu_id = ?", (menu_id,)).fetchone()[0])


def of_units(db: sqlite3.Connection) -> list[tuple[int, int, str, str, str, str]]:
    """Every sample with a menu of a mode or more: its number, its review's, maker, model, sample and the menu's document."""
    rows = db.execute(
        "SELECT u.id, u.review_id, u.maker, u.model, u.sample, m.document FROM unit u JOIN menu m ON m.id = u.menu_id"
        " WHERE json_array_length(m.document, '$.modes') > 0 ORDER BY u.maker, u.model, u.sample, u.id"
    )
    return [(r["id"], r["review_id"], r["maker"], r["model"], r["sample"], r["document"]) for r in rows]


def _text(document: Mapping[str, Any]) -> str:
    return json.dumps(document, sort_keys=True)
