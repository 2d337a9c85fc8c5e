"""What a control is for, as a reviewer says it: `luminance`, `white`, `tone`, `shadows`, `red gain`, `blue offset`,
`green at 40 %` (a point of a table), `cyan hue`, `red saturation`, `blue lightness`, `green in yellow` (a mix)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

CHANNELS = ("red", "green", "blue")
AXES = ("red", "yellow", "green", "cyan", "blue", "magenta")
PLAIN = ("luminance", "white", "tone", "shadows")
KINDS = ("gain", "offset")
ON_AXIS = ("hue", "saturation", "lightness")

Kind = Literal[
    "luminance", "white", "tone", "shadows", "gain", "offset", "point", "hue", "saturation", "lightness", "mix"
]
_POINT = re.compile(r"^(red|green|blue) at (\d{1,3}(?:\.\d+)?) %$")
_MIX = re.compile(r"^(red|green|blue) in (red|yellow|green|cyan|blue|magenta)$")


@dataclass(frozen=True)
class Role:
    """kind; channel: 0 red, 1 green, 2 blue; axis: one of the six hues; level: signal of a point, 0..1."""

    kind: Kind
    channel: int | None = None
    axis: str | None = None
    level: float | None = None


@lru_cache(maxsize=1024)
def role_of(text: str | None) -> Role | None:
    """What is said of a control, None where nothing is or nobody understands it."""
    if not text:
        return None
    for plain in PLAIN:
        if text == plain:
            return Role(plain)  # type: ignore[arg-type]
    if found := _POINT.match(text):
        level = float(found[2]) / 100
        return Role("point", CHANNELS.index(found[1]), level=level) if 0 < level <= 1 else None
    if found := _MIX.match(text):
        return Role("mix", CHANNELS.index(found[1]), found[2])
    first, _, rest = text.partition(" ")
    if first in CHANNELS and rest in KINDS:
        return Role(rest, CHANNELS.index(first))  # type: ignore[arg-type]
    if first in AXES and rest in ON_AXIS:
        return Role(rest, axis=first)  # type: ignore[arg-type]
    return None


def sets_white(text: str | None) -> bool:
    """Whether a control is for the white balance."""
    role = role_of(text)
    return role is not None and role.kind in ("white", "gain", "offset", "point")


TABLES = ("white", "colours")
"""What a table may be for: white balance at points, or controls of six hues."""


def role_in_table(table: str, row: str, column: str) -> str | None:
    """The role of a cell from its table's and the words of its row and column: `white`, `40`, `Red` is `red at 40 %`; `colours`,
    `Cyan`, `Hue` is `cyan hue`; `colours`, `Yellow`, `Green` is `green in yellow`. None where they do not say it."""
    row, column = row.strip().lower().rstrip("%"), column.strip().lower()
    if table == "white":
        return _valid(f"{column} at {_plain(row)} %")
    return _valid(f"{row} {column}") if column in ON_AXIS else _valid(f"{column} in {row}")


def _plain(number: str) -> str:
    try:
        return f"{float(number.replace(',', '.')):g}"
    except ValueError:
        return number


def _valid(text: str) -> str | None:
    return text if role_of(text) is not None else None
