"""Figures kept between starts. They follow from readings, so losing them loses nothing."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from lumenar.store.checksum import bytes_sum


@dataclass(frozen=True)
class Key:
    """Whose figures: one cell of one run against one target, by one version of the computation."""

    run_id: int
    setup_id: int
    measurement: str
    target: str
    version: str


def get(db: sqlite3.Connection, key: Key) -> str | None:
    """The analysis as JSON text, None where it is not kept, was computed by another version, or is damaged: it follows from
    readings, so it can be computed again."""
    row = db.execute(
        "SELECT analysis, checksum FROM computed"
        " WHERE run_id = ? AND setup_id = ? AND measurement = ? AND target = ? AND version = ?",
        (key.run_id, key.setup_id, key.measurement, key.target, key.version),
    ).fetchone()
    if row is None or bytes_sum(row["analysis"].encode(errors="replace")) != row["checksum"]:
        return None
    return str(row["analysis"])


def there(db: sqlite3.Connection, key: Key) -> bool:
    """Whether an analysis is kept."""
    query = (
        "SELECT 1 FROM computed WHERE run_id = ? AND setup_id = ? AND measurement = ? AND target = ? AND version = ?"
    )
    own = (key.run_id, key.setup_id, key.measurement, key.target, key.version)
    return db.execute(query, own).fetchone() is not None


def put(db: sqlite3.Connection, key: Key, analysis: str) -> None:
    """Keep an analysis, in place of one by another version."""
    db.execute(
        "INSERT OR REPLACE INTO computed (run_id, setup_id, measurement, target, version, analysis, checksum)"
        " VALUES (?,?,?,?,?,?,?)",
        (key.run_id, key.setup_id, key.measurement, key.target, key.version, analysis, bytes_sum(analysis.encode())),
    )


def forget_run(db: sqlite3.Connection, run_id: int) -> None:
    """Delete all figures of a run; they are computed again when somebody asks for them."""
    db.execute("DELETE FROM computed WHERE run_id = ?", (run_id,))
