"""What routes work on: the open data folder, its bench, and who works on that."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Protocol, TypeVar

from fastapi import Request, Response

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.free_run import FreeRun
from lumenar.app.bench.repeat_reading import Reread
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.recipes.replay import Replayer
from lumenar.app.tuning.tuning_bench import Tuner


def application(request: Request) -> Application:
    """The open data folder."""
    return request.app.state.application  # type: ignore[no-any-return]


def bench_of(request: Request) -> BenchService:
    """Its bench."""
    return request.app.state.bench  # type: ignore[no-any-return]


def corrector(request: Request) -> Corrector:
    """Who makes corrections on it."""
    return request.app.state.corrector  # type: ignore[no-any-return]


def reread_of(request: Request) -> Reread:
    """Who reads a patch again on it."""
    return request.app.state.reread  # type: ignore[no-any-return]


def free_run(request: Request) -> FreeRun:
    """Who lets its meter run free."""
    return request.app.state.free  # type: ignore[no-any-return]


def tuner(request: Request) -> Tuner:
    """Who carries tunings out on it."""
    return request.app.state.tuner  # type: ignore[no-any-return]


def experimenter(request: Request) -> Experimenter:
    """Who carries experiments out on it."""
    return request.app.state.experimenter  # type: ignore[no-any-return]


def replayer(request: Request) -> Replayer:
    """Who replays recipes on it."""
    return request.app.state.replayer  # type: ignore[no-any-return]


class PreconditionError(Exception):
    """An edit was made from a state that is no longer so (412), or does not say from which (428)."""

    def __init__(self, status: int, detail: str) -> None:
        super().__init__(detail)
        self.status, self.detail = status, detail


@contextmanager
def unchanged(request: Request, version: Callable[[], str]) -> Iterator[None]:
    """Let an edit be made only where what it changes is as it was when it was read: If-Match holds its version (RFC 9110,
    section 13.1.1), or * where whatever there is may be overwritten."""
    given = request.headers.get("if-match")
    if given is None:
        raise PreconditionError(
            428,
            "An edit says which state it was made from: send the version as If-Match, or * to overwrite what there is.",
        )
    with application(request).editing:
        now = version()
        if given.strip() != "*" and now not in [tag.strip().removeprefix("W/").strip('"') for tag in given.split(",")]:
            raise PreconditionError(
                412,
                "It was changed meanwhile, perhaps in another tab. Nothing was overwritten; look at it again, then edit.",
            )
        yield


class Versioned(Protocol):
    """Something that says what an edit of it is made from."""

    @property
    def version(self) -> str: ...


V = TypeVar("V", bound=Versioned)


def tagged(response: Response, shown: V) -> V:
    """What is shown, with its version as the answer's ETag."""
    response.headers["ETag"] = f'"{shown.version}"'
    return shown
