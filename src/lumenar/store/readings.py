"""Committed readings, with their waveforms and spectra."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

import numpy as np

from lumenar.core.readings.patches import Outcome, Patch, Spectrum, Trace, Waveform
from lumenar.store.bulk_insert import add_rows
from lumenar.store.checksum import bytes_sum, reading_sum, reading_sums
from lumenar.store.database import SAVE, DamagedError
from lumenar.store.plans import PATCH, patch_of


class NewReading(NamedTuple):
    """A reading to commit: XYZ as read, None where the meter gave no number. A tuple, as an import makes 100,000 of them."""

    patch_id: int
    attempt: int
    outcome: Outcome
    XYZ: tuple[float, float, float] | None
    exposure_s: float | None
    at_s: float
    read_at: str
    trace: Trace | None = None


def add(db: sqlite3.Connection, new: NewReading) -> int:
    """Commit a reading; the first of its patch is counted in every cell that uses it. The same attempt twice is
    refused."""
    X, Y, Z = new.XYZ or (None, None, None)
    cursor = db.execute(
        "INSERT INTO reading (patch_id, attempt, outcome, X, Y, Z, exposure_s, at_s, read_at, checksum)"
        " VALUES (?,?,?,?,?,?,?,?,?,?)",
        (
            new.patch_id,
            new.attempt,
            new.outcome,
            X,
            Y,
            Z,
            new.exposure_s,
            new.at_s,
            new.read_at,
            reading_sum(new.patch_id, X, Y, Z, new.at_s),
        ),
    )
    reading = int(cursor.lastrowid or 0)
    if new.attempt == 1:
        db.execute(
            "UPDATE run_cell SET readings = readings + 1 FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
            " WHERE p.id = ? AND run_cell.run_id = p.run_id AND run_cell.setup_id = p.setup_id"
            " AND run_cell.measurement = u.measurement",
            (new.patch_id,),
        )
    if new.trace is not None:
        db.execute("INSERT INTO trace VALUES (?, ?, ?, ?, ?, ?)", (reading, *_packed(new.trace)))
    return reading


def add_all(db: sqlite3.Connection, run_id: int, new: Sequence[NewReading]) -> None:
    """Commit all readings of a run at a time; what `add` does one by one."""
    nothing = (np.nan,) * 3
    sums = reading_sums(np.array([(n.patch_id, *(n.XYZ or nothing), n.at_s) for n in new], float).reshape(-1, 5))
    add_rows(
        db,
        "reading",
        ("patch_id", "attempt", "outcome", "X", "Y", "Z", "exposure_s", "at_s", "read_at", "checksum"),
        [
            (n.patch_id, n.attempt, n.outcome, *(n.XYZ or (None,) * 3), n.exposure_s, n.at_s, n.read_at, checksum)
            for n, checksum in zip(new, sums.tolist(), strict=True)
        ],
    )
    db.executemany(
        "INSERT INTO trace SELECT id, ?, ?, ?, ?, ? FROM reading WHERE patch_id = ? AND attempt = ?",
        [(*_packed(n.trace), n.patch_id, n.attempt) for n in new if n.trace is not None],
    )
    planned = db.execute("SELECT count(*) FROM patch WHERE run_id = ?", (run_id,)).fetchone()[0]
    if planned == sum(n.attempt == 1 for n in new):
        db.execute("UPDATE run_cell SET readings = patches WHERE run_id = ?", (run_id,))
        return
    db.execute(
        "UPDATE run_cell SET readings = (SELECT count(*) FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
        " JOIN reading g ON g.patch_id = p.id AND g.attempt = 1"
        " WHERE p.run_id = run_cell.run_id AND p.setup_id = run_cell.setup_id AND u.measurement = run_cell.measurement)"
        " WHERE run_id = ?",
        (run_id,),
    )


def _packed(trace: Trace) -> tuple[str, float, float, bytes, int]:
    if isinstance(trace, Waveform):
        samples = np.asarray(trace.samples, "<f8").tobytes()
        return "waveform", 0.0, 1 / trace.rate_hz, samples, bytes_sum(samples)
    samples = np.asarray(trace.radiance, "<f8").tobytes()
    return "spectrum", trace.start_nm, trace.step_nm, samples, bytes_sum(samples)


def _unpacked(kind: str, start: float, step: float, samples: bytes) -> Trace:
    values = np.frombuffer(samples, "<f8").astype(float, copy=False)
    return Waveform(1 / step, values) if kind == "waveform" else Spectrum(start, step, values)


COLUMNS = (
    "id",
    "patch_id",
    "attempt",
    "outcome",
    "X",
    "Y",
    "Z",
    "time_s",
    "r",
    "g",
    "b",
    "window",
    "background",
    "level",
    "zone",
    "pattern",
    "at_s",
    "repeat",
    "reads",
)


def of_setup(db: sqlite3.Connection, run_id: int, setup_id: int) -> list[tuple[Any, ...]]:
    """All readings of one setup in one run with their patches, in the order of `COLUMNS`: patch by patch, attempt by
    attempt."""
    cursor = db.cursor()
    cursor.row_factory = None
    return cursor.execute(
        f"SELECT g.id, g.patch_id, g.attempt, g.outcome, g.X, g.Y, g.Z, g.at_s, {PATCH}"
        " FROM patch p JOIN reading g ON g.patch_id = p.id WHERE p.run_id = ? AND p.setup_id = ?"
        " ORDER BY p.position, g.attempt",
        (run_id, setup_id),
    ).fetchall()


def values(db: sqlite3.Connection, first: int, last: int) -> list[tuple[float | None, ...]]:
    """Patch, XYZ as read, bench time, for what is no number whether it lay under the meter's floor, and checksum, of all
    readings of the patches from `first` to `last`: patch by patch, attempt by attempt."""
    cursor = db.cursor()
    cursor.row_factory = None
    return cursor.execute(
        "SELECT patch_id, X, Y, Z, at_s, CASE WHEN X IS NULL THEN outcome = 'below_floor' END,"
        " checksum FROM reading"
        " WHERE patch_id BETWEEN ? AND ? ORDER BY patch_id, attempt",
        (first, last),
    ).fetchall()


class PatchOfReading(NamedTuple):
    """A patch of a plan with one reading of it, None where the light was under the meter's floor."""

    patch: Patch
    XYZ: tuple[float, float, float] | None
    expected_s: float


def of_measurement(db: sqlite3.Connection, run_id: int, setup_id: int, measurement: str) -> list[PatchOfReading]:
    """Every reading that a measurement uses of a setup in a run, those that were too bright left out."""
    cursor = db.cursor()
    cursor.row_factory = None
    rows = cursor.execute(
        f"SELECT g.X, g.Y, g.Z, p.expected_s, {PATCH} FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
        " JOIN reading g ON g.patch_id = p.id WHERE p.run_id = ? AND p.setup_id = ? AND u.measurement = ?"
        " AND g.outcome != 'saturated' ORDER BY p.position, g.attempt",
        (run_id, setup_id, measurement),
    )
    return [PatchOfReading(patch_of(*r[4:]), None if r[1] is None else (r[0], r[1], r[2]), r[3]) for r in rows]


def uses(db: sqlite3.Connection, first: int, last: int) -> list[tuple[int, str]]:
    """Patch and measurement of every use of the patches from `first` to `last`."""
    cursor = db.cursor()
    cursor.row_factory = None
    return cursor.execute(
        "SELECT p.id, u.measurement FROM patch p JOIN use_set_member u ON u.use_set = p.use_set WHERE p.id BETWEEN ? AND ?"
        " ORDER BY p.id, u.measurement",
        (first, last),
    ).fetchall()


def traces(db: sqlite3.Connection, patch_ids: Iterable[int]) -> dict[tuple[int, int], Trace]:
    """Waveforms and spectra of some patches, by patch and attempt. DamagedError where one is not what was stored."""
    query = "SELECT g.patch_id, g.attempt, t.* FROM reading g JOIN trace t ON t.reading_id = g.id WHERE g.patch_id = ?"
    rows = [row for i in patch_ids for row in db.execute(query, (i,))]
    for r in rows:
        if bytes_sum(r["samples"]) != r["checksum"]:
            raise DamagedError(
                f"the {r['kind']} of patch {r['patch_id']} is not what was stored: the file is damaged. {SAVE}"
            )
    return {(r["patch_id"], r["attempt"]): _unpacked(r["kind"], r["start"], r["step"], r["samples"]) for r in rows}


def read_again(db: sqlite3.Connection, run_id: int, setup_id: int) -> list[tuple[float, list[float]]]:
    """Signal and luminances in order of a setup's patches that were read more than once in a run."""
    rows = db.execute(
        "SELECT p.id AS id, p.g AS signal, g.Y AS Y FROM reading g JOIN patch p ON p.id = g.patch_id"
        " WHERE p.run_id = ? AND p.setup_id = ? AND g.Y IS NOT NULL AND p.id IN"
        " (SELECT a.patch_id FROM reading a JOIN patch q ON q.id = a.patch_id WHERE q.run_id = ? AND a.attempt > 1)"
        " ORDER BY p.id, g.attempt",
        (run_id, setup_id, run_id),
    )
    again: dict[int, tuple[float, list[float]]] = {}
    for row in rows:
        again.setdefault(row["id"], (row["signal"], []))[1].append(row["Y"])
    return list(again.values())


def plain_whites(db: sqlite3.Connection, run_id: int, setup_id: int) -> list[tuple[float, tuple[float, float, float]]]:
    """Bench time and XYZ as read of a setup's own whites in a run: full white in the usual window, in no ladder."""
    rows = db.execute(
        "SELECT g.at_s AS t, g.X, g.Y, g.Z FROM patch p JOIN reading g ON g.patch_id = p.id AND g.attempt = 1"
        " WHERE p.run_id = ? AND p.setup_id = ? AND p.r = 1 AND p.g = 1 AND p.b = 1 AND p.window = 0.1 AND p.level IS NULL"
        " AND p.zone IS NULL AND p.at_s IS NULL AND p.pattern = 'window' AND p.reads = 'XYZ' AND g.Y IS NOT NULL"
        " ORDER BY g.id",
        (run_id, setup_id),
    )
    return [(r["t"], (r["X"], r["Y"], r["Z"])) for r in rows]


def attempts(db: sqlite3.Connection, patch_id: int) -> int:
    """How often a patch was read."""
    return int(
        db.execute("SELECT coalesce(max(attempt), 0) FROM reading WHERE patch_id = ?", (patch_id,)).fetchone()[0]
    )


def by_patch(
    db: sqlite3.Connection, run_id: int, setup_id: int, measurement: str
) -> list[tuple[int, Patch, float | None]]:
    """Every reading of one cell in a run, patch by patch: its number, the patch, and Y as read, None where it is no number."""
    cursor = db.cursor()
    cursor.row_factory = None
    rows = cursor.execute(
        f"SELECT p.id, g.Y, {PATCH} FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
        " JOIN reading g ON g.patch_id = p.id WHERE p.run_id = ? AND p.setup_id = ? AND u.measurement = ?"
        " ORDER BY p.position, g.attempt",
        (run_id, setup_id, measurement),
    )
    return [(r[0], patch_of(*r[2:]), r[1]) for r in rows]
