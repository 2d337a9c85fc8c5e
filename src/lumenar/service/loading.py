"""From committed rows to readings as arrays."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour.correction import corrected
from lumenar.core.readings import NO_TRACES, Layout, MeterLimits, Readings, trace_array
from lumenar.service.application import Data
from lumenar.store import corrections, readings, runs

Array = NDArray[np.float64]
Index = NDArray[np.intp]


def correction_key(matrix: Any) -> int:
    """A number that tells corrections apart, from the matrix (3, 3) itself, so that a file has it too."""
    return crc32(np.rint(np.asarray(matrix, float) * 1e6).astype(np.int64).tobytes())


def limits(data: Data, run_id: int) -> tuple[MeterLimits, Array | None]:
    """The limits of the meter that a run was read with, and its correction (3, 3)."""
    db = data.db.connection()
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


def setup_readings(data: Data, run_id: int, setup_id: int) -> SetupReadings:
    """A setup's readings in a run, corrected; one that was read again counts as its median."""
    db = data.db.connection()
    ids = np.array(runs.patch_ids(db, run_id, setup_id), np.int64)
    plan = _plan(data, run_id, setup_id, ids)
    first, last = (int(ids[0]), int(ids[-1])) if len(ids) else (0, -1)
    columns = zip(*readings.values(db, first, last), strict=True)
    rows = np.array([np.array(c, float) for c in columns]).T.reshape(-1, 6)
    patch = np.searchsorted(ids, rows[:, 0]).clip(0, max(len(ids) - 1, 0))
    # Patches of another setup may lie between this one's.
    own = ids[patch] == rows[:, 0]
    rows, patch = rows[own], patch[own]
    meter, matrix = limits(data, run_id)
    XYZ = rows[:, 1:4]
    if matrix is not None:
        XYZ = np.where(plan.layout.of_light[patch][:, None], corrected(XYZ, matrix), XYZ)
    # The rows come patch by patch.
    begin = np.flatnonzero(np.diff(patch, prepend=-1))
    read, values, ends = patch[begin], XYZ[begin], np.append(begin[1:], len(patch))
    for g in np.flatnonzero(ends - begin > 1):
        again = XYZ[begin[g] : ends[g]]
        again = again[np.isfinite(again).all(axis=1)]
        values[g] = np.median(again, axis=0) if len(again) else np.nan
    whole = len(read) == len(ids)
    layout = plan.layout if whole else plan.layout.take(read)
    below = (rows[begin, 5] == 1) | (layout.of_light & (values[:, 1] < meter.floor))
    values[below] = np.nan
    traces = NO_TRACES
    if not layout.of_light.all():
        traces = np.empty(len(read), object)
        other = np.flatnonzero(~layout.of_light)
        numbers = ids[read[other]].tolist()
        held = readings.traces(db, numbers)
        traces[other] = trace_array([held.get((i, 1)) for i in numbers])
    place = None
    if not whole:
        place = np.full(len(ids), -1, np.intp)
        place[read] = np.arange(len(read))
    return SetupReadings(Readings(layout, values, rows[begin, 4], below, traces, meter), plan, place)


def _plan(data: Data, run_id: int, setup_id: int, ids: NDArray[np.int64]) -> Planned:
    """A setup's plan in a run, shared by all that were measured by the same."""
    db = data.db.connection()
    digest = runs.plan_of(db, run_id, setup_id)

    def find() -> Planned:
        every, others = runs.planned(db, run_id, setup_id)
        index = dict(zip(ids.tolist(), range(len(ids)), strict=True))
        table = np.array([np.array(c, float) for c in zip(*every, strict=True)]).T.reshape(-1, 4)
        n = len(table)
        level, at_s, zone = np.full(n, np.nan), np.full(n, np.nan), np.full((n, 4), np.nan)
        pattern, reads = np.full(n, "window", "<U15"), np.full(n, "XYZ", "<U8")
        for patch_id, its_level, place, its_pattern, its_time, its_reads in others:
            i = index[patch_id]
            level[i], at_s[i] = np.nan if its_level is None else its_level, np.nan if its_time is None else its_time
            pattern[i], reads[i] = its_pattern, its_reads
            if place is not None:
                zone[i] = json.loads(place)
        layout = Layout(table[:, :3], table[:, 3], level, zone, pattern, at_s, reads)
        uses: dict[str, list[int]] = {}
        for patch_id, measurement in readings.uses(db, int(ids[0]), int(ids[-1])) if n else ():
            if patch_id in index:
                uses.setdefault(measurement, []).append(index[patch_id])
        return Planned(layout, {m: np.array(places, np.intp) for m, places in uses.items()})

    plan: Planned = data.loaded.get(("plan", digest or (run_id, setup_id)), find)
    return plan
