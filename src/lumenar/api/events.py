"""The route of server-sent events: what happens on the bench, told as it happens."""

from __future__ import annotations

import asyncio
import queue
from collections.abc import AsyncIterator
from contextlib import suppress
from dataclasses import asdict

from fastapi import APIRouter, Request
from fastapi.sse import EventSourceResponse, ServerSentEvent

from lumenar.api.deps import bench_of
from lumenar.app.events import Event

router = APIRouter()

LEAST_S = 0.2
"""Shortest time between two messages to a browser. A fast bench would otherwise send more than anyone can read."""
QUIET_S = 15.0


def _sent(event: Event) -> ServerSentEvent:
    return ServerSentEvent(event=event.name, data=event.data)


@router.get("/events", response_class=EventSourceResponse)
async def events(request: Request) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events: `bench` (its whole state), `cells` (readings done in each), `figures` (new ones are ready) and `run`
    (a run changed its state)."""
    service = bench_of(request)
    loop, something = asyncio.get_running_loop(), asyncio.Event()

    def wake() -> None:
        # The loop may have ended meanwhile.
        with suppress(RuntimeError):
            loop.call_soon_threadsafe(something.set)

    with service.live.hub.listen(wake) as mine:
        yield _sent(Event("bench", asdict(service.live.status())))
        while not request.app.state.closing:
            with suppress(TimeoutError):
                await asyncio.wait_for(something.wait(), QUIET_S)
            something.clear()
            newest: dict[tuple[str, str], Event] = {}
            with suppress(queue.Empty):
                while True:
                    event = mine.get_nowait()
                    # Only the newest state of the bench matters.
                    newest[(event.name, str(event.data if event.name != "bench" else ""))] = event
            for event in newest.values():
                yield _sent(event)
            if not newest:
                yield ServerSentEvent(comment="still here")
            await asyncio.sleep(LEAST_S)
