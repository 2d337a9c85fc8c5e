"""What runs are to read: the patches of each setup in order, with the measurements that use them."""

from __future__ import annotations

import json
import sqlite3
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from hashlib import sha256
from typing import Any

from lumenar.core.readings.patches import Patch
from lumenar.store.bulk_insert import add_rows


@dataclass(frozen=True)
class PatchRow:
    """One planned patch of a run, with the bench time it takes in s."""

    id: int
    setup_id: int
    patch: Patch
    expected_s: float


@dataclass(frozen=True)
class NewPatch:
    """A patch to plan, with the measurements that use it."""

    setup_id: int
    patch: Patch
    expected_s: float
    measurements: tuple[str, ...]


COLUMNS = (
    "id",
    "run_id",
    "setup_id",
    "position",
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
    "expected_s",
    "use_set",
)


def insert(db: sqlite3.Connection, run_id: int, position: int, new: Sequence[NewPatch]) -> range:
    """Store patches from a position on, with their uses; their numbers, which rise with their positions."""
    row = db.execute("SELECT seq + 1 FROM sqlite_sequence WHERE name = 'patch'").fetchone()
    first = row[0] if row else 1
    sets = _use_sets(db, {n.measurements for n in new})
    add_rows(
        db,
        "patch",
        COLUMNS,
        [
            (
                first + i,
                run_id,
                n.setup_id,
                position + i,
                *n.patch.rgb,
                n.patch.window,
                n.patch.background,
                n.patch.level,
                None if n.patch.zone is None else json.dumps(n.patch.zone),
                n.patch.pattern,
                n.patch.at_s,
                n.patch.repeat,
                n.patch.reads,
                n.expected_s,
                sets[n.measurements],
            )
            for i, n in enumerate(new)
        ],
    )
    return range(first, first + len(new))


def extend(db: sqlite3.Connection, run_id: int, new: Sequence[NewPatch]) -> list[PatchRow]:
    """Plan more patches of a run whose setups are in it already, after all others; the cells that use them have so many more."""
    if not new:
        return []
    last = db.execute("SELECT max(position) FROM patch WHERE run_id = ?", (run_id,)).fetchone()[0]
    numbers = insert(db, run_id, last + 1, new)
    for (setup_id, measurement), count in Counter((n.setup_id, m) for n in new for m in set(n.measurements)).items():
        db.execute(
            "UPDATE run_cell SET patches = patches + ? WHERE run_id = ? AND setup_id = ? AND measurement = ?",
            (count, run_id, setup_id, measurement),
        )
    for setup_id in {n.setup_id for n in new}:
        # It is not the plan any more that others may share.
        before = digest_of(db, run_id, setup_id)
        # A run that is older than digests has a plan of which nothing is known but whose it is.
        own = digest(
            (
                (before or f"{run_id} {setup_id}", None),
                *((n.patch, n.measurements) for n in new if n.setup_id == setup_id),
            )
        )
        db.execute("UPDATE run_setup SET plan = ? WHERE run_id = ? AND setup_id = ?", (own, run_id, setup_id))
    return [PatchRow(i, n.setup_id, n.patch, n.expected_s) for i, n in zip(numbers, new, strict=True)]


def _use_sets(db: sqlite3.Connection, uses: set[tuple[str, ...]]) -> dict[tuple[str, ...], int | None]:
    """The number of each set of measurements that patches are read for, None where it is empty; new sets are stored."""
    numbers: dict[tuple[str, ...], int | None] = {}
    for measurements in uses:
        own = sorted(set(measurements))
        if not own:
            numbers[measurements] = None
            continue
        written = json.dumps(own, separators=(",", ":"))
        if db.execute("INSERT OR IGNORE INTO use_set (measurements) VALUES (?)", (written,)).rowcount:
            db.execute(
                "INSERT INTO use_set_member SELECT s.id, m.value FROM use_set s CROSS JOIN json_each(s.measurements) m"
                " WHERE s.measurements = ?",
                (written,),
            )
        row = db.execute("SELECT id FROM use_set WHERE measurements = ?", (written,)).fetchone()
        numbers[measurements] = row["id"]
    return numbers


@lru_cache(maxsize=8)
def digest(own: tuple[tuple[object, object], ...]) -> str:
    """Tells plans apart: the patches of a setup in order, with the measurements that use them. Of setups that are read by the
    same list it is written out once."""
    return sha256(repr(list(own)).encode()).hexdigest()[:32]


def digest_of(db: sqlite3.Connection, run_id: int, setup_id: int) -> str | None:
    """The digest of a setup's plan in a run; None where the run is older than digests."""
    row = db.execute("SELECT plan FROM run_setup WHERE run_id = ? AND setup_id = ?", (run_id, setup_id)).fetchone()
    return row["plan"] if row else None


def planned(
    db: sqlite3.Connection, run_id: int, setup_id: int
) -> tuple[list[tuple[float, ...]], list[tuple[Any, ...]]]:
    """All patches of one setup in one run in order: r, g, b and window of each; and number, level, zone, pattern, at_s and
    reads of those of which any is not as usual."""
    cursor = db.cursor()
    cursor.row_factory = None
    own = (run_id, setup_id)
    where = "FROM patch WHERE run_id = ? AND setup_id = ?"
    every = cursor.execute(f"SELECT r, g, b, window {where} ORDER BY position", own).fetchall()
    others = cursor.execute(
        f"SELECT id, level, zone, pattern, at_s, reads {where} AND (level IS NOT NULL OR zone IS NOT NULL"
        " OR pattern <> 'window' OR at_s IS NOT NULL OR reads <> 'XYZ')",
        own,
    ).fetchall()
    return every, others


def patch_ids(db: sqlite3.Connection, run_id: int, setup_id: int) -> Sequence[int]:
    """The numbers of the patches of one setup in one run, in order. Numbers rise with places, so where they have no gap
    their ends tell them all."""
    row = db.execute(
        "SELECT min(id) AS first, max(id) AS last, count(*) AS n FROM patch WHERE run_id = ? AND setup_id = ?",
        (run_id, setup_id),
    ).fetchone()
    if not row["n"]:
        return ()
    if row["last"] - row["first"] + 1 == row["n"]:
        return range(row["first"], row["last"] + 1)
    query = "SELECT id FROM patch WHERE run_id = ? AND setup_id = ? ORDER BY position"
    return [r["id"] for r in db.execute(query, (run_id, setup_id))]


def patch_of(
    r: float,
    g: float,
    b: float,
    window: float,
    background: float,
    level: float | None,
    zone: str | None,
    pattern: Any,
    at_s: float | None,
    repeat: int,
    reads: Any,
) -> Patch:
    """A patch from its columns."""
    place = None if zone is None else tuple(json.loads(zone))
    return Patch(
        rgb=(r, g, b),
        window=window,
        background=background,
        level=level,
        zone=place,
        pattern=pattern,
        at_s=at_s,
        repeat=repeat,
        reads=reads,
    )


PATCH = "p.r, p.g, p.b, p.window, p.background, p.level, p.zone, p.pattern, p.at_s, p.repeat, p.reads"


def unread(db: sqlite3.Connection, run_id: int) -> list[PatchRow]:
    """The patches of a run without a reading, in order."""
    cursor = db.cursor()
    cursor.row_factory = None
    rows = cursor.execute(
        f"SELECT p.id, p.setup_id, p.expected_s, {PATCH} FROM patch p"
        " WHERE p.run_id = ? AND NOT EXISTS (SELECT 1 FROM reading g WHERE g.patch_id = p.id) ORDER BY p.position",
        (run_id,),
    )
    return [PatchRow(r[0], r[1], patch_of(*r[3:]), r[2]) for r in rows]


def uses_of(db: sqlite3.Connection, run_id: int) -> dict[int, list[str]]:
    """By patch the measurements that use it, for all patches of a run."""
    found: dict[int, list[str]] = {}
    query = "SELECT p.id, u.measurement FROM patch p JOIN use_set_member u ON u.use_set = p.use_set WHERE p.run_id = ?"
    for patch_id, measurement in db.execute(query, (run_id,)):
        found.setdefault(patch_id, []).append(measurement)
    return found
