"""The database file: opening it, migrating it, one transaction per use case."""

from __future__ import annotations

import re
import sqlite3
import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path

from lumenar.store import checksum
from lumenar.store.unit_file_menu import evened, menu_of_unit_file, with_channels


class StoreError(OSError):
    """The data could not be read or written; the text says what and where."""


class DamagedError(StoreError):
    """What is stored is not what was stored; the text names the damage and what can be saved."""


SAVE = "Stop Lumenar and run 'lumenar rescue', which saves every reading that is still whole into a new folder."


class Database:
    """One SQLite file in WAL mode, with a connection per thread."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._local = threading.local()
        self._counting, self._writes, self._steps = threading.Lock(), Counter[int | None](), Counter[int]()
        try:
            connection = self.connection()
            fault = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
            if fault != "ok":
                raise DamagedError(f"{path} is damaged ({' '.join(fault.split())}). {SAVE}")
            migrate(connection, path)
        except sqlite3.OperationalError as e:
            raise StoreError(f"{path}: {e}") from e
        except sqlite3.DatabaseError as e:
            if "malformed" in str(e):
                raise DamagedError(f"{path} is damaged ({e}). {SAVE}") from e
            raise StoreError(f"{path}: not a Lumenar database ({e})") from e

    def connection(self) -> sqlite3.Connection:
        """This thread's connection."""
        connection = getattr(self._local, "connection", None)
        if connection is None:
            connection = sqlite3.connect(self.path, isolation_level=None, timeout=10)
            connection.row_factory = sqlite3.Row
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute("PRAGMA journal_mode = WAL")
            # A committed reading survives a crash of the process; NORMAL could lose it when the power goes.
            connection.execute("PRAGMA synchronous = FULL")
            # In KiB, for each of many threads.
            connection.execute("PRAGMA cache_size = -4096")
            checksum.install(connection)
            self._local.connection = connection
        return connection

    @contextmanager
    def transaction(
        self, of: int | None = None, step: bool = False, large: bool = False
    ) -> Iterator[sqlite3.Connection]:
        """One write transaction; StoreError where the disk is full or the folder read-only, with nothing half done.

        of: the only review whose views it changes, 0 where it changes none; None where it may change any. step: whether it is
        one of very many that a run makes by itself; large: whether it writes very much.
        """
        connection = self.connection()
        if large:
            # What it writes is to fit into memory, or its pages go to the disk twice.
            connection.execute("PRAGMA cache_size = -65536")
        try:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
                connection.execute("COMMIT")
                self.changed(of, step)
            finally:
                # SQLite has rolled back already after some errors, a full disk among them.
                if connection.in_transaction:
                    connection.execute("ROLLBACK")
        except sqlite3.OperationalError as e:
            raise StoreError(f"{self.path}: {e}") from e
        except sqlite3.IntegrityError:
            raise
        except sqlite3.DatabaseError as e:
            raise DamagedError(f"{self.path} is damaged ({e}). {SAVE}") from e
        finally:
            if large:
                connection.execute("PRAGMA cache_size = -4096")
                connection.execute("PRAGMA shrink_memory")

    def changed(self, of: int | None, step: bool = False) -> None:
        """What views of a review show has changed, of every review where none is named."""
        with self._counting:
            if step and of is not None:
                self._steps[of] += 1
            else:
                self._writes[of] += 1

    def version(self, review_id: int) -> tuple[tuple[int, int], int]:
        """Numbers that a view of a review is kept with: the first change with what a person or the end of a run changes, the
        second with every step of a run."""
        with self._counting:
            return (self._writes[None], self._writes[review_id]), self._steps[review_id]

    def close(self) -> None:
        """Close this thread's connection."""
        connection = getattr(self._local, "connection", None)
        if connection is not None:
            connection.close()
            self._local.connection = None


def migrations() -> list[tuple[int, str]]:
    """Number and text of every migration, in order."""
    folder = files("lumenar.store").joinpath("migrations")
    found = [(int(m[1]), f.read_text()) for f in folder.iterdir() if (m := re.match(r"(\d{4})_\w+\.sql$", f.name))]
    return sorted(found)


def install(connection: sqlite3.Connection) -> None:
    """Make known to SQL what migrations call."""
    checksum.install(connection)
    connection.create_function("menu_of_unit_file", 1, menu_of_unit_file, deterministic=True)
    connection.create_function("evened", 1, evened, deterministic=True)
    connection.create_function("with_channels", 2, with_channels, deterministic=True)


def migrate(connection: sqlite3.Connection, path: Path | None = None) -> None:
    """Bring the database to the newest schema, one transaction per migration. StoreError where it is newer than us.

    Foreign keys are off meanwhile, since dropping a table to rebuild it would take all that refers to it along; they are
    checked before each commit. A copy of the file as it was stays beside it.
    """
    at = connection.execute("PRAGMA user_version").fetchone()[0]
    newest = migrations()[-1][0]
    if at > newest:
        raise StoreError(
            f"the data was written by a newer Lumenar (schema {at}, this one knows {newest}); update first"
        )
    if at == newest:
        return
    install(connection)
    if at and path is not None:
        _copy(connection, path.with_name(f"{path.stem}-schema-{at}{path.suffix}"))
    connection.execute("PRAGMA foreign_keys = OFF")
    try:
        for number, script in migrations():
            if number > at:
                _apply(connection, number, script)
    finally:
        connection.execute("PRAGMA foreign_keys = ON")


def _apply(connection: sqlite3.Connection, number: int, script: str) -> None:
    """One migration, wholly or not at all."""
    try:
        connection.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};")
        broken = connection.execute("PRAGMA foreign_key_check").fetchall()
        if broken:
            raise StoreError(
                f"migration {number} would leave {len(broken)} rows without what they refer to; nothing was changed"
            )
        connection.execute("COMMIT")
    finally:
        if connection.in_transaction:
            connection.execute("ROLLBACK")


def _copy(connection: sqlite3.Connection, to: Path) -> None:
    """A consistent copy of the whole database, put in place in one step."""
    making = to.with_name(f".{to.name}")
    making.unlink(missing_ok=True)
    try:
        other = sqlite3.connect(making)
        try:
            connection.backup(other)
        finally:
            other.close()
        making.replace(to)
    except (sqlite3.Error, OSError) as e:
        making.unlink(missing_ok=True)
        raise StoreError(f"{to}: no copy could be made before the data is brought up to date ({e})") from e
