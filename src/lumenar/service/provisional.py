"""Figures that are worked out while nobody waits for them, so that every view answers at once and a run goes on at its pace.
Those of a run under way have fewer draws, since reference whites that belong to them are yet to come."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress

from lumenar.core.analysis import Analysis
from lumenar.service.data import Data
from lumenar.service.events import Event, Hub
from lumenar.service.helper import Helper, HelperError, Task, compute

log = logging.getLogger("lumenar.figures")

TOGETHER = 4
"""So many setups are shared between two processes at a time."""
DRAWS = 60
"""Enough for an uncertainty to one digit."""


Found = Mapping[Task, Analysis]


class Provisional:
    """A thread that computes figures that nobody waits for, setup by setup. data: what it reads; helper: who computes, None for
    this process; busy: whether the bench is at work, which then has this process to itself; keep: keeps what was found; hub: who
    is told of it."""

    def __init__(
        self, data: Data, helper: Callable[[], Helper | None], busy: Callable[[], bool], keep: Callable[[Found], None], hub: Hub
    ) -> None:  # fmt: skip
        self._data, self._helper, self._busy, self._keep, self._hub = data, helper, busy, keep, hub
        self._lock, self._something = threading.Lock(), threading.Event()
        self._wanted: dict[Task, int] = {}
        self._hopeless: set[Task] = set()
        self._closing = False
        self._thread: threading.Thread | None = None

    def pending(self, review_id: int, missing: Iterable[Task]) -> set[Task]:
        """Which of some missing figures of a review will come; they are computed from now on."""
        with self._lock:
            coming = set(missing) - self._hopeless
            new = coming - self._wanted.keys()
            self._wanted.update(dict.fromkeys(new, review_id))
            if new and self._thread is None and not self._closing:
                self._thread = threading.Thread(target=self._work, name="provisional", daemon=True)
                self._thread.start()
        if new:
            self._something.set()
        return coming

    def close(self) -> None:
        """End."""
        self._closing = True
        self._something.set()

    def _work(self) -> None:
        while not self._closing:
            self._something.wait()
            self._something.clear()
            while not self._closing and (group := self._next()):
                try:
                    found = self._computed(list(group))
                except Exception:
                    log.exception("figures of a run under way could not be computed")
                    found = {}
                self._told(group, found)
        self._data.db.close()

    def _next(self) -> Mapping[Task, int]:
        """What is wanted of one setup in one run, or of several where two processes can share them."""
        with self._lock:
            groups: dict[tuple[int, int], dict[Task, int]] = {}
            for task, review in self._wanted.items():
                groups.setdefault((task.run_id, task.setup_id), {})[task] = review
        several = 1 if self._busy() or self._helper() is None else TOGETHER
        return {t: r for group in list(groups.values())[:several] for t, r in group.items()}

    def _computed(self, group: list[Task]) -> Found:
        helper = self._helper()
        if helper is not None and self._busy():
            with suppress(HelperError):
                found = helper.ask(group)
                return {t: a for t, a in zip(group, found, strict=True) if a is not None}
        return compute(self._data, helper, group)

    def _told(self, group: Mapping[Task, int], found: Found) -> None:
        """Keep what was found, and tell everyone whose view shows it."""
        self._keep(found)
        with self._lock:
            # Whoever looks at such a cell is told what is wrong with it.
            self._hopeless |= group.keys() - found.keys()
            for task in group:
                self._wanted.pop(task, None)
            more = set(self._wanted.values())
        for review in set(group.values()):
            # A view may be a little behind while more is coming; after the last of it nobody would ask again.
            self._data.db.changed(review, step=review in more)
            self._hub.publish(Event("figures", {"review": review}))
