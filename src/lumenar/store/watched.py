"""Readings that a run takes for itself: warm-up and reference whites."""

from __future__ import annotations

import json
import sqlite3


def rested_white(db: sqlite3.Connection, run_id: int, setup_id: int) -> list[float] | None:
    """XYZ of a setup's white as it was read first in a run, after a rest; None where it was not."""
    row = db.execute("SELECT signature FROM run_setup WHERE run_id = ? AND setup_id = ?", (run_id, setup_id)).fetchone()
    if row and row["signature"]:
        first: list[float] = json.loads(row["signature"])[0]
        return first
    # Of a run that came in a file nothing but the white is known.
    seen = db.execute(
        "SELECT X, Y, Z FROM watch WHERE run_id = ? AND setup_id = ? AND kind = 'signature' ORDER BY id LIMIT 1",
        (run_id, setup_id),
    ).fetchone()
    return [seen["X"], seen["Y"], seen["Z"]] if seen else None


def whites(db: sqlite3.Connection, run_id: int, setup_id: int) -> list[tuple[float, float, float, float]]:
    """Bench time and XYZ as read of the reference whites of a setup in a run."""
    rows = db.execute(
        "SELECT at_s, X, Y, Z FROM watch WHERE run_id = ? AND setup_id = ? AND kind = 'reference' ORDER BY id",
        (run_id, setup_id),
    )
    return [(r["at_s"], r["X"], r["Y"], r["Z"]) for r in rows]


def add_watch(
    db: sqlite3.Connection, run_id: int, setup_id: int, kind: str, at_s: float, XYZ: tuple[float, float, float]
) -> None:
    """Commit a reading that watches the bench."""
    db.execute(
        "INSERT INTO watch (run_id, setup_id, kind, at_s, X, Y, Z) VALUES (?,?,?,?,?,?,?)",
        (run_id, setup_id, kind, at_s, *XYZ),
    )


def warm_up_readings(db: sqlite3.Connection, run_id: int) -> list[tuple[float, float, float, float]]:
    """Bench time and XYZ as read of white in the last warm-up of a run's unit before the run ended: the run's own, or an earlier
    run's."""
    rows = db.execute(
        "SELECT w.at_s, w.X, w.Y, w.Z FROM watch w WHERE w.kind = 'warm_up' AND w.run_id = ("
        " SELECT max(r.id) FROM run r JOIN run mine ON mine.unit_id = r.unit_id AND r.id <= mine.id"
        " WHERE mine.id = ? AND EXISTS (SELECT 1 FROM watch v WHERE v.run_id = r.id AND v.kind = 'warm_up'))"
        " ORDER BY w.id",
        (run_id,),
    )
    return [(r["at_s"], r["X"], r["Y"], r["Z"]) for r in rows]


def warm_up_whites(db: sqlite3.Connection, run_id: int) -> list[tuple[float, float]]:
    """`warm_up_readings` by their luminance alone."""
    return [(at_s, Y) for at_s, _, Y, _ in warm_up_readings(db, run_id)]


def watched(db: sqlite3.Connection, run_id: int) -> list[tuple[int, str, float, float]]:
    """Setup, kind, bench time and Y of the readings that watched a run."""
    rows = db.execute("SELECT setup_id, kind, at_s, Y FROM watch WHERE run_id = ? ORDER BY id", (run_id,))
    return [(r["setup_id"], r["kind"], r["at_s"], r["Y"]) for r in rows]
