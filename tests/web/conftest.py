"""What the tests of the interface share: a browser for each worker, and a server over the demonstration for each module."""

import shutil

import pytest

from .driver import Server, browser, emptied, free_port
from .person import Person


@pytest.fixture(scope="session")
def port():
    """The port of one server after the other, so that the browser keeps the scripts it has compiled."""
    return free_port()


@pytest.fixture(scope="session")
def chromium():
    with browser() as driver:
        yield driver


@pytest.fixture(scope="module")
def server(request, demo_folder, port, tmp_path_factory):
    """A server of the module's own; `SERVE` in it says how it is started."""
    folder = tmp_path_factory.mktemp("web") / "data"
    shutil.copytree(demo_folder, folder)
    made = Server(folder, *getattr(request.module, "SERVE", ("demo",)), port=port)
    yield made
    made.stop()


@pytest.fixture(scope="module")
def page(server, chromium):
    emptied(chromium, server.url)
    return Person(chromium, server)
