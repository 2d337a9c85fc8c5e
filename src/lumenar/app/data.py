"""A data folder's database, and what was read and computed of it."""

from __future__ import annotations

import gc
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from hashlib import sha256
from pathlib import Path
from threading import Lock, RLock
from typing import Any, Generic, TypeVar

from lumenar.store.database import Database

V = TypeVar("V")


def now() -> str:
    """The wall's time, ISO 8601 in UTC to the second."""
    return datetime.now(UTC).replace(microsecond=0).isoformat()


def digest(*parts: object) -> str:
    """A short text that differs where any part differs: what an edit was made from, to tell whether it is still so."""
    return sha256(repr(parts).encode()).hexdigest()[:16]


@contextmanager
def many_kept() -> Iterator[None]:
    """While hundreds of thousands of objects are made and all are wanted, nobody looks for cycles of garbage among them: that
    takes a fifth of the time. Two at a time may end it early for each other, which costs time only."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


class Cache:
    """A bounded cache of computed values; keys name immutable inputs, so entries never go stale. Whoever asks for what
    somebody else is computing waits for that instead of computing it too."""

    def __init__(self, size: int) -> None:
        self._size, self._lock, self._turn = size, Lock(), 0
        self._items: OrderedDict[Hashable, Any] = OrderedDict()
        self._making: dict[Hashable, RLock] = {}

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._items

    def clear(self) -> None:
        """Forget everything; what is being computed at this moment is not kept either."""
        with self._lock:
            self._items.clear()
            self._turn += 1

    def drop(self, key: Hashable) -> None:
        """Forget one value."""
        with self._lock:
            self._items.pop(key, None)

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
            then = self._turn
        with turn:
            with self._lock:
                if key in self._items:
                    return self._items[key]
            try:
                value = compute()
            finally:
                with self._lock:
                    self._making.pop(key, None)
            if then == self._turn:
                self.put(key, value)
            return value


FRESH_S = 0.25
"""A view may be this old if nothing but readings of a run was added since."""
SHARE = 0.05
"""At most this share of the time is spent on making a view. A view that takes long to make may therefore be older."""
ASKED_S = 10.0
"""Views that were requested within this time are renewed in advance; older ones are dropped."""


@dataclass
class _Maker(Generic[V]):
    """How a view is made, one thread at a time, and when it was last asked for."""

    make: Callable[[], V]
    turn: Lock
    asked: float


class Views(Generic[V]):
    """Whole views of reviews, each made once for everyone who asks for it. A change that a person makes shows at once, and so
    does the end of a run. What a run adds may show FRESH_S later, or later still if the view takes long to make."""

    def __init__(self, db: Database, size: int = 16) -> None:
        self._db, self._size, self._lock = db, size, Lock()
        self._makers: dict[tuple[Hashable, int], _Maker[V]] = {}
        self._kept: OrderedDict[tuple[Hashable, int], tuple[tuple[tuple[int, int], int], float, V]] = OrderedDict()

    def ready(self, kind: Hashable, review_id: int, making: bool = False) -> V | None:
        """The stored view, or None if it has to be made. It may lack readings of a run while it is new enough, or while another
        thread makes it again. making: the caller is the one that makes it."""
        key = kind, review_id
        with self._lock:
            kept, maker = self._kept.get(key), self._makers.get(key)
        if kept is None or maker is None:
            return None
        (changes, steps), until, data = kept
        version, now = self._db.version(review_id), time.monotonic()
        maker.asked = now
        good = steps == version[1] or now < until or (not making and maker.turn.locked())
        return data if changes == version[0] and good else None

    def get(self, kind: Hashable, review_id: int, make: Callable[[], V]) -> V:
        """The view of that kind, made again if it may have changed. Raises what `make` raises."""
        if (ready := self.ready(kind, review_id)) is not None:
            return ready
        key = kind, review_id
        with self._lock:
            maker = self._makers.setdefault(key, _Maker(make, Lock(), 0.0))
            maker.make, maker.asked = make, time.monotonic()
        with maker.turn:
            if (ready := self.ready(kind, review_id, making=True)) is not None:
                return ready
            try:
                return self._made(key, maker)
            except BaseException:
                self._forget(key)
                raise

    def renew(self, review_id: int) -> None:
        """Make again the views of a review that were requested lately, so that a browser that is told of a change finds it. Drop
        the others."""
        with self._lock:
            makers = [(key, maker) for key, maker in self._makers.items() if key[1] == review_id]
        for key, maker in makers:
            with maker.turn:
                try:
                    if time.monotonic() - maker.asked < ASKED_S:
                        self._made(key, maker)
                        continue
                except Exception:
                    # Whoever asks for it next is told what is wrong with it.
                    pass
                self._forget(key)

    def _made(self, key: tuple[Hashable, int], maker: _Maker[V]) -> V:
        """Make a view and keep it. The caller holds the maker's turn."""
        version, now = self._db.version(key[1]), time.monotonic()
        data = maker.make()
        done = time.monotonic()
        with self._lock:
            self._makers[key] = maker
            self._kept[key] = version, done + max(FRESH_S, (done - now) / SHARE), data
            self._kept.move_to_end(key)
            while len(self._kept) > self._size:
                oldest = next(iter(self._kept))
                del self._kept[oldest]
                self._makers.pop(oldest, None)
        return data

    def _forget(self, key: tuple[Hashable, int]) -> None:
        with self._lock:
            self._kept.pop(key, None)
            self._makers.pop(key, None)


class Data:
    """A data folder's database, and what was read and computed of it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.db = Database(folder / "lumenar.db")
        self.cache = Cache(4096)
        self.analyses = Cache(1024)
        """Analyses by the key they are stored with. One takes some 26 kB, and is read from the store in a millisecond."""
        self.loaded = Cache(24)
        self.reports = Cache(2)
        """What reports would be made of now."""
        self.turn = 0
        """Incremented when readings, or facts behind figures, are changed or deleted. Figures from before are not stored."""
        self.views: Views[bytes] = Views(self.db)
        self.entries: Views[bytes] = Views(self.db, 4096)
        """Reviews as the Shelf shows them, written out."""
