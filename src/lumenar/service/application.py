"""The open application: one data folder, its database, lock and caches."""

from __future__ import annotations

import fcntl
import json
import logging
import os
from collections.abc import Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext, suppress
from functools import cache
from hashlib import sha256
from importlib.resources import files
from pathlib import Path
from threading import Lock
from typing import IO

from lumenar.core.scoring.rubric import Rubric, rubric_from
from lumenar.service.data import Data
from lumenar.service.helper import Helper
from lumenar.service.provisional import Provisional
from lumenar.service.seat import Seat
from lumenar.store import experiments, purposes, replays, runs, tunings
from lumenar.store.database import DamagedError, StoreError

log = logging.getLogger("lumenar.data")


class DataFolderInUseError(StoreError):
    """Another server works in the data folder."""


class Application(Data):
    """An open data folder. StoreError where it cannot be used, DataFolderInUseError where another server has it.

    helper: computes beside this process, where a server gave it one.
    """

    helper: Helper | None = None
    provisional: Provisional | None = None
    """Computes figures of the run under way, where a server gave it one."""
    seat: Seat | None = None
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
        return self.seat.lock if self.seat is not None else nullcontext()

    def forget(self) -> None:
        """Something was changed or deleted: nothing of it stays in memory, and figures that are being computed are not kept."""
        self.turn += 1
        self.cache.clear()
        self.analyses.clear()
        self.loaded.clear()

    def close(self) -> None:
        """Give the data folder free."""
        if self.provisional is not None:
            self.provisional.close()
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


def load_rubric(text: str | None = None) -> Rubric:
    """The rubric from its JSON text, by default the one that ships; its hash is the text's SHA-256."""
    text = text or rubric_text()
    return rubric_from(json.loads(text), sha256(text.encode()).hexdigest())


CURRENT = "tern-7.json"
"""The rubric that scores are reached by; earlier ones ship too, as stored editions keep theirs."""


def rubric_text(added: Sequence[Mapping[str, object]] = ()) -> str:
    """The current rubric's JSON text. With added purposes it is another rubric, and has another name."""
    text = files("lumenar.service").joinpath("rubrics", CURRENT).read_text()
    if not added:
        return text
    document = json.loads(text)
    document["name"] = f"{document['name']} {document['version']} with purposes added"
    document["purposes"] = [*document["purposes"], *added]
    return json.dumps(document, indent=1, ensure_ascii=False)


@cache
def known_rubrics() -> dict[tuple[str, int], str]:
    """The hash of every rubric that ships or ever shipped, by its name and version."""
    folder = files("lumenar.service").joinpath("rubrics")
    found = [load_rubric(f.read_text()) for f in folder.iterdir() if f.name.endswith(".json")]
    return {(r.name, r.version): r.hash for r in found}
