"""What people wrote to recipes."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass


@dataclass(frozen=True)
class NoteRow:
    """One note to a setup's recipe."""

    id: int
    setup_id: int
    kind: str
    path: str
    value: str
    words: str
    until: str


_COLUMNS = "id, setup_id, kind, path, value, words, until"


def of_setups(db: sqlite3.Connection, setups: list[int]) -> list[NoteRow]:
    """The notes of setups, in the order in which they were written."""
    marks = ",".join("?" * len(setups))
    rows = db.execute(f"SELECT {_COLUMNS} FROM recipe_note WHERE setup_id IN ({marks}) ORDER BY setup_id, id", setups)
    return [NoteRow(**r) for r in rows]


def get(db: sqlite3.Connection, note_id: int) -> NoteRow | None:
    """A note by its number."""
    row = db.execute(f"SELECT {_COLUMNS} FROM recipe_note WHERE id = ?", (note_id,)).fetchone()
    return None if row is None else NoteRow(**row)


def put(db: sqlite3.Connection, note: NoteRow, at: str) -> int:
    """Add a note (its id 0), or change the one of its number. Of a step there is one reason: another takes its place."""
    if note.id:
        db.execute(
            "UPDATE recipe_note SET kind = ?, path = ?, value = ?, words = ?, until = ?, changed_at = ? WHERE id = ?",
            (note.kind, note.path, note.value, note.words, note.until, at, note.id),
        )
        return note.id
    if note.kind == "why":
        db.execute(
            "DELETE FROM recipe_note WHERE setup_id = ? AND kind = 'why' AND path = ?", (note.setup_id, note.path)
        )
    cursor = db.execute(
        "INSERT INTO recipe_note (setup_id, kind, path, value, words, until, changed_at) VALUES (?,?,?,?,?,?,?)",
        (note.setup_id, note.kind, note.path, note.value, note.words, note.until, at),
    )
    return int(cursor.lastrowid or 0)


def delete(db: sqlite3.Connection, note_id: int) -> bool:
    """Forget a note; False where there is none."""
    return db.execute("DELETE FROM recipe_note WHERE id = ?", (note_id,)).rowcount > 0
