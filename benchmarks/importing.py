"""How long it takes to bring in, show and give back many readings, and to delete a setup among them.

python -m benchmarks.importing
"""

from __future__ import annotations

import json
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

from benchmarks.__main__ import memory
from benchmarks.load import Client
from lumenar.api.reviews import written_shelf
from lumenar.app.application import Application
from lumenar.app.board import board
from lumenar.app.exchange.formats import text_as
from lumenar.app.exchange.importing import Identity, import_readings
from lumenar.app.manual import manual_runs
from lumenar.app.menus import menu_map
from lumenar.app.scoring import purposes
from lumenar.app.scoring.purposes import PurposeDefinition
from lumenar.app.setups import new_display, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.verdict import verdict
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.targets import TARGETS, Anchor
from lumenar.store import reviews
from tests.web.driver import Server

SETUPS = 60


def document(setups_: int, named: bool, times: int = 2) -> str:
    """A readings file. Each of its setups has about 800 patches, and each patch is read `times` times. named: each reading says
    which measurement it is for, as files of ours do; else each serves all whose patches it matches."""
    by_patch = {p: m for m in ("volume", "swatches", "saturation", "gamut", "grey_ramp", "white_black")
                for p in MEASUREMENTS[m].patches(Context())}  # fmt: skip
    patches = list(by_patch)
    XYZ = TARGETS["srgb"].XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(120.0), np.array(0.1)))
    noise = np.random.default_rng(1)
    made = []
    for i in range(setups_):
        read = XYZ * (1 + 0.001 * noise.standard_normal(XYZ.shape))
        rows = [{"rgb": p.rgb, "XYZ": v} for p, v in zip(patches, read.tolist(), strict=True)]
        if named:
            rows = [{**r, "measurement": by_patch[p]} for r, p in zip(rows, patches, strict=True)]
        made.append({"name": f"Setup {i + 1}", "signal": "sdr", "readings": rows * times})
    return json.dumps({"format": "lumenar-readings", "version": 1, "setups": made})


def main() -> None:
    """Print the table."""

    def line(what: str, seconds: float, wanted: str) -> None:
        sys.stdout.write(f"{what:64s} {1000 * seconds:9.0f} ms   {wanted}\n")

    def timed(what: str, wanted: str, run):
        start = time.perf_counter()
        result = run()
        line(what, time.perf_counter() - start, wanted)
        return result

    text = document(SETUPS, named=False)
    with tempfile.TemporaryDirectory() as folder:
        app = Application(Path(folder) / "data")
        who = Identity("Tern Street", "Wall 55")
        review = timed(
            "import, each reading serving 13 measurements",
            "< 5 s",
            lambda: import_readings(app, text, "many.json", who),
        )
        other = document(SETUPS, named=True)
        timed(
            "import, each reading named for one of 6", "< 5 s", lambda: import_readings(app, other, "named.json", who)
        )
        count = app.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0]
        sys.stdout.write(f"{count:,} readings in {SETUPS} setups, {len(text) / 1e6:.0f} MB\n")
        timed("the Board, cold", "", lambda: board.board(app, review))
        timed("the Board, warm", "< 50 ms", lambda: board.board(app, review))
        timed("the Shelf", "", lambda: written_shelf(app))
        timed(f"scores and recipes for {len(app.rubric.purposes)} purposes", "", lambda: verdict.verdict(app, review))
        timed("the same, warm", "< 100 ms", lambda: verdict.verdict(app, review))
        work = app.rubric.purposes["colour_work"]
        moved = {**work.weights, "grey_ramp.curve_rms_lstar": 40.0}
        tried = PurposeDefinition(title="Tried", meaning="", weights=moved, core=list(work.core))
        timed("a weight is moved, every setup rescored", "< 100 ms", lambda: purposes.scores_with(app, review, tried))
        timed("export as CSV", "", lambda: text_as(app, review, "csv"))
        last = reviews.setups_of(app.db.connection(), review)[-1].id
        timed("deleting a setup among them", "< 200 ms", lambda: setups.delete(app, review, last))
        controls = "\n".join(f"Control {i} 0..100 = 50" for i in range(400))
        wide = new_display.add(
            app,
            NewDisplay(
                maker="Tern Street", model="Menu 400", kind="television", panel="lcd", modes="Film", controls=controls
            ),
        )
        timed("menu map of 400 controls", "< 50 ms", lambda: menu_map.menu_map(app, wide))
        assert manual_runs.open_runs(app, wide) == []
        app.close()
        large()


def large() -> None:
    """A server with 300,000 readings in one review, and with 500 displays."""

    def say(what: str, here: str, wanted: str) -> None:
        sys.stdout.write(f"{what:64s} {here:>12s}   {wanted}\n")

    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        app = Application(data)
        review = import_readings(
            app, document(93, named=False, times=4), "many.json", Identity("Tern Street", "Wall 55")
        )
        small = document(1, named=False, times=1)
        for i in range(499):
            import_readings(app, small, "small.json", Identity("Tern Street", f"Wall {i}"))
        count = app.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0]
        say("readings, and displays", f"{count:,}", "")
        app.db.connection().execute("DELETE FROM computed")
        app.close()
        server = Server(data)
        try:
            client = Client(server)

            def asked(path: str) -> float:
                begun = time.perf_counter()
                client.call("GET", path)
                return time.perf_counter() - begun

            say(
                "first answer: the Board of 300,000 readings, no figures yet",
                f"{asked(f'/reviews/{review}/board'):.2f} s",
                "< 3 s",
            )
            begun = time.perf_counter()
            while b'"computing"' in client.call("GET", f"/reviews/{review}/board"):
                time.sleep(0.5)
            say("... until all its figures are there", f"{time.perf_counter() - begun:.1f} s", "")
            asked("/reviews")
            asked("/reviews")
            begun = time.perf_counter()
            while b'"headline":[]' in client.call("GET", "/reviews") and time.perf_counter() - begun < 120:
                time.sleep(0.5)
            say("... and those of 500 displays", f"{time.perf_counter() - begun:.1f} s", "")
            say("the Shelf of 500 displays", f"{1000 * min(asked('/reviews') for _ in range(5)):.0f} ms", "< 100 ms")
            # What it computed for all these displays is not what a file costs.
            server.stop()
            server = Server(data)
            client = Client(server)
            asked("/reviews/2/board")
            before = memory(server)
            spent: list[float] = []
            done = threading.Event()

            def meanwhile() -> None:
                other = Client(server)
                while not done.wait(0.2):
                    begun = time.perf_counter()
                    other.call("GET", "/reviews/2/board")
                    spent.append(time.perf_counter() - begun)

            thread = threading.Thread(target=meanwhile)
            thread.start()
            took = asked(f"/reviews/{review}/readings?format=csv")
            done.set()
            thread.join()
            say("CSV of 300,000 readings", f"{took:.1f} s", "< 20 s")
            say("... longest answer meanwhile", f"{1000 * max(spent, default=0):.0f} ms", "")
            say("... the server before and after", f"{before}, {memory(server)}", "< 300 MB")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
