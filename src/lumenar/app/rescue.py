"""Saving what is whole of a damaged data folder into a new one."""

from __future__ import annotations

import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from lumenar.app.errors import BadInputError
from lumenar.store.checksum import bytes_sum, reading_sum
from lumenar.store.database import Database, install, migrations

TABLES = (
    "review",
    "menu",
    "menu_change",
    "unit",
    "stand_in",
    "target",
    "purpose",
    "condition",
    "setup",
    "setup_change",
    "host_report",
    "observation",
    "story",
    "instrument",
    "correction",
    "tuning",
    "attempt",
    "replay",
    "experiment",
    "stage_read",
    "recipe_note",
    "carried",
    "run",
    "run_setup",
    "run_cell",
    "use_set",
    "use_set_member",
    "patch",
    "reading",
    "trace",
    "watch",
    "edition",
)
"""What is saved, each after what it refers to; figures follow from readings and are computed anew."""
MOST_PROBES = 3_000_000
"""A gap between rows that can be read is walked one by one up to this length; a longer one is counted as unknown."""


@dataclass(frozen=True)
class Saved:
    """What became of a table: rows saved, rows lost (None if they could not be counted), and rows that could be read but belong
    to something that is lost."""

    kept: int
    lost: int | None = 0
    orphaned: int = 0

    @property
    def whole(self) -> bool:
        """Whether every row is there."""
        return self.lost == 0 and self.orphaned == 0


Progress = Callable[[str, Saved], None]


def rescue(damaged: Path, out: Path, progress: Progress | None = None) -> dict[str, Saved]:
    """Copy every row that can be read and whose checksum is right into a new data folder, with the published editions. Returns by
    table what was saved and lost; progress is told of each table. BadInputError where there is nothing to save from, or the new
    folder is not empty."""
    source = damaged / "lumenar.db"
    if not source.is_file():
        raise BadInputError("data", f"{damaged}: there is no lumenar.db in it")
    if out.exists() and any(out.iterdir()):
        raise BadInputError("out", f"{out}: the folder is not empty; choose a new one with --out")
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out) as copies:
        old = _opened(source, Path(copies))
        new = sqlite3.connect(out / "lumenar.db", isolation_level=None)
        new.row_factory = sqlite3.Row
        install(new)
        try:
            saved = _all_tables(old, new, progress)
        except sqlite3.DatabaseError as e:
            raise BadInputError("data", f"{source}: nothing can be read of it ({e})") from e
        finally:
            old.close()
            new.close()
    # Brought to the newest schema as any data is at a start.
    Database(out / "lumenar.db").close()
    for copy in out.glob("lumenar-schema-*.db"):
        copy.unlink()
    if (damaged / "editions").is_dir():
        shutil.copytree(damaged / "editions", out / "editions", dirs_exist_ok=True)
    return saved


def _opened(source: Path, copies: Path) -> sqlite3.Connection:
    """A connection to a copy of the damaged database and what was written beside it, which reads a file that is shorter than it
    says it is. The damaged folder is never written to."""
    for suffix in ("", "-wal"):
        part = source.with_name(source.name + suffix)
        if part.is_file():
            shutil.copyfile(part, copies / part.name)
    old = sqlite3.connect(copies / source.name, isolation_level=None)
    old.row_factory = sqlite3.Row
    # Without this SQLite refuses every row of a file that was cut off.
    old.execute("PRAGMA writable_schema = ON")
    return old


def _all_tables(old: sqlite3.Connection, new: sqlite3.Connection, progress: Progress | None) -> dict[str, Saved]:
    """Every table in one transaction, in the schema that the damaged file has."""
    version = _version(old)
    for number, script in migrations():
        if number <= version:
            new.executescript(f"{script}\nPRAGMA user_version = {number};")
    new.execute("PRAGMA foreign_keys = OFF")
    new.execute("BEGIN IMMEDIATE")
    present = {r[0] for r in new.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    saved: dict[str, Saved] = {}
    for table in TABLES:
        if table in present:
            saved[table] = _copied(old, new, table)
            if progress is not None:
                progress(table, saved[table])
    if "use_set" in present:
        # Sets of uses are few and everything hangs on them: each of their two tables gives what the other has lost.
        new.execute(
            "INSERT OR IGNORE INTO use_set SELECT use_set, json_group_array(measurement) FROM"
            " (SELECT use_set, measurement FROM use_set_member ORDER BY use_set, measurement) GROUP BY use_set"
        )
        new.execute(
            "INSERT OR IGNORE INTO use_set_member SELECT s.id, m.value FROM use_set s CROSS JOIN json_each(s.measurements) m"
        )
    for table, count in _without_parents(new).items():
        was = saved.get(table, Saved(0))
        saved[table] = Saved(was.kept - count, was.lost, was.orphaned + count)
    new.execute("UPDATE run SET state = 'stopped', message = 'Saved from a damaged file.' WHERE state <> 'done'")
    if "use_set" in present:
        new.execute(
            "UPDATE run_cell SET readings = (SELECT count(*) FROM patch p JOIN use_set_member u ON u.use_set = p.use_set"
            " JOIN reading g ON g.patch_id = p.id AND g.attempt = 1"
            " WHERE p.run_id = run_cell.run_id AND p.setup_id = run_cell.setup_id AND u.measurement = run_cell.measurement)"
        )
    new.execute("COMMIT")
    return saved


def _version(old: sqlite3.Connection) -> int:
    """The schema of the damaged file; the newest where it cannot say."""
    newest = migrations()[-1][0]
    try:
        found = int(old.execute("PRAGMA user_version").fetchone()[0])
    except sqlite3.DatabaseError:
        return newest
    return found if 1 <= found <= newest else newest


def _without_parents(new: sqlite3.Connection) -> dict[str, int]:
    """Delete what refers to something that is lost, which is of no use; how many rows of each table."""
    gone: dict[str, int] = {}
    for _ in TABLES:
        broken = new.execute("PRAGMA foreign_key_check").fetchall()
        if not broken:
            break
        for table in dict.fromkeys(r["table"] for r in broken):
            rowids = [(r["rowid"],) for r in broken if r["table"] == table and r["rowid"] is not None]
            before = new.total_changes
            if rowids:
                new.executemany(f"DELETE FROM {table} WHERE rowid = ?", rowids)
            else:
                for key in new.execute(f"PRAGMA foreign_key_list({table})").fetchall():
                    parent, column = key["table"], key["from"]
                    there = f"SELECT {key['to'] or 'id'} FROM {parent}"
                    new.execute(f"DELETE FROM {table} WHERE {column} IS NOT NULL AND {column} NOT IN ({there})")
            gone[table] = gone.get(table, 0) + new.total_changes - before
    return gone


def _copied(old: sqlite3.Connection, new: sqlite3.Connection, table: str) -> Saved:
    """The rows of a table, read around what is damaged."""
    info = new.execute(f"PRAGMA table_info({table})").fetchall()
    columns = [r["name"] for r in info]
    names = ", ".join(columns)
    statement = f"INSERT OR IGNORE INTO {table} ({names}) VALUES ({', '.join('?' * len(info))})"
    kept, lost = 0, 0
    walk = _Walk(old, table, names, [r["name"] for r in sorted(info, key=lambda r: r["pk"]) if r["pk"]])
    for row in walk.rows(new):
        if not _whole(table, row):
            lost += 1
            continue
        try:
            kept += new.execute(statement, tuple(row[c] for c in columns)).rowcount
        except sqlite3.Error:
            lost += 1
    return Saved(kept, None if walk.lost is None else lost + walk.lost)


class _Walk:
    """The rows of one table of a damaged file. `lost` afterwards: how many could not be read, None if nobody knows."""

    def __init__(self, old: sqlite3.Connection, table: str, names: str, key: list[str]) -> None:
        self._old, self._table, self._names, self._key = old, table, names, key
        self.lost: int | None = 0

    def rows(self, new: sqlite3.Connection) -> Iterator[sqlite3.Row]:
        """Every row that can be read, once."""
        try:
            self._old.execute(f"SELECT rowid FROM {self._table} LIMIT 1")
            rowid = True
        except sqlite3.DatabaseError as e:
            rowid = "no such column" not in str(e)
        yield from self._by_rowid() if rowid else self._by_key(new)

    def _query(self, where: str, values: tuple[object, ...] = ()) -> Iterator[sqlite3.Row]:
        return iter(self._old.execute(f"SELECT {self._names} FROM {self._table} NOT INDEXED {where}", values))

    def _by_rowid(self) -> Iterator[sqlite3.Row]:
        """From the first row up to the damage, from the last one down to it, and what lies between one by one."""
        last = 0
        names = self._names
        self._names = f"rowid AS walked_rowid, {names}"
        try:
            whole = False
            try:
                for row in self._query("ORDER BY rowid"):
                    last = int(row["walked_rowid"])
                    yield row
                whole = True
            except sqlite3.DatabaseError:
                pass
            if whole:
                return
            first, above = None, []
            try:
                for row in self._query("WHERE rowid > ? ORDER BY rowid DESC", (last,)):
                    first = int(row["walked_rowid"])
                    above.append(row)
            except sqlite3.DatabaseError:
                pass
            yield from reversed(above)
            end = first if first is not None else self._highest() + 1
            if end <= last + 1 and first is None:
                # Nothing tells how many rows there were.
                self.lost = None
                return
            if end - last > MOST_PROBES:
                self.lost = None
                return
            for i in range(last + 1, end):
                try:
                    yield from self._query("WHERE rowid = ?", (i,))
                except sqlite3.DatabaseError:
                    self.lost = (self.lost or 0) + 1
        finally:
            self._names = names

    def _highest(self) -> int:
        """The highest number that a row of the table ever had, 0 if nothing says it."""
        try:
            row = self._old.execute("SELECT seq FROM sqlite_sequence WHERE name = ?", (self._table,)).fetchone()
        except sqlite3.DatabaseError:
            return 0
        return int(row[0]) if row else 0

    def _by_key(self, new: sqlite3.Connection) -> Iterator[sqlite3.Row]:
        """A table whose rows have no numbers: as it stands, and where that fails by the runs that were saved."""
        known: set[tuple[object, ...]] = set()

        def fresh(rows: Iterator[sqlite3.Row]) -> Iterator[sqlite3.Row]:
            for row in rows:
                key = tuple(row[k] for k in self._key)
                if key not in known:
                    known.add(key)
                    yield row

        order = ", ".join(self._key)
        try:
            yield from fresh(self._query(f"ORDER BY {order}"))
            return
        except sqlite3.DatabaseError:
            # What is lost of such a table cannot be counted.
            self.lost = None
        parents = "run" if self._key[0] == "run_id" else "use_set"
        for (number,) in new.execute(f"SELECT id FROM {parents}").fetchall():
            try:
                yield from fresh(self._query(f"WHERE {self._key[0]} = ?", (number,)))
            except sqlite3.DatabaseError:
                continue


def _whole(table: str, row: sqlite3.Row) -> bool:
    """Whether a row is what was stored, as far as it says so itself."""
    try:
        if table == "reading":
            return bool(reading_sum(row["patch_id"], row["X"], row["Y"], row["Z"], row["at_s"]) == row["checksum"])
        return table != "trace" or bytes_sum(row["samples"]) == row["checksum"]
    except (TypeError, ValueError, OverflowError):
        return False
