"""What tables of readings share: setup by setup, light alone. Waveforms and spectra, meters, corrections and runs stand in the
JSON file only."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from lumenar.app.application import Application
from lumenar.app.exchange.export import PATCH_ID, READS, uses_of
from lumenar.app.figures import cells
from lumenar.store import readings, reviews

Row = tuple[object, ...]
"""A reading in the order of COLUMNS."""


@dataclass(frozen=True)
class SetupTable:
    """A setup and its light readings, each with the measurements that use it."""

    name: str
    unit: str
    mode: str
    signal: str
    target: str
    readings: Sequence[tuple[Row, Sequence[str]]]


def text_of_cell(value: object) -> str:
    """A value as it stands in a table: floats exactly."""
    return "" if value is None else repr(value) if isinstance(value, float) else str(value)


def line_of(values: Iterable[object]) -> str:
    """Cells as a part of a line."""
    out = io.StringIO()
    csv.writer(out, lineterminator="").writerow([text_of_cell(c) for c in values])
    return out.getvalue()


def tables(app: Application, review_id: int) -> Iterator[SetupTable]:
    """For each setup the readings of its newest complete cells that are not stale, without waveforms and spectra."""
    db = app.db.connection()
    fresh = cells.newest(app, review_id).fresh
    units = {u.id: f"u{i}" for i, u in enumerate(reviews.units_of(db, review_id), 1)}
    for setup in reviews.setups_of(db, review_id):
        own = {cell.measurement: row.run_id for cell, row in fresh.items() if cell.setup == setup.id}
        read: list[tuple[tuple[Any, ...], list[str]]] = []
        for run_id in dict.fromkeys(own.values()):
            uses = uses_of(app, run_id, setup.id, {m for m, r in own.items() if r == run_id})
            # Whoever reads the parts may do so in another thread each time.
            rows = readings.of_setup(app.db.connection(), run_id, setup.id)
            read += [(r, uses[r[PATCH_ID]]) for r in rows if r[PATCH_ID] in uses and r[READS] == "XYZ"]
        if own:
            yield SetupTable(setup.name, units[setup.unit_id], setup.mode, setup.signal, setup.target, read)
