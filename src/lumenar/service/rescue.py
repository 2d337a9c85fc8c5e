"""Saving what is whole of a damaged data folder into a new one."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

from lumenar.service.errors import BadInputError
from lumenar.store.checksum import bytes_sum, reading_sum
from lumenar.store.database import Database

TABLES = (
    "review", "menu", "menu_change", "unit", "stand_in", "target", "purpose", "condition", "setup", "setup_change", "host_report",
    "observation", "instrument",
    "correction", "tuning", "attempt", "replay", "experiment",
    "stage_read", "recipe_note", "carried", "run", "run_setup", "run_cell", "use_set", "use_set_member", "patch",
    "reading", "trace", "watch", "edition",
)  # fmt: skip
"""What is saved, each after what it refers to; figures follow from readings and are computed anew."""


def rescue(damaged: Path, out: Path) -> dict[str, tuple[int, int]]:
    """Copy every row that can be read and whose checksum is right into a new data folder, with the published editions.
    Returns by table how many rows were saved and how many are lost. BadInputError where there is nothing to save from, or
    the new folder is not empty."""
    source = damaged / "lumenar.db"
    if not source.is_file():
        raise BadInputError("data", f"{damaged}: there is no lumenar.db in it")
    if out.exists() and any(out.iterdir()):
        raise BadInputError("out", f"{out}: the folder is not empty; choose a new one with --out")
    out.mkdir(parents=True, exist_ok=True)
    new = Database(out / "lumenar.db")
    old = sqlite3.connect(f"file:{source}?mode=ro", uri=True)
    old.row_factory = sqlite3.Row
    try:
        db = new.connection()
        db.execute("PRAGMA foreign_keys = OFF")
        saved = {table: _copied(old, db, table) for table in TABLES}
        # Sets of uses are few and everything hangs on them: each of their two tables gives what the other has lost.
        db.execute(
            "INSERT OR IGNORE INTO use_set SELECT use_set, json_group_array(measurement) FROM"
            " (SELECT use_set, measurement FROM use_set_member ORDER BY use_set, measurement) GROUP BY use_set"
        )
        db.execute(
            "INSERT OR IGNORE INTO use_set_member SELECT s.id, m.value FROM use_set s CROSS JOIN json_each(s.measurements) m"
        )
        # What refers to something that is lost is of no use.
        while broken := db.execute("PRAGMA foreign_key_check").fetchall():
            for row in broken:
                if row["rowid"] is None:
                    db.execute(f"DELETE FROM {row['table']} WHERE run_id NOT IN (SELECT id FROM run)")
                else:
                    db.execute(f"DELETE FROM {row['table']} WHERE rowid = ?", (row["rowid"],))
        db.execute("UPDATE run SET state = 'stopped', message = 'Saved from a damaged file.' WHERE state <> 'done'")
        db.execute(
            "UPDATE run_cell SET readings = (SELECT count(*) FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
            " JOIN reading g ON g.patch_id = p.id AND g.attempt = 1"
            " WHERE p.run_id = run_cell.run_id AND p.setup_id = run_cell.setup_id AND u.measurement = run_cell.measurement)"
        )
    finally:
        old.close()
        new.close()
    if (damaged / "editions").is_dir():
        shutil.copytree(damaged / "editions", out / "editions", dirs_exist_ok=True)
    return saved


def _copied(old: sqlite3.Connection, new: sqlite3.Connection, table: str) -> tuple[int, int]:
    """Rows of a table saved and lost. Where a page is damaged the rows around it are still read, one by one."""
    columns = [r["name"] for r in new.execute(f"PRAGMA table_info({table})")]
    names, marks = ", ".join(columns), ", ".join("?" * len(columns))
    statement = f"INSERT OR IGNORE INTO {table} ({names}) VALUES ({marks})"
    kept = lost = 0
    for row in _rows(old, table, names):
        if row is None or not _whole(table, row):
            lost += 1
            continue
        try:
            kept += new.execute(statement, tuple(row)).rowcount
        except sqlite3.Error:
            lost += 1
    return kept, lost


def _whole(table: str, row: sqlite3.Row) -> bool:
    """Whether a row is what was stored, as far as it says so itself."""
    try:
        if table == "reading":
            return bool(reading_sum(row["patch_id"], row["X"], row["Y"], row["Z"], row["at_s"]) == row["checksum"])
        return table != "trace" or bytes_sum(row["samples"]) == row["checksum"]
    except (TypeError, ValueError, OverflowError):
        return False


def _rows(old: sqlite3.Connection, table: str, names: str) -> list[sqlite3.Row | None]:
    try:
        return list(old.execute(f"SELECT {names} FROM {table}"))
    except sqlite3.Error:
        pass
    try:
        first, last = old.execute(f"SELECT min(id), max(id) FROM {table}").fetchone()
    except sqlite3.Error:
        return []
    found: list[sqlite3.Row | None] = []
    for i in range(first or 0, (last or -1) + 1):
        try:
            found += old.execute(f"SELECT {names} FROM {table} WHERE id = ?", (i,)).fetchall()
        except sqlite3.Error:
            found.append(None)
    return found
