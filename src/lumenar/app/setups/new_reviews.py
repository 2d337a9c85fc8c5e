"""Add a review from a unit file, with one setup for each mode, and delete one."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Collection
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.drivers.simulated import Arrival, arrivals
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.core.menu.controls import Panel
from lumenar.core.menu.documents import document_of
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.signals import Signal
from lumenar.store import menus, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow
from lumenar.store.unit_file_menu import evened


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
            _add_simulated(db, review_id, sample, "" if i == 0 else f" (sample {sample.sample})", known)
    return review_id


def _add_simulated(db: sqlite3.Connection, review_id: int, a: Arrival, suffix: str, known: dict[str, int]) -> None:
    """One sample with a setup for each of its modes; samples whose menus are equal share one (known: by text)."""
    document = document_of(a.menu)
    text = evened(json.dumps(document))
    if text not in known:
        known[text] = menus.add(db, document)
    row = UnitRow(
        id=0,
        review_id=review_id,
        menu_id=known[text],
        maker=a.maker,
        model=a.model,
        serial=a.serial,
        sample=a.sample,
        firmware=a.firmware,
        kind=a.kind,
        panel=a.panel,
        about=a.about,
        size_inch=a.size_inch,
        width_px=a.pixels[0],
        height_px=a.pixels[1],
        bits=a.bits,
        signal_range=a.signal_range,
    )
    unit_id = reviews.add_unit(db, row)
    reviews.add_stand_in(db, unit_id, a.text)
    add_setups(db, unit_id, a.menu, suffix)


HDR_BITS = 10
"""PQ and HLG with fewer bits a channel show steps."""


def first_format(signal: Signal, bits: int) -> dict[str, int]:
    """The signal of a new setup of a display that isn't simulated: HDR has at least 10 bits, SDR as many as usual."""
    return {} if signal == "sdr" or bits >= HDR_BITS else {"bits": HDR_BITS}


def add_setups(db: sqlite3.Connection, unit_id: int, menu: Menu, suffix: str = "", bits: int = HDR_BITS) -> None:
    """One setup for each mode of a menu, as shipped. bits: a channel of the signal that the display usually gets."""
    names: list[str] = []
    for position, mode in enumerate(menu.modes):
        names.append(setup_name(mode, names))
        setup = SetupRow(
            id=0,
            unit_id=unit_id,
            position=position,
            name=names[-1] + suffix,
            mode=mode.name,
            shipped=1,
            signal=mode.signal,
            target=mode.target,
            changes={},
            format=first_format(mode.signal, bits),
        )
        reviews.add_setup(db, setup)


def setup_name(mode: Mode, taken: Collection[str]) -> str:
    """What a mode's setup is called: as the mode, and where one under another signal is called so already, with the signal."""
    return mode.name if mode.name not in taken else f"{mode.name} ({mode.signal})"


def delete_review(app: Application, review_id: int) -> None:
    """Delete a review with its runs and readings; published editions stay where they lie. ConflictError while something on
    the bench works on it or waits to go on with it; a queued run goes with its review."""
    with app.bench_lock:
        job = app.occupancy.job if app.occupancy is not None else None
        if job is not None and job.review == review_id:
            what = {"run": "A run of this review", "free": "The meter running free on it"}.get(job.kind, "A correction")
            raise ConflictError("run-in-progress", f"{what} is on the bench; stop it first, then delete.")
        with app.db.transaction() as db:
            if any(r.review_id == review_id and r.state != "queued" for r in runs.unfinished(db)):
                raise ConflictError("run-in-progress", "A run is measuring this review; stop it first, then delete.")
            if not reviews.delete_review(db, review_id):
                raise NotFoundError("review", f"There is no review {review_id}.")
    app.forget()
