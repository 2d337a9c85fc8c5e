"""Instruments that a person names: what they are, which one exactly, and what is known of how well they read."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass, fields


@dataclass(frozen=True)
class InstrumentRow:
    """An instrument. repeatability: relative, one standard deviation; floor in cd/m2; both None where nobody states them."""

    id: int
    role: str
    driver: str
    kind: str
    name: str
    serial: str
    calibrated_on: str | None
    repeatability: float | None
    floor: float | None
    note: str


_COLUMNS = [f.name for f in fields(InstrumentRow)]


def every(db: sqlite3.Connection) -> list[InstrumentRow]:
    """All of them, the oldest first."""
    return [InstrumentRow(**r) for r in db.execute(f"SELECT {', '.join(_COLUMNS)} FROM instrument ORDER BY id")]


def get(db: sqlite3.Connection, instrument_id: int) -> InstrumentRow | None:
    """One of them."""
    row = db.execute(f"SELECT {', '.join(_COLUMNS)} FROM instrument WHERE id = ?", (instrument_id,)).fetchone()
    return None if row is None else InstrumentRow(**row)


def add(db: sqlite3.Connection, row: InstrumentRow) -> int:
    """Store an instrument; its id field is ignored."""
    names = _COLUMNS[1:]
    cursor = db.execute(
        f"INSERT INTO instrument ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})",
        [getattr(row, n) for n in names],
    )
    return int(cursor.lastrowid or 0)


def change(db: sqlite3.Connection, row: InstrumentRow) -> None:
    """An instrument is described anew; its corrections go with its name and serial."""
    db.execute(
        "UPDATE correction SET meter = ?, serial = ? FROM instrument i WHERE i.id = ? AND correction.meter = i.name"
        " AND correction.serial = i.serial",
        (row.name, row.serial, row.id),
    )
    names = _COLUMNS[1:]
    db.execute(
        f"UPDATE instrument SET {', '.join(f'{n} = ?' for n in names)} WHERE id = ?",
        [*(getattr(row, n) for n in names), row.id],
    )


def delete(db: sqlite3.Connection, instrument_id: int) -> None:
    """Forget an instrument; runs keep what they recorded of it."""
    db.execute("DELETE FROM instrument WHERE id = ?", (instrument_id,))
