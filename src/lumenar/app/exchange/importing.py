"""A readings file taken into the store: understood first, as a person can see, then kept as finished runs of its own setups."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from lumenar.app.application import Application
from lumenar.app.data import many_kept, now
from lumenar.app.displays.targets import remember
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange.file_figures import SetupFigures, analyse_file, measurements_of
from lumenar.app.exchange.file_meters import FileUnit
from lumenar.app.exchange.imported_runs import condition_of, run_of, runs_by_measurement, signal_of
from lumenar.app.exchange.readings_file import FileSetup, ReadingsFile
from lumenar.app.exchange.table_import import Read, read_any
from lumenar.app.setups.new_display import KINDS, PANELS, one_of
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.menu.controls import Value
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.targets import Signal, resolve
from lumenar.store import menus, reviews, runs
from lumenar.store.reviews import Known, SetupRow, UnitRow


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
    """Store a setup of a file with its runs. enough: the measurements that its readings suffice for; made: as for `run_of`."""
    setup_id, changes = _stored_setup(db, review_id, unit_id, menu, s)
    for run, measurements in runs_by_measurement(s, enough):
        run_of(
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


def _stored_setup(
    db: sqlite3.Connection, review_id: int, unit_id: int, menu: Menu, s: FileSetup
) -> tuple[int, dict[str, Value]]:
    """The number of a file's setup in the store, and what it changes of its mode. One of the same name takes it over if nothing
    was read in it."""
    mine = [x for x in reviews.setups_of(db, review_id) if x.unit_id == unit_id]
    mode = s.mode or s.name
    there = next((x for x in mine if x.name == s.name), None)
    if there is not None and runs.has_any(db, there.id):
        raise ConflictError("setup", f"The review has a measured setup {s.name!r} already; rename one of the two.")
    known = {p: v for p, v in s.settings.items() if p in menu.by_path}
    changes = {p: v for p, v in known.items() if v != menu.defaults(menu.mode(mode, s.signal)).get(p)}
    room = condition_of(db, review_id, s)
    signal = signal_of(s) or {}
    origins: dict[str, Known] = dict.fromkeys(known, "read")
    shipped = bool(s.shipped) and not any(x.shipped and x.mode == mode and x.signal == s.signal for x in mine)
    if there is not None:
        now_is = replace(there, changes=changes, target=s.target_key, condition_id=room, format=signal, origins=origins)
        reviews.change_setup(db, now_is, None)
        return there.id, changes
    row = SetupRow(
        id=0,
        unit_id=unit_id,
        position=max((x.position for x in mine), default=-1) + 1,
        name=s.name,
        mode=mode,
        shipped=int(shipped),
        signal=s.signal,
        target=s.target_key,
        changes=changes,
        condition_id=room,
        format=signal,
        origins=origins,
    )
    return reviews.add_setup(db, row), changes
