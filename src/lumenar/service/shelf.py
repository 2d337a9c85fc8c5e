"""Reviews: adding one from a unit file, listing, deleting."""

from __future__ import annotations

import logging
import sqlite3
from dataclasses import dataclass

from lumenar.bench.simulated.unit_file import UnitFile, parse_unit
from lumenar.core.measurements import MEASUREMENTS
from lumenar.service import cells, verdict
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.service.units import parse, shipped_units, unit_of
from lumenar.store import editions, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow

log = logging.getLogger("lumenar.shelf")


@dataclass(frozen=True)
class Headline:
    """The best mode for one purpose with its score and interval."""

    purpose: str
    title: str
    value: float | None
    low: float | None
    high: float | None
    mode: str


@dataclass(frozen=True)
class ShelfEntry:
    """One review as the Shelf shows it."""

    id: int
    name: str
    kind: str
    panel: str
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


@dataclass(frozen=True)
class ShippedUnit:
    """A unit file that ships with Lumenar."""

    file: str
    name: str
    kind: str
    panel: str
    about: str
    modes: list[str]


def list_shipped() -> list[ShippedUnit]:
    """The shipped unit files."""
    found = []
    for name, text in shipped_units().items():
        unit = parse_unit(text, name)
        modes = [m.name for m in unit.modes]
        found.append(ShippedUnit(name, f"{unit.maker} {unit.model}", unit.kind, unit.panel, unit.about, modes))
    return found


def add_review(app: Application, text: str | bytes, name: str = "unit file") -> int:
    """A new review of the unit in a unit file; one setup for each of its modes, as shipped. Returns its number."""
    unit = parse(text, name)
    with app.db.transaction() as db:
        review_id = reviews.add_review(db, now())
        for file in (unit, *(unit.of_sample(s) for s in unit.samples)):
            _add_unit(db, review_id, file, "" if file is unit else f" (sample {file.sample})")
    return review_id


def _add_unit(db: sqlite3.Connection, review_id: int, unit: UnitFile, suffix: str) -> None:
    row = UnitRow(
        0, review_id, unit.maker, unit.model, unit.serial, unit.sample, unit.firmware, unit.panel, unit.model_dump_json()
    )  # fmt: skip
    unit_id = reviews.add_unit(db, row)
    for position, mode in enumerate(unit.modes):
        setup = SetupRow(0, unit_id, position, mode.name + suffix, mode.name, 1, mode.signal, mode.target, {})
        reviews.add_setup(db, setup)


def delete_review(app: Application, review_id: int) -> None:
    """Delete a review with its runs and readings; published editions stay where they lie. ConflictError while something on
    the bench works on it or waits to go on with it; a queued run goes with its review."""
    with app.bench_lock:
        job = app.seat.job if app.seat is not None else None
        if job is not None and job.review == review_id:
            what = {"run": "A run of this review", "free": "The meter running free on it"}.get(job.kind, "A correction")
            raise ConflictError("run-in-progress", f"{what} is on the bench; stop it first, then delete.")
        with app.db.transaction() as db:
            if any(r.review_id == review_id and r.state != "queued" for r in runs.unfinished(db)):
                raise ConflictError("run-in-progress", "A run is measuring this review; stop it first, then delete.")
            if not reviews.delete_review(db, review_id):
                raise NotFoundError("review", f"There is no review {review_id}.")
    app.forget()


def shelf(app: Application) -> list[ShelfEntry]:
    """All reviews with their state and headline figures, newest first."""
    return [_entry_or_fault(app, review_id) for review_id in reversed(reviews.review_ids(app.db.connection()))]


def _entry_or_fault(app: Application, review_id: int) -> ShelfEntry:
    """A review's entry; one that cannot be made says so in its place, and takes no other with it."""
    try:
        return entry(app, review_id)
    except NotFoundError:
        raise
    except Exception as e:
        log.exception("review %d could not be shown", review_id)
        row = reviews.unit_of(app.db.connection(), review_id)
        name = row.name if row else f"Review {review_id}"
        about = f"This review cannot be shown ({type(e).__name__}: {' '.join(str(e).split())[:200]}); others can."
        return ShelfEntry(review_id, name, "", "other", about, "", "", "", 0, 0, 0, 0, None, 0, None, [])


def entry(app: Application, review_id: int, now: cells.Newest | None = None) -> ShelfEntry:
    """One review as the Shelf shows it; `now` is the state of its cells where it is known."""
    db = app.db.connection()
    row, file = unit_of(app, review_id)
    now = now or cells.newest(app, review_id)
    units = reviews.units_of(db, review_id)
    setups = reviews.setups_of(db, review_id)
    published = editions.of_review(db, review_id)
    state = next((r.state for r in runs.unfinished(db) if r.review_id == review_id), None)
    best = verdict.best_modes(app, review_id, now)
    return ShelfEntry(
        id=review_id,
        name=row.name,
        kind=file.kind,
        panel=row.panel,
        about=file.about,
        sample=row.sample,
        serial=row.serial,
        firmware=row.firmware,
        modes=len(file.modes),
        cells_measured=len(now.fresh),
        cells=len(setups) * len(MEASUREMENTS),
        samples=len(units),
        run_state=state,
        editions=len(published),
        published=published[0].folder if published else None,
        headline=[
            Headline(p, app.rubric.purposes[p].title, s.value, s.low, s.high, setup.name) for p, setup, s in best
        ],
    )
