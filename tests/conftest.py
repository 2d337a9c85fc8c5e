"""What several tests share: an open application in a fresh folder, and the shipped units."""

import fcntl
import gc
import os
import shutil
import sqlite3

import pytest
from hypothesis import settings

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews
from lumenar.bench.plan import Cell
from lumenar.core.measurements import MEASUREMENTS
from lumenar.demo.scenario import build
from lumenar.store import reviews

from .pace import pace

# The first example of a test may load a library; how long it takes says nothing. Every run tries the same examples, so that
# a failure is one of the code; EXPLORE=1 looks for others.
settings.register_profile("lumenar", deadline=None, derandomize=not os.environ.get("EXPLORE"))
settings.load_profile("lumenar")


LIMIT_S = 300
"""How long a test may take on a machine of the usual speed."""


def pytest_collection_modifyitems(items):
    """What takes longest begins first, so that no worker is left alone with it at the end. Limits scale with the machine, by how
    slow it is now, and leave room for it to get three times as busy."""
    limit = LIMIT_S * 3 * pace()
    for item in items:
        item.add_marker(pytest.mark.timeout(limit))
    items.sort(key=lambda item: not ("/web/" in str(item.path) or item.path.stem == "test_kill"))


MONITOR, PHONE, TELEVISION = "ostrel-fen-32.json", "tessary-pell-6.json", "carrow-meridian-65.json"


@pytest.fixture
def units():
    return shipped_units()


@pytest.fixture
def app(tmp_path):
    application = Application(tmp_path / "data")
    yield application
    application.close()


@pytest.fixture
def bench(app):
    service = BenchService(app, speed=0.0)
    yield service
    service.close()


FEW = ("white_black", "grey_ramp", "gamut", "brightness_ladder")
"""Measurements that are enough where a test is not about the figures."""


@pytest.fixture
def phone(app, units):
    return new_reviews.add_review(app, units[PHONE], PHONE)


def all_cells(app, review, measurements=FEW):
    """Cells of every setup of a review."""
    return [Cell(s.id, m) for s in reviews.setups_of(app.db.connection(), review) for m in measurements]


@pytest.fixture
def measured(app, bench, phone):
    """The phone, corrected for and measured in every mode, though not for everything."""
    correct_for(app, bench, phone)
    bench.runs.start(phone, all_cells(app, phone))
    bench.runs.finish()
    return phone


def at_rest(folder):
    """A data folder whose database is one file: connections of threads that have ended close when they are collected, which
    takes the files beside the database away under whoever copies them."""
    gc.collect()
    db = sqlite3.connect(folder / "lumenar.db")
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    db.close()
    return folder


@pytest.fixture(scope="session")
def whole_folder(tmp_path_factory):
    """A data folder with the phone measured for everything in two modes; made once, to be copied."""
    folder = tmp_path_factory.mktemp("whole") / "data"
    application = Application(folder)
    service = BenchService(application, speed=0.0)
    review = new_reviews.add_review(application, shipped_units()[PHONE], PHONE)
    correct_for(application, service, review)
    setups = reviews.setups_of(application.db.connection(), review)[:2]
    service.runs.start(review, [Cell(s.id, m) for s in setups for m in MEASUREMENTS], Options(warm_up=True))
    service.runs.finish()
    service.close()
    application.close()
    return at_rest(folder)


@pytest.fixture
def whole(whole_folder, tmp_path):
    """The application over a copy of that folder; review 1, setups 1 and 2."""
    shutil.copytree(whole_folder, tmp_path / "whole", ignore=shutil.ignore_patterns("*-wal", "*-shm"))
    application = Application(tmp_path / "whole")
    yield application
    application.close()


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory, request):
    """The demonstration's data, built once for all workers, to be copied."""
    if not hasattr(request.config, "workerinput"):
        shared = tmp_path_factory.mktemp("demo")
    else:
        shared = tmp_path_factory.getbasetemp().parent / "demo"
        shared.mkdir(exist_ok=True)
    with (shared / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (shared / "data").exists():
            application = Application(shared / "making")
            build(application, tuned=False)
            application.close()
            at_rest(shared / "making").rename(shared / "data")
    return shared / "data"


@pytest.fixture
def monitor(app, bench, units):
    """The monitor, corrected for and not yet read."""
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    correct_for(app, bench, review)
    return review


def setup_of(app, review, name):
    """A setup of a review by its name."""
    return next(s for s in reviews.setups_of(app.db.connection(), review) if s.name == name)
