"""Work on the bench that a person watches and steers: it is paused, gone on with and ended, and each step is stored before the
next. Tunings and experiments are such; a replay is too, but that it is not gone on with."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Collection
from typing import Generic, Literal, TypeVar

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.occupancy import Occupying
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.events import Event

State = TypeVar("State", bound=str)
Then = Literal["paused", "stopped"]
IN_USE = "The bench is in use; stop what is on it first."


class SteeredJob:
    """One piece of such work on the bench. number: of what is worked on; over: it has said its last word."""

    def __init__(
        self,
        kind: Occupying,
        number: int,
        review: int,
        work: Callable[[SteeredJob], None],
        failed: Callable[[str], None],
    ) -> None:
        self.kind, self.number, self.review = kind, number, review
        self._work, self._failed = work, failed
        self.stopping = threading.Event()
        self.then: Then = "paused"
        self.over = False

    def work(self) -> None:
        """All of it, in the bench's thread."""
        self._work(self)

    def leave(self) -> None:
        """End soon."""
        self.stopping.set()

    def failed(self, error: BaseException) -> bool:
        """It says so, whatever it was; what was read is stored."""
        self.over = True
        self._failed(f"The bench stopped on a fault ({type(error).__name__}: {error})")
        return False


def free_bench(bench: BenchService) -> None:
    """ConflictError while somebody sits before the bench. Who has said the last word gets up at that moment, and is waited
    for."""
    job = bench.occupancy.job
    if isinstance(job, SteeredJob) and job.over:
        bench.occupancy.wait(timeout=5)
    if bench.occupancy.kind:
        raise ConflictError("bench", IN_USE)


class Steered(ABC, Generic[State]):
    """Carries such work out, one at a time. kind: what it is, in messages too; open_states: in which it can be ended."""

    kind: Occupying
    open_states: Collection[State]

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self._job: SteeredJob | None = None

    @abstractmethod
    def state_of(self, number: int) -> State | None:
        """The state of one, None where there is none."""

    @abstractmethod
    def review_of(self, number: int) -> int:
        """The review of one that can be gone on with. NotFoundError where there is none; ConflictError where it no longer fits
        what it works on."""

    @abstractmethod
    def store_state(self, number: int, state: State, message: str) -> None:
        """It is in another state."""

    @abstractmethod
    def work(self, job: SteeredJob) -> None:
        """The job's work, in the bench's thread."""

    def left(self, number: int) -> str:
        """What is said of one that is ended while it stands still."""
        return ""

    def say(self, number: int, state: State, message: str) -> None:
        """A state, stored and told to everyone who watches."""
        job = self._job
        if job is not None and job.number == number:
            job.over = state != "working"
        self.store_state(number, state, message)
        self.tell(number, state)

    def tell(self, number: int, state: State, **more: int) -> None:
        """Something of one has changed."""
        self.bench.live.hub.publish(Event("tuning", {self.kind: number, "state": state, **more}))

    def take(self, number: int, review: int) -> None:
        """Put it on the bench; ConflictError while there is something else."""

        def failed(said: str) -> None:
            self.say(number, "paused", f"{said}; go on to try again.")  # type: ignore[arg-type]

        job = SteeredJob(self.kind, number, review, self.work, failed)

        def first() -> None:
            self._job = job
            self.say(number, "working", "")  # type: ignore[arg-type]

        self.bench.occupancy.take(job, first)

    def begin(self, number: int, review: int) -> None:
        """Put a new one on the bench; where somebody sat down there meanwhile, it waits to be gone on with."""
        try:
            self.take(number, review)
        except ConflictError:
            self.say(number, "paused", "The bench is in use; go on when it is free.")  # type: ignore[arg-type]

    def resume(self, number: int) -> None:
        """Go on with one that stands still. ConflictError where it is over or the bench in use; errors as of `review_of`."""
        review = self.review_of(number)
        if self.state_of(number) != "paused":
            raise ConflictError(self.kind, f"Only {_a(self.kind)} that is paused can go on.")
        free_bench(self.bench)
        self.take(number, review)

    def halt(self, number: int, then: Then) -> None:
        """Pause one, or end it. One that stands still or is done by hand ends at once."""
        state = self.state_of(number)
        if state is None:
            raise NotFoundError(self.kind, f"There is no {self.kind} {number}.")
        if state not in self.open_states:
            raise ConflictError(self.kind, f"This {self.kind} is over.")
        job = self._job
        if state == "working" and job is not None and job.number == number:
            job.then = then
            job.stopping.set()
            self.bench.occupancy.wait(timeout=10)
        elif then == "stopped":
            self.say(number, "stopped", self.left(number))  # type: ignore[arg-type]


def _a(noun: str) -> str:
    return f"{'an' if noun[0] in 'aeiou' else 'a'} {noun}"
