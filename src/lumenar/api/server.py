"""The server: API, web client and published editions."""

from __future__ import annotations

import asyncio
import errno
import gc
import logging
import resource
import socket
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from importlib.resources import files
from pathlib import Path
from types import FrameType
from typing import Any

import uvicorn
from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.types import Scope
from uvicorn.protocols.http.h11_impl import H11Protocol

from lumenar import __version__
from lumenar.api import bench as bench_routes
from lumenar.api import (
    displays,
    events,
    experiments,
    free,
    imports,
    instruments,
    menus,
    observations,
    plates,
    problems,
    purposes,
    recipes,
    reports,
    reviews,
    runs,
    setups,
    targets,
    tunings,
)
from lumenar.api import editions as edition_routes
from lumenar.api.guard import Guard, is_loopback
from lumenar.api.ready import SMALL, Ready
from lumenar.app import memory
from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.free_run import FreeRun
from lumenar.app.bench.repeat_reading import Reread
from lumenar.app.board import shelf
from lumenar.app.experiments import experiments as experiments_service
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.figures import cells
from lumenar.app.figures.background import BackgroundFigures
from lumenar.app.figures.helper import Helper, several_cores
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.recipes.replay import Replayer
from lumenar.app.tuning import tunings as tunings_service
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.verdict import verdict
from lumenar.core import appearance, measurements
from lumenar.publish import edition
from lumenar.publish.draft import STATIC as REPORT_STATIC
from lumenar.publish.library import LIBRARY_FILES
from lumenar.publish.library import STATIC as LIBRARY_STATIC
from lumenar.store.database import StoreError
from lumenar.store.editions import is_published

log = logging.getLogger("lumenar.server")
PREFIX = "/api/v1"
NOUNS = (
    reviews,
    displays,
    menus,
    setups,
    targets,
    purposes,
    runs,
    bench_routes,
    events,
    free,
    instruments,
    plates,
    imports,
    edition_routes,
    reports,
    tunings,
    experiments,
    recipes,
    observations,
)
STATIC = Path(str(files("lumenar"))) / "static"


def create_app(application: Application, bench: BenchService, hosts: tuple[str, ...] = ()) -> FastAPI:
    """The web application over an open data folder and its bench. hosts: names it answers to besides this machine's."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        app.state.closing = True
        app.state.free.stop(wait_s=0)
        app.state.corrector.stop()
        bench.close()

    app = FastAPI(title="Lumenar", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.application, app.state.bench, app.state.closing = application, bench, False
    app.state.reread = Reread(application, bench)
    app.state.experimenter = Experimenter(application, bench)
    app.state.tuner, app.state.replayer = Tuner(application, bench), Replayer(application, bench)
    app.state.corrector, app.state.free = Corrector(application, bench), FreeRun(application, bench)
    app.add_middleware(GZipMiddleware, minimum_size=SMALL, compresslevel=1)
    app.add_middleware(Ready, application=application, prefix=PREFIX)
    app.add_middleware(Guard, hosts=hosts)
    problems.install(app)
    document = app.openapi
    app.openapi = lambda: problems.declared(document())  # type: ignore[method-assign]
    for noun in NOUNS:
        app.include_router(noun.router, prefix=PREFIX)
    editions = application.folder / "editions"
    editions.mkdir(exist_ok=True)
    app.mount(
        REPORT_STATIC.rstrip("/"), StaticFiles(directory=str(files("lumenar.publish") / "static")), name="report-static"
    )
    app.mount("/published", Published(application, editions), name="published")
    _client(app)
    return app


class Published(StaticFiles):
    """The library's index and the folders of published editions, and nothing else that may lie beside them."""

    def __init__(self, application: Application, folder: Path) -> None:
        super().__init__(directory=folder, html=True)
        self._application = application

    async def get_response(self, path: str, scope: Scope) -> Response:
        parts = Path(path).parts
        if not parts or (len(parts) == 1 and parts[0] in LIBRARY_FILES) or parts[0] == LIBRARY_STATIC:
            return await super().get_response(path, scope)
        if len(parts) < 2 or not is_published(self._application.db.connection(), "/".join(parts[:2])):
            raise HTTPException(404, "There is no such edition")
        return await super().get_response(path, scope)


class _Assets(StaticFiles):
    """Scripts and styles. A hash of the contents is part of each name, so browsers never need to ask for one again."""

    def file_response(self, *args: Any, **named: Any) -> Response:
        answer = super().file_response(*args, **named)
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return answer


def _client(app: FastAPI) -> None:
    """Serve the built web client; every path that is no file is a view of it."""
    if (STATIC / "assets").is_dir():
        app.mount("/assets", _Assets(directory=STATIC / "assets"), name="assets")

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
    """A listening socket on this machine; StoreError with a sentence where the port is taken or the address is another's."""
    if not is_loopback(host):
        raise StoreError(
            f"Lumenar has no accounts yet, so it listens on this machine only (127.0.0.1, ::1, localhost), not on {host}"
        )
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # Only sockets that name their protocol send small answers at once (asyncio switches TCP_NODELAY on for them alone).
    sock = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
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


WARMED = 6
"""Of so many reviews, the newest, the verdict is there before anybody asks."""


def _warm(application: Application) -> None:
    application.helper = Helper(application.folder) if several_cores() else None
    reviews.written_shelf(application)
    appearance.prepare()
    measurements.prepare()
    for review in shelf.review_ids(application)[:WARMED]:
        # Whoever looks at it is told what is wrong with it.
        with suppress(Exception):
            verdict.verdict(application, review)
    # What is kept is not looked through for garbage again and again, which would stop a request for a quarter of a second.
    gc.collect()
    gc.freeze()
    memory.give_back()


def _prepare(app: FastAPI) -> None:
    """What each route takes and gives is put up when it is looked for first, which takes a quarter of a second for some views."""
    scope = {"type": "http", "method": "GET", "path": f"{PREFIX}/-", "root_path": "", "headers": []}
    for route in app.router.routes:
        route.matches(dict(scope))


class _Server(uvicorn.Server):
    """A server that lets go of the pages that listen as soon as it is told to end; it would wait for them otherwise."""

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        state = self.config.app.state  # type: ignore[union-attr]
        state.closing = True
        state.bench.live.hub.wake()
        super().handle_exit(sig, frame)


def serve(application: Application, sock: socket.socket, speed: float) -> None:
    """Serve until interrupted."""
    memory.share_arenas()
    bench = BenchService(application, speed=speed)
    try:
        bench.runs.recover()
        experiments_service.recover(application)
        tunings_service.recover(application)
        edition.recover(application)
    except StoreError as e:
        # On a full disk or a folder that cannot be written to, what is there can still be read.
        log.warning("%s. Lumenar starts all the same: what is stored can be read, nothing new can be stored.", e)
    # The first look at the Shelf should not wait for figures that can be had while the browser starts.
    threading.Thread(target=_warm, args=(application,), name="warm", daemon=True).start()
    application.background = BackgroundFigures(
        application,
        lambda: application.helper,
        lambda: bool(bench.occupancy.kind),
        lambda found, since: cells.keep_found(application, found, since),
        bench.live.hub,
    )
    app = create_app(application, bench)
    threading.Thread(target=_prepare, args=(app,), name="prepare", daemon=True).start()
    _raise_limits()
    config = uvicorn.Config(
        app,
        http=_Patient,
        log_level="warning",
        timeout_graceful_shutdown=2,
        timeout_keep_alive=15,
        limit_concurrency=1500,
        h11_max_incomplete_event_size=64_000,
        server_header=False,
    )
    _Server(config).run(sockets=[sock])


def _raise_limits() -> None:
    """As many open connections as the machine allows, up to some thousands."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 8192 if hard == resource.RLIM_INFINITY else min(8192, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        with suppress(OSError, ValueError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))


HEADERS_S = 10.0
"""A request whose first lines take longer than this is given up, so that half-open ones cannot fill the server."""


class _Patient(H11Protocol):
    """HTTP with a limit on how long a request's first lines may take."""

    _timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._timer = self.loop.call_later(HEADERS_S, self._give_up)

    def handle_events(self) -> None:
        super().handle_events()
        if self.cycle is not None and self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def connection_lost(self, exc: Exception | None) -> None:
        if self._timer is not None:
            self._timer.cancel()
        super().connection_lost(exc)

    def _give_up(self) -> None:
        if self.cycle is None and not self.transport.is_closing():
            self.transport.close()
