"""From committed rows to readings as arrays."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from lumenar.app.data import Data
from lumenar.core.colour.correction import ColourReadings, corrected, mismatch, spread
from lumenar.core.readings.meter_limits import ASSUMED_ABSOLUTE, MeterLimits
from lumenar.core.readings.readings import COLD, NO_TRACES, Layout, Readings, judged, trace_array
from lumenar.core.readings.warm_up import Remaining, remaining
from lumenar.core.targets import of_its_own, resolve
from lumenar.core.uncertainty import DRAWS
from lumenar.store import corrections, plans, readings, reviews, runs, watched
from lumenar.store.checksum import reading_sums
from lumenar.store.database import SAVE, DamagedError

Array = NDArray[np.float64]
Index = NDArray[np.intp]


def correction_key(matrix: Any) -> int:
    """A number that tells corrections apart, from the matrix (3, 3) itself, so that a file has it too."""
    return crc32(np.rint(np.asarray(matrix, float) * 1e6).astype(np.int64).tobytes())


def series_from(document: Mapping[str, Any]) -> tuple[ColourReadings, ColourReadings]:
    """Both meters' series of a correction from how they are kept. KeyError or ValueError where they are not such."""
    pair = []
    for who in ("reference", "working"):
        d = document[who]
        names = tuple(str(n) for n in d["names"])
        XYZ, time_s = np.asarray(d["XYZ"], float).reshape(len(names), 3), np.asarray(d["time_s"], float)
        if len(time_s) != len(names) or not np.isfinite(XYZ).all():
            raise ValueError(f"{who}: names, XYZ and time_s must be of one length and all numbers")
        kept = d.get("covariance")
        covariance = None if kept is None else np.asarray(kept, float).reshape(len(names), 3, 3)
        pair.append(ColourReadings(names, XYZ, time_s, float(d["repeatability"]), float(d["absolute"]), covariance))
    return pair[0], pair[1]


def document_of(reference: ColourReadings, working: ColourReadings) -> dict[str, Any]:
    """Both series as they are kept; the inverse of `series_from`."""
    return {
        who: {
            "names": list(s.names),
            "XYZ": s.XYZ.tolist(),
            "time_s": s.time_s.tolist(),
            "repeatability": s.repeatability,
            "absolute": s.absolute,
            **({} if s.covariance is None else {"covariance": s.covariance.tolist()}),
        }
        for who, s in (("reference", reference), ("working", working))
    }


def corrected_limits(base: MeterLimits, matrix: Any, series: Mapping[str, Any] | None, u: float) -> MeterLimits:
    """A meter's limits with what is known of its correction: how else it might have come out where both meters' series are
    kept, else its relative uncertainty u per channel."""
    key = correction_key(matrix)
    draws = None if series is None else _spread(key, json.dumps(series, sort_keys=True))
    return replace(base, correction_draws=draws, correction_u=u, correction_key=key)


UNNAMED = "unnamed"
"""What a meter is called of which a file says nothing."""


def uncorrected(base: MeterLimits, kind: str | None, name: str, serial: str, panel: str) -> MeterLimits:
    """A meter's limits without a correction: a colorimeter's filters are off by what they may be for that kind of panel. Nothing
    is assumed of a meter that has no name."""
    if kind != "colorimeter" or name in ("", UNNAMED):
        return base
    key = crc32(f"{name}|{serial}|{panel}".encode())
    return replace(base, correction_draws=_mismatch(panel, key), correction_key=key, mismatched=True)


@lru_cache(maxsize=32)
def _mismatch(panel: str, key: int) -> Array:
    return mismatch(panel, DRAWS, key)


@lru_cache(maxsize=32)
def _spread(key: int, series: str) -> Array:
    return spread(*series_from(json.loads(series)), DRAWS, key)


def meter_limits(meter: Mapping[str, Any]) -> MeterLimits:
    """What a meter's readings are judged by, from how a run remembers it; what it does not say is assumed."""
    repeatability = float(meter.get("repeatability", 0.002))
    floor = float(meter.get("floor", meter.get("estimated_floor", 0.0)))
    absolute = meter.get("absolute", meter.get("estimated_absolute"))
    if absolute is not None:
        return MeterLimits(repeatability, floor, float(absolute), floor_origin=meter.get("floor_origin", "stated"))
    if floor > 0:
        # Runs older than this being recorded: the noise of a meter at its floor is about a third of it at the most.
        return MeterLimits(repeatability, floor, floor / 3)
    return MeterLimits(repeatability, 2 * ASSUMED_ABSOLUTE, ASSUMED_ABSOLUTE, floor_origin="assumed")


def limits(data: Data, run_id: int) -> tuple[MeterLimits, Array | None]:
    """The limits of the meter that a run was read with, and its correction (3, 3)."""
    db = data.db.connection()
    run = runs.get(db, run_id)
    base = meter_limits(run.meter if run else {})
    correction = corrections.get(db, run.correction_id) if run and run.correction_id else None
    if correction is None:
        unit = reviews.unit(db, run.unit_id) if run else None
        meter = run.meter if run else {}
        panel = unit.panel if unit else "other"
        return uncorrected(base, meter.get("kind"), meter.get("name", ""), meter.get("serial", ""), panel), None
    u = correction.residual.get("u_percent", 0.0) / 100
    return corrected_limits(base, correction.matrix, correction.series, u), np.array(correction.matrix)


White = tuple[float, float, float]


def watched_whites(data: Data, run_id: int, setup_id: int) -> tuple[list[float] | None, list[tuple[float, White]]]:
    """XYZ as read of a setup's rested white in a run, and bench time and XYZ of the whites that watched it."""
    db = data.db.connection()
    later = [(t, (X, Y, Z)) for t, X, Y, Z in watched.whites(db, run_id, setup_id)]
    # Runs older than whites being watched at the end of every setup: what else was read of white. That is in the figures
    # already, so its noise would count twice.
    return watched.rested_white(db, run_id, setup_id), later or readings.plain_whites(db, run_id, setup_id)


def watched_white(data: Data, run_id: int, setup_id: int) -> tuple[float | None, list[tuple[float, float]]]:
    """`watched_whites` by their luminance alone."""
    rested, later = watched_whites(data, run_id, setup_id)
    return (None if rested is None else float(rested[1])), [(t, XYZ[1]) for t, XYZ in later]


def left_to_warm(
    warm: bool | None,
    warming: Sequence[tuple[float, float]],
    whites: Sequence[tuple[float, float]],
    repeatability: float,
) -> Remaining:
    """What the light of a setup lacked of a warm display's. Nothing is known of it while nobody saw the unit to be warm (warm is
    False). Else how it warmed up (bench time, luminance) tells what was left afterwards, with the whites that watched the setup;
    without that a person's word that it is warm is taken."""
    if warm is False:
        return Remaining(0.0, COLD)
    return (remaining(warming, whites, repeatability) if warm else None) or Remaining(0.0, 0.0)


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
    ids = np.array(plans.patch_ids(db, run_id, setup_id), np.int64)
    plan = _plan(data, run_id, setup_id, ids)
    rows = _rows(data, run_id, ids)
    patch = np.searchsorted(ids, rows[:, 0]).clip(0, max(len(ids) - 1, 0))
    # Patches of another setup may lie between this one's.
    own = ids[patch] == rows[:, 0] if len(ids) else np.zeros(0, bool)
    rows, patch = rows[own], patch[own]
    meter, matrix = limits(data, run_id)
    XYZ = rows[:, 1:4]
    meter = meter.as_shown(XYZ[plan.layout.of_light[patch], 1])
    if matrix is not None:
        XYZ = np.where(plan.layout.of_light[patch][:, None], corrected(XYZ, matrix), XYZ)
    # The rows come patch by patch.
    begin = np.flatnonzero(np.diff(patch, prepend=-1))
    read = patch[begin]
    whole = len(read) == len(ids)
    layout = plan.layout if whole else plan.layout.take(read)
    values, below, dim = judged(XYZ, begin, rows[:, 5] == 1, layout.of_light, meter)
    rested, whites = watched_white(data, run_id, setup_id)
    run = runs.get(db, run_id)
    warm = None if run is None or run.warm is None else bool(run.warm)
    warmth = left_to_warm(warm, watched.warm_up_whites(db, run_id), whites, meter.repeatability)
    place = None
    if not whole:
        place = np.full(len(ids), -1, np.intp)
        place[read] = np.arange(len(read))
    found = Readings(
        layout=layout,
        XYZ=values,
        time_s=rows[begin, 4],
        below_floor=below,
        traces=_traces(data, layout, ids[read]),
        meter=meter,
        dim=dim,
        drift=None,
        cold=warmth.u,
        shared_drift=None,
        to_come=warmth.share,
    )
    return SetupReadings(found.watched(rested, whites), plan, place)


def _rows(data: Data, run_id: int, ids: NDArray[np.int64]) -> Array:
    """The stored readings (n, 6) of the patches from the first to the last of `ids`, in the order of `readings.values`.
    DamagedError if a checksum says that a reading is not what was stored."""
    first, last = (int(ids[0]), int(ids[-1])) if len(ids) else (0, -1)
    stored = readings.values(data.db.connection(), first, last)
    columns = zip(*(r[:-1] for r in stored), strict=True)
    rows = np.array([np.array(c, float) for c in columns]).T.reshape(-1, 6)
    sums = np.array([c for *_, c in stored], np.int64)
    if len(rows) and (bad := np.flatnonzero(reading_sums(rows[:, :5]) != sums)).size:
        raise DamagedError(
            f"{len(bad)} readings of run {run_id}, the first of patch {int(rows[bad[0], 0])}, are not what was stored: the file"
            f" is damaged. {SAVE}"
        )
    return rows


def _traces(data: Data, layout: Layout, ids: NDArray[np.int64]) -> Any:
    """Waveforms and spectra of the patches that have them. ids: of the patches of a layout."""
    if layout.of_light.all():
        return NO_TRACES
    traces = np.empty(len(ids), object)
    other = np.flatnonzero(~layout.of_light)
    numbers = ids[other].tolist()
    held = readings.traces(data.db.connection(), numbers)
    traces[other] = trace_array([held.get((i, 1)) for i in numbers])
    return traces


def _plan(data: Data, run_id: int, setup_id: int, ids: NDArray[np.int64]) -> Planned:
    """A setup's plan in a run, shared by all that were measured by the same."""
    db = data.db.connection()
    digest = plans.digest_of(db, run_id, setup_id)

    def find() -> Planned:
        every, others = plans.planned(db, run_id, setup_id)
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
        key = runs.made_for(db, run_id, setup_id)
        made_for = () if key is None else of_its_own(resolve(key))
        layout = Layout(
            rgb=table[:, :3],
            window=table[:, 3],
            level=level,
            zone=zone,
            pattern=pattern,
            at_s=at_s,
            reads=reads,
            made_for=made_for,
        )
        uses: dict[str, list[int]] = {}
        for patch_id, measurement in readings.uses(db, int(ids[0]), int(ids[-1])) if n else ():
            if patch_id in index:
                uses.setdefault(measurement, []).append(index[patch_id])
        return Planned(layout, {m: np.array(places, np.intp) for m, places in uses.items()})

    plan: Planned = data.loaded.get(("plan", digest or (run_id, setup_id)), find)
    return plan
