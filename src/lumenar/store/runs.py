"""Runs: their cells, what they were made with, and how far they are."""

from __future__ import annotations

import json
import sqlite3
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from lumenar.store import plans
from lumenar.store.plans import NewPatch

RunState = Literal["queued", "running", "paused", "waiting", "stopped", "done"]


@dataclass(frozen=True)
class RunRow:
    """One run and its state. meters: those it was made with, by what they read; condition: the room's light, None where
    nobody recorded it; warm_up: the unit is to be warmed up first; warm: it was seen to be warm, None where nobody says."""

    id: int
    review_id: int
    unit_id: int
    state: RunState
    message: str
    created_at: str
    meters: Mapping[str, Mapping[str, Any]]
    condition: Mapping[str, Any] | None
    habits: Mapping[str, Any]
    correction_id: int | None
    warm_up: int
    warm: int | None
    key: str | None = None

    @property
    def meter(self) -> Mapping[str, Any]:
        """The meter of light, empty where it was not recorded."""
        return self.meters.get("XYZ", {})


@dataclass(frozen=True)
class CellRow:
    """How far one cell of one run is; settings, firmware, changed, applied, condition and format are those of its setup in
    that run, as JSON text where they are no plain values, None where nobody recorded them."""

    run_id: int
    setup_id: int
    measurement: str
    patches: int
    readings: int
    state: str
    settings: str
    firmware: str
    changed: int
    applied: str | None = None
    condition: str | None = None
    format: str | None = None

    @property
    def complete(self) -> bool:
        """Every patch has its reading."""
        return self.readings == self.patches

    @property
    def over(self) -> bool:
        """Nothing is added to its run any more, reference whites included."""
        return self.state in ("done", "stopped")


@dataclass(frozen=True)
class Progress:
    """Readings done and planned in a run, and the bench time of the last reading."""

    done: int
    total: int
    last_s: float


@dataclass(frozen=True)
class AsMeasured:
    """What a setup is in a run: its changes from default as JSON text, all its values, the light in the room, the signal that is
    sent, the target its patches are made for, and the signal that the unit said it showed; None where nobody says."""

    settings: str
    applied: Mapping[str, object] | None
    condition: Mapping[str, object] | None = None
    format: Mapping[str, object] | None = None
    target: str | None = None
    shown: Mapping[str, object] | None = None


@dataclass(frozen=True)
class NewRun:
    """A run to plan."""

    review_id: int
    unit_id: int
    created_at: str
    firmware: str
    meters: Mapping[str, Mapping[str, object]]
    habits: Mapping[str, Any]
    correction_id: int | None
    warm_up: bool
    setups: Mapping[int, AsMeasured]
    patches: Sequence[NewPatch]
    state: str = "queued"
    key: str | None = None


def add_run(db: sqlite3.Connection, new: NewRun) -> int:
    """Store a planned run: its patches in order, their uses, its cells, and what its setups are."""
    cursor = db.execute(
        "INSERT INTO run (review_id, unit_id, state, created_at, meters, habits, correction_id, warm_up, key)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            new.review_id,
            new.unit_id,
            new.state,
            new.created_at,
            json.dumps(new.meters),
            json.dumps(new.habits),
            new.correction_id,
            int(new.warm_up),
            new.key,
        ),
    )
    run_id = int(cursor.lastrowid or 0)
    plans.insert(db, run_id, 0, new.patches)
    counted = Counter((n.setup_id, n.measurements) for n in new.patches)
    cells: Counter[tuple[int, str]] = Counter()
    for (setup, uses), count in counted.items():
        for m in set(uses):
            cells[setup, m] += count
    db.executemany(
        "INSERT INTO run_cell (run_id, setup_id, measurement, patches) VALUES (?, ?, ?, ?)",
        [(run_id, setup, m, count) for (setup, m), count in sorted(cells.items())],
    )
    db.executemany(
        "INSERT INTO run_setup (run_id, setup_id, settings, firmware, plan, applied, condition, format, shown, target)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                run_id,
                setup,
                s.settings,
                new.firmware,
                plans.digest(tuple((n.patch, n.measurements) for n in new.patches if n.setup_id == setup)),
                *(
                    None if v is None else json.dumps(v, sort_keys=True)
                    for v in (s.applied, s.condition, s.format, s.shown)
                ),
                s.target,
            )
            for setup, s in new.setups.items()
        ],
    )
    return run_id


def has_any(db: sqlite3.Connection, setup_id: int) -> bool:
    """Whether a setup was in any run."""
    return db.execute("SELECT 1 FROM run_setup WHERE setup_id = ? LIMIT 1", (setup_id,)).fetchone() is not None


def get(db: sqlite3.Connection, run_id: int) -> RunRow | None:
    """One run."""
    row = db.execute("SELECT * FROM run WHERE id = ?", (run_id,)).fetchone()
    if row is None:
        return None
    condition = None if row["condition"] is None else json.loads(row["condition"])
    texts = {"meters": json.loads(row["meters"]), "habits": json.loads(row["habits"]), "condition": condition}
    return RunRow(**{**row, **texts})


def with_key(db: sqlite3.Connection, key: str) -> int | None:
    """The run that was started with a key; None where none was."""
    row = db.execute("SELECT id FROM run WHERE key = ?", (key,)).fetchone()
    return None if row is None else int(row["id"])


def of_review(db: sqlite3.Connection, review_id: int, before: int | None, limit: int) -> list[RunRow]:
    """Runs of a review, the newest first, from before a number on; limit: -1 for all."""
    rows = db.execute(
        "SELECT id FROM run WHERE review_id = ? AND id < coalesce(?, 9223372036854775807) ORDER BY id DESC LIMIT ?",
        (review_id, before, limit),
    ).fetchall()
    return [run for r in rows if (run := get(db, r["id"]))]


def set_meters(db: sqlite3.Connection, run_id: int, meters: Mapping[str, Mapping[str, object]]) -> None:
    """Replace the description of a run's meters."""
    db.execute("UPDATE run SET meters = ? WHERE id = ?", (json.dumps(meters), run_id))


def unfinished(db: sqlite3.Connection) -> list[RunRow]:
    """Runs that are queued, running or paused, oldest first."""
    rows = db.execute("SELECT id FROM run WHERE state IN ('queued', 'running', 'paused') ORDER BY id").fetchall()
    return [run for r in rows if (run := get(db, r["id"]))]


def applied(db: sqlite3.Connection, run_id: int, setup_id: int) -> dict[str, float | str] | None:
    """All values that a run applied for a setup; None where it is older than that being recorded."""
    row = db.execute("SELECT applied FROM run_setup WHERE run_id = ? AND setup_id = ?", (run_id, setup_id)).fetchone()
    return json.loads(row["applied"]) if row and row["applied"] else None


def made_for(db: sqlite3.Connection, run_id: int, setup_id: int) -> str | None:
    """The key of the target that a setup's patches in a run were made for; None where the run is older than that."""
    row = db.execute("SELECT target FROM run_setup WHERE run_id = ? AND setup_id = ?", (run_id, setup_id)).fetchone()
    return row["target"] if row else None


def recorded(db: sqlite3.Connection, run_id: int, setup_id: int, what: str) -> dict[str, Any] | None:
    """The light in the room ("condition"), the signal that was sent ("format") or the one that the unit
    said it showed ("shown") of a setup in a run; None where nobody recorded it."""
    if what not in ("condition", "format", "shown"):
        raise ValueError(what)
    row = db.execute(f"SELECT {what} FROM run_setup WHERE run_id = ? AND setup_id = ?", (run_id, setup_id)).fetchone()
    return json.loads(row[what]) if row and row[what] else None


def correct_applied(db: sqlite3.Connection, setup_id: int, path: str, was: object, value: object) -> None:
    """What the runs of a setup recorded as applied at a control was wrong: it was this value."""
    rows = db.execute("SELECT run_id, applied FROM run_setup WHERE setup_id = ? AND applied IS NOT NULL", (setup_id,))
    for run_id, text in rows.fetchall():
        held = json.loads(text) or {}
        if held.get(path) == was:
            db.execute(
                "UPDATE run_setup SET applied = ? WHERE run_id = ? AND setup_id = ?",
                (json.dumps({**held, path: value}, sort_keys=True), run_id, setup_id),
            )


def set_state(db: sqlite3.Connection, run_id: int, state: str, message: str) -> None:
    """Record a run's state and what the person should know about it."""
    db.execute("UPDATE run SET state = ?, message = ? WHERE id = ?", (state, message, run_id))


def set_warm(db: sqlite3.Connection, run_id: int, warm: bool | None) -> None:
    """Record whether the unit was seen to be warm; None where nobody says."""
    db.execute("UPDATE run SET warm = ? WHERE id = ?", (None if warm is None else int(warm), run_id))


def pause_run(db: sqlite3.Connection, run_id: int, message: str) -> None:
    """A run that is under way stands paused; one that is over, or paused for a reason of its own, stays as it is."""
    db.execute(
        "UPDATE run SET state = 'paused', message = ? WHERE id = ? AND state IN ('running', 'queued')",
        (message, run_id),
    )


def pause_running(db: sqlite3.Connection, message: str) -> int:
    """After a restart: what was running stands paused. Returns how many runs that were."""
    return db.execute("UPDATE run SET state = 'paused', message = ? WHERE state = 'running'", (message,)).rowcount


def progress(db: sqlite3.Connection, run_id: int) -> Progress:
    """How far a run is."""
    row = db.execute(
        "SELECT count(g.id) AS done, count(*) AS total, coalesce(max(g.at_s), 0) AS last"
        " FROM patch p LEFT JOIN reading g ON g.patch_id = p.id AND g.attempt = 1 WHERE p.run_id = ?",
        (run_id,),
    ).fetchone()
    return Progress(row["done"], row["total"], row["last"])


def progress_by_cell(db: sqlite3.Connection, run_id: int) -> dict[tuple[int, str], tuple[int, int]]:
    """Readings done and planned of every cell of a run, by setup and measurement."""
    rows = db.execute("SELECT setup_id, measurement, readings, patches FROM run_cell WHERE run_id = ?", (run_id,))
    return {(r["setup_id"], r["measurement"]): (r["readings"], r["patches"]) for r in rows}


def bench_time(db: sqlite3.Connection, unit_id: int) -> float:
    """Bench time in s at which a unit was last read; it stays switched on between runs."""
    row = db.execute(
        "SELECT max(coalesce((SELECT max(g.at_s) FROM reading g JOIN patch p ON p.id = g.patch_id WHERE p.run_id = r.id), 0),"
        " coalesce((SELECT max(w.at_s) FROM watch w WHERE w.run_id = r.id), 0)) AS last FROM run r WHERE r.unit_id = ?"
        " UNION ALL SELECT max(a.at_s) FROM attempt a JOIN tuning t ON t.id = a.tuning_id JOIN setup s ON s.id = t.setup_id"
        " WHERE s.unit_id = ? UNION ALL SELECT max(at_s) FROM replay WHERE unit_id = ? ORDER BY last DESC LIMIT 1",
        (unit_id, unit_id, unit_id),
    ).fetchone()
    return float(row["last"] or 0.0) if row else 0.0


def was_warm(db: sqlite3.Connection, unit_id: int) -> bool:
    """Whether a unit was seen to be warm in any run; on the bench it stays on."""
    return db.execute("SELECT 1 FROM run WHERE unit_id = ? AND warm = 1 LIMIT 1", (unit_id,)).fetchone() is not None


def sign(
    db: sqlite3.Connection, run_id: int, setup_id: int, signature: Sequence[Sequence[float]], changed: bool
) -> None:
    """Record what a setup looked like, and whether it was not what it had been."""
    db.execute(
        "UPDATE run_setup SET signature = ?, changed = max(changed, ?) WHERE run_id = ? AND setup_id = ?",
        (json.dumps([list(s) for s in signature]), int(changed), run_id, setup_id),
    )


def set_shown(db: sqlite3.Connection, run_id: int, setup_id: int, shown: Mapping[str, Any] | None) -> None:
    """Record what signal the unit said it showed in a setup, None where nobody looked."""
    db.execute(
        "UPDATE run_setup SET shown = ? WHERE run_id = ? AND setup_id = ?",
        (None if shown is None else json.dumps(shown, sort_keys=True), run_id, setup_id),
    )


def newest_shown(db: sqlite3.Connection, setup_id: int) -> dict[str, Any] | None:
    """What a unit said it showed in the newest run of a setup in which somebody looked."""
    row = db.execute(
        "SELECT shown FROM run_setup WHERE setup_id = ? AND shown IS NOT NULL ORDER BY run_id DESC LIMIT 1", (setup_id,)
    ).fetchone()
    return json.loads(row["shown"]) if row else None


def last_signature(db: sqlite3.Connection, setup_id: int, settings: str, firmware: str) -> list[list[float]] | None:
    """XYZ (3, 3) of a setup's signature in its newest run with the same settings and firmware."""
    row = db.execute(
        "SELECT signature FROM run_setup WHERE setup_id = ? AND settings = ? AND firmware = ? AND signature IS NOT NULL"
        " ORDER BY run_id DESC LIMIT 1",
        (setup_id, settings, firmware),
    ).fetchone()
    return json.loads(row["signature"]) if row else None


def cells(db: sqlite3.Connection, review_id: int, complete: bool, firmware: str | None = None) -> list[CellRow]:
    """The newest run of every cell of a review, or the newest complete one; firmware: of those read with it."""
    cursor = db.cursor()
    cursor.row_factory = None
    # With max() SQLite takes the other columns from the row that has it.
    rows = cursor.execute(
        "SELECT c.run_id, c.setup_id, c.measurement, c.patches, c.readings, r.state, s.settings, s.firmware, s.changed,"
        " s.applied, s.condition, s.format,"
        " max(c.run_id) FROM run_cell c JOIN run r ON r.id = c.run_id"
        " JOIN run_setup s ON s.run_id = c.run_id AND s.setup_id = c.setup_id"
        f" WHERE r.review_id = ? {'AND c.readings = c.patches' if complete else ''}"
        f" {'AND s.firmware = ?' if firmware is not None else ''} GROUP BY c.setup_id, c.measurement",
        (review_id,) if firmware is None else (review_id, firmware),
    )
    return [CellRow(*r[:-1]) for r in rows]


def uncorrected(db: sqlite3.Connection, run_ids: Collection[int]) -> set[int]:
    """Which of some runs were read without a correction of the meter."""
    rows = db.execute(
        "SELECT r.id FROM run r LEFT JOIN correction c ON c.id = r.correction_id WHERE c.id IS NULL"
        " AND r.id IN (SELECT value FROM json_each(?))",
        (json.dumps(sorted(run_ids)),),
    )
    return {r["id"] for r in rows}


def firmwares(db: sqlite3.Connection, unit_id: int) -> list[str]:
    """The firmware that a unit was read with, the newest first."""
    rows = db.execute(
        "SELECT s.firmware FROM run_setup s JOIN run r ON r.id = s.run_id WHERE r.unit_id = ? AND s.firmware <> ''"
        " GROUP BY s.firmware ORDER BY max(r.id) DESC",
        (unit_id,),
    )
    return [r["firmware"] for r in rows]


def last_change(db: sqlite3.Connection, review_id: int) -> dict[int, int]:
    """By setup the newest run in which it did not look as it had."""
    rows = db.execute(
        "SELECT s.setup_id, max(s.run_id) AS run FROM run_setup s JOIN run r ON r.id = s.run_id"
        " WHERE r.review_id = ? AND s.changed = 1 GROUP BY s.setup_id",
        (review_id,),
    )
    return {r["setup_id"]: r["run"] for r in rows}
