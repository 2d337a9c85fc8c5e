"""Runs as a list: what was measured, when, with what, and how far each is."""

from __future__ import annotations

from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.errors import NotFoundError
from lumenar.store import reviews, runs
from lumenar.store.runs import RunRow, RunState


@dataclass(frozen=True, kw_only=True)
class RunView:
    """One run. meter: that of light, with its serial number; corrected: whether a correction applied; done of total: readings."""

    id: int
    review: int
    unit: int
    state: RunState
    message: str
    created_at: str
    meter: str
    serial: str
    corrected: bool
    warm: bool | None
    done: int
    total: int


@dataclass(frozen=True)
class RunPage:
    """Some runs, the newest first. before: the number to ask on with, None where these are the last."""

    runs: list[RunView]
    before: int | None


def _view(app: Application, run: RunRow) -> RunView:
    progress = runs.progress(app.db.connection(), run.id)
    return RunView(
        id=run.id,
        review=run.review_id,
        unit=run.unit_id,
        state=run.state,
        message=run.message,
        created_at=run.created_at,
        meter=str(run.meter.get("name", "")),
        serial=str(run.meter.get("serial", "")),
        corrected=run.correction_id is not None,
        warm=None if run.warm is None else bool(run.warm),
        done=progress.done,
        total=progress.total,
    )


def view(app: Application, run_id: int) -> RunView:
    """One run; NotFoundError where there is none."""
    run = runs.get(app.db.connection(), run_id)
    if run is None:
        raise NotFoundError("run", f"There is no run {run_id}.")
    return _view(app, run)


def page(app: Application, review_id: int, before: int | None, limit: int) -> RunPage:
    """The runs of a review from before a number on; NotFoundError where there is no such review."""
    db = app.db.connection()
    if reviews.unit_of(db, review_id) is None:
        raise NotFoundError("review", f"There is no review {review_id}.")
    found = runs.of_review(db, review_id, before, limit + 1)
    shown = [_view(app, r) for r in found[:limit]]
    return RunPage(shown, shown[-1].id if len(found) > limit else None)
