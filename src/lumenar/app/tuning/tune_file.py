"""Tuning a simulated display from its unit file without a browser, as `lumenar tune` does."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.drivers.simulated import arrivals
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.setups import new_reviews
from lumenar.app.tuning import gains, tuning_views, tunings
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tuning_views import TuningView
from lumenar.app.tuning.tunings import Wish
from lumenar.core.menu.controls import MenuError
from lumenar.core.targets import Target, TargetError, custom, resolve
from lumenar.store import reviews
from lumenar.store import tunings as stored

FORMAT, VERSION = "lumenar-tuning", 1


def tune_file(
    text: bytes,
    name: str,
    mode: str,
    goals: Sequence[str] = (),
    luminance: float | None = None,
    white: tuple[float, float] | None = None,
    target: str | None = None,
    seed: int | None = None,
    purpose: str | None = None,
) -> dict[str, Any]:
    """The tuning of a mode of a unit file as a document (docs/formats.md). goals: all that can be tuned where none is given;
    white: xy instead of the target's; purpose: what goals, luminance and target are taken from where they are not given.
    BadInputError for a wrong file, mode, goal, white, luminance or purpose."""
    unit = arrivals(text, name)[0]
    try:
        declared = unit.menu.mode(mode)
    except MenuError as e:
        raise BadInputError("mode", f"{name}: {e}.") from e
    if seed is not None:
        text = json.dumps({**json.loads(text), "seed": seed}).encode()
    with tempfile.TemporaryDirectory(prefix="lumenar-tune-") as folder:
        app = Application(Path(folder) / "data")
        bench = BenchService(app, speed=0.0)
        try:
            review = new_reviews.add_review(app, text, name)
            correct_for(app, bench, review)
            setup = next(s for s in reviews.setups_of(app.db.connection(), review) if s.mode == mode and s.shipped)
            aim = _aim(app, setup, purpose)
            key = _target(target or aim.target or declared.target, white)
            lit = aim.luminance if luminance is None else luminance
            number = Tuner(app, bench).start(review, setup.id, Wish(goals or aim.goals, lit, key, aim.purpose))
            bench.occupancy.wait()
            return _document(app, bench, review, setup.id, number, key)
        finally:
            bench.close()
            app.close()


def _aim(app: Application, setup: reviews.SetupRow, purpose: str | None) -> Wish:
    if purpose is None:
        return Wish()
    if purpose not in app.rubric.purposes:
        raise BadInputError(
            "purpose", f"There is no purpose {purpose!r}; known are {', '.join(app.rubric.purposes)}.", "purpose"
        )
    return tunings.wish_for(app, setup, purpose)


def _target(key: str, white: tuple[float, float] | None) -> str:
    try:
        t: Target = resolve(key)
        if white is None:
            return t.key
        title = f"{t.title.replace(',', '')} white {white[0]:g} {white[1]:g}"
        curve = "power" if t.curve not in ("srgb", "bt1886") else t.curve
        return custom(
            title=title[:60],
            primaries=t.space.primaries,
            white=white,
            curve=curve,
            gamma=t.gamma,
            black=t.black,
            luminance=t.luminance,
        ).key
    except TargetError as e:
        raise BadInputError("target", f"{e}.") from e


def _document(app: Application, bench: BenchService, review: int, setup: int, number: int, key: str) -> dict[str, Any]:
    seen = tuning_views.view(app, number)
    if seen.state != "found":
        raise ConflictError("tuning", f"The tuning stopped: {seen.message}")
    try:
        tunings.keep(app, number, f"{seen.setup_name} tuned")
    except ConflictError:
        # Nothing better: what it began from is the result.
        pass
    else:
        gains.prove(app, bench, number)
        bench.runs.finish()
    after = stored.get(app.db.connection(), number)
    result = None if after is None else after.result_id
    final = tunings.final_values(tunings.opened(app, number))
    decided = gains.decided(app, number) if result is not None else {"worth_it": False, "gain": None, "sentence": ""}
    return {
        "format": FORMAT,
        "version": VERSION,
        "mode": seen.mode,
        "goal": "+".join(seen.goals),
        "attempts": _attempts(app, number, seen),
        "before": gains.figures_of(app, review, setup, key),
        "after": gains.figures_of(app, review, result, key),
        "settings": {s.path: final[s.path] for s in seen.settings},
        "readings": seen.readings,
        "reason": " ".join(o.reason for o in seen.outcomes),
        "worth_it": decided["worth_it"],
        "gain": decided["gain"],
    }


def _attempts(app: Application, number: int, seen: TuningView) -> list[dict[str, Any]]:
    rows = stored.attempts(app.db.connection(), number)
    return [
        {
            "goal": v.goal,
            "values": dict(r.entered),
            "readings": len(r.patches),
            "figure": v.figure,
            "expected": r.expected,
            "why": r.why,
        }
        for r, v in zip(rows, seen.attempts, strict=True)
    ]
