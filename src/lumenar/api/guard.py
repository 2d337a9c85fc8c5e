"""What every request passes before it reaches a route: whom the server answers, how much it reads, and what a page may do.

The server has no accounts. It listens on loopback alone; what protects it from other sites open in the same browser is that
it answers only to its own name, and takes changes only from its own pages or from no page at all.
"""

from __future__ import annotations

import asyncio
import ipaddress
from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lumenar.api.problems import problem

SAFE = ("GET", "HEAD", "OPTIONS")
MOST_BODY, MOST_READINGS = 4_000_000, 72_000_000
"""Bytes of a body, and of one that carries a readings file or a photo."""
MOST_PATH, MOST_PART = 4000, 255
BODY_S = 30.0
"""A body that takes longer than this to arrive is given up."""
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self';"
    " connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


def is_loopback(name: str) -> bool:
    """Whether a host name or address, without a port, means this machine."""
    if name.lower() == "localhost":
        return True
    try:
        return ipaddress.ip_address(name.strip("[]")).is_loopback
    except ValueError:
        return False


def _host_of(value: str) -> str | None:
    """The name in a Host header, None where it is none."""
    try:
        parts = urlsplit(f"//{value}")
        _ = parts.port
    except ValueError:
        return None
    return parts.hostname if parts.netloc == value and value else None


def _most(path: str) -> int:
    """Bytes of a body that an address takes."""
    large = ("/figures", "/imports", "/imports/preview", "/camera")
    return MOST_READINGS if path.endswith(large) else MOST_BODY


class Guard:
    """ASGI middleware; hosts: names that are answered besides those of this machine."""

    def __init__(self, app: ASGIApp, hosts: Iterable[str] = ()) -> None:
        self.app, self.hosts = app, frozenset(hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        head = scope["method"] == "HEAD"
        if head:
            # Whatever can be got can be asked about.
            scope = {**scope, "method": "GET"}

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            elif message["type"] == "http.response.body" and head:
                message = {**message, "body": b""}
            await send(message)

        refused = self._refused(scope)
        if refused is not None:
            status, kind, detail = refused
            await problem(status, kind, detail)(scope, receive, answer)
            return
        most = _most(scope["path"])
        await self.app(scope, _Limited(receive, most).receive, answer)

    def _refused(self, scope: Scope) -> tuple[int, str, str] | None:
        """Status, kind and sentence where a request is not answered."""
        headers = Headers(scope=scope)
        hosts = headers.getlist("host")
        name = _host_of(hosts[0]) if len(hosts) == 1 else None
        if name is None or not (is_loopback(name) or name in self.hosts):
            return 400, "host", "This server answers only to names of this machine, such as 127.0.0.1 or localhost."
        path = scope["path"]
        if "\0" in path or len(path) > MOST_PATH or any(len(part) > MOST_PART for part in path.split("/")):
            return 404, "not-found", "There is nothing at an address like this."
        length = headers.get("content-length", "0")
        if not length.isdigit():
            return 400, "request", "Content-Length is no number."
        if int(length) > _most(path):
            return 413, "too-large", f"The body is larger than {_most(path) // 1_000_000} MB."
        if scope["method"] in SAFE:
            return None
        if not self._own_page(headers, hosts[0]):
            return (
                403,
                "origin",
                (
                    "Changes are taken from Lumenar's own pages only. A program says so with the header"
                    " Sec-Fetch-Site: none, or with the server's own address as Origin."
                ),
            )
        kind = headers.get("content-type", "").partition(";")[0].strip().lower()
        if scope["method"] != "DELETE" and kind != "application/json":
            return 415, "content-type", "Changes are sent as JSON: say Content-Type: application/json."
        return None

    def _own_page(self, headers: Headers, host: str) -> bool:
        site, origin = headers.get("sec-fetch-site"), headers.get("origin")
        if site is not None and site not in ("same-origin", "none"):
            return False
        if origin is not None:
            return origin.lower() in (f"http://{host.lower()}", f"https://{host.lower()}")
        return site is not None


class _Limited:
    """A body up to a size and within a time."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most, self._got, self._whole = receive, most, 0, False

    async def receive(self) -> Message:
        if self._whole:
            return await self._receive()
        try:
            message = await asyncio.wait_for(self._receive(), BODY_S)
        except TimeoutError:
            raise HTTPException(408, f"The body did not arrive within {BODY_S:g} s") from None
        if message["type"] == "http.request":
            self._got += len(message.get("body", b""))
            self._whole = not message.get("more_body", False)
            if self._got > self._most:
                raise HTTPException(413, f"The body is larger than {self._most // 1_000_000} MB")
        return message
