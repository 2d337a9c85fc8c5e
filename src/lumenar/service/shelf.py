"""Reviews: adding one from a unit file, listing, deleting."""

from __future__ import annotations

import json
import logging
import sqlite3
from collections.abc import Collection
from dataclasses import dataclass

from lumenar.bench.drivers.simulated import Arrival
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.menu import Menu, Mode, Panel, document_of
from lumenar.core.signals import Signal
from lumenar.service import cells, verdict
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.displays import arrivals, display_of
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.service.units import shipped_units
from lumenar.store import editions, menus, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow
from lumenar.store.unit_file_menu import evened

log = logging.getLogger("lumenar.shelf")


@dataclass(frozen=True)
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


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class ShippedUnit:
    """A unit file that ships with Lumenar."""

    file: str
    name: str
    kind: str
    panel: Panel
    about: str
    modes: list[str]


def list_shipped() -> list[ShippedUnit]:
    """The shipped unit files."""
    found = []
    for name, text in shipped_units().items():
        unit = arrivals(text, name)[0]
        modes = [m.name for m in unit.menu.modes]
        found.append(ShippedUnit(name, f"{unit.maker} {unit.model}", unit.kind, unit.panel, unit.about, modes))
    return found


def add_review(app: Application, text: str | bytes, name: str = "unit file") -> int:
    """A new review of the unit in a unit file; one setup for each of its modes, as shipped. Returns its number."""
    samples = arrivals(text, name)
    with app.db.transaction() as db:
        review_id = reviews.add_review(db, now())
        known: dict[str, int] = {}
        for i, sample in enumerate(samples):
            _add_stand_in(db, review_id, sample, "" if i == 0 else f" (sample {sample.sample})", known)
    return review_id


def _add_stand_in(db: sqlite3.Connection, review_id: int, a: Arrival, suffix: str, known: dict[str, int]) -> None:
    """One sample with a setup for each of its modes; samples whose menus are equal share one (known: by text)."""
    document = document_of(a.menu)
    text = evened(json.dumps(document))
    if text not in known:
        known[text] = menus.add(db, document)
    row = UnitRow(
        0, review_id, known[text], a.maker, a.model, a.serial, a.sample, a.firmware, a.kind, a.panel, a.about, a.size_inch,
        *a.pixels, a.bits, a.signal_range,
    )  # fmt: skip
    unit_id = reviews.add_unit(db, row)
    reviews.add_stand_in(db, unit_id, a.text)
    add_setups(db, unit_id, a.menu, suffix)


HDR_BITS = 10
"""PQ and HLG with fewer bits a channel show steps."""


def first_format(signal: Signal, bits: int) -> dict[str, int]:
    """The signal of a new setup of a display that isn't simulated: HDR has at least 10 bits, SDR as many as usual."""
    return {} if signal == "sdr" or bits >= HDR_BITS else {"bits": HDR_BITS}


def add_setups(
    db: sqlite3.Connection, unit_id: int, menu: Menu, suffix: str = "", bits: int = HDR_BITS
) -> None:  # fmt: skip
    """One setup for each mode of a menu, as shipped. bits: a channel of the signal that the display usually gets."""
    names: list[str] = []
    for position, mode in enumerate(menu.modes):
        names.append(setup_name(mode, names))
        setup = SetupRow(
            0, unit_id, position, names[-1] + suffix, mode.name, 1, mode.signal, mode.target, {},
            format=first_format(mode.signal, bits),
        )  # fmt: skip
        reviews.add_setup(db, setup)


def setup_name(mode: Mode, taken: Collection[str]) -> str:
    """What a mode's setup is called: as the mode, and where one under another signal is called so already, with the signal."""
    return mode.name if mode.name not in taken else f"{mode.name} ({mode.signal})"


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


def review_ids(app: Application) -> list[int]:
    """The numbers of all reviews, newest first."""
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
        return ShelfEntry(review_id, name, "", "other", about, "", "", "", 0, 0, 0, 0, None, 0, None, [])


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
    best = verdict.best_modes(app, review_id, now)
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


def _headline(app: Application, best: verdict.Best) -> Headline:
    setup, score = best.of_all
    shipped = best.as_shipped if best.as_shipped and best.as_shipped[0].id != setup.id else None
    return Headline(
        best.purpose, app.rubric.purposes[best.purpose].title, score.value, score.low, score.high, setup.name, setup.id,
        shipped[1].value if shipped else None, shipped[0].name if shipped else "",
    )  # fmt: skip
