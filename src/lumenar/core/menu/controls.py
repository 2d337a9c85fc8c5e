"""Controls of a menu: what values they can have, and what is known of them."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from lumenar.core.menu.roles import role_of

Value = float | str


Place = Literal["unit", "host", "input"]


Kind = Literal["slider", "notches", "choice", "switch"]


Panel = Literal["lcd", "oled", "projector", "other"]
"""Panel technologies as far as they are to be treated differently."""


Scope = Literal["unit", "signal", "mode", "unknown"]


When = Literal["", "sdr", "first"]


PLACES: tuple[Place, ...] = ("unit", "host", "input")


KINDS: tuple[Kind, ...] = ("slider", "notches", "choice", "switch")


SCOPES: tuple[Scope, ...] = ("unit", "signal", "mode", "unknown")


WHENS: tuple[When, ...] = ("", "sdr", "first")


WORDS = ("promise", "note", "evidence", "route", "only")
"""What is written of a control in a person's words."""


MOST_WORDS = 300


MOST_CONTROLS, MOST_MODES, MOST_VALUES, MOST_LINKS = 1000, 100, 200, 20_000
"""The most controls (each cell of a table is one), modes, values of one choice, and locks and resets together in a menu."""


MOST_PATH, MOST_NAME = 300, 120
"""The most characters in a path, and in the name of a mode or a value."""


class MenuError(ValueError):
    """A menu or a value does not fit; the text says what, where and why."""


@dataclass(frozen=True)
class Control:
    """One entry of the menu.

    place: in the unit's menu, on the host (system brightness, graphics driver), or on the way in (port, cable, source).
    kind: a slider with numbers, notches without, a choice, or a switch. A table is one slider for each point and channel,
    with the table as their group. default: None where nobody has read it. bears: whether it can change what is measured.
    locks: by value the paths that cannot be set meanwhile; resets: paths that fall back when it is changed. promise: what the
    menu says it does; evidence: where it is known from; route: how it is reached where the menu does not lead there; only:
    what a model must have for it to be there. when: "sdr" where it can be set only while SDR shows, though it counts for HDR;
    "first" where it decides how a signal is taken, so that it stands before one is sent.
    """

    path: str
    kind: Kind
    minimum: float = 0.0
    maximum: float = 100.0
    step: float = 1.0
    choices: tuple[str, ...] = ()
    default: Value | None = None
    place: Place = "unit"
    scope: Scope = "unknown"
    role: str | None = None
    group: str = ""
    promise: str = ""
    bears: bool = True
    note: str = ""
    evidence: str = ""
    route: str = ""
    only: str = ""
    when: When = ""
    locks: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    resets: tuple[str, ...] = ()

    @property
    def numeric(self) -> bool:
        """Whether its values are numbers."""
        return self.kind in ("slider", "notches")

    @property
    def values(self) -> tuple[str, ...]:
        """What it can be, where it has no numbers."""
        return ("on", "off") if self.kind == "switch" else self.choices

    def said(self, value: Value) -> str:
        """A value as a person enters it: of a control without numbers, how many notches from its nearer end."""
        if self.kind != "notches" or not isinstance(value, int | float):
            return text_of(value)
        left, right = (round(v / self.step) for v in (value - self.minimum, self.maximum - value))
        count, end = (left, "left") if left <= right else (right, "right")
        if count == 0:
            return f"at the {end} end"
        return f"{count} {'notch' if count == 1 else 'notches'} from the {end} end"

    def check(self, value: object) -> None:
        """Raise MenuError where the control cannot take the value."""
        if not self.numeric:
            if value not in self.values:
                raise MenuError(f"{value!r} is not among {', '.join(self.values)} of {self.path}")
            return
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise MenuError(f"{self.path} takes a number, not {value!r}")
        if not self.minimum <= value <= self.maximum:
            raise MenuError(f"{value:g} is outside {self.minimum:g}..{self.maximum:g} of {self.path}")
        steps = (value - self.minimum) / self.step
        if abs(steps - round(steps)) > 1e-6 and value != self.maximum:
            near = self.minimum + round(steps) * self.step
            raise MenuError(
                f"{value:g} is between the steps of {self.path}, which are {self.step:g} apart; {near:g} is nearest"
            )


def text_of(value: Value) -> str:
    """A value as locks name it."""
    return f"{value:g}" if isinstance(value, int | float) and not isinstance(value, bool) else str(value)


def check_counts(controls: int, modes: int = 0) -> None:
    """MenuError if a menu would have more controls or modes than it can."""
    for count, most, what in ((controls, MOST_CONTROLS, "controls"), (modes, MOST_MODES, "modes")):
        if count > most:
            raise MenuError(f"the menu has {count:,} {what}; at most {most:,} are possible")


def printable(text: str, what: str, most: int) -> None:
    """MenuError unless a text is one line of 1 to `most` characters that can be shown."""
    if not text.strip():
        raise MenuError(f"{what} is empty")
    if len(text) > most:
        raise MenuError(f"{what} has {len(text):,} characters; at most {most} are possible: {text[:40]}…")
    if any(unicodedata.category(x) in ("Cc", "Zl", "Zp", "Cs") for x in text):
        raise MenuError(f"{what} is one line without control characters: {text[:40]!r}")


def fits(c: Control) -> None:
    if not c.path.strip():
        raise MenuError("a control without a name")
    printable(c.path, "the path of a control", MOST_PATH)
    if c.group:
        printable(c.group, f"the group of {c.path}", MOST_PATH)
    if len(c.choices) > MOST_VALUES:
        raise MenuError(f"{c.path} has {len(c.choices):,} values; at most {MOST_VALUES} are possible")
    for value in c.choices:
        printable(value, f"a value of {c.path}", MOST_NAME)
    if (
        c.kind not in KINDS
        or c.place not in PLACES
        or c.scope not in SCOPES
        or c.when not in WHENS
        or (c.role is not None and role_of(c.role) is None)
    ):
        raise MenuError(f"{c.path}: kind, place, scope, time to be set or role is unknown")
    for name in WORDS:
        text = getattr(c, name)
        if len(text) > MOST_WORDS or any(x in text for x in "()") or any(ord(x) < 32 for x in text):
            raise MenuError(
                f"{c.path}: the {name} is one line of at most {MOST_WORDS} characters, without round brackets"
            )
    if c.numeric:
        if not all(math.isfinite(x) for x in (c.minimum, c.maximum, c.step)):
            raise MenuError(
                f"{c.path}: its range and its step are numbers, not {c.minimum:g} to {c.maximum:g} by {c.step:g}"
            )
        if c.minimum >= c.maximum:
            raise MenuError(f"{c.path}: {c.minimum:g} is not below {c.maximum:g}")
        if c.step <= 0:
            raise MenuError(f"{c.path}: a step of {c.step:g} leads nowhere")
    elif c.kind == "choice" and len(c.choices) < 2:
        raise MenuError(f"{c.path}: a choice needs two values or more")
    unique(c.choices, f"value of {c.path}")
    if c.default is not None:
        c.check(c.default)


def unique(names: Sequence[str], what: str) -> None:
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise MenuError(f"the {what} {name} stands there twice")
        seen.add(name)
