"""Why each value of a setup is so: by the tuning whose result it is, and those before it."""

from __future__ import annotations

from collections.abc import Mapping

from lumenar.core.tuning import session
from lumenar.service import tunings
from lumenar.service.application import Application
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.store import tunings as stored
from lumenar.store.tunings import TuningRow


def reasons(app: Application, review_id: int) -> dict[int, dict[str, str]]:
    """By setup of a review and path a sentence, for setups that tunings ended with."""
    rows = {r.result_id: r for r in stored.of_review(app.db.connection(), review_id) if r.result_id is not None}
    return {setup: _whys(app, rows, setup) for setup in rows}


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
    if isinstance(end, session.Step):
        return {}
    said = {o.goal: f"Tuned: {o.reason}" for o in end.outcomes if not o.skipped}
    return {p: said[x.goal] for x in reversed(t.tried) if x.goal in said for p in x.attempt.values}
