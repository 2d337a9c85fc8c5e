"""Makes a filled database with the code that is importable, to be kept in tests/store/filled as one of its version.

    git worktree add /tmp/then COMMIT && PYTHONPATH=/tmp/then/src .venv/bin/python tests/store/make_filled.py OUT.db

Two samples, a setup of one's own, a correction, readings of every kind, an edition; a light in the room where there is such.
"""

import json
import sqlite3
import sys
import tempfile
from pathlib import Path

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews, setup_views, setups
from lumenar.bench.plan import Cell
from lumenar.publish.edition import publish
from lumenar.store import reviews

UNIT = "ostrel-fen-32.json"
FULL = ("white_black", "grey_ramp", "gamut", "near_black", "contrast", "modulation", "blue_light", "uniformity")


def made(folder: Path) -> bytes:
    """The database file of a review that was measured."""
    app = Application(folder)
    review = new_reviews.add_review(app, shipped_units()[UNIT], UNIT)
    bench = BenchService(app, speed=0.0)
    correct_for(app, bench, review)
    rows = reviews.setups_of(app.db.connection(), review)
    second = next(s for s in rows if s.unit_id != rows[0].unit_id)
    slider = next(c for c in setup_views.view(app, review, rows[0].id).controls if c.kind == "slider" and not c.locked)
    own = setups.add(app, review, rows[0].id, "Desk", setups.Edit(values={slider.path: slider.minimum + slider.step}))
    cells = [Cell(rows[0].id, m) for m in FULL]
    cells += [Cell(s, m) for s in (rows[1].id, second.id, own) for m in ("white_black", "grey_ramp", "gamut")]
    runs = getattr(bench, "runs", bench)
    runs.start(review, cells, Options(grid=(3, 3)))
    runs.finish()
    publish(app, review)
    if hasattr(setups, "Room"):
        for label, lux in (("Torch", 40.0), ("Torch", None), ("Lamp", 5.0)):
            setups.change(app, review, own, setups.Edit(room=setup_views.Room(label, lux, "30 cm")))
    bench.close()
    db = app.db.connection()
    db.execute("DELETE FROM computed")
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    db.execute("PRAGMA journal_mode = DELETE")
    db.execute("VACUUM")
    app.close()
    return (folder / "lumenar.db").read_bytes()


def main() -> None:
    """Write the file named on the command line."""
    with tempfile.TemporaryDirectory() as folder:
        data = made(Path(folder) / "data")
    Path(sys.argv[1]).write_bytes(data)
    check = sqlite3.connect(":memory:")
    check.deserialize(data)
    counted = {
        t: check.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in ("run", "patch", "reading", "trace")
    }
    version = check.execute("PRAGMA user_version").fetchone()[0]
    sys.stdout.write(json.dumps({"version": version, **counted}) + "\n")


if __name__ == "__main__":
    main()
