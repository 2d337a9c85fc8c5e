"""Menus written down as text that can be read again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from lumenar.core.menu.controls import WORDS, Control, Scope, When, text_of
from lumenar.core.menu.menu import Menu
from lumenar.core.menu.roles import TABLES, role_in_table
from lumenar.core.targets import TARGETS, resolve


def text_of_modes(menu: Menu) -> str:
    """The modes as lines that `modes_from` reads."""
    lines = []
    for m in menu.modes:
        name = '"' + m.name.replace('"', '""') + '"' if any(x in m.name for x in ',"') else m.name
        lines.append(f"{name}, {m.signal}, {m.target if m.target in TARGETS else resolve(m.target).title}")
        lines += [f"  {path} = {text_of(value)}" for path, value in m.defaults.items()]
        if m.locks:
            lines.append(f"  locks {', '.join(m.locks)}")
    return "\n".join(lines)


def text_of_controls(menu: Menu) -> str:
    """The controls as a text that `controls_from` reads: entries under their heads, then the rules."""
    lines: list[str] = []
    heads: list[str] = []
    tables = {g: _table_text(menu, g) for g in dict.fromkeys(c.group for c in menu.controls) if g}
    told: set[str] = set()
    for c in menu.controls:
        whole = tables.get(c.group)
        if whole is not None and c.group in told:
            continue
        told.add(c.group)
        *above, name = (c.path if whole is None else c.group).split(" > ")
        marked = c if whole is None else replace(c, role=_table_role(menu, c.group))
        keep = 0
        while keep < min(len(above), len(heads)) and above[keep] == heads[keep]:
            keep += 1
        lines += ["  " * i + above[i] for i in range(keep, len(above))]
        heads = above
        lines.append("  " * len(above) + f"{name}: {whole or _values_text(c)}{_marks_text(marked)}")
    for c in menu.controls:
        lines += [f"{c.path} = {value} locks {', '.join(paths)}" for value, paths in c.locks.items()]
        if c.resets:
            every = [o.path for o in menu.controls if o.path != c.path]
            lines.append(f"{c.path} resets {'everything' if [*c.resets] == every else ', '.join(c.resets)}")
    return "\n".join(lines)


def _table_text(menu: Menu, group: str) -> str | None:
    """A table in one line, None where its cells differ or some are missing."""
    cells = [c for c in menu.controls if c.group == group]
    ends = [c.path.removeprefix(f"{group} > ").split(" > ") for c in cells]
    if any(len(e) != 2 or any(" " in w for w in e) for e in ends):
        return None
    points, channels = (list(dict.fromkeys(e[i] for e in ends)) for i in (0, 1))
    like = cells[0]
    if [[p, c] for p in points for c in channels] != ends:
        return None
    if any(replace(c, path=like.path, role=None) != replace(like, role=None) for c in cells):
        return None
    if _table_role(menu, group) is None and any(c.role for c in cells):
        return None
    return f"{' '.join(points)} x {' '.join(channels)} {_values_text(like)}"


def _table_role(menu: Menu, group: str) -> str | None:
    """What a table is for, None where its cells do not all say the same."""
    cells = [c for c in menu.controls if c.group == group]
    ends = [c.path.removeprefix(f"{group} > ").split(" > ") for c in cells]
    for table in TABLES:
        if all(c.role is not None and c.role == role_in_table(table, *e) for c, e in zip(cells, ends, strict=True)):
            return table
    return cells[0].role if len({c.role for c in cells}) == 1 else None


def _values_text(c: Control) -> str:
    if c.kind == "notches":
        return f"{c.maximum:g} notches" + ("" if c.default is None else f" = {text_of(c.default)}")
    if c.kind == "slider":
        step = "" if c.step == 1 else f" step {c.step:g}"
        return f"{c.minimum:g}..{c.maximum:g}{step}" + ("" if c.default is None else f" = {text_of(c.default)}")
    return " | ".join(v + ("*" if v == c.default else "") for v in c.values)


_SCOPE_MARKS: dict[Scope, str] = {"unit": "all modes", "signal": "this signal", "mode": "this mode", "unknown": ""}


WHEN_MARKS: Mapping[When, str] = {"": "", "sdr": "only while SDR shows", "first": "before HDR is sent"}


def _marks_text(c: Control) -> str:
    marks = [
        c.place if c.place != "unit" else "",
        _SCOPE_MARKS[c.scope],
        c.role or "",
        "" if c.bears else "no effect on accuracy",
        WHEN_MARKS[c.when],
        *(f"{w}: {getattr(c, w)}" if getattr(c, w) else "" for w in WORDS),
    ]
    return "".join(f" ({m})" for m in marks if m)
