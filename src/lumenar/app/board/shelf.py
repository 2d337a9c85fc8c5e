"""Reviews: adding one from a unit file, listing, deleting."""

from __future__ import annotations

import logging
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.displays import display_of
from lumenar.app.errors import NotFoundError
from lumenar.app.figures import cells
from lumenar.app.scoring import setup_scores
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.menu.controls import Panel
from lumenar.store import editions, reviews, runs

NO_REVIEW = 0
"""The number that no review has. Its version changes with what concerns all reviews."""
log = logging.getLogger("lumenar.shelf")


@dataclass(frozen=True, kw_only=True)
class Headline:
    """The best setup for one purpose with its score and interval, and beside it the best mode as shipped where that is
    another."""

    purpose: str
    title: str
    value: float | None
    low: float | None
    high: float | None
    mode: str
    setup: int
    shipped_value: float | None = None
    shipped_mode: str = ""


@dataclass(frozen=True, kw_only=True)
class ShelfEntry:
    """One review as the Shelf shows it."""

    id: int
    name: str
    kind: str
    panel: Panel
    about: str
    sample: str
    serial: str
    firmware: str
    modes: int
    samples: int
    cells_measured: int
    cells: int
    run_state: str | None
    editions: int
    published: str | None
    headline: list[Headline]


def review_ids(app: Application) -> list[int]:
    """The numbers of all reviews, newest first. They are read once for as long as no review was added or deleted: beside a run,
    each query makes the thread that answers requests wait for its turn several times."""
    (changes, _), _ = app.db.version(NO_REVIEW)
    found: list[int] = app.cache.get(("review ids", changes), lambda: _review_ids(app))
    return found


def _review_ids(app: Application) -> list[int]:
    return list(reversed(reviews.review_ids(app.db.connection())))


def shelf(app: Application) -> list[ShelfEntry]:
    """All reviews with their state and headline figures, newest first."""
    return [entry_or_fault(app, review_id) for review_id in review_ids(app)]


def entry_or_fault(app: Application, review_id: int) -> ShelfEntry:
    """A review's entry. If it cannot be made, it says so in its place, so that the other reviews can still be seen."""
    try:
        return entry(app, review_id)
    except NotFoundError:
        raise
    except Exception as e:
        log.exception("review %d could not be shown", review_id)
        row = reviews.unit_of(app.db.connection(), review_id)
        name = row.name if row else f"Review {review_id}"
        about = f"This review cannot be shown ({type(e).__name__}: {' '.join(str(e).split())[:200]}); others can."
        return ShelfEntry(
            id=review_id,
            name=name,
            kind="",
            panel="other",
            about=about,
            sample="",
            serial="",
            firmware="",
            modes=0,
            samples=0,
            cells_measured=0,
            cells=0,
            run_state=None,
            editions=0,
            published=None,
            headline=[],
        )


def entry(app: Application, review_id: int, now: cells.Newest | None = None) -> ShelfEntry:
    """One review as the Shelf shows it; `now` is the state of its cells where it is known."""
    db = app.db.connection()
    shown = display_of(app, review_id)
    row = shown.row
    now = now or cells.newest(app, review_id, patient=False)
    units = reviews.units_of(db, review_id)
    setups = reviews.setups_of(db, review_id)
    published = editions.of_review(db, review_id)
    state = next((r.state for r in runs.unfinished(db) if r.review_id == review_id), None)
    best = setup_scores.best_modes(app, review_id, now)
    return ShelfEntry(
        id=review_id,
        name=row.name,
        kind=row.kind,
        panel=row.panel,
        about=row.about,
        sample=row.sample,
        serial=row.serial,
        firmware=row.firmware,
        modes=len(shown.menu.modes),
        cells_measured=len(now.fresh),
        cells=len(setups) * len(MEASUREMENTS),
        samples=len(units),
        run_state=state,
        editions=len(published),
        published=published[0].folder if published else None,
        headline=[_headline(app, b) for b in best],
    )


def _headline(app: Application, best: setup_scores.Best) -> Headline:
    setup, score = best.of_all
    shipped = best.as_shipped if best.as_shipped and best.as_shipped[0].id != setup.id else None
    return Headline(
        purpose=best.purpose,
        title=app.rubric.purposes[best.purpose].title,
        value=score.value,
        low=score.low,
        high=score.high,
        mode=setup.name,
        setup=setup.id,
        shipped_value=shipped[1].value if shipped else None,
        shipped_mode=shipped[0].name if shipped else "",
    )
