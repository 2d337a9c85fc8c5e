"""From committed rows to readings as arrays."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour.correction import corrected
from lumenar.core.readings import Layout, MeterLimits, Readings, Trace
from lumenar.service.application import Application
from lumenar.store import corrections, readings, runs

Array = NDArray[np.float64]
Index = NDArray[np.intp]


def correction_key(matrix: Any) -> int:
    """A number that tells corrections apart, from the matrix (3, 3) itself, so that a file has it too."""
    return crc32(np.rint(np.asarray(matrix, float) * 1e6).astype(np.int64).tobytes())


def limits(app: Application, run_id: int) -> tuple[MeterLimits, Array | None]:
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


@dataclass(frozen=True, eq=False)
class Planned:
    """What one setup was to be measured by: its patches, and which of them (index) each measurement uses."""

    layout: Layout
    uses: Mapping[str, Index]


@dataclass(frozen=True, eq=False)
class SetupReadings:
    """The readings of one setup in one run. place: the index among them of each planned patch, -1 where it was not
    read; None where all were."""

    readings: Readings
    plan: Planned
    place: Index | None

    def of(self, measurement: str) -> Readings:
        """The readings of one measurement."""
        wanted = self.plan.uses.get(measurement, np.zeros(0, np.intp))
        if self.place is not None:
            wanted = self.place[wanted]
            wanted = wanted[wanted >= 0]
        return self.readings.take(wanted)


def setup_readings(app: Application, run_id: int, setup_id: int) -> SetupReadings:
    """A setup's readings in a run, corrected; one that was read again counts as its median."""
    db = app.db.connection()
    ids = np.array(runs.patch_ids(db, run_id, setup_id), np.int64)
    plan = _plan(app, run_id, setup_id, ids)
    first, last = (int(ids.min()), int(ids.max())) if len(ids) else (0, -1)
    rows = np.array(readings.values(db, first, last), float).reshape(-1, 5)
    order = np.argsort(ids, kind="stable")
    at = np.searchsorted(ids, rows[:, 0], sorter=order).clip(0, max(len(ids) - 1, 0))
    patch = order[at]
    # Patches of another setup may lie between this one's.
    own = ids[patch] == rows[:, 0]
    rows, patch = rows[own], patch[own]
    meter, matrix = limits(app, run_id)
    XYZ = rows[:, 1:4]
    if matrix is not None:
        XYZ = np.where(plan.layout.of_light[patch][:, None], corrected(XYZ, matrix), XYZ)
    read, begin, group = np.unique(patch, return_index=True, return_inverse=True)
    values = XYZ[begin].copy()
    for g in np.flatnonzero(np.bincount(group, minlength=len(read)) > 1):
        again = XYZ[group == g]
        again = again[np.isfinite(again).all(axis=1)]
        values[g] = np.median(again, axis=0) if len(again) else np.nan
    whole = len(read) == len(ids)
    layout = plan.layout if whole else plan.layout.take(read)
    below = layout.of_light & (values[:, 1] < meter.floor)
    if not np.isfinite(values).all():
        below |= np.isin(ids[read], readings.below_floor(db, first, last))
    values[below] = np.nan
    traces: tuple[Trace | None, ...] = ()
    if not layout.of_light.all():
        held = readings.traces(db, ids[read][~layout.of_light].tolist())
        traces = tuple(held.get((i, 1)) for i in ids[read].tolist())
    place = None
    if not whole:
        place = np.full(len(ids), -1, np.intp)
        place[read] = np.arange(len(read))
    return SetupReadings(Readings(layout, values, rows[begin, 4], below, traces, meter), plan, place)


def _plan(app: Application, run_id: int, setup_id: int, ids: NDArray[np.int64]) -> Planned:
    """A setup's plan in a run, shared by all that were measured by the same."""
    db = app.db.connection()
    digest = runs.plan_of(db, run_id, setup_id)

    def find() -> Planned:
        columns = list(zip(*runs.planned(db, run_id, setup_id), strict=True)) or [()] * 11
        r, g, b, window, _, level, zone, pattern, at_s, _, reads = columns
        numbers = [np.array(c, float) for c in (r, g, b, window, level, at_s)]
        layout = Layout(
            np.stack(numbers[:3], axis=-1), numbers[3], numbers[4], _zones(zone), np.array(pattern, np.str_), numbers[5],
            np.array(reads, np.str_),
        )  # fmt: skip
        index = {patch_id: i for i, patch_id in enumerate(ids.tolist())}
        uses: dict[str, list[int]] = {}
        for patch_id, measurement in readings.uses(db, run_id, setup_id):
            uses.setdefault(measurement, []).append(index[patch_id])
        return Planned(layout, {m: np.array(places, np.intp) for m, places in uses.items()})

    plan: Planned = app.loaded.get(("plan", digest or (run_id, setup_id)), find)
    return plan


def _zones(texts: tuple[str | None, ...]) -> Array:
    out = np.full((len(texts), 4), np.nan)
    for i, text in enumerate(texts):
        if text is not None:
            out[i] = [float(v) for v in text.strip("[]").split(",")]
    return out
