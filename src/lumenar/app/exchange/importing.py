"""A readings file taken into the store: understood first, as a person can see, then kept as finished runs of its own setups."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from lumenar.app.application import Application
from lumenar.app.data import many_kept, now
from lumenar.app.displays.targets import remember
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange.file_figures import SetupFigures, analyse_file, limits_of, measurements_of
from lumenar.app.exchange.readings_file import (
    FILE_METADATA,
    FileMeter,
    FileReading,
    FileRun,
    FileSetup,
    FileUnit,
    ReadingsFile,
)
from lumenar.app.exchange.table_import import Read, read_any
from lumenar.app.setups.new_display import KINDS, PANELS, one_of
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.menu import Menu, Mode, document_of, menu_from
from lumenar.core.meter_limits import MeterLimits
from lumenar.core.readings import Patch
from lumenar.core.targets import Signal, resolve
from lumenar.store import conditions, corrections, menus, plans, readings, reviews, runs
from lumenar.store.corrections import CorrectionRow
from lumenar.store.plans import NewPatch
from lumenar.store.readings import NewReading
from lumenar.store.reviews import Known, SetupRow, UnitRow
from lumenar.store.runs import AsMeasured, NewRun

METER_OF = {"waveform": "photodiode", "spectrum": "spectroradiometer"}


@dataclass(frozen=True, kw_only=True)
class UnderstoodSetup:
    """One setup of a file: what it is, and which measurements its readings suffice for."""

    name: str
    unit: str
    mode: str
    signal: Signal
    target: str
    target_title: str
    readings: int
    measurements: list[str]
    left_out: list[str]


@dataclass(frozen=True, kw_only=True)
class Understood:
    """What was understood of a file, before anything is stored. columns: of a table, what each column was taken for; notes:
    what was assumed; missing: of the displays what the file does not say and a person has to."""

    format: str
    units: list[dict[str, str]]
    meters: list[str]
    setups: list[UnderstoodSetup]
    columns: dict[str, str]
    notes: list[str]
    missing: list[str]


@dataclass(frozen=True)
class Identity:
    """What a person says of the display where the file does not."""

    maker: str = ""
    model: str = ""
    kind: str = "monitor"
    panel: str = ""


@dataclass
class _Taken:
    """One patch of a run with its readings, attempt by attempt, and the measurements that use it."""

    patch: Patch
    uses: tuple[str, ...]
    readings: list[FileReading] = field(default_factory=list)


def understand(text: str | bytes, name: str, mapping: Mapping[str, str] | None = None) -> Understood:
    """What a file would be taken for; BadInputError as of `read_any` and `analyse_file`."""
    read = read_any(text, name, mapping)
    results = analyse_file(read.file, name, uncertain=False)
    units = [
        {k: getattr(u, k) for k in ("id", "maker", "model", "serial", "panel", "firmware")} for u in _units(read.file)
    ]
    missing = [] if all(u["maker"] and u["model"] for u in units) else ["maker", "model"]
    setups = [_understood(s, r) for s, r in zip(read.file.setups, results, strict=True)]
    floors = [sentence for r in results for sentence in r.floors]
    meters = [m.name or m.id for m in read.file.meters]
    return Understood(
        format=read.format,
        units=units,
        meters=meters,
        setups=setups,
        columns=dict(read.columns),
        notes=list(dict.fromkeys([*read.notes, *floors])),
        missing=missing,
    )


def _understood(s: FileSetup, r: SetupFigures) -> UnderstoodSetup:
    titles = [MEASUREMENTS[m].title for m in r.analyses]
    wanted = [f"{MEASUREMENTS[m].title}: {why}" for m, why in r.left_out.items()]
    return UnderstoodSetup(
        name=s.name,
        unit=s.unit or "",
        mode=s.mode or s.name,
        signal=s.signal,
        target=s.target_key,
        target_title=resolve(s.target_key).title,
        readings=len(s.readings),
        measurements=titles,
        left_out=wanted,
    )


def _units(file: ReadingsFile) -> list[FileUnit]:
    """The file's units; where a setup names none, one without a name."""
    nameless = any(s.unit is None for s in file.setups)
    return [*file.units, *([FileUnit(id="-")] if nameless and not any(u.id == "-" for u in file.units) else [])]


def import_readings(
    app: Application,
    text: str | bytes,
    name: str,
    identity: Identity | None = None,
    review_id: int | None = None,
    mapping: Mapping[str, str] | None = None,
) -> int:
    """Store a readings file as a new review, or with the displays of one that is there. Returns the review's number. Nothing
    is stored where anything is wrong: BadInputError; ConflictError where a setup of that name was measured already."""
    identity = identity or Identity()
    if identity.kind not in KINDS:
        raise BadInputError("display", f"The kind is one of {', '.join(KINDS)}, not {identity.kind!r}.", "kind")
    with many_kept():
        return _import(app, read_any(text, name, mapping), name, identity, review_id)


def _import(app: Application, read: Read, name: str, identity: Identity, review_id: int | None) -> int:
    results = measurements_of(read.file, name)
    for i, (s, r) in enumerate(zip(read.file.setups, results, strict=True)):
        _one_meter_each(s, r, f"{name}: setups[{i}]")
    with app.db.transaction(large=True) as db:
        if review_id is None:
            review_id = reviews.add_review(db, now())
        elif review_id not in reviews.review_ids(db):
            raise NotFoundError("review", f"There is no review {review_id}.")
        # A correction that several runs share is one: by meter.
        made: dict[str, int] = {}
        for unit in _units(read.file):
            mine = [(s, r) for s, r in zip(read.file.setups, results, strict=True) if (s.unit or "-") == unit.id]
            if mine:
                unit_id, menu = _unit(db, review_id, unit, identity, [s for s, _ in mine], name)
                for s, r in mine:
                    _setup(
                        db=db,
                        review_id=review_id,
                        unit_id=unit_id,
                        menu=menu,
                        unit=unit,
                        file=read.file,
                        s=s,
                        enough=r,
                        made=made,
                    )
    remember(app, {s.target_key for s in read.file.setups})
    app.forget()
    return review_id


def _one_meter_each(s: FileSetup, measurements: Sequence[str], place: str) -> None:
    """A run has one meter of light, with one correction."""
    for m in measurements:
        used = s.meters_of(m)
        if len(used) > 1:
            raise BadInputError(
                "readings-file",
                f"{place}: {m} was read with {len(used)} meters; split it, since a figure comes from one meter.",
                f"{place}.readings",
            )


def _unit(
    db: sqlite3.Connection, review_id: int, unit: FileUnit, identity: Identity, setups: Sequence[FileSetup], name: str
) -> tuple[int, Menu]:
    """The sample that the setups belong to, made or taken from the review, with every mode of theirs in its menu."""
    maker, model = unit.maker.strip() or identity.maker.strip(), unit.model.strip() or identity.model.strip()
    for what, value in (("maker", maker), ("model", model)):
        if not value:
            raise BadInputError("display", f"{name} does not say the display's {what}; say it.", what)
    stated = one_of("panel", identity.panel, PANELS) if identity.panel else "other"
    panel = unit.panel if unit.panel != "other" else stated
    modes = tuple(
        {(s.mode or s.name, s.signal): Mode(s.mode or s.name, s.signal, s.target_key) for s in setups}.values()
    )
    there = next(
        (
            u
            for u in reviews.units_of(db, review_id)
            if (u.maker, u.model, u.serial, u.sample) == (maker, model, unit.serial, unit.sample or "A")
        ),
        None,
    )
    if there is None:
        menu = Menu(modes)
        row = UnitRow(
            id=0,
            review_id=review_id,
            menu_id=menus.add(db, document_of(menu)),
            maker=maker,
            model=model,
            serial=unit.serial,
            sample=unit.sample or "A",
            firmware=unit.firmware,
            kind=identity.kind,
            panel=panel,
            about="",
            size_inch=None,
            width_px=None,
            height_px=None,
            bits=8,
            signal_range="full",
        )
        return reviews.add_unit(db, row), menu
    menu = menu_from(menus.get(db, there.menu_id))
    new = [m for m in modes if all((m.name, m.signal) != (o.name, o.signal) for o in menu.modes)]
    if new:
        menu = Menu((*menu.modes, *new), menu.controls, menu.mode_path)
        menus.change(db, there.menu_id, document_of(menu), now())
    return there.id, menu


def _setup(
    db: sqlite3.Connection,
    review_id: int,
    unit_id: int,
    menu: Menu,
    unit: FileUnit,
    file: ReadingsFile,
    s: FileSetup,
    enough: Sequence[str],
    made: dict[str, int],
) -> None:
    mine = [x for x in reviews.setups_of(db, review_id) if x.unit_id == unit_id]
    mode = s.mode or s.name
    there = next((x for x in mine if x.name == s.name), None)
    if there is not None and runs.has_any(db, there.id):
        raise ConflictError("setup", f"The review has a measured setup {s.name!r} already; rename one of the two.")
    known = {p: v for p, v in s.settings.items() if p in menu.by_path}
    changes = {p: v for p, v in known.items() if v != menu.defaults(menu.mode(mode, s.signal)).get(p)}
    room = _condition(db, review_id, s)
    signal = _signal(s) or {}
    origins: dict[str, Known] = dict.fromkeys(known, "read")
    shipped = bool(s.shipped) and not any(x.shipped and x.mode == mode and x.signal == s.signal for x in mine)
    if there is None:
        position = max((x.position for x in mine), default=-1) + 1
        setup_id = reviews.add_setup(
            db,
            SetupRow(
                id=0,
                unit_id=unit_id,
                position=position,
                name=s.name,
                mode=mode,
                shipped=int(shipped),
                signal=s.signal,
                target=s.target_key,
                changes=changes,
                condition_id=room,
                format=signal,
                origins=origins,
            ),
        )
    else:
        setup_id = there.id
        reviews.change_setup(
            db,
            replace(there, changes=changes, target=s.target_key, condition_id=room, format=signal, origins=origins),
            None,
        )
    for run, measurements in _runs_of(s, enough):
        _run(
            db=db,
            review_id=review_id,
            unit_id=unit_id,
            setup_id=setup_id,
            changes=changes,
            unit=unit,
            file=file,
            s=s,
            run=run,
            measurements=measurements,
            made=made,
        )


def _signal(s: FileSetup) -> dict[str, float | str] | None:
    """What the file says of a setup's signal, None where it says nothing."""
    said: dict[str, float | str] = {} if s.format is None else s.format.model_dump(exclude_none=True)
    metadata = {} if s.metadata is None else s.metadata.model_dump(exclude_none=True)
    said |= {ours: metadata[theirs] for ours, theirs in FILE_METADATA.items() if _says(metadata, theirs)}
    return None if s.format is None and not metadata else said


def _says(metadata: Mapping[str, float], what: str) -> bool:
    """Whether metadata say something: a MaxCLL or MaxFALL of 0 is one that is not known, a black of 0 is one."""
    return what in metadata and (metadata[what] > 0 or what == FILE_METADATA["mastering_black_cd_m2"])


def _condition(db: sqlite3.Connection, review_id: int, s: FileSetup) -> int | None:
    """The light state that a setup was read in, where the file names one."""
    c = s.condition
    if c is None or not c.label.strip():
        return None
    return conditions.put(db, review_id, c.label.strip()[:80], c.lux, c.note)


def _runs_of(s: FileSetup, enough: Sequence[str]) -> list[tuple[FileRun, list[str]]]:
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


def _run(
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
    taken = _taken(s, measurements)
    meters, matrix = _meters(file, s, [r for t in taken for r in t.readings])
    correction = None
    if matrix is not None and matrix.id in made:
        correction = made[matrix.id]
    elif matrix is not None:
        row = CorrectionRow(
            id=0,
            panel=unit.panel,
            meter=str(meters["XYZ"]["name"]),
            reference=corrections.IMPORTED,
            made_on=f"{unit.maker} {unit.model}".strip(),
            made_at=now(),
            matrix=[list(m) for m in matrix.correction or ()],
            residual={"u_percent": matrix.correction_u_percent},
            series=None if matrix.correction_series is None else matrix.correction_series.model_dump(exclude_none=True),
            serial=matrix.serial,
        )
        correction = made[matrix.id] = corrections.add(db, row)
    as_measured = AsMeasured(
        json.dumps(changes, sort_keys=True),
        dict(s.settings),
        None if s.condition is None else {k: v for k, v in s.condition.model_dump().items() if k != "note" or v},
        _signal(s),
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
        correction_id=correction,
        warm_up=False,
        setups={setup_id: as_measured},
        patches=[NewPatch(setup_id, t.patch, 0.0, t.uses) for t in taken],
        state="done",
    )
    run_id = runs.add_run(db, new)
    runs.set_warm(db, run_id, run.warm)
    at = now()
    committed = [
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
        for number, t in zip(plans.patch_ids(db, run_id, setup_id), taken, strict=True)
        for attempt, r in enumerate(t.readings, 1)
    ]
    readings.add_all(db, run_id, committed)
    if run.rested_white is not None:
        runs.add_watch(db, run_id, setup_id, "signature", run.rested_white.time_s, run.rested_white.XYZ)
    for w in run.warming:
        runs.add_watch(db, run_id, setup_id, "warm_up", w.time_s, w.XYZ)
    for w in run.whites:
        runs.add_watch(db, run_id, setup_id, "reference", w.time_s, w.XYZ)


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
