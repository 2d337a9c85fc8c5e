"""Who has the bench: one job at a time, in a thread of its own, and what happens when a job fails in a way nobody foresaw."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from typing import Literal, Protocol

from lumenar.app.errors import ConflictError

log = logging.getLogger("lumenar.bench")


Occupying = Literal["run", "free", "correction", "reread", "tuning", "replay", "experiment"]


class Job(Protocol):
    """Something that occupies the bench."""

    @property
    def kind(self) -> Occupying:
        """What it is."""

    review: int
    """The review that it works on, which can't be deleted meanwhile."""

    def work(self) -> None:
        """All of it, in the bench's thread."""

    def leave(self) -> None:
        """End soon, since the server closes; called from another thread."""

    def failed(self, error: BaseException) -> bool:
        """The last resort: `work` raised what it should not have. Says so to the person; returns whether the job stays on
        the bench, to be gone on with."""


class Occupancy:
    """The one place before the bench. free: called, under the lock, whenever it becomes free; told: after every change."""

    def __init__(self) -> None:
        self.lock = threading.RLock()
        self.free: Callable[[], None] = lambda: None
        self.told: Callable[[], None] = lambda: None
        self.over: Callable[[], None] = lambda: None
        self.closing = False
        self._job: Job | None = None
        self._thread: threading.Thread | None = None

    @property
    def job(self) -> Job | None:
        """Who sits there."""
        return self._job

    @property
    def kind(self) -> Occupying | Literal[""]:
        """What the job is, empty while there is none."""
        job = self._job
        return job.kind if job is not None else ""

    @property
    def working(self) -> bool:
        """Whether a thread is at work."""
        return self._thread is not None

    def take(self, job: Job, first: Callable[[], object] | None = None) -> None:
        """Work on a job; ConflictError while there is another. `first` is called before the work begins and only if it
        will, so that what it sets is never later than what the work sets."""
        with self.lock:
            if self._thread is not None or (self._job is not None and self._job is not job) or self.closing:
                raise ConflictError("bench", "The bench is in use; stop what is on it first.")
            if first is not None:
                first()
            self._job = job
            # Started before it is named: it gives its name back under the lock that is held here.
            thread = threading.Thread(target=self._whole, args=(job,), name="bench", daemon=True)
            thread.start()
            self._thread = thread

    def park(self, job: Job) -> None:
        """A job sits there without working, until `take` goes on with it."""
        with self.lock:
            if self._job is None:
                self._job = job

    def _whole(self, job: Job) -> None:
        stays = False
        try:
            job.work()
        except BaseException as e:
            # Whatever it was, the bench must not be left in a state that nobody can end.
            log.exception("the bench's job failed")
            try:
                stays = job.failed(e)
            except BaseException:
                log.exception("the bench's job could not even say so")
        finally:
            # In one go, so that nobody finds the bench at rest between two jobs.
            with self.lock:
                self._thread = None
                if not stays and not self.closing:
                    self._job = None
                    try:
                        self.free()
                    except Exception:
                        log.exception("the next run could not be put on the bench")
            self.told()
            self.over()

    def wait(self, until: Callable[[], bool] = lambda: False, timeout: float | None = None) -> None:
        """Wait until nothing is at work, or `until` says so."""
        end = None if timeout is None else time.monotonic() + timeout
        while True:
            with self.lock:
                thread = self._thread
            if thread is None or until() or (end is not None and time.monotonic() >= end):
                return
            thread.join(0.02)

    def close(self, timeout: float = 5.0) -> None:
        """Ask the job to end, and let nobody else sit down."""
        with self.lock:
            self.closing = True
            job, thread = self._job, self._thread
        if thread is None:
            return
        if job is not None:
            job.leave()
        thread.join(timeout)
