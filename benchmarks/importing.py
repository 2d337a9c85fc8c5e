"""How long it takes to bring in, show and give back many readings, and to delete a setup among them.

python -m benchmarks.importing
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.targets import TARGETS, Anchor
from lumenar.service import board, hand_runs, menu_map, new_display, purposes, setups, shelf, verdict
from lumenar.service.application import Application
from lumenar.service.export import text_as
from lumenar.service.importing import Identity, import_readings
from lumenar.service.new_display import NewDisplay
from lumenar.service.purposes import PurposeDefinition
from lumenar.store import reviews

SETUPS = 60


def document(setups_: int, named: bool) -> str:
    """A readings file with about 1,700 readings in each of many setups. named: each says which measurement it is for, as files
    of ours do; else each serves all whose patches it matches."""
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
        made.append({"name": f"Setup {i + 1}", "signal": "sdr", "readings": [*rows, *rows]})
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
        timed("the Shelf", "", lambda: shelf.shelf(app))
        timed(f"scores and recipes for {len(app.rubric.purposes)} purposes", "", lambda: verdict.verdict(app, review))
        timed("the same, warm", "< 100 ms", lambda: verdict.verdict(app, review))
        work = app.rubric.purposes["colour_work"]
        moved = {**work.weights, "grey_ramp.curve_rms_lstar": 40.0}
        tried = PurposeDefinition("Tried", "", moved, list(work.core))
        timed("a weight is moved, every setup rescored", "< 100 ms", lambda: purposes.scores_with(app, review, tried))
        timed("export as CSV", "", lambda: text_as(app, review, "csv"))
        last = reviews.setups_of(app.db.connection(), review)[-1].id
        timed("deleting a setup among them", "< 200 ms", lambda: setups.delete(app, review, last))
        controls = "\n".join(f"Control {i} 0..100 = 50" for i in range(400))
        large = new_display.add(
            app, NewDisplay("Tern Street", "Menu 400", "television", "lcd", modes="Film", controls=controls)
        )
        timed("menu map of 400 controls", "< 50 ms", lambda: menu_map.menu_map(app, large))
        assert hand_runs.open_runs(app, large) == []
        app.close()


if __name__ == "__main__":
    main()
