"""Replays: recipes entered after a factory reset, with what was read then."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

ReplayState = Literal["working", "waiting", "done", "failed", "stopped"]


@dataclass(frozen=True)
class ReplayRow:
    """One replay. steps: as they were entered; patches and XYZ of the proof, None under the meter's floor."""

    id: int
    review_id: int
    setup_id: int
    unit_id: int
    steps: Sequence[Mapping[str, str]]
    firmware: str
    meter: Mapping[str, Any]
    correction_id: int | None
    state: ReplayState
    message: str
    patches: Sequence[Sequence[float]]
    XYZ: Sequence[Sequence[float] | None]
    created_at: str
    at_s: float


def _row(r: sqlite3.Row) -> ReplayRow:
    return ReplayRow(**{**r, **{k: json.loads(r[k]) for k in ("steps", "meter", "patches", "XYZ")}})


def add(db: sqlite3.Connection, new: ReplayRow) -> int:
    """Store a replay; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO replay (review_id, setup_id, unit_id, steps, firmware, meter, correction_id, state, message, patches,"
        " created_at) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
        (
            new.review_id,
            new.setup_id,
            new.unit_id,
            json.dumps(list(new.steps)),
            new.firmware,
            json.dumps(new.meter),
            new.correction_id,
            new.state,
            new.message,
            json.dumps(list(new.patches)),
            new.created_at,
        ),
    )
    return int(cursor.lastrowid or 0)


def get(db: sqlite3.Connection, replay_id: int) -> ReplayRow | None:
    """A replay by its number."""
    row = db.execute("SELECT * FROM replay WHERE id = ?", (replay_id,)).fetchone()
    return None if row is None else _row(row)


def of_setup(db: sqlite3.Connection, setup_id: int) -> list[ReplayRow]:
    """The replays of a setup, the newest first."""
    return [_row(r) for r in db.execute("SELECT * FROM replay WHERE setup_id = ? ORDER BY id DESC", (setup_id,))]


def finish(
    db: sqlite3.Connection,
    replay_id: int,
    state: ReplayState,
    message: str,
    XYZ: Sequence[Sequence[float] | None] = (),
    at_s: float = 0.0,
) -> None:
    """A replay is over, or stands still."""
    db.execute(
        "UPDATE replay SET state = ?, message = ?, XYZ = ?, at_s = ? WHERE id = ?",
        (state, message, json.dumps(list(XYZ)), at_s, replay_id),
    )


def stop_working(db: sqlite3.Connection, message: str) -> None:
    """Replays that were at work when the process ended are over."""
    db.execute("UPDATE replay SET state = 'stopped', message = ? WHERE state = 'working'", (message,))
