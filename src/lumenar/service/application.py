"""The open application: one data folder, its database, lock and caches."""

from __future__ import annotations

import fcntl
import json
import os
from collections import OrderedDict
from collections.abc import Callable, Hashable
from datetime import UTC, datetime
from hashlib import sha256
from importlib.resources import files
from pathlib import Path
from threading import Lock, RLock
from typing import IO, TYPE_CHECKING, Any

from lumenar.core.scoring.rubric import Rubric, rubric_from
from lumenar.store import runs
from lumenar.store.database import Database, StoreError

if TYPE_CHECKING:
    from lumenar.service.helper import Helper


class DataFolderInUseError(StoreError):
    """Another server works in the data folder."""


def now() -> str:
    """The wall's time, ISO 8601 in UTC to the second."""
    return datetime.now(UTC).replace(microsecond=0).isoformat()


class Cache:
    """A bounded cache of computed values; keys name immutable inputs, so entries never go stale. Whoever asks for what
    somebody else is computing waits for that instead of computing it too."""

    def __init__(self, size: int) -> None:
        self._size, self._lock = size, Lock()
        self._items: OrderedDict[Hashable, Any] = OrderedDict()
        self._making: dict[Hashable, RLock] = {}

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._items

    def put(self, key: Hashable, value: Any) -> None:
        """Keep a value that was computed elsewhere."""
        with self._lock:
            self._items[key] = value
            while len(self._items) > self._size:
                self._items.popitem(last=False)

    def get(self, key: Hashable, compute: Callable[[], Any]) -> Any:
        """The value of a key, computed where it is not known."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
            turn = self._making.setdefault(key, RLock())
        with turn:
            with self._lock:
                if key in self._items:
                    return self._items[key]
            try:
                value = compute()
            finally:
                with self._lock:
                    self._making.pop(key, None)
            self.put(key, value)
            return value


class Data:
    """A data folder's database, and what was read and computed of it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.db = Database(folder / "lumenar.db")
        self.cache = Cache(4096)
        self.loaded = Cache(24)


class Application(Data):
    """An open data folder. StoreError where it cannot be used, DataFolderInUseError where another server has it.

    helper: computes beside this process, where a server gave it one.
    """

    helper: Helper | None = None

    def __init__(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as e:
            raise StoreError(f"{folder}: cannot be made ({e.strerror})") from e
        self._lock_file = _lock(folder)
        super().__init__(folder)
        self.together = Lock()
        self.rubric = load_rubric()
        with self.db.transaction() as db:
            runs.pause_running(
                db, "The server stopped in the middle. Nothing is lost; resume goes on at the next patch."
            )

    def close(self) -> None:
        """Give the data folder free."""
        if self.helper is not None:
            self.helper.close()
        self.db.close()
        self._lock_file.close()


def _lock(folder: Path) -> IO[str]:
    try:
        handle = (folder / "lumenar.lock").open("a+")
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
    handle.truncate(0)
    handle.write(str(os.getpid()))
    handle.flush()
    return handle


def load_rubric(text: str | None = None) -> Rubric:
    """The rubric from its JSON text, by default the one that ships; its hash is the text's SHA-256."""
    text = text or rubric_text()
    return rubric_from(json.loads(text), sha256(text.encode()).hexdigest())


def rubric_text() -> str:
    """The shipped rubric's JSON text."""
    return files("lumenar.service").joinpath("rubrics/tern-2.json").read_text()
