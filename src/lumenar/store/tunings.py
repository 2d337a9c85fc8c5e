"""Tunings and their attempts."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

TuningState = Literal["working", "waiting", "paused", "found", "stopped", "kept"]
OPEN: tuple[TuningState, ...] = ("working", "waiting", "paused")
"""States in which something is still to be tried."""


@dataclass(frozen=True)
class TuningRow:
    """A tuning. begun: values by path when it began; ladder: earlier values of the luminance control and the luminance each gave;
    meter: the noise assumed for its readings; purpose: what the result is for, None if not given."""

    id: int
    review_id: int
    setup_id: int
    begun: Mapping[str, float | str]
    goals: Sequence[str]
    target: str
    luminance: float | None
    ladder: Sequence[Sequence[float]]
    meter: Mapping[str, Any]
    correction_id: int | None
    firmware: str
    state: TuningState
    message: str
    created_at: str
    result_id: int | None
    purpose: str | None = None


@dataclass(frozen=True)
class AttemptRow:
    """An attempt. proposed: what was to be entered where something else stood there; expected: the figure it should have had."""

    id: int
    tuning_id: int
    number: int
    goal: str
    stage: str
    why: str
    entered: Mapping[str, float | str]
    proposed: Mapping[str, float | str] | None
    patches: Sequence[Sequence[float]]
    XYZ: Sequence[Sequence[float] | None]
    expected: float | None
    read_at: str
    at_s: float
    dropped: int


def _tuning(r: sqlite3.Row) -> TuningRow:
    parsed = {k: json.loads(r[k]) for k in ("begun", "goals", "ladder", "meter")}
    return TuningRow(**{**r, **parsed})


def _attempt(r: sqlite3.Row) -> AttemptRow:
    parsed = {k: json.loads(r[k]) for k in ("entered", "patches", "XYZ")}
    return AttemptRow(**{**r, **parsed, "proposed": None if r["proposed"] is None else json.loads(r["proposed"])})


def add(db: sqlite3.Connection, new: TuningRow) -> int:
    """Store a tuning; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO tuning (review_id, setup_id, begun, goals, target, luminance, ladder, meter, correction_id, firmware, state,"
        " message, created_at, purpose) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
        (
            new.review_id,
            new.setup_id,
            json.dumps(new.begun),
            json.dumps(list(new.goals)),
            new.target,
            new.luminance,
            json.dumps(list(new.ladder)),
            json.dumps(new.meter),
            new.correction_id,
            new.firmware,
            new.state,
            new.message,
            new.created_at,
            new.purpose,
        ),
    )
    return int(cursor.lastrowid or 0)


def get(db: sqlite3.Connection, tuning_id: int) -> TuningRow | None:
    """A tuning by its number."""
    row = db.execute("SELECT * FROM tuning WHERE id = ?", (tuning_id,)).fetchone()
    return None if row is None else _tuning(row)


def of_review(db: sqlite3.Connection, review_id: int) -> list[TuningRow]:
    """The tunings of a review, the newest first."""
    return [_tuning(r) for r in db.execute("SELECT * FROM tuning WHERE review_id = ? ORDER BY id DESC", (review_id,))]


def open_ones(db: sqlite3.Connection) -> list[TuningRow]:
    """Those in which something is still to be tried."""
    marks = ", ".join("?" * len(OPEN))
    return [_tuning(r) for r in db.execute(f"SELECT * FROM tuning WHERE state IN ({marks}) ORDER BY id", OPEN)]


def set_state(db: sqlite3.Connection, tuning_id: int, state: TuningState, message: str = "") -> None:
    """A tuning is in another state; message: what the person should know."""
    db.execute("UPDATE tuning SET state = ?, message = ? WHERE id = ?", (state, message, tuning_id))


def keep(db: sqlite3.Connection, tuning_id: int, setup_id: int) -> None:
    """Its result was kept as a setup."""
    db.execute("UPDATE tuning SET state = 'kept', result_id = ? WHERE id = ?", (setup_id, tuning_id))


def pause_working(db: sqlite3.Connection, message: str) -> None:
    """Tunings that were at work when the process ended stand where they were."""
    db.execute("UPDATE tuning SET state = 'paused', message = ? WHERE state = 'working'", (message,))


def add_attempt(db: sqlite3.Connection, new: AttemptRow) -> int:
    """Commit an attempt; its id and number fields are ignored. Returns its number within the tuning."""
    number = 1 + int(
        db.execute("SELECT coalesce(max(number), 0) FROM attempt WHERE tuning_id = ?", (new.tuning_id,)).fetchone()[0]
    )
    db.execute(
        "INSERT INTO attempt (tuning_id, number, goal, stage, why, entered, proposed, patches, XYZ, expected, read_at, at_s)"
        " VALUES (?,?,?,?,?,?,?,?,?,?,?,?)",
        (
            new.tuning_id,
            number,
            new.goal,
            new.stage,
            new.why,
            json.dumps(new.entered),
            None if new.proposed is None else json.dumps(new.proposed),
            json.dumps(list(new.patches)),
            json.dumps(list(new.XYZ)),
            new.expected,
            new.read_at,
            new.at_s,
        ),
    )
    return number


def attempts(db: sqlite3.Connection, tuning_id: int) -> list[AttemptRow]:
    """All attempts of a tuning in order, those gone back from among them."""
    return [_attempt(r) for r in db.execute("SELECT * FROM attempt WHERE tuning_id = ? ORDER BY number", (tuning_id,))]


def entered_otherwise(db: sqlite3.Connection, tuning_id: int, number: int, entered: Mapping[str, float | str]) -> None:
    """What stood there at an attempt was something else than was thought; what was proposed is kept."""
    db.execute(
        "UPDATE attempt SET proposed = coalesce(proposed, entered), entered = ? WHERE tuning_id = ? AND number = ?",
        (json.dumps(entered), tuning_id, number),
    )


def drop_after(db: sqlite3.Connection, tuning_id: int, number: int) -> None:
    """Go back to an attempt: what came after it no longer counts."""
    db.execute("UPDATE attempt SET dropped = 1 WHERE tuning_id = ? AND number > ?", (tuning_id, number))


def carry(db: sqlite3.Connection, tuning_id: int, setup_id: int, from_id: int) -> None:
    """A setup has a tuning's values in the mode of another."""
    db.execute("INSERT INTO carried (setup_id, tuning_id, from_id) VALUES (?, ?, ?)", (setup_id, tuning_id, from_id))


def carried(db: sqlite3.Connection, tuning_id: int) -> list[tuple[int, int]]:
    """Setups that have a tuning's values in another mode, each with that it was made from."""
    rows = db.execute("SELECT setup_id, from_id FROM carried WHERE tuning_id = ? ORDER BY setup_id", (tuning_id,))
    return [(int(r["setup_id"]), int(r["from_id"])) for r in rows]
