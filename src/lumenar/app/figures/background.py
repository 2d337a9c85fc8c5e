"""Figures computed in the background, so that Board and Shelf answer at once and a run keeps its pace.

During a run they have fewer draws, because reference whites that belong to them have not been read yet."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress

from lumenar.app import memory
from lumenar.app.data import Data
from lumenar.app.events import Event, Hub
from lumenar.app.figures.helper import FigureTask, Helper, HelperError, compute
from lumenar.core.analysis import Analysis

log = logging.getLogger("lumenar.figures")

TOGETHER = 4
"""Setups in one batch that this process and the helper share."""
REST = 2.0
"""Beside a run, the pause after each batch, as a multiple of the time it took. Readers get a figure a little later, and a run on
a simulated bench that does not wait keeps its pace."""
DRAWS = 60
"""Enough for an uncertainty to one digit."""
TIDY_S = 5.0
"""Free memory goes back to the system at most this often."""


Found = Mapping[FigureTask, Analysis]


class BackgroundFigures:
    """A background thread that computes figures, setup by setup. helper: gives the helper process, or None; busy: whether the
    bench is at work, in which case only the helper computes; keep: stores figures that were computed from a turn of the data;
    hub: is told when they are ready."""

    def __init__(
        self,
        data: Data,
        helper: Callable[[], Helper | None],
        busy: Callable[[], bool],
        keep: Callable[[Found, int], None],
        hub: Hub,
    ) -> None:
        self._data, self._helper, self._busy, self._keep, self._hub = data, helper, busy, keep, hub
        self._lock, self._something = threading.Lock(), threading.Event()
        self._wanted: dict[FigureTask, int] = {}
        self._hopeless: set[FigureTask] = set()
        self._closing = threading.Event()
        self._tidied = 0.0
        self._thread: threading.Thread | None = None

    def pending(self, review_id: int, missing: Iterable[FigureTask]) -> set[FigureTask]:
        """Put missing figures of a review on the list; returns those that will come. Others failed before."""
        with self._lock:
            coming = set(missing) - self._hopeless
            new = coming - self._wanted.keys()
            self._wanted.update(dict.fromkeys(new, review_id))
            if new and self._thread is None and not self._closing.is_set():
                self._thread = threading.Thread(target=self._work, name="background", daemon=True)
                self._thread.start()
        if new:
            self._something.set()
        return coming

    def close(self) -> None:
        """End."""
        self._closing.set()
        self._something.set()

    def _work(self) -> None:
        while not self._closing.is_set():
            self._something.wait()
            self._something.clear()
            while not self._closing.is_set() and (group := self._next()):
                found: Found = {}
                begun = time.monotonic()
                try:
                    since = self._data.turn
                    computed = self._computed(list(group))
                    self._keep(computed, since)
                    found = computed
                except Exception:
                    # Whoever opens such a cell computes it again, and is told what is wrong.
                    log.exception("figures could not be computed in the background")
                self._told(group, found)
                self._tidy()
                if self._busy():
                    self._closing.wait(REST * (time.monotonic() - begun))
        self._data.db.close()

    def _tidy(self) -> None:
        """Give back the memory that computing took, from time to time."""
        if time.monotonic() - self._tidied > TIDY_S:
            memory.give_back()
            self._tidied = time.monotonic()

    def _next(self) -> Mapping[FigureTask, int]:
        """What is wanted of one setup in one run, or of several where two processes can share them."""
        with self._lock:
            groups: dict[tuple[int, int], dict[FigureTask, int]] = {}
            for task, review in self._wanted.items():
                groups.setdefault((task.run_id, task.setup_id), {})[task] = review
        several = 1 if self._busy() or self._helper() is None else TOGETHER
        return {t: r for group in list(groups.values())[:several] for t, r in group.items()}

    def _computed(self, group: list[FigureTask]) -> Found:
        helper = self._helper()
        if helper is not None and self._busy():
            with suppress(HelperError):
                found = helper.ask(group)
                return {t: a for t, a in zip(group, found, strict=True) if a is not None}
        return compute(self._data, helper, group)

    def _told(self, group: Mapping[FigureTask, int], found: Found) -> None:
        """Take these off the list, and tell everyone whose view shows them."""
        with self._lock:
            self._hopeless |= group.keys() - found.keys()
            for task in group:
                self._wanted.pop(task, None)
            more = set(self._wanted.values())
        for review in set(group.values()):
            self._data.db.changed(review, step=True)
            if review not in more:
                # No event follows the last figures, so the views must contain them before this one is sent.
                self._data.views.renew(review)
                self._data.entries.renew(review)
            self._hub.publish(Event("figures", {"review": review}))
