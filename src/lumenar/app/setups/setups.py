"""Setups and firmware: what a person changes of them. Undo is one step back, kept by the interface."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.data import digest, now
from lumenar.app.displays.displays import display, display_of
from lumenar.app.displays.targets import TargetChoice, choices
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.core.menu import Kind, MenuError, Place, Scope, Value, When, text_of
from lumenar.core.signals import METADATA, Chroma, Gamut, MetadataError, Range, metadata_of, words_of
from lumenar.core.targets import Signal, resolve
from lumenar.store import conditions, reviews, runs
from lumenar.store.conditions import ConditionRow
from lumenar.store.reviews import Known, SetupRow

Origin = Literal["unknown", "assumed", "read", "set"]


@dataclass(frozen=True, kw_only=True)
class ControlView:
    """One control in a setup: its value and its default in that mode (none where nobody knows it), where the value comes from,
    what it can be, and why it cannot be set."""

    path: str
    place: Place
    kind: Kind
    value: float | str | None
    default: float | str | None
    origin: Origin
    minimum: float
    maximum: float
    step: float
    choices: list[str]
    scope: Scope
    bears: bool
    locked: str | None
    when: When


@dataclass(frozen=True)
class Room:
    """The light in the room: a label, lux at the screen where somebody measured it, and a note."""

    label: str
    lux: float | None = None
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class StatedFormat:
    """What a setup says of its signal; None where it is as the unit's usual."""

    range: Range | None = None
    bits: int | None = None
    chroma: Chroma | None = None
    refresh_hz: float | None = None
    resolution: str | None = None
    """Pixels across and down, as "3840 x 2160"."""
    container: Gamut | None = None
    """The primaries that the code values mean."""
    mastering_primaries: Gamut | None = None
    mastering_cd_m2: float | None = None
    mastering_black_cd_m2: float | None = None
    max_cll: float | None = None
    max_fall: float | None = None
    """What a PQ signal says of its content, in cd/m2 and primaries; nothing is sent where none of them is said."""
    flag: Literal["none"] | None = None
    """"none" where a PQ or HLG signal does not say that it is one."""
    content: Literal["film", "game"] | None = None
    """What the source flags its content as."""
    name: str | None = None
    """What the signal is called in this review, as "player, PQ 1000"."""


@dataclass(frozen=True, kw_only=True)
class SetupView:
    """A setup with all its controls. version: differs where anything of the setup, its room or its menu differs."""

    setup: int
    version: str
    name: str
    mode: str
    signal: Signal
    sample: str
    firmware: str
    unit: int
    unit_version: str
    """What an edit of its sample is made from."""
    target: str
    target_title: str
    targets: list[TargetChoice]
    shipped: bool
    """Whether it is what the mode ships with, no value changed."""
    own: bool
    """Whether a person made it, so that it can be deleted."""
    room: Room | None
    usual_room: str
    """What the room is where nobody says it."""
    rooms: list[Room]
    """The light states that are known in this review, of each label the newest."""
    format: StatedFormat
    usual_format: StatedFormat
    formats: list[StatedFormat]
    """The signals of this kind that have a name in this review."""
    shown: str
    """The signal that the display said it showed when it was measured last, in words; empty where nobody looked."""
    changes: int
    """How many of its changes can be taken back."""
    controls: list[ControlView]


@dataclass(frozen=True, kw_only=True)
class SetupLine:
    """A setup in a list."""

    setup: int
    name: str
    mode: str
    signal: Signal
    unit: int
    sample: str
    target: str
    target_title: str
    shipped: bool
    """Whether it is what the mode ships with, no value changed."""


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


def version(app: Application, review_id: int, setup_id: int) -> str:
    """What an edit of a setup is made from."""
    setup = cells.setup_of(app, review_id, setup_id)
    rooms = conditions.of_review(app.db.connection(), review_id)
    return digest(setup, list(rooms.values()), display(app, setup.unit_id).menu)


def lines(app: Application, review_id: int) -> list[SetupLine]:
    """The setups of a review in the order of its Board; NotFoundError where there is no such review."""
    display_of(app, review_id)
    db = app.db.connection()
    units = {u.id: u.sample for u in reviews.units_of(db, review_id)}
    return [
        SetupLine(
            setup=s.id,
            name=s.name,
            mode=s.mode,
            signal=s.signal,
            unit=s.unit_id,
            sample=units[s.unit_id],
            target=s.target,
            target_title=resolve(s.target).title,
            shipped=bool(s.shipped) and not s.changes,
        )
        for s in reviews.setups_of(db, review_id)
    ]


def view(app: Application, review_id: int, setup_id: int) -> SetupView:
    """A setup as the settings dialog shows it."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    row, menu, db = shown.row, shown.menu, app.db.connection()
    mode = menu.mode(setup.mode, setup.signal)
    defaults = menu.defaults(mode)
    state = {**defaults, **setup.changes}

    def origin(path: str) -> Origin:
        if path not in state:
            return "unknown"
        return setup.origins.get(path, "assumed")

    controls = [
        ControlView(
            path=c.path,
            place=c.place,
            kind=c.kind,
            value=state.get(c.path),
            default=defaults.get(c.path),
            origin=origin(c.path),
            minimum=c.minimum,
            maximum=c.maximum,
            step=c.step,
            choices=list(c.values),
            scope=c.scope,
            bears=c.bears,
            locked=menu.why_locked(state, mode, c.path),
            when=c.when,
        )
        for c in menu.controls
    ]
    rooms = {c.id: Room(c.label, c.lux, c.note) for c in conditions.of_review(db, review_id).values()}
    return SetupView(
        setup=setup.id,
        version=version(app, review_id, setup_id),
        name=setup.name,
        mode=setup.mode,
        signal=setup.signal,
        sample=row.sample,
        firmware=row.firmware,
        unit=row.id,
        unit_version=digest(row),
        target=setup.target,
        target_title=resolve(setup.target).title,
        targets=choices(app, setup.signal),
        shipped=bool(setup.shipped) and not setup.changes,
        own=not setup.shipped,
        room=None if setup.condition_id is None else rooms[setup.condition_id],
        usual_room="dark (simulated)" if shown.can.lights else "not recorded",
        rooms=list({r.label: r for r in rooms.values()}.values()),
        format=StatedFormat(**setup.format),  # type: ignore[arg-type]
        usual_format=StatedFormat(range="limited" if row.signal_range == "limited" else "full", bits=row.bits),
        formats=_named(app, review_id, setup.signal),
        shown=words_of(runs.newest_shown(db, setup_id)),
        changes=len(reviews.setup_changes(db, setup_id)),
        controls=controls,
    )


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


def _named(app: Application, review_id: int, signal: Signal) -> list[StatedFormat]:
    """The signals of a kind that have a name, each once."""
    rows = (s for s in reviews.setups_of(app.db.connection(), review_id) if s.signal == signal and s.format.get("name"))
    return list({s.format["name"]: StatedFormat(**s.format) for s in rows}.values())  # type: ignore[arg-type]


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


@dataclass(frozen=True)
class PastChange:
    """One change of a setup: when, and what it changed, in words."""

    number: int
    changed_at: str
    words: list[str]


def history(app: Application, review_id: int, setup_id: int) -> list[PastChange]:
    """What was changed of a setup, the newest first."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown, db = display(app, setup.unit_id), app.db.connection()
    defaults = shown.menu.defaults(shown.menu.mode(setup.mode, setup.signal))
    past = reviews.setup_changes(db, setup_id)
    rooms = conditions.of_review(db, review_id)
    after = [*(was for _, _, was in past), setup][1:]
    return [
        PastChange(number, at, _in_words(was, became, defaults, rooms))
        for (number, at, was), became in reversed(list(zip(past, after, strict=True)))
    ]


def _in_words(
    was: SetupRow, became: SetupRow, defaults: Mapping[str, Value], rooms: Mapping[int, ConditionRow]
) -> list[str]:
    before, now_ = {**defaults, **was.changes}, {**defaults, **became.changes}
    words = [
        f"{p}: {_word(before.get(p))} → {_word(now_.get(p))}"
        for p in dict.fromkeys([*was.changes, *became.changes])
        if before.get(p) != now_.get(p)
    ]
    words += [f"{p}: read off the display" for p, o in became.origins.items() if o == "read" != was.origins.get(p)]
    if was.name != became.name:
        words.append(f"name: {was.name} → {became.name}")
    if was.target != became.target:
        words.append(f"target: {resolve(was.target).title} → {resolve(became.target).title}")
    if was.condition_id != became.condition_id:
        pair = (None if s.condition_id is None else rooms[s.condition_id] for s in (was, became))
        words.append(f"room: {' → '.join(map(_room_word, pair))}")
    if was.format != became.format:
        words.append("signal: " + (", ".join(f"{k} {v}" for k, v in became.format.items()) or "as usual"))
    return words


def _room_word(room: ConditionRow | None) -> str:
    if room is None:
        return "not recorded"
    lux = None if room.lux is None else f"{room.lux:g} lux"
    return ", ".join(w for w in (room.label, lux, room.note) if w)


def _word(value: Value | None) -> str:
    return "not known" if value is None else text_of(value)


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
