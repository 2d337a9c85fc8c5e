"""The server: API, web client and published editions."""

from __future__ import annotations

import errno
import socket
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from importlib.resources import files
from pathlib import Path
from types import FrameType

import uvicorn
from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.middleware.trustedhost import TrustedHostMiddleware

from lumenar import __version__
from lumenar.api import instruments, problems
from lumenar.api.routes import router
from lumenar.core import appearance, measurements
from lumenar.service import shelf
from lumenar.service.application import Application
from lumenar.service.bench import BenchService
from lumenar.service.free_run import FreeRun
from lumenar.service.helper import Helper, HelperError, several_cores
from lumenar.service.instruments import Corrector
from lumenar.store.database import StoreError

STATIC = Path(str(files("lumenar"))) / "static"


def create_app(application: Application, bench: BenchService, hosts: list[str] | None = None) -> FastAPI:
    """The web application over an open data folder and its bench."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        app.state.closing = True
        app.state.free.stop(wait_s=0)
        app.state.corrector.stop()
        bench.close()

    app = FastAPI(title="Lumenar", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.application, app.state.bench, app.state.closing = application, bench, False
    app.state.corrector, app.state.free = Corrector(application, bench), FreeRun(application, bench)
    # A page elsewhere must not reach the bench by giving its own name this machine's address.
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=hosts or ["127.0.0.1", "localhost", "[::1]", "testserver"])
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=1)
    problems.install(app)
    app.include_router(router)
    app.include_router(instruments.router)
    editions = application.folder / "editions"
    editions.mkdir(exist_ok=True)
    app.mount("/published", StaticFiles(directory=editions, html=True), name="published")
    _client(app)
    return app


def _client(app: FastAPI) -> None:
    """Serve the built web client; every path that is no file is a view of it."""
    if (STATIC / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False, response_model=None)
    def client(path: str) -> FileResponse | JSONResponse:
        if path.startswith(("api/", "assets/")):
            return problems.problem(404, "not-found", f"There is nothing at /{path}.")
        index = STATIC / "index.html"
        if not index.is_file():
            return problems.problem(503, "client", "The web client is not built; run 'make setup'.")
        file = (STATIC / path).resolve()
        if path and file.is_file() and file.is_relative_to(STATIC):
            return FileResponse(file)
        return FileResponse(index, headers={"Cache-Control": "no-cache"})


def bind(host: str, port: int) -> socket.socket:
    """A listening socket; StoreError's sibling OSError with a sentence where the port is taken."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    sock = socket.socket(family, socket.SOCK_STREAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sock.bind((host, port))
    except OSError as e:
        sock.close()
        if e.errno == errno.EADDRINUSE:
            raise StoreError(
                f"port {port} on {host} is taken, perhaps by another Lumenar; stop it or choose --port"
            ) from e
        raise StoreError(f"cannot listen on {host}:{port}: {e.strerror}") from e
    return sock


def _warm(application: Application) -> None:
    helper = application.helper = Helper(application.folder) if several_cores() else None
    shelf.shelf(application)
    appearance.prepare()
    measurements.prepare()
    if helper is not None:
        # Last, so that it takes nothing from who waits for the first page. Where it cannot start, all is computed here.
        with suppress(HelperError):
            helper.start()


class _Server(uvicorn.Server):
    """A server that lets go of the pages that listen as soon as it is told to end; it would wait for them otherwise."""

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self.config.app.state.closing = True  # type: ignore[union-attr]
        super().handle_exit(sig, frame)


def serve(application: Application, sock: socket.socket, speed: float) -> None:
    """Serve until interrupted."""
    bench = BenchService(application, speed=speed)
    bench.recover()
    # The first look at the Shelf should not wait for figures that can be had while the browser starts.
    threading.Thread(target=_warm, args=(application,), name="warm", daemon=True).start()
    host = sock.getsockname()[0]
    hosts = None if host in ("127.0.0.1", "::1") else ["*"]
    app = create_app(application, bench, hosts)
    config = uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=2)
    _Server(config).run(sockets=[sock])
