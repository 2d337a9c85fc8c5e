"""Meter corrections: matrices by panel type, with what is left after them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lumenar.core.menu.controls import Panel


@dataclass(frozen=True)
class CorrectionRow:
    """A correction of a meter by a reference for a panel type. matrix (3, 3): corrected = matrix @ raw. residual: what is
    left on verification colours. series: what both meters read, from which its uncertainty is drawn; None where it was
    made before that was kept. serial: the meter's, empty where it was not recorded."""

    id: int
    panel: Panel
    meter: str
    reference: str
    made_on: str
    made_at: str
    matrix: list[list[float]]
    residual: Mapping[str, float]
    series: Mapping[str, Any] | None = None
    serial: str = ""


IMPORTED = "imported"
"""The reference of a correction that came in a file: it belongs to the runs of that file alone."""


def add(db: sqlite3.Connection, c: CorrectionRow) -> int:
    """Store a correction; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO correction (panel, meter, reference, made_on, made_at, matrix, residual, series, serial)"
        " VALUES (?,?,?,?,?,?,?,?,?)",
        (
            c.panel,
            c.meter,
            c.reference,
            c.made_on,
            c.made_at,
            json.dumps(c.matrix),
            json.dumps(c.residual),
            None if c.series is None else json.dumps(c.series),
            c.serial,
        ),
    )
    return int(cursor.lastrowid or 0)


def _row(r: sqlite3.Row) -> CorrectionRow:
    series = None if r["series"] is None else json.loads(r["series"])
    return CorrectionRow(
        **{**r, "matrix": json.loads(r["matrix"]), "residual": json.loads(r["residual"]), "series": series}
    )


def every(db: sqlite3.Connection) -> list[tuple[CorrectionRow, int]]:
    """All corrections, newest first, each with the number of runs that used it."""
    rows = db.execute(
        "SELECT c.*, (SELECT count(*) FROM run r WHERE r.correction_id = c.id) AS runs FROM correction c ORDER BY c.id DESC"
    ).fetchall()
    return [(_row({k: r[k] for k in r.keys() if k != "runs"}), r["runs"]) for r in rows]  # type: ignore[arg-type]  # noqa: SIM118


def get(db: sqlite3.Connection, correction_id: int) -> CorrectionRow | None:
    """One correction."""
    row = db.execute("SELECT * FROM correction WHERE id = ?", (correction_id,)).fetchone()
    return _row(row) if row else None


def delete(db: sqlite3.Connection, correction_id: int) -> None:
    """Delete a correction that no run was read with."""
    db.execute("DELETE FROM correction WHERE id = ?", (correction_id,))


def newest(db: sqlite3.Connection, panel: str, meter: str, serial: str = "") -> CorrectionRow | None:
    """The newest correction of a meter, by its name and serial, for a panel type, of those that did not come in a file."""
    row = db.execute(
        "SELECT * FROM correction WHERE panel = ? AND meter = ? AND serial = ? AND reference <> ? ORDER BY id DESC LIMIT 1",
        (panel, meter, serial, IMPORTED),
    ).fetchone()
    return _row(row) if row else None
