"""Send stored Boards and the stored Shelf before routing, so that many readers cost a run little."""

from __future__ import annotations

import gzip
import re
from contextlib import suppress
from functools import lru_cache
from urllib.parse import parse_qs

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from lumenar.api.reviews import ready_board, ready_shelf
from lumenar.app.application import Application

_BOARD = re.compile(r"/reviews/([1-9][0-9]{0,15})/board")
_SHELF = "/reviews"

SMALL = 1000
"""Answers with this many bytes or more are compressed."""


@lru_cache(maxsize=4)
def _packed(data: bytes) -> bytes:
    return gzip.compress(data, 1)


class Ready:
    """ASGI middleware that sends the stored Shelf and stored Boards. Every other request goes on to `app`."""

    def __init__(self, app: ASGIApp, application: Application, prefix: str) -> None:
        self.app, self._application, self._prefix = app, application, prefix

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        data = None
        if scope["type"] == "http" and scope["method"] == "GET":
            # If something is wrong, the route says so.
            with suppress(Exception):
                data = self._found(scope)
        if data is None:
            await self.app(scope, receive, send)
            return
        headers = [(b"content-type", b"application/json"), (b"vary", b"Accept-Encoding")]
        if len(data) >= SMALL and "gzip" in Headers(scope=scope).get("accept-encoding", ""):
            data = _packed(data)
            headers.append((b"content-encoding", b"gzip"))
        headers.append((b"content-length", str(len(data)).encode()))
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        await send({"type": "http.response.body", "body": data})

    def _found(self, scope: Scope) -> bytes | None:
        path = str(scope["path"]).removeprefix(self._prefix)
        if path == scope["path"]:
            return None
        if path == _SHELF and not scope["query_string"]:
            return ready_shelf(self._application)
        board = _BOARD.fullmatch(path)
        if board is None:
            return None
        asked = parse_qs(scope["query_string"].decode("ascii", "replace"), keep_blank_values=True)
        purposes = asked.pop("purpose", [None])
        # The route handles, or refuses, every other query.
        return None if asked or len(purposes) > 1 else ready_board(self._application, int(board[1]), purposes[0])
