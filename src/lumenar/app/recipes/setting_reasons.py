"""Why each value of a setup is so: by the tuning whose result it is, and those before it, and by what was seen of features that
are left as they stand."""

from __future__ import annotations

from collections.abc import Mapping

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.experiments.experiments import concluded
from lumenar.app.tuning import tunings
from lumenar.core.recipes.steps import TUNED
from lumenar.core.tuning import session
from lumenar.store import experiments, reviews
from lumenar.store import tunings as stored
from lumenar.store.tunings import TuningRow


def reasons(app: Application, review_id: int) -> dict[int, dict[str, str]]:
    """By setup of a review and path a sentence, for setups that tunings ended with and those whose features were tried."""
    db = app.db.connection()
    rows = {r.result_id: r for r in stored.of_review(db, review_id) if r.result_id is not None}
    whys = {setup: _whys(app, rows, setup) for setup in rows}
    setups = {s.id: s for s in reviews.setups_of(db, review_id)}
    tried = [r for r in experiments.of_review(db, review_id) if r.kind == "conditions" and r.state == "done"]
    # The newest is first, so that it stands.
    for row in tried:
        begun = setups[row.setup_id]
        menu = display(app, begun.unit_id).menu
        for path, sentence in concluded(app, row).notes.items():
            control = menu.by_path.get(path)
            for s in setups.values():
                shared = control is not None and control.scope == "unit"
                if s.unit_id != begun.unit_id or s.signal != begun.signal or not (shared or s.mode == begun.mode):
                    continue
                where = "" if s.mode == begun.mode else f" Read in {begun.mode}."
                whys.setdefault(s.id, {}).setdefault(path, f"{sentence}{where}")
    return whys


def _whys(app: Application, rows: Mapping[int, TuningRow], setup_id: int) -> dict[str, str]:
    whys: dict[str, str] = {}
    wanted = setup_id
    while wanted in rows:
        row = rows[wanted]
        # Its attempts never change, as its result was kept.
        own: dict[str, str] = app.cache.get(("reasons", row.id), lambda row=row: _of(app, row.id))  # type: ignore[misc]
        for path, sentence in own.items():
            whys.setdefault(path, sentence)
        wanted = row.setup_id
    return whys


def _of(app: Application, tuning_id: int) -> dict[str, str]:
    """By path why a tuning left it so; nothing where the menu no longer is what it was."""
    try:
        t = tunings.opened(app, tuning_id)
    except (ConflictError, NotFoundError):
        return {}
    end = t.following
    if isinstance(end, session.TuningStep):
        return {}
    said = {o.goal: f"{TUNED}{o.reason}" for o in end.outcomes if not o.skipped}
    return {p: said[x.goal] for x in reversed(t.tried) if x.goal in said for p in x.attempt.values}
