"""The menu map: what a reviewer knows of a display's menu, corrected in place, by its texts or by a file, and taken back."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from lumenar.app.application import Application
from lumenar.app.data import digest
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.figures import cells
from lumenar.bench.capabilities import Capabilities
from lumenar.core.menu.controls import WORDS, Control, Kind, MenuError, Panel, Place, Scope, Value, When, text_of
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Consequences, Menu, Mode
from lumenar.core.menu.tables import csv_of
from lumenar.core.menu.text_writing import text_of_controls, text_of_modes
from lumenar.core.targets import Signal, resolve
from lumenar.store import menus, reviews, runs


@dataclass(frozen=True, kw_only=True)
class MenuControl:
    """One control on the map. values: what it can be, in words; choices: the same one by one, where it has no numbers; own:
    by mode the defaults that are its own; locked_by: what locks it, in words."""

    path: str
    place: Place
    kind: Kind
    values: str
    minimum: float
    maximum: float
    step: float
    choices: list[str]
    default: str | None
    own: dict[str, str]
    scope: Scope
    role: str | None
    group: str
    bears: bool
    locks: dict[str, list[str]]
    resets: list[str]
    when: When
    promise: str
    note: str
    evidence: str
    route: str
    only: str


@dataclass(frozen=True)
class MenuMode:
    """One mode on the map; measured: whether readings hang on it, so that it cannot be taken out."""

    name: str
    signal: Signal
    target: str
    target_title: str
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
class MenuSample:
    """A sample of the review."""

    unit: int
    sample: str
    serial: str
    firmware: str


@dataclass(frozen=True, kw_only=True)
class MenuMap:
    """The menu of a sample, as a tree and as the texts it can be changed by. version: differs where anything of it differs;
    shared: how many samples have this menu."""

    unit: int
    version: str
    name: str
    sample: str
    maker: str
    model: str
    kind: str
    panel: Panel
    can: Capabilities
    samples: list[MenuSample]
    shared: int
    modes: list[MenuMode]
    controls: list[MenuControl]
    setups: list[MenuColumn]
    modes_text: str
    controls_text: str
    changes: int


@dataclass(frozen=True)
class KnownMenu:
    """A menu that can be taken over: of which sample, and how much is in it."""

    unit: int
    review: int
    name: str
    sample: str
    modes: int
    controls: int


@dataclass(frozen=True)
class PastMenu:
    """One change of a menu: when, and what it changed, in words."""

    number: int
    changed_at: str
    words: list[str]


def menu_map(app: Application, review_id: int, unit_id: int | None = None) -> MenuMap:
    """The menu of a sample of a review, the first unless another is named."""
    shown = sample_of(app, review_id, unit_id)
    db, menu = app.db.connection(), shown.menu
    setups = [s for s in reviews.setups_of(db, review_id) if s.unit_id == shown.row.id]
    read = {(s.mode, s.signal) for s in setups if runs.has_any(db, s.id)}
    own: dict[str, dict[str, str]] = {}
    for m in menu.modes:
        for path, value in m.defaults.items():
            own.setdefault(path, {})[m.name] = text_of(value)
    modes = [
        MenuMode(m.name, m.signal, m.target, resolve(m.target).title, list(m.locks), (m.name, m.signal) in read)
        for m in menu.modes
    ]
    return MenuMap(
        unit=shown.row.id,
        version=digest(menu),
        name=shown.row.name,
        sample=shown.row.sample,
        maker=shown.row.maker,
        model=shown.row.model,
        kind=shown.row.kind,
        panel=shown.row.panel,
        can=shown.can,
        samples=[MenuSample(u.id, u.sample, u.serial, u.firmware) for u in reviews.units_of(db, review_id)],
        shared=len(reviews.units_with_menu(db, shown.row.menu_id)),
        modes=modes,
        controls=[_control(c, own.get(c.path, {})) for c in menu.controls],
        setups=[MenuColumn(s.id, s.name, s.mode, {p: text_of(v) for p, v in s.changes.items()}) for s in setups],
        modes_text=text_of_modes(menu),
        controls_text=text_of_controls(menu),
        changes=menus.count_changes(db, shown.row.menu_id),
    )


def version(app: Application, review_id: int, unit_id: int | None = None) -> str:
    """What an edit of a menu is made from."""
    return digest(sample_of(app, review_id, unit_id).menu)


def _control(c: Control, own: dict[str, str]) -> MenuControl:
    return MenuControl(
        path=c.path,
        place=c.place,
        kind=c.kind,
        values=values_of(c),
        minimum=c.minimum,
        maximum=c.maximum,
        step=c.step,
        choices=list(c.values),
        default=None if c.default is None else text_of(c.default),
        own=own,
        scope=c.scope,
        role=c.role,
        group=c.group,
        bears=c.bears,
        locks={v: list(p) for v, p in c.locks.items()},
        resets=list(c.resets),
        when=c.when,
        **{w: getattr(c, w) for w in WORDS},
    )


def values_of(c: Control) -> str:
    """The values that a control can have, in words."""
    return _values(c.minimum, c.maximum, c.step) if c.numeric else " · ".join(c.values)


def _values(low: float, high: float, step: float) -> str:
    return f"{low:g} to {high:g}" + ("" if step == 1 else f" in steps of {step:g}")


def sample_of(app: Application, review_id: int, unit_id: int | None) -> Display:
    units = reviews.units_of(app.db.connection(), review_id)
    if not units or (unit_id is not None and all(u.id != unit_id for u in units)):
        raise NotFoundError("review", f"There is no such sample in review {review_id}.")
    return display(app, unit_id if unit_id is not None else units[0].id)


def known_menus(app: Application) -> list[KnownMenu]:
    """Every menu of a display in this data folder, to be taken over."""
    found = []
    for unit, review, maker, model, sample, text in menus.of_units(app.db.connection()):
        document = json.loads(text)
        found.append(
            KnownMenu(
                unit,
                review,
                f"{maker} {model}",
                sample,
                len(document["modes"]),
                # A table is one entry of the menu, however many cells it has.
                len({c.get("group") or c["path"] for c in document["controls"]}),
            )
        )
    return found


def text_of_menu(app: Application, review_id: int, unit_id: int | None, format: Literal["json", "csv"]) -> str:
    """A sample's menu as a file."""
    menu = sample_of(app, review_id, unit_id).menu
    if format == "csv":
        return csv_of(menu)
    return (
        json.dumps({"format": "lumenar-menu", "version": 1, **document_of(menu)}, indent=1, ensure_ascii=False) + "\n"
    )


def history(app: Application, review_id: int, unit_id: int | None) -> list[PastMenu]:
    """What was changed of a menu, the newest first."""
    shown = sample_of(app, review_id, unit_id)
    past = menus.changes(app.db.connection(), shown.row.menu_id)
    states = [menu_from(d) for _, d in past] + [shown.menu]
    made = [PastMenu(i + 1, at, _in_words(states[i], states[i + 1])) for i, (at, _) in enumerate(past)]
    return made[::-1]


def _in_words(was: Menu, became: Menu) -> list[str]:
    words: list[str] = []

    def compare(kind: str, a: Mapping[str, Any], b: Mapping[str, Any], parts: Callable[[Any], dict[str, Any]]) -> None:
        words.extend(f"{kind} {n} added" for n in b if n not in a)
        words.extend(f"{kind} {n} taken out" for n in a if n not in b)
        for n in a:
            if n in b and a[n] != b[n]:
                one, two = parts(a[n]), parts(b[n])
                words.append(f"{n}: {', '.join(k for k in one if one[k] != two[k])}")

    compare("control", was.by_path, became.by_path, vars)
    modes: Callable[[Menu], dict[str, Mode]] = lambda m: {x.name: x for x in m.modes}  # noqa: E731
    compare("mode", modes(was), modes(became), vars)
    return words


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
