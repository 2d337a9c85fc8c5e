"""The open application: one data folder, its database, lock and caches."""

from __future__ import annotations

import fcntl
import logging
import os
from contextlib import AbstractContextManager, nullcontext, suppress
from pathlib import Path
from threading import Lock
from typing import IO, TYPE_CHECKING

from lumenar.app.data import Data
from lumenar.app.rubric_files import load_rubric, rubric_text
from lumenar.store import experiments, purposes, replays, runs, tunings
from lumenar.store.database import DamagedError, StoreError

if TYPE_CHECKING:
    # A server puts these in; the rooms they come from know the application, not the other way about.
    from lumenar.app.bench.occupancy import Occupancy
    from lumenar.app.figures.background import BackgroundFigures
    from lumenar.app.figures.helper import Helper

log = logging.getLogger("lumenar.data")


class DataFolderInUseError(StoreError):
    """Another server works in the data folder."""


class Application(Data):
    """An open data folder. StoreError where it cannot be used, DataFolderInUseError where another server has it.

    helper: computes beside this process, where a server gave it one.
    """

    helper: Helper | None = None
    background: BackgroundFigures | None = None
    """Computes figures of the run under way, where a server gave it one."""
    occupancy: Occupancy | None = None
    """Who has the bench, where there is one."""

    def __init__(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as e:
            raise StoreError(f"{folder}: cannot be made ({e.strerror})") from e
        self._lock_file = _lock(folder)
        super().__init__(folder)
        self.computing = Lock()
        self.publishing = Lock()
        self.editing = Lock()
        """Held while an edit is compared with what it was made from, and made."""
        self.read_rubric()
        try:
            self._pause_all()
        except DamagedError:
            raise
        except StoreError as e:
            # What was at work stands in the store as it was; it can be read, and is paused at the next start.
            log.warning("%s: nothing can be stored now (%s)", folder, e)

    def _pause_all(self) -> None:
        """What was at work when the process ended stands still."""
        with self.db.transaction() as db:
            runs.pause_running(
                db, "The server stopped in the middle. Nothing is lost; resume goes on at the next patch."
            )
            replays.stop_working(db, "The server stopped in the middle; replay it again.")
            experiments.pause_working(db, "The server stopped in the middle. Nothing is lost; go on at the next step.")
            tunings.pause_working(db, "The server stopped in the middle. Nothing is lost; go on at the next attempt.")

    def read_rubric(self) -> None:
        """Score by what ships and the purposes that were added here."""
        self.rubric_text = rubric_text(purposes.every(self.db.connection()))
        self.rubric = load_rubric(self.rubric_text)

    @property
    def bench_lock(self) -> AbstractContextManager[object]:
        """Held while who has the bench must not change."""
        return self.occupancy.lock if self.occupancy is not None else nullcontext()

    def forget(self) -> None:
        """Something was changed or deleted: nothing of it stays in memory, and figures that are being computed are not kept."""
        self.turn += 1
        self.cache.clear()
        self.analyses.clear()
        self.loaded.clear()
        self.reports.clear()

    def close(self) -> None:
        """Give the data folder free."""
        if self.background is not None:
            self.background.close()
        if self.helper is not None:
            self.helper.close()
        self.db.close()
        self._lock_file.close()


def _lock(folder: Path) -> IO[str]:
    try:
        # Never through a link, which could lead to any file.
        handle = os.fdopen(os.open(folder / "lumenar.lock", os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o644), "r+")
    except OSError as e:
        raise StoreError(f"{folder}: cannot be written ({e.strerror}); choose another folder with --data") from e
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as e:
        handle.seek(0)
        owner = handle.read().strip() or "unknown"
        handle.close()
        raise DataFolderInUseError(
            f"{folder}: another Lumenar (process {owner}) works in this data folder; stop it or choose another with --data"
        ) from e
    with suppress(OSError):
        # On a full disk nobody can be told which process works here; the lock itself holds.
        handle.truncate(0)
        handle.write(str(os.getpid()))
        handle.flush()
    return handle
