"""Setups and firmware: what a person changes of them. Undo is one step back, kept by the interface."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.setups.setup_views import Room, StatedFormat
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.signals import METADATA, MetadataError, metadata_of
from lumenar.core.targets import Signal
from lumenar.store import conditions, reviews, runs
from lumenar.store.reviews import Known, SetupRow


@dataclass(frozen=True, kw_only=True)
class Edit:
    """What a setup is to be. values: of controls by path, by None one is no longer known; read: paths whose values were read
    off the display, so that they are known rather than assumed. room, format, name and target: None leaves what there is;
    no_room: nobody says the light any more."""

    values: Mapping[str, Value | None] = field(default_factory=dict)
    read: Sequence[str] = ()
    target: str | None = None
    name: str | None = None
    room: Room | None = None
    no_room: bool = False
    format: StatedFormat | None = None


def _checked(app: Application, setup: SetupRow, changes: Mapping[str, Value]) -> dict[str, Value]:
    """The changes that differ from default, as the unit would take them. BadInputError where it would refuse one."""
    menu = display(app, setup.unit_id).menu
    mode = menu.mode(setup.mode, setup.signal)
    defaults = menu.defaults(mode)
    for path, value in changes.items():
        try:
            menu.control(path).check(value)
        except MenuError as e:
            raise BadInputError("setting", f"{setup.name}: {e}.", path) from e
    try:
        menu.order(mode, changes)
    except MenuError as e:
        place = next((p for p in changes if str(e).startswith(p)), next(iter(changes), None))
        raise BadInputError("setting", f"{setup.name}: {e}.", place) from e
    return {p: v for p, v in changes.items() if v != defaults.get(p)}


def change(app: Application, review_id: int, setup_id: int, edit: Edit) -> None:
    """Change a setup. Cells measured before count as stale where something differs that can change what is measured.

    BadInputError where the unit would refuse a value, or a name, room or signal makes no sense; ConflictError while a run
    measures the setup. What it was is kept, so that it can be taken back.
    """
    setup = cells.setup_of(app, review_id, setup_id)
    _not_measuring(app, review_id)
    wanted = _edited(app, review_id, setup, edit)
    with app.db.transaction() as db:
        wanted = _with_room(db, review_id, wanted, edit.room)
        if wanted != setup:
            reviews.change_setup(db, wanted, now())
        conditions.sweep(db, review_id)


def _with_room(db: sqlite3.Connection, review_id: int, setup: SetupRow, room: Room | None) -> SetupRow:
    if room is None:
        return setup
    return replace(setup, condition_id=conditions.put(db, review_id, room.label.strip(), room.lux, room.note.strip()))


def _edited(app: Application, review_id: int, setup: SetupRow, edit: Edit) -> SetupRow:
    """The setup as it would be, its room left as it is where one is named."""
    if edit.target is not None:
        cells.target_of(edit.target, setup.signal)
    menu = display(app, setup.unit_id).menu
    forgotten = {p for p, v in edit.values.items() if v is None}
    known = {p: v for p, v in {**setup.changes, **edit.values}.items() if v is not None}
    changes = _checked(app, setup, known)
    origins: dict[str, Known] = {p: o for p, o in setup.origins.items() if p not in forgotten}
    for path, value in edit.values.items():
        if value is not None:
            origins[path] = "set"
    defaults = menu.defaults(menu.mode(setup.mode, setup.signal))
    for path in edit.read:
        if path not in menu.by_path:
            raise BadInputError("setting", f"{setup.name}: the menu has no entry {path!r}.", path)
        if path not in changes and path not in defaults:
            raise BadInputError("setting", f"{setup.name}: say what {path} reads.", path)
        origins[path] = "read"
    # What is back at a default that nobody read is assumed again.
    origins = {p: o for p, o in origins.items() if p in changes or o == "read"}
    name = setup.name if edit.name is None else _name(app, review_id, setup.unit_id, edit.name, setup.id)
    _sensible(edit.room)
    return replace(
        setup,
        name=name,
        target=edit.target or setup.target,
        changes=changes,
        origins=origins,
        condition_id=None if edit.no_room else setup.condition_id,
        format=setup.format if edit.format is None else _format(edit.format, setup.signal),
    )


def _sensible(room: Room | None) -> None:
    if room is None:
        return
    if not room.label.strip() or len(room.label) > 80 or len(room.note) > 200:
        raise BadInputError(
            "room", "A light state needs a label of 1 to 80 characters; its note has at most 200.", "room"
        )
    if room.lux is not None and not 0 <= room.lux <= 200_000:
        raise BadInputError("room", f"{room.lux:g} lux is no light of a room: 0 to 200,000.", "room")


_PIXELS = re.compile(r"([1-9]\d{1,4}) *[x×X] *([1-9]\d{1,4})")


def _format(f: StatedFormat, signal: Signal) -> dict[str, float | str]:
    if f.bits is not None and not 6 <= f.bits <= 16:
        raise BadInputError("format", f"A signal has 6 to 16 bits, not {f.bits}.", "format")
    if f.refresh_hz is not None and not 1 <= f.refresh_hz <= 1000:
        raise BadInputError("format", "A signal is refreshed 1 to 1,000 times a second.", "format")
    stated = {k: v for k, v in asdict(f).items() if v is not None}
    if f.name is not None and (not f.name.strip() or len(f.name) > 60 or any(ord(c) < 32 for c in f.name)):
        raise BadInputError("format", "A signal's name is one line of 1 to 60 characters.", "format")
    if signal == "sdr" and f.flag is not None:
        raise BadInputError("format", "SDR has no HDR flag to leave out.", "format")
    if f.resolution is not None:
        pixels = _PIXELS.fullmatch(f.resolution.strip())
        if pixels is None:
            raise BadInputError("format", f"A resolution is pixels across x down, not {f.resolution[:40]!r}.", "format")
        stated["resolution"] = f"{int(pixels[1])} x {int(pixels[2])}"
    of_pq = {**METADATA, "mastering_primaries": "mastering primaries"}
    if signal != "pq" and (odd := [k for k in of_pq if k in stated]):
        raise BadInputError(
            "format", f"Only a PQ signal says its {of_pq[odd[0]]}; this setup is for {signal}.", "format"
        )
    try:
        metadata_of(stated)
    except MetadataError as e:
        raise BadInputError("format", f"{e}.", "format") from e
    return stated


def _name(app: Application, review_id: int, unit_id: int, name: str, but: int | None) -> str:
    name = name.strip()
    if not name or len(name) > 80 or any(ord(c) < 32 for c in name):
        raise BadInputError("name", "A setup needs a name of 1 to 80 characters.", "name")
    for s in reviews.setups_of(app.db.connection(), review_id):
        if s.unit_id == unit_id and s.name == name and s.id != but:
            raise BadInputError("name", f"There is a setup {name!r} already; choose another name.", "name")
    return name


def undo(app: Application, review_id: int, setup_id: int) -> None:
    """Back to what a setup was before its last change. ConflictError where it was not changed, while a run measures it, or
    where the menu no longer takes what it was."""
    setup = cells.setup_of(app, review_id, setup_id)
    _not_measuring(app, review_id)
    past = reviews.setup_changes(app.db.connection(), setup_id)
    if not past:
        raise ConflictError("setup", f"{setup.name} was not changed, so there is nothing to take back.")
    number, _, was = past[-1]
    try:
        was = replace(was, changes=_checked(app, setup, was.changes))
        _name(app, review_id, setup.unit_id, was.name, setup.id)
    except BadInputError as e:
        raise ConflictError("setup", f"What it was cannot be had any more. {e}") from e
    with app.db.transaction() as db:
        reviews.change_setup(db, was, None)
        reviews.forget_setup_change(db, number)
        conditions.sweep(db, review_id)


def _not_measuring(app: Application, review_id: int) -> None:
    if any(r.review_id == review_id for r in runs.unfinished(app.db.connection())):
        raise ConflictError("run-in-progress", "A run is measuring this review; let it finish or stop it first.")


def add(app: Application, review_id: int, like: int, name: str, edit: Edit | None = None) -> int:
    """A new setup of the same mode that differs from another by an edit, placed after its like. BadInputError where the name is
    taken, or as of `change`."""
    setup = cells.setup_of(app, review_id, like)
    name = _name(app, review_id, setup.unit_id, name, None)
    made = _edited(app, review_id, setup, replace(edit or Edit(), name=None))
    every = [s for s in reviews.setups_of(app.db.connection(), review_id) if s.unit_id == setup.unit_id]
    position = max(s.position for s in every) + 1
    with app.db.transaction() as db:
        made = _with_room(db, review_id, made, None if edit is None else edit.room)
        return reviews.add_setup(db, replace(made, id=0, position=position, name=name, shipped=0))


def delete(app: Application, review_id: int, setup_id: int) -> None:
    """Delete a setup with its readings; the one that a mode ships with stays."""
    setup = cells.setup_of(app, review_id, setup_id)
    _not_measuring(app, review_id)
    if setup.shipped:
        raise ConflictError("shipped-setup", f"{setup.name} is the mode as shipped; it stays.")
    with app.bench_lock:
        job = app.occupancy.job if app.occupancy is not None else None
        if job is not None and job.review == review_id:
            raise ConflictError("run-in-progress", "The bench works on this review; let it finish or stop it first.")
        with app.db.transaction() as db:
            reviews.delete_setup(db, setup_id)
            conditions.sweep(db, review_id)
    app.forget()


def set_firmware(app: Application, unit_id: int, firmware: str) -> None:
    """A unit has another firmware now; what was measured before counts as stale."""
    row = reviews.unit(app.db.connection(), unit_id)
    if row is None:
        raise NotFoundError("unit", f"There is no unit {unit_id}.")
    if not firmware.strip() or len(firmware) > 80:
        raise BadInputError("firmware", "A firmware version has 1 to 80 characters.", "firmware")
    _not_measuring(app, row.review_id)
    with app.db.transaction() as db:
        reviews.set_firmware(db, unit_id, firmware.strip())
