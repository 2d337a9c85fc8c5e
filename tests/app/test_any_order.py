"""Everything a person can do with the bench, in any order: no dead end, no reading lost or doubled, no error but those
that say what is wrong."""

import shutil
import tempfile
import time
from contextlib import suppress
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.free_run import FreeRun
from lumenar.app.board import board
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import UserError
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.scoring import setup_scores
from lumenar.app.setups import new_reviews, setups
from lumenar.bench.plan import Cell
from lumenar.bench.simulated.meter import FAULTS
from lumenar.store import reviews

from ..conftest import PHONE

SHORT = ("white_black", "gamut", "near_white", "window_ladder")
BRIGHTNESS = "Screen > Brightness"


class AnyOrder(RuleBasedStateMachine):
    """A phone on the bench, and a person who presses whatever there is."""

    def __init__(self):
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        self.app = Application(self.folder / "data")
        self.review = new_reviews.add_review(self.app, shipped_units()[PHONE], PHONE)
        self.setups = [s.id for s in reviews.setups_of(self.app.db.connection(), self.review)]
        self.seen: dict[int, float] = {}
        self.open()

    def open(self):
        self.bench = BenchService(self.app, speed=0.0)
        self.corrector, self.free = Corrector(self.app, self.bench), FreeRun(self.app, self.bench)
        self.bench.runs.recover()

    def query(self, sql):
        return self.app.db.connection().execute(sql).fetchall()

    @rule(
        cells=st.lists(st.tuples(st.integers(0, 3), st.sampled_from(SHORT)), min_size=1, max_size=4, unique=True),
        speed=st.sampled_from([0.0, 20.0]),
    )
    def measure(self, cells, speed):
        self.bench.set_speed(speed)
        with suppress(UserError):
            self.bench.runs.start(self.review, [Cell(self.setups[i], m) for i, m in cells])

    @rule(verb=st.sampled_from(["pause", "resume", "stop"]))
    def steer(self, verb):
        with suppress(UserError):
            getattr(self.bench.runs, verb)()

    @rule(fault=st.sampled_from([None, *FAULTS]))
    def break_the_meter(self, fault):
        with suppress(UserError):
            self.bench.set_fault(fault)

    @rule(setup=st.integers(0, 3), value=st.integers(0, 100))
    def run_free(self, setup, value):
        with suppress(UserError):
            self.free.start(self.review, self.setups[setup])
        with suppress(UserError):
            self.free.move(BRIGHTNESS, value)

    @rule(verb=st.sampled_from(["keep_setting", "keep_ladder", "stop", "capture"]))
    def use_what_runs_free(self, verb):
        if verb == "capture" and self.bench.live.status().fault:
            return  # It would rightly wait for ten seconds.
        with suppress(UserError):
            getattr(self.free, verb)()

    @rule(verb=st.sampled_from(["start", "keep", "stop"]), setup=st.integers(0, 3))
    def correct(self, verb, setup):
        with suppress(UserError):
            self.corrector.start(self.review, self.setups[setup]) if verb == "start" else getattr(
                self.corrector, verb
            )()

    @rule(setup=st.integers(0, 3), value=st.integers(0, 100))
    def change_a_setting(self, setup, value):
        with suppress(UserError):
            setups.change(self.app, self.review, self.setups[setup], setups.Edit(values={BRIGHTNESS: value}))

    @rule()
    def look(self):
        shown = board.board(self.app, self.review)
        assert len(shown.rows) == 5
        assert len(setup_scores.scores(self.app, self.review, "colour_work")) == 5
        self.corrector.view(), self.free.view()

    @rule(seconds=st.floats(0, 0.2))
    def wait(self, seconds):
        time.sleep(seconds)

    @rule()
    def close_and_open(self):
        self.bench.close()
        self.app.close()
        self.app = Application(self.folder / "data")
        self.open()

    @invariant()
    def what_was_read_stays(self):
        now = dict(self.query("SELECT id, at_s FROM reading"))
        assert self.seen.items() <= now.items()
        self.seen = now
        status = self.bench.live.status()
        assert status.state in ("idle", "running", "paused", "queued")
        assert status.done <= status.total or not status.total

    def teardown(self):
        try:
            self.finish()
        finally:
            self.bench.close()
            self.app.close()
            shutil.rmtree(self.folder)

    def finish(self):
        """Whatever was done, the bench can be brought to rest, and all that was asked for is there."""
        self.bench.set_speed(0.0)
        self.free.stop()
        self.corrector.stop()
        end = time.monotonic() + 240
        while (state := self.bench.live.status()).state != "idle":
            assert time.monotonic() < end, state
            with suppress(UserError):
                self.bench.set_fault(None)
            if state.state == "paused":
                with suppress(UserError):
                    self.bench.runs.resume()
            time.sleep(0.01)
        assert {r["state"] for r in self.query("SELECT state FROM run")} <= {"done", "stopped"}
        assert not self.query(
            "SELECT 1 FROM run_cell c JOIN run r ON r.id = c.run_id WHERE r.state = 'done' AND c.readings <> c.patches"
        )
        assert not self.query("SELECT patch_id FROM reading GROUP BY patch_id, attempt HAVING count(*) > 1")
        self.look()


TestAnyOrder = AnyOrder.TestCase
TestAnyOrder.settings = settings(max_examples=10, stateful_step_count=20, suppress_health_check=list(HealthCheck))
