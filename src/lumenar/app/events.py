"""Events for everyone who watches: a small hub with a bounded queue per listener."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Iterator
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
        self._listeners: dict[queue.Queue[Event], Callable[[], None]] = {}
        self._lock = threading.Lock()

    def publish(self, event: Event) -> None:
        """Tell everyone, and wake them; never blocks."""
        with self._lock:
            for listener in self._listeners:
                if listener.full():
                    listener.get_nowait()
                listener.put_nowait(event)
        self.wake()

    def wake(self) -> None:
        """Wake everyone, though nothing happened: to look whether they are to end."""
        with self._lock:
            waiting = list(self._listeners.values())
        for wake in waiting:
            wake()

    @contextmanager
    def listen(self, wake: Callable[[], None] = lambda: None) -> Iterator[queue.Queue[Event]]:
        """A queue of the events from now on; wake is called, from any thread, when there are some."""
        mine: queue.Queue[Event] = queue.Queue(QUEUE_SIZE)
        with self._lock:
            self._listeners[mine] = wake
        try:
            yield mine
        finally:
            with self._lock:
                self._listeners.pop(mine, None)
