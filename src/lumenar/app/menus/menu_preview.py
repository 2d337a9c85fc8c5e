"""What was understood of a pasted menu, shown before anything is stored."""

from __future__ import annotations

from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.targets import titles
from lumenar.app.menus.menu_map import values_of
from lumenar.app.setups.new_display import KINDS, one_of, parse
from lumenar.core.menu.controls import Control, Place, Scope, text_of
from lumenar.core.menu.role_guess import guess_roles
from lumenar.core.targets import resolve


@dataclass(frozen=True)
class ModeRead:
    """A picture mode as it was understood. own: values that differ in it; locks: how many controls it locks."""

    name: str
    signal: str
    target_title: str
    own: dict[str, str]
    locks: int


@dataclass(frozen=True, kw_only=True)
class ControlRead:
    """A control as it was understood. role: what the text says it sets; guessed: what its name suggests if the text says
    nothing."""

    path: str
    values: str
    default: str | None
    place: Place
    scope: Scope
    role: str | None
    guessed: str | None


@dataclass(frozen=True)
class MenuRead:
    """A menu as it was understood. rules: what locks or resets what, a sentence each; tables: by their heads how many controls
    they have, which are not listed one by one."""

    modes: list[ModeRead]
    controls: list[ControlRead]
    tables: dict[str, int]
    rules: list[str]


def read_menu(app: Application, modes: str, controls: str, kind: str) -> MenuRead:
    """What the texts of a menu mean. BadInputError names field, line and column of what can't be read."""
    menu = parse(modes, controls, one_of("kind", kind, KINDS), titles(app))
    guessed = guess_roles([c.path for c in menu.controls if not c.group])
    tables: dict[str, int] = {}
    for c in menu.controls:
        if c.group:
            tables[c.group] = tables.get(c.group, 0) + 1
    return MenuRead(
        [
            ModeRead(
                m.name, m.signal, resolve(m.target).title, {p: text_of(v) for p, v in m.defaults.items()}, len(m.locks)
            )
            for m in menu.modes
        ],
        [
            ControlRead(
                path=c.path,
                values=values_of(c),
                default=None if c.default is None else text_of(c.default),
                place=c.place,
                scope=c.scope,
                role=c.role,
                guessed=None if c.role else guessed.get(c.path),
            )
            for c in menu.controls
            if not c.group
        ],
        tables,
        [rule for c in menu.controls for rule in _rules(c)],
    )


def _rules(c: Control) -> list[str]:
    locks = [f"{c.path} = {v} locks {', '.join(paths)}" for v, paths in c.locks.items()]
    return locks + ([f"{c.path} resets {', '.join(c.resets)}"] if c.resets else [])
