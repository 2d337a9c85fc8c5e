"""How often another firmware is blamed for what it did not do, and found out for what it did: displays that are measured, updated
and measured again on the simulated bench, from cold.

python -m benchmarks.firmware [REPEATS]
"""

from __future__ import annotations

import json
import sys
import tempfile
from importlib.resources import files
from pathlib import Path

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.experiments import firmware_changes
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews, setups
from lumenar.bench.plan import Cell
from lumenar.store import reviews

UNITS = {
    "carrow-meridian-65": ("Reel", "Parlour", "Match day"),
    "ostrel-fen-32": ("Studio", "Daybreak", "Arena"),
    "halden-loft-4": ("Film", "Lecture"),
}
MEASURED = ("white_black", "grey_ramp", "gamut", "saturation", "swatches", "near_black")
CHANGES = {"white by 1 %": {"white_gains": [0.99, 1.0, 1.0]}, "gamma 2.45": {"curve": "power", "gamma": 2.45}}


def changed(name: str, seed: int, changes: dict[str, object] | None) -> tuple[set[str], int]:
    """The setups of which a change was told after an update that changes the first of them, or none; and how many figures."""
    document = json.loads(files("lumenar.demo").joinpath("units", f"{name}.json").read_text())
    document |= {"seed": seed, "updates": [{"firmware": "9", "mode_changes": {UNITS[name][0]: changes or {}}}]}
    with tempfile.TemporaryDirectory() as folder:
        app = Application(Path(folder) / "data")
        bench = BenchService(app, speed=0.0)
        review = new_reviews.add_review(app, json.dumps(document), name)
        unit = reviews.units_of(app.db.connection(), review)[0].id
        own = [s for s in reviews.setups_of(app.db.connection(), review) if s.unit_id == unit and s.name in UNITS[name]]
        for version in (None, "9"):
            if version:
                setups.set_firmware(app, unit, version)
            bench.runs.start(review, [Cell(s.id, m) for s in own for m in MEASURED], Options())
            bench.runs.finish()
        figures = firmware_changes.changes(app, review)[0].figures
        bench.close()
        app.close()
    return {f.setup for f in figures if f.measurable and f.before != f.after}, len(figures)


def main() -> None:
    """Print the table."""
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    sys.stdout.write(f"{'':<24}{'blamed for nothing':<24}" + "".join(f"{w:<22}" for w in CHANGES) + "\n")
    for name, modes in UNITS.items():
        quiet = [changed(name, 1000 + k, None) for k in range(repeats)]
        row = f"{sum(bool(told) for told, _ in quiet)} of {repeats}, {quiet[0][1]} figures"
        sys.stdout.write(f"{name:<24}{row:<24}")
        for changes in CHANGES.values():
            told = [changed(name, 2000 + k, changes)[0] for k in range(max(2, repeats // 4))]
            right = sum(t == {modes[0]} for t in told)
            sys.stdout.write(f"{f'{right} of {len(told)}':<22}")
            sys.stdout.flush()
        sys.stdout.write("\n")


if __name__ == "__main__":
    main()
