"""Runs that a person reads by hand: their patches with what was read, in order."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from typing import Literal

from lumenar.core.readings.patches import Outcome, Patch
from lumenar.store.plans import PATCH, patch_of


@dataclass(frozen=True)
class SheetRow:
    """A planned patch and what was read of it; outcome is empty while it is not."""

    id: int
    setup_id: int
    patch: Patch
    outcome: Outcome | Literal[""]
    XYZ: tuple[float, float, float] | None


def is_by_hand(db: sqlite3.Connection, run_id: int) -> bool:
    """Whether a run is of a display that is not simulated."""
    row = db.execute(
        "SELECT 1 FROM run r WHERE r.id = ? AND NOT EXISTS (SELECT 1 FROM stand_in s WHERE s.unit_id = r.unit_id)",
        (run_id,),
    ).fetchone()
    return row is not None


def waiting(db: sqlite3.Connection, review_id: int) -> list[int]:
    """The runs of a review that wait for a person, oldest first."""
    rows = db.execute(
        "SELECT id FROM run r WHERE review_id = ? AND state = 'waiting' AND EXISTS (SELECT 1 FROM patch p WHERE p.run_id = r.id)"
        " ORDER BY id",
        (review_id,),
    )
    return [int(r["id"]) for r in rows]


def rows(db: sqlite3.Connection, run_id: int) -> list[SheetRow]:
    """Every patch of a run in order, with its last reading."""
    cursor = db.cursor()
    cursor.row_factory = None
    every = cursor.execute(
        f"SELECT p.id, p.setup_id, coalesce(g.outcome, ''), g.X, g.Y, g.Z, {PATCH} FROM patch p"
        " LEFT JOIN reading g ON g.patch_id = p.id AND g.attempt = 1 WHERE p.run_id = ? ORDER BY p.position",
        (run_id,),
    )
    return [SheetRow(r[0], r[1], patch_of(*r[6:]), r[2], None if r[4] is None else (r[3], r[4], r[5])) for r in every]


def take_back(db: sqlite3.Connection, patch_id: int) -> None:
    """A typed reading is taken back; the cells that counted it count one less."""
    if db.execute("DELETE FROM reading WHERE patch_id = ?", (patch_id,)).rowcount:
        db.execute(
            "UPDATE run_cell SET readings = readings - 1 FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
            " WHERE p.id = ? AND run_cell.run_id = p.run_id AND run_cell.setup_id = p.setup_id"
            " AND run_cell.measurement = u.measurement",
            (patch_id,),
        )


def drop_figures(db: sqlite3.Connection, run_id: int) -> None:
    """Figures that were kept of a run no longer hold."""
    db.execute("DELETE FROM computed WHERE run_id = ?", (run_id,))
