"""From committed readings to analyses, cell by cell."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.colour.correction import corrected
from lumenar.core.readings import MeterLimits, Readings, Trace
from lumenar.core.targets import TARGETS, Target
from lumenar.service import analyses
from lumenar.service.application import Application
from lumenar.service.errors import BadInputError, NotFoundError
from lumenar.service.planning import settings_text
from lumenar.store import computed, corrections, readings, reviews, runs
from lumenar.store.database import StoreError
from lumenar.store.readings import COLUMNS
from lumenar.store.reviews import SetupRow
from lumenar.store.runs import CellRow


def target_of(key: str, signal: str | None = None) -> Target:
    """A target by key; BadInputError where it is unknown or made for another signal."""
    if key not in TARGETS:
        raise BadInputError("target", f"There is no target {key!r}; known are {', '.join(TARGETS)}.", "target")
    target = TARGETS[key]
    if signal is not None and target.signal != signal:
        raise BadInputError(
            "target", f"{target.title} is a target for {target.signal}, this setup is {signal}.", "target"
        )
    return target


def setup_of(app: Application, review_id: int, setup_id: int) -> SetupRow:
    """One setup of a review."""
    found = reviews.setup(app.db.connection(), setup_id)
    if found is None or found[1] != review_id:
        raise NotFoundError("setup", f"Review {review_id} has no setup {setup_id}.")
    return found[0]


@dataclass(frozen=True)
class Newest:
    """By cell: the newest complete run, the newest run of any state, and why a complete cell is stale where it is."""

    complete: dict[Cell, CellRow]
    latest: dict[Cell, CellRow]
    stale: dict[Cell, str]

    @property
    def fresh(self) -> dict[Cell, CellRow]:
        """Complete cells that still hold."""
        return {c: r for c, r in self.complete.items() if c not in self.stale}


def newest(app: Application, review_id: int) -> Newest:
    """The state of every cell of a review."""
    db = app.db.connection()
    complete, latest = (
        {Cell(row.setup_id, row.measurement): row for row in runs.cells(db, review_id, complete=only)}
        for only in (True, False)
    )
    changed = runs.last_change(db, review_id)
    setups = {s.id: s for s in reviews.setups_of(db, review_id)}
    firmware = {u.id: u.firmware for u in reviews.units_of(db, review_id)}
    stale = {}
    for cell, row in complete.items():
        setup = setups[cell.setup]
        if row.settings != settings_text(setup):
            stale[cell] = "a setting changed since"
        elif row.firmware != firmware[setup.unit_id]:
            stale[cell] = f"measured with firmware {row.firmware}"
        elif row.run_id < changed.get(cell.setup, 0):
            stale[cell] = "the unit looked different in a later run"
    return Newest(complete, latest, stale)


def correction_key(matrix: Any) -> int:
    """A number that tells corrections apart, from the matrix (3, 3) itself, so that a file has it too."""
    return crc32(np.rint(np.asarray(matrix, float) * 1e6).astype(np.int64).tobytes())


def limits(app: Application, run_id: int) -> tuple[MeterLimits, NDArray[np.float64] | None]:
    """The limits of the meter that a run was read with, and its correction (3, 3)."""
    db = app.db.connection()
    run = runs.get(db, run_id)
    meter = run.meter if run else {}
    correction = corrections.get(db, run.correction_id) if run and run.correction_id else None
    base = MeterLimits(float(str(meter.get("repeatability", 0.002))), float(str(meter.get("floor", 0.0))))
    if correction is None:
        return base, None
    u = correction.residual.get("u_percent", 0.0) / 100
    return MeterLimits(base.repeatability, base.floor, u, correction_key(correction.matrix)), np.array(
        correction.matrix
    )


@dataclass(frozen=True)
class SetupReadings:
    """All readings of one setup in one run, and which of them each measurement uses."""

    readings: Readings
    uses: Mapping[str, NDArray[np.intp]]

    def of(self, measurement: str) -> Readings:
        """The readings of one measurement."""
        return self.readings.take(self.uses.get(measurement, np.zeros(0, np.intp)))


def setup_readings(app: Application, run_id: int, setup_id: int) -> SetupReadings:
    """A setup's readings in a run as arrays, corrected; one that was read again counts as its median."""
    db = app.db.connection()
    rows = readings.of_setup(db, run_id, setup_id)
    meter, matrix = limits(app, run_id)
    column = dict(zip(COLUMNS, zip(*rows, strict=True), strict=True)) if rows else dict.fromkeys(COLUMNS, ())
    patch_ids = np.array(column["patch_id"], np.int64)
    ids, first, group = np.unique(patch_ids, return_index=True, return_inverse=True)
    XYZ = np.array([column["X"], column["Y"], column["Z"]], float).T.reshape(-1, 3)
    reads = np.array(column["reads"], np.str_)
    if matrix is not None:
        XYZ = np.where((reads == "XYZ")[:, None], corrected(XYZ, matrix), XYZ)
    values = XYZ[first].copy()
    for g in np.flatnonzero(np.bincount(group, minlength=len(ids)) > 1):
        good = XYZ[group == g]
        good = good[np.isfinite(good).all(axis=1)]
        values[g] = np.median(good, axis=0) if len(good) else np.nan

    def numbers(name: str) -> NDArray[np.float64]:
        return np.array(column[name], float)[first] if rows else np.zeros(0)

    light = reads[first] == "XYZ" if rows else np.zeros(0, bool)
    below = np.array([column["outcome"][i] == "below_floor" for i in first], bool) | (
        light & (values[:, 1] < meter.floor)
    )
    values[below] = np.nan
    held: dict[int, Trace] = readings.traces(db, run_id, setup_id) if (reads != "XYZ").any() else {}
    found = Readings(
        rgb=np.stack([numbers(c) for c in "rgb"], axis=-1),
        XYZ=values,
        window=numbers("window"),
        level=numbers("level"),
        zone=_zones([column["zone"][i] for i in first]),
        pattern=np.array(column["pattern"], np.str_)[first] if rows else np.zeros(0, np.str_),
        at_s=numbers("at_s"),
        time_s=numbers("time_s"),
        below_floor=below,
        traces=tuple(held.get(column["id"][i]) for i in first) if held else (),
        meter=meter,
    )
    return SetupReadings(found, _uses(app, run_id, setup_id, ids))


def _zones(texts: list[str | None]) -> NDArray[np.float64]:
    out = np.full((len(texts), 4), np.nan)
    for i, text in enumerate(texts):
        if text is not None:
            out[i] = [float(v) for v in text.strip("[]").split(",")]
    return out


def _uses(app: Application, run_id: int, setup_id: int, ids: NDArray[np.int64]) -> dict[str, NDArray[np.intp]]:
    by_measurement: dict[str, list[int]] = {}
    for patch_id, measurement in readings.uses(app.db.connection(), run_id, setup_id):
        by_measurement.setdefault(measurement, []).append(patch_id)
    found = {}
    for measurement, patches in by_measurement.items():
        at = np.searchsorted(ids, patches)
        inside = at < len(ids)
        at = at[inside]
        found[measurement] = at[ids[at] == np.array(patches)[inside]]
    return found


def readings_of(app: Application, row: CellRow) -> Readings:
    """The readings of one complete cell as arrays. A finished run's are kept for a while: its cells ask in turn."""
    if row.state not in ("done", "stopped"):
        return setup_readings(app, row.run_id, row.setup_id).of(row.measurement)
    key = ("readings", row.run_id, row.setup_id)
    loaded: SetupReadings = app.loaded.get(key, lambda: setup_readings(app, row.run_id, row.setup_id))
    return loaded.of(row.measurement)


QUICK_DRAWS = 60
"""Draws for a target that is only being tried: enough for an uncertainty to one digit."""


def analysis_of(app: Application, row: CellRow, target: Target, tried: bool = False) -> Analysis:
    """The analysis of one complete cell against a target. Its readings never change, so it is computed once and kept
    between starts; against a target that is only being tried it is made with fewer draws, and kept for a while."""
    if tried:
        quick = ("tried", row.run_id, row.setup_id, row.measurement, target.key)
        result: Analysis = app.cache.get(
            quick, lambda: analyse(row.measurement, readings_of(app, row), target, most_draws=QUICK_DRAWS)
        )
        return result
    key = computed.Key(row.run_id, row.setup_id, row.measurement, target.key, analyses.VERSION)

    def find() -> Analysis:
        text = computed.get(app.db.connection(), key)
        if text is not None:
            return analyses.loads(text)
        made = analyse(row.measurement, readings_of(app, row), target)
        try:
            with app.db.transaction() as db:
                computed.put(db, key, analyses.dumps(made))
        except StoreError:
            # A full disk must not keep anyone from seeing figures.
            pass
        return made

    kept: Analysis = app.cache.get(("analysis", key), find)
    return kept


def analyses_of(app: Application, setup: SetupRow, complete: Mapping[Cell, CellRow]) -> dict[str, Analysis]:
    """A setup's analyses by measurement, against its own declared target."""
    target = TARGETS[setup.target]
    return {cell.measurement: analysis_of(app, row, target) for cell, row in complete.items() if cell.setup == setup.id}
