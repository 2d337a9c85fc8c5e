"""Runs as a readings file tells them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from lumenar.app.data import now
from lumenar.app.errors import BadInputError
from lumenar.app.exchange.file_figures import limits_of
from lumenar.app.exchange.file_meters import FileMeter, FileUnit
from lumenar.app.exchange.readings_file import FILE_METADATA, FileReading, FileRun, FileSetup, ReadingsFile
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch
from lumenar.store import conditions, corrections, plans, readings, runs, watched
from lumenar.store.corrections import CorrectionRow
from lumenar.store.plans import NewPatch
from lumenar.store.readings import NewReading
from lumenar.store.runs import AsMeasured, NewRun

METER_OF = {"waveform": "photodiode", "spectrum": "spectroradiometer"}


@dataclass
class _Taken:
    """One patch of a run with its readings, attempt by attempt, and the measurements that use it."""

    patch: Patch
    uses: tuple[str, ...]
    readings: list[FileReading] = field(default_factory=list)


def signal_of(s: FileSetup) -> dict[str, float | str] | None:
    """What the file says of a setup's signal, None where it says nothing."""
    said: dict[str, float | str] = {} if s.format is None else s.format.model_dump(exclude_none=True)
    metadata = {} if s.metadata is None else s.metadata.model_dump(exclude_none=True)
    said |= {ours: metadata[theirs] for ours, theirs in FILE_METADATA.items() if _says(metadata, theirs)}
    return None if s.format is None and not metadata else said


def _says(metadata: Mapping[str, float], what: str) -> bool:
    """Whether metadata say something: a MaxCLL or MaxFALL of 0 is one that is not known, a black of 0 is one."""
    return what in metadata and (metadata[what] > 0 or what == FILE_METADATA["mastering_black_cd_m2"])


def condition_of(db: sqlite3.Connection, review_id: int, s: FileSetup) -> int | None:
    """The light state that a setup was read in, where the file names one."""
    c = s.condition
    if c is None or not c.label.strip():
        return None
    return conditions.put(db, review_id, c.label.strip()[:80], c.lux, c.note)


def runs_by_measurement(s: FileSetup, enough: Sequence[str]) -> list[tuple[FileRun, list[str]]]:
    """Each run that read the setup with its measurements: as the file says, and parted further where meters differ."""
    parts: dict[tuple[int, str | None], tuple[FileRun, list[str]]] = {}
    for m in enough:
        at = next((i for i, run in enumerate(s.runs) if m in (run.measurements or (m,))), -1)
        light = next(iter(s.meters_of(m)), None)
        # What reads no light goes with any run that does.
        key = (at, light)
        parts.setdefault(key, (s.runs[at] if at >= 0 else FileRun(), []))[1].append(m)
    for key in [k for k in parts if k[1] is None]:
        other = next((k for k in parts if k[0] == key[0] and k[1] is not None), None)
        if other is not None:
            parts[other][1].extend(parts.pop(key)[1])
    return list(parts.values())


def _taken(s: FileSetup, measurements: Sequence[str]) -> list[_Taken]:
    """The patches of a run in the order in which they were read. The same number in several measurements is one reading."""
    serves: dict[str | None, tuple[str, ...]] = {m: (m,) for m in measurements}
    serves[None] = tuple(measurements) if len(measurements) != 1 else serves[measurements[0]]
    read: list[FileReading] = []
    used: list[tuple[str, ...]] = []
    # Where one number serves several measurements: its place in both lists by its id, and all that it serves.
    numbered: dict[int, int] = {}
    several: dict[int, set[str]] = {}
    for r in s.ordered:
        uses = serves.get(r.measurement)
        if not uses:
            continue
        at = None if r.id is None else numbered.setdefault(r.id, len(read))
        if at is None or at == len(read):
            read.append(r)
            used.append(uses)
        elif read[at].patch != r.patch:
            raise BadInputError("readings-file", f"setup {s.name!r}: two different readings have the id {r.id}.", "id")
        else:
            several.setdefault(at, set(used[at])).update(uses)
    # Each set of measurements is one object, however many readings serve it, so that its identity tells it.
    sets = {frozenset(uses): uses for uses in serves.values()}
    for at, union in several.items():
        used[at] = sets.setdefault(frozenset(union), tuple(sorted(union)))
    taken: dict[object, _Taken] = {}
    for r, uses in zip(read, used, strict=True):
        key = r.patch, id(uses)
        there = taken.get(key)
        if there is None:
            there = taken[key] = _Taken(r.patch, uses)
        there.readings.append(r)
    return list(taken.values())


def run_of(
    db: sqlite3.Connection,
    review_id: int,
    unit_id: int,
    setup_id: int,
    changes: Mapping[str, float | str],
    unit: FileUnit,
    file: ReadingsFile,
    s: FileSetup,
    run: FileRun,
    measurements: list[str],
    made: dict[str, int],
) -> None:
    """Store a run of a file's setup with its readings. changes: the setup's, from the mode's defaults; made: the corrections that
    were stored before, by the meter's id in the file."""
    taken = _taken(s, measurements)
    meters, matrix = _meters(file, s, [r for t in taken for r in t.readings])
    if matrix is not None and matrix.id not in made:
        made[matrix.id] = corrections.add(db, _correction(matrix, unit, str(meters["XYZ"]["name"])))
    as_measured = AsMeasured(
        json.dumps(changes, sort_keys=True),
        dict(s.settings),
        None if s.condition is None else {k: v for k, v in s.condition.model_dump().items() if k != "note" or v},
        signal_of(s),
        s.target_key,
        None if s.shown is None else s.shown.model_dump(exclude_none=True),
    )
    new = NewRun(
        review_id=review_id,
        unit_id=unit_id,
        created_at=now(),
        firmware=unit.firmware,
        meters=meters,
        habits={},
        correction_id=None if matrix is None else made[matrix.id],
        warm_up=False,
        setups={setup_id: as_measured},
        patches=[NewPatch(setup_id, t.patch, 0.0, t.uses) for t in taken],
        state="done",
    )
    run_id = runs.add_run(db, new)
    runs.set_warm(db, run_id, run.warm)
    readings.add_all(db, run_id, _readings(taken, plans.patch_ids(db, run_id, setup_id)))
    if run.rested_white is not None:
        watched.add_watch(db, run_id, setup_id, "signature", run.rested_white.time_s, run.rested_white.XYZ)
    for w in run.warming:
        watched.add_watch(db, run_id, setup_id, "warm_up", w.time_s, w.XYZ)
    for w in run.whites:
        watched.add_watch(db, run_id, setup_id, "reference", w.time_s, w.XYZ)


def _correction(meter: FileMeter, unit: FileUnit, name: str) -> CorrectionRow:
    """The correction that a file states for a meter."""
    series = meter.correction_series
    return CorrectionRow(
        id=0,
        panel=unit.panel,
        meter=name,
        reference=corrections.IMPORTED,
        made_on=f"{unit.maker} {unit.model}".strip(),
        made_at=now(),
        matrix=[list(m) for m in meter.correction or ()],
        residual={"u_percent": meter.correction_u_percent},
        series=None if series is None else series.model_dump(exclude_none=True),
        serial=meter.serial,
    )


def _readings(taken: Sequence[_Taken], numbers: Sequence[int]) -> list[NewReading]:
    """Readings as the store takes them. numbers: of the patches they are of."""
    at = now()
    return [
        NewReading(
            patch_id=number,
            attempt=attempt,
            outcome=r.flag or "ok",
            XYZ=r.number,
            exposure_s=None,
            at_s=r.time_s or 0.0,
            read_at=at,
            trace=r.trace,
        )
        for number, t in zip(numbers, taken, strict=True)
        for attempt, r in enumerate(t.readings, 1)
    ]


def _meters(
    file: ReadingsFile, s: FileSetup, own: Sequence[FileReading]
) -> tuple[dict[str, dict[str, object]], FileMeter | None]:
    """A run's meters as a run remembers them, with the noise that the file's figures were judged by; and the one whose
    correction applies."""
    by_id = {m.id: m for m in file.meters}
    meters: dict[str, dict[str, object]] = {}
    corrected: FileMeter | None = None
    for r in own:
        reads = "waveform" if r.waveform else "spectrum" if r.spectrum else "XYZ"
        if reads in meters:
            continue
        m = by_id.get(r.meter or "", FileMeter(id="unnamed"))
        kind = METER_OF.get(reads, m.kind)
        entry: dict[str, object] = {
            "name": m.name or m.id,
            "kind": kind,
            "repeatability": m.repeatability_percent / 100,
        }
        if m.serial:
            entry["serial"] = m.serial
        if reads == "XYZ":
            limits: MeterLimits = limits_of(s, m)[0]
            # What the file does not state is not handed on as if it had; figures are judged by it all the same.
            for name, stated, value in (
                ("floor", m.floor_cd_m2, limits.floor),
                ("absolute", m.absolute_cd_m2, limits.absolute),
            ):
                entry[name if stated is not None else f"estimated_{name}"] = value
            entry["floor_origin"] = limits.floor_origin
            corrected = m if m.correction is not None else None
        meters[reads] = entry
    return meters, corrected
