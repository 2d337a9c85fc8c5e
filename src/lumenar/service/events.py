"""Events for everyone who watches: a small hub with a bounded queue per listener."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

QUEUE_SIZE = 500


@dataclass(frozen=True)
class Event:
    """What happened: a name, and data that becomes JSON."""

    name: str
    data: object


class Hub:
    """Hands every event to every listener; one that does not keep up loses the oldest, since state is read anew."""

    def __init__(self) -> None:
        self._listeners: set[queue.Queue[Event]] = set()
        self._lock = threading.Lock()

    def publish(self, event: Event) -> None:
        """Tell everyone; never blocks."""
        with self._lock:
            for listener in self._listeners:
                if listener.full():
                    listener.get_nowait()
                listener.put_nowait(event)

    @contextmanager
    def listen(self) -> Iterator[queue.Queue[Event]]:
        """A queue of the events from now on."""
        mine: queue.Queue[Event] = queue.Queue(QUEUE_SIZE)
        with self._lock:
            self._listeners.add(mine)
        try:
            yield mine
        finally:
            with self._lock:
                self._listeners.discard(mine)
