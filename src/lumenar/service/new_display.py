"""A display that starts with its name; its menu as the reviewer writes it down, corrects it, and undoes that."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.core.menu import Consequences, Menu, MenuError, Value, document_of, menu_from
from lumenar.core.menu_text import MenuTextError, controls_from, modes_from, text_of_controls, text_of_modes
from lumenar.service import cells
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.displays import Display, display
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.service.shelf import add_setups
from lumenar.service.targets import titles
from lumenar.store import menus, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow

KINDS = ("monitor", "television", "projector", "phone", "laptop")
PANELS = ("lcd", "oled", "projector", "other")
USUAL_TARGETS = {
    "monitor": "srgb", "laptop": "srgb", "phone": "srgb", "television": "bt709_bt1886", "projector": "bt709_bt1886",
}  # fmt: skip
"""What a mode is judged by where nobody has said it."""
USUAL_BITS = 8


@dataclass(frozen=True)
class NewDisplay:
    """What is known of a display at its arrival; maker, model, kind and panel are enough."""

    maker: str
    model: str
    kind: str
    panel: str
    serial: str = ""
    sample: str = "A"
    firmware: str = ""
    size_inch: float | None = None
    width_px: int | None = None
    height_px: int | None = None
    bits: int = USUAL_BITS
    signal_range: str = "full"
    modes: str = ""
    controls: str = ""


@dataclass(frozen=True)
class MenuControl:
    """One control on the map. values: what it can be, in words."""

    path: str
    place: str
    kind: str
    values: str
    default: str | None
    scope: str
    role: str | None
    group: str
    bears: bool
    locks: dict[str, list[str]]
    resets: list[str]


@dataclass(frozen=True)
class MenuMode:
    """One mode on the map; measured: whether readings hang on it, so that it cannot be taken out."""

    name: str
    signal: str
    target: str
    locks: list[str]
    measured: bool


@dataclass(frozen=True)
class MenuColumn:
    """One setup as what differs in it from how its mode ships."""

    setup: int
    name: str
    mode: str
    differs: dict[str, str]


@dataclass(frozen=True)
class MenuMap:
    """The menu of a sample, as a tree and as the texts it can be changed by."""

    unit: int
    name: str
    sample: str
    stand_in: bool
    modes: list[MenuMode]
    controls: list[MenuControl]
    setups: list[MenuColumn]
    modes_text: str
    controls_text: str
    changes: int


def add(app: Application, new: NewDisplay) -> int:
    """A new review of a display, with a setup for each mode that was named. Returns its number. BadInputError names the
    field, and of texts the line and column."""
    for name in ("maker", "model"):
        if not getattr(new, name).strip():
            raise BadInputError("display", f"A display needs its {name}.", name)
    for name in ("maker", "model", "serial", "sample", "firmware"):
        text = getattr(new, name)
        if len(text) > 80 or any(ord(c) < 32 for c in text):
            raise BadInputError("display", f"The {name} has at most 80 characters, all of them printable.", name)
    _one_of("kind", new.kind, KINDS)
    _one_of("panel", new.panel, PANELS)
    _one_of("signal_range", new.signal_range, ("full", "limited"))
    if not 6 <= new.bits <= 16:
        raise BadInputError("display", f"A signal has 6 to 16 bits, not {new.bits}.", "bits")
    if new.size_inch is not None and not 1 <= new.size_inch <= 1000:
        raise BadInputError("display", "The diagonal lies within 1 and 1000 inches.", "size_inch")
    if (new.width_px is None) != (new.height_px is None):
        raise BadInputError("display", "Give both the width and the height in pixels, or neither.", "width_px")
    for name in ("width_px", "height_px"):
        pixels = getattr(new, name)
        if pixels is not None and not 16 <= pixels <= 65536:
            raise BadInputError("display", "Width and height lie within 16 and 65536 pixels.", name)
    menu = parse(new.modes, new.controls, new.kind, titles(app))
    with app.db.transaction() as db:
        review_id = reviews.add_review(db, now())
        row = UnitRow(
            0, review_id, menus.add(db, document_of(menu)), new.maker.strip(), new.model.strip(), new.serial.strip(),
            new.sample.strip() or "A", new.firmware.strip(), new.kind, new.panel, "", new.size_inch, new.width_px,
            new.height_px, new.bits, new.signal_range,
        )  # fmt: skip
        add_setups(db, reviews.add_unit(db, row), menu)
    return review_id


def _one_of(name: str, value: str, known: tuple[str, ...]) -> None:
    if value not in known:
        raise BadInputError("display", f"The {name} is one of {', '.join(known)}, not {value!r}.", name)


def parse(modes: str, controls: str, kind: str = "monitor", named: Mapping[str, str] | None = None) -> Menu:
    """A menu from its texts (named: keys of targets of one's own by title); BadInputError with the field, line and column."""
    try:
        listed_modes = modes_from(modes, USUAL_TARGETS[kind], named)
    except MenuTextError as e:
        raise BadInputError("menu", f"Modes, {e}.", "modes") from e
    try:
        listed = controls_from(controls)
        return Menu(listed_modes, listed)
    except MenuError as e:
        raise BadInputError("menu", f"Controls, {e}." if isinstance(e, MenuTextError) else f"{e}.", "controls") from e


def menu_map(app: Application, review_id: int, unit_id: int | None = None) -> MenuMap:
    """The menu of a sample of a review, the first unless another is named."""
    shown = _sample(app, review_id, unit_id)
    db, menu = app.db.connection(), shown.menu
    setups = [s for s in reviews.setups_of(db, review_id) if s.unit_id == shown.row.id]
    read = {(s.mode, s.signal) for s in setups if runs.has_any(db, s.id)}
    controls = [
        MenuControl(
            c.path, c.place, c.kind, _values(c.minimum, c.maximum, c.step) if c.numeric else " · ".join(c.values),
            None if c.default is None else f"{c.default:g}" if isinstance(c.default, float | int) else c.default,
            c.scope, c.role, c.group, c.bears, {v: list(p) for v, p in c.locks.items()}, list(c.resets),
        )
        for c in menu.controls
    ]  # fmt: skip
    return MenuMap(
        shown.row.id, shown.row.name, shown.row.sample, shown.stand_in,
        [MenuMode(m.name, m.signal, m.target, list(m.locks), (m.name, m.signal) in read) for m in menu.modes], controls,
        [
            MenuColumn(s.id, s.name, s.mode, {p: f"{v:g}" if isinstance(v, float | int) else v for p, v in s.changes.items()})
            for s in setups
        ],
        text_of_modes(menu), text_of_controls(menu), len(menus.changes(db, shown.row.menu_id)),
    )  # fmt: skip


def _values(low: float, high: float, step: float) -> str:
    return f"{low:g} to {high:g}" + ("" if step == 1 else f" in steps of {step:g}")


def _sample(app: Application, review_id: int, unit_id: int | None) -> Display:
    units = reviews.units_of(app.db.connection(), review_id)
    if not units or (unit_id is not None and all(u.id != unit_id for u in units)):
        raise NotFoundError("review", f"There is no such sample in review {review_id}.")
    return display(app, unit_id if unit_id is not None else units[0].id)


def change(app: Application, review_id: int, unit_id: int | None, modes: str, controls: str) -> MenuMap:
    """Correct a menu by its texts. New modes get a setup; a mode that is gone loses its setups where nothing was read in
    them. BadInputError where the texts cannot be read, or a setup holds what the new menu cannot take; ConflictError where a
    mode that was read would go. Nothing is changed then."""
    shown = _sample(app, review_id, unit_id)
    menu = parse(modes, controls, shown.row.kind, titles(app))
    document = {**document_of(menu), "mode_path": shown.menu.mode_path}
    with app.db.transaction() as db:
        menus.change(db, shown.row.menu_id, document, now())
        _follow(db, shown.row.menu_id, menu_from(document))
    app.forget()
    return menu_map(app, review_id, unit_id)


def undo(app: Application, review_id: int, unit_id: int | None) -> MenuMap:
    """Back to what the menu was before its last change. ConflictError where there was none, or a mode that was read since
    would go."""
    shown = _sample(app, review_id, unit_id)
    with app.db.transaction() as db:
        if not menus.undo(db, shown.row.menu_id):
            raise ConflictError("menu", "The menu was not changed, so there is nothing to undo.")
        _follow(db, shown.row.menu_id, menu_from(menus.get(db, shown.row.menu_id)))
    app.forget()
    return menu_map(app, review_id, unit_id)


def _follow(db: sqlite3.Connection, menu_id: int, menu: Menu) -> None:
    """Setups of every sample with this menu follow it."""
    for unit in reviews.units_with_menu(db, menu_id):
        mine = [s for s in reviews.setups_of(db, unit.review_id) if s.unit_id == unit.id]
        for s in mine:
            _fits(db, menu, s)
        there = {(s.mode, s.signal) for s in mine if s.shipped}
        position = max((s.position for s in mine), default=-1) + 1
        for m in menu.modes:
            if (m.name, m.signal) not in there:
                name = m.name if all(s.name != m.name for s in mine) else f"{m.name} ({m.signal})"
                reviews.add_setup(db, SetupRow(0, unit.id, position, name, m.name, 1, m.signal, m.target, {}))
                position += 1


def _fits(db: sqlite3.Connection, menu: Menu, setup: SetupRow) -> None:
    try:
        mode = menu.mode(setup.mode, setup.signal)
    except MenuError:
        if runs.has_any(db, setup.id):
            raise ConflictError(
                "menu", f"{setup.name} was measured, so its mode {setup.mode} must stay; delete the setup first."
            ) from None
        reviews.delete_setup(db, setup.id)
        return
    try:
        for path, value in setup.changes.items():
            menu.control(path).check(value)
        menu.order(mode, setup.changes)
    except MenuError as e:
        raise BadInputError("menu", f"The setup {setup.name} could not be kept: {e}.", "controls") from e


def consequences(
    app: Application, review_id: int, setup_id: int, changes: Mapping[str, Value], path: str, value: Value
) -> Consequences:
    """What setting a control would bring with it in a setup with some values already changed. BadInputError where it cannot
    be set."""
    setup = cells.setup_of(app, review_id, setup_id)
    menu = display(app, setup.unit_id).menu
    mode = menu.mode(setup.mode, setup.signal)
    try:
        state = {**menu.defaults(mode), **setup.changes, **changes}
        return menu.consequences(state, mode, path, value)
    except MenuError as e:
        raise BadInputError("setting", f"{e}.", path) from e
