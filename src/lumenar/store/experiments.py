"""Experiments on menus and what was read at their stages."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

ExperimentState = Literal["working", "waiting", "paused", "done", "stopped"]
OPEN: tuple[ExperimentState, ...] = ("working", "waiting", "paused")


@dataclass(frozen=True)
class ExperimentRow:
    """An experiment. question: all that it was planned from; meter: what its readings are judged by."""

    id: int
    review_id: int
    setup_id: int
    kind: str
    question: Mapping[str, Any]
    meter: Mapping[str, Any]
    correction_id: int | None
    firmware: str
    state: ExperimentState
    message: str
    created_at: str
    applied: int


@dataclass(frozen=True)
class StageRow:
    """What came of a stage; XYZ as read, None under the meter's floor."""

    experiment_id: int
    number: int
    XYZ: Sequence[Sequence[float] | None]
    stands: Mapping[str, float | str]
    greyed: Sequence[str]
    refused: Mapping[str, str]
    read_at: str
    traces: Sequence[Mapping[str, Any] | None] = ()


def _experiment(r: sqlite3.Row) -> ExperimentRow:
    return ExperimentRow(**{**r, **{k: json.loads(r[k]) for k in ("question", "meter")}})


def add(db: sqlite3.Connection, new: ExperimentRow) -> int:
    """Store an experiment; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO experiment (review_id, setup_id, kind, question, meter, correction_id, firmware, state, created_at)"
        " VALUES (?,?,?,?,?,?,?,?,?)",
        (
            new.review_id,
            new.setup_id,
            new.kind,
            json.dumps(new.question),
            json.dumps(new.meter),
            new.correction_id,
            new.firmware,
            new.state,
            new.created_at,
        ),
    )
    return int(cursor.lastrowid or 0)


def get(db: sqlite3.Connection, experiment_id: int) -> ExperimentRow | None:
    """An experiment by its number."""
    row = db.execute("SELECT * FROM experiment WHERE id = ?", (experiment_id,)).fetchone()
    return None if row is None else _experiment(row)


def of_review(db: sqlite3.Connection, review_id: int) -> list[ExperimentRow]:
    """The experiments of a review, the newest first."""
    rows = db.execute("SELECT * FROM experiment WHERE review_id = ? ORDER BY id DESC", (review_id,))
    return [_experiment(r) for r in rows]


def open_ones(db: sqlite3.Connection) -> list[ExperimentRow]:
    """Experiments that are not over."""
    marks = ",".join("?" * len(OPEN))
    return [_experiment(r) for r in db.execute(f"SELECT * FROM experiment WHERE state IN ({marks})", OPEN)]


def add_stage(db: sqlite3.Connection, row: StageRow) -> None:
    """Commit a stage. The same number twice is refused."""
    db.execute(
        "INSERT INTO stage_read (experiment_id, number, XYZ, stands, greyed, refused, read_at, traces)"
        " VALUES (?,?,?,?,?,?,?,?)",
        (
            row.experiment_id,
            row.number,
            json.dumps(list(row.XYZ)),
            json.dumps(row.stands),
            json.dumps(list(row.greyed)),
            json.dumps(row.refused),
            row.read_at,
            json.dumps(list(row.traces)),
        ),
    )


def stages(db: sqlite3.Connection, experiment_id: int) -> list[StageRow]:
    """What was read so far, in order."""
    parsed = ("XYZ", "stands", "greyed", "refused", "traces")
    rows = db.execute("SELECT * FROM stage_read WHERE experiment_id = ? ORDER BY number", (experiment_id,))
    return [StageRow(**{**r, **{k: json.loads(r[k]) for k in parsed}}) for r in rows]


def set_state(db: sqlite3.Connection, experiment_id: int, state: ExperimentState, message: str) -> None:
    """An experiment is in another state."""
    db.execute("UPDATE experiment SET state = ?, message = ? WHERE id = ?", (state, message, experiment_id))


def set_applied(db: sqlite3.Connection, experiment_id: int) -> None:
    """What it found out stands in the menu map."""
    db.execute("UPDATE experiment SET applied = 1 WHERE id = ?", (experiment_id,))


def pause_working(db: sqlite3.Connection, message: str) -> None:
    """Those at work when the process ended stand still."""
    db.execute("UPDATE experiment SET state = 'paused', message = ? WHERE state = 'working'", (message,))
