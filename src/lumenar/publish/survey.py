"""The whole job on the simulated bench without a browser."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.drivers.simulated import arrivals
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.recipes import recipes
from lumenar.app.recipes.replay import Replayer
from lumenar.app.runs.planning import Options
from lumenar.app.scoring import setup_scores
from lumenar.app.setups import new_reviews
from lumenar.app.tuning import gains, tunings
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.bench.plan import Cell
from lumenar.core.measurements import MEASUREMENTS
from lumenar.publish.edition import publish
from lumenar.store import reviews


@dataclass(frozen=True)
class SurveyResult:
    """What a survey left: the folder, how many readings, and the best mode per purpose with its score. tuned: what became of each
    mode that was tuned, in one sentence."""

    folder: Path
    readings: int
    best: list[tuple[str, str, float]]
    tuned: list[str]


def survey(
    text: bytes,
    name: str,
    out: Path,
    seed: int | None = None,
    modes: list[str] | None = None,
    measurements: list[str] | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
    tune: bool = False,
) -> SurveyResult:
    """Measure a unit file's modes without waiting, score and publish into `out`: readings.json, figures.json, findings.json,
    site/ and the data package site/data/. progress: told readings done and planned; tune: the best mode per purpose is tuned, its
    result measured for the same and replayed from a factory reset, before all is published. BadInputError for a wrong file or
    name; OSError where `out` cannot be written."""
    unit = arrivals(text, name)[0]
    _known("mode", modes, [m.name for m in unit.menu.modes])
    _known("measurement", measurements, list(MEASUREMENTS))
    if seed is not None:
        text = json.dumps({**json.loads(text), "seed": seed}).encode()
    if (out / "site").exists():
        raise BadInputError("out", f"{out}: there is a survey in this folder already; choose another with --out")
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out, prefix=".bench-") as temporary:
        app = Application(Path(temporary))
        try:
            review = new_reviews.add_review(app, text, name)
            bench = BenchService(app, speed=0.0)
            cells = _cells(app, review, modes, measurements)
            total = bench.runs.preview(review, cells).readings
            correct_for(app, bench, review)
            bench.runs.start(review, cells, Options(warm_up=True))
            while bench.occupancy.working:
                bench.runs.wait(0.5)
                progress(bench.live.status().done or total, total)
            bench.runs.finish()
            progress(total, total)
            tuned = _tuned(app, bench, review, cells) if tune else []
            publish(app, review)
            site = next((Path(temporary) / "editions").glob("*/1"))
            shutil.move(site, out / "site")
            for file in ("readings.json", "figures.json", "findings.json"):
                shutil.copyfile(out / "site" / "data" / file, out / file)
            best = [
                (b.purpose, b.of_all[0].name, b.of_all[1].value or 0.0) for b in setup_scores.best_modes(app, review)
            ]
        finally:
            app.close()
    return SurveyResult(out, total, best, tuned)


def _cells(app: Application, review: int, modes: list[str] | None, measurements: list[str] | None) -> list[Cell]:
    """The cells to measure: all modes as shipped with all measurements, or only the named ones."""
    return [
        Cell(s.id, m.key)
        for s in reviews.setups_of(app.db.connection(), review)
        if (s.name == s.mode if modes is None else s.name in modes)
        for m in MEASUREMENTS.values()
        if s.signal in m.signals and (measurements is None or m.key in measurements)
    ]


def _tuned(app: Application, bench: BenchService, review: int, cells: list[Cell]) -> list[str]:
    """Tune the best mode of each purpose, measure what was found for what the mode was measured for, and replay it."""
    said = []
    # A mode that is best for several purposes is tuned once, and judged for the first of them.
    best = {b.of_all[0].id: b for b in reversed(setup_scores.best_modes(app, review))}
    for b in reversed(best.values()):
        setup = b.of_all[0]
        try:
            number = Tuner(app, bench).start(review, setup.id, tunings.wish_for(app, setup, b.purpose))
            bench.occupancy.wait()
            made = tunings.keep(app, number, f"{setup.name} tuned")
        except (BadInputError, ConflictError) as e:
            said.append(e.detail)
            continue
        bench.runs.start(review, [Cell(made, c.measurement) for c in cells if c.setup == setup.id])
        bench.runs.finish()
        Replayer(app, bench).start(review, made)
        bench.occupancy.wait()
        replay = recipes.recipe(app, review, made).replays[0]
        kept = "kept" if replay.kept else f"not kept. {replay.message}" if replay.message else "not kept"
        said.append(
            f"{setup.name} tuned. {gains.worth(app, number, b.purpose).sentence} Replayed: what it promises was {kept}."
        )
    return said


def _known(what: str, wanted: list[str] | None, known: list[str]) -> None:
    for one in wanted or []:
        if one not in known:
            raise BadInputError(what, f"there is no {what} {one!r}; known are {', '.join(known)}")
