"""What the tests of the interface share: a server over the demonstration and somebody in front of it, for each module."""

import shutil

import pytest

from .driver import Server, browser
from .person import Person


@pytest.fixture(scope="module")
def server(request, demo_folder, tmp_path_factory):
    """A server of the module's own; `SERVE` in it says how it is started."""
    folder = tmp_path_factory.mktemp("web") / "data"
    shutil.copytree(demo_folder, folder)
    made = Server(folder, *getattr(request.module, "SERVE", ("demo",)))
    yield made
    made.stop()


@pytest.fixture(scope="module")
def page(server):
    with browser() as driver:
        yield Person(driver, server)
