"""Setups as their views show them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.data import digest
from lumenar.app.displays.displays import display, display_of
from lumenar.app.displays.targets import TargetChoice, choices
from lumenar.app.figures import cells
from lumenar.core.menu.controls import Kind, Place, Scope, When
from lumenar.core.menu.menu import Menu
from lumenar.core.signals import Chroma, Gamut, Range, words_of
from lumenar.core.targets import Signal, resolve
from lumenar.store import conditions, reviews, runs
from lumenar.store.reviews import SetupRow

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
        controls=_controls(setup, menu),
    )


def _controls(setup: SetupRow, menu: Menu) -> list[ControlView]:
    mode = menu.mode(setup.mode, setup.signal)
    defaults = menu.defaults(mode)
    state = {**defaults, **setup.changes}
    return [
        ControlView(
            path=c.path,
            place=c.place,
            kind=c.kind,
            value=state.get(c.path),
            default=defaults.get(c.path),
            origin=setup.origins.get(c.path, "assumed") if c.path in state else "unknown",
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


def _named(app: Application, review_id: int, signal: Signal) -> list[StatedFormat]:
    """The signals of a kind that have a name, each once."""
    rows = (s for s in reviews.setups_of(app.db.connection(), review_id) if s.signal == signal and s.format.get("name"))
    return list({s.format["name"]: StatedFormat(**s.format) for s in rows}.values())  # type: ignore[arg-type]
