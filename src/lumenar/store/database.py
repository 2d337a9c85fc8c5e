"""The database file: opening it, migrating it, one transaction per use case."""

from __future__ import annotations

import re
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path


class StoreError(OSError):
    """The data could not be read or written; the text says what and where."""


class Database:
    """One SQLite file in WAL mode, with a connection per thread."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._local = threading.local()
        try:
            migrate(self.connection())
        except sqlite3.OperationalError as e:
            raise StoreError(f"{path}: {e}") from e
        except sqlite3.DatabaseError as e:
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
            self._local.connection = connection
        return connection

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        """One write transaction; StoreError where the disk is full or the folder read-only, with nothing half done."""
        connection = self.connection()
        try:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")
        except sqlite3.OperationalError as e:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise StoreError(f"{self.path}: {e}") from e

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


def migrate(connection: sqlite3.Connection) -> None:
    """Bring the database to the newest schema, one transaction per migration. StoreError where it is newer than us."""
    at = connection.execute("PRAGMA user_version").fetchone()[0]
    newest = migrations()[-1][0]
    if at > newest:
        raise StoreError(
            f"the data was written by a newer Lumenar (schema {at}, this one knows {newest}); update first"
        )
    for number, script in migrations():
        if number > at:
            connection.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;")
