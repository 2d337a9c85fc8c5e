"""What a reviewer knows of a display's menu: its controls and modes, what locks what, what resets what, and in which order
settings are entered so that none undoes another. Pure: it knows nothing of how a display makes light."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

from lumenar.core.menu_path import endings, written
from lumenar.core.roles import role_of
from lumenar.core.signals import WORDS as SIGNAL_WORDS
from lumenar.core.targets import Signal

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


@dataclass(frozen=True)
class Mode:
    """A picture mode under one signal, with its declared target, the defaults that are its own, and what it locks."""

    name: str
    signal: Signal
    target: str
    defaults: Mapping[str, Value] = field(default_factory=dict)
    locks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Consequences:
    """What a change brings with it: resets (path, value before, value after), paths that it locks and that it frees."""

    resets: tuple[tuple[str, Value | None, Value | None], ...]
    locks: tuple[str, ...]
    frees: tuple[str, ...]


@dataclass(frozen=True)
class Menu:
    """Modes and controls of a model. MenuError where they do not fit one another."""

    modes: tuple[Mode, ...]
    controls: tuple[Control, ...] = ()
    mode_path: str = "Mode"

    def __post_init__(self) -> None:
        check_counts(len(self.controls), len(self.modes))
        links = sum(len(c.resets) + sum(map(len, c.locks.values())) for c in self.controls)
        if links > MOST_LINKS:
            raise MenuError(f"the menu has {links:,} locks and resets; at most {MOST_LINKS:,} are possible")
        for m in self.modes:
            _printable(m.name, "the name of a mode", MOST_NAME)
        _unique([c.path for c in self.controls], "control")
        _unique([f"{m.name} ({m.signal})" for m in self.modes], "mode")
        for c in self.controls:
            _fits(c)
            for path in (*c.resets, *(p for paths in c.locks.values() for p in paths)):
                if path not in self.by_path:
                    raise MenuError(f"{c.path} locks or resets {path}, which is not in the menu")
                if path == c.path:
                    raise MenuError(f"{c.path} locks or resets itself")
        for m in self.modes:
            for path in (*m.defaults, *m.locks):
                if path not in self.by_path:
                    raise MenuError(f"the mode {m.name} names {path}, which is not in the menu")
            for path, value in m.defaults.items():
                self.by_path[path].check(value)
        if cycle := _cycle({c.path: [p for paths in c.locks.values() for p in paths] for c in self.controls}):
            raise MenuError(f"locks go round in a circle: {' locks '.join(cycle)}; at least one of them must be free")

    @cached_property
    def by_path(self) -> dict[str, Control]:
        """Controls by path."""
        return {c.path: c for c in self.controls}

    @cached_property
    def _short(self) -> dict[str, str]:
        return endings([c.path for c in self.controls])

    def short(self, path: str) -> str:
        """A control's path, shortened as far as no other control of the menu has the same."""
        return self._short.get(path) or written(path)

    def mode(self, name: str, signal: str | None = None) -> Mode:
        """A mode by name; MenuError names the modes there are."""
        for m in self.modes:
            if m.name == name and signal in (None, m.signal):
                return m
        raise MenuError(f"no mode {name!r}; the display has {', '.join(m.name for m in self.modes) or 'none yet'}")

    def control(self, path: str) -> Control:
        """A control by path; MenuError where there is none."""
        if path not in self.by_path:
            raise MenuError(f"the menu has no entry {path!r}")
        return self.by_path[path]

    def defaults(self, mode: Mode) -> dict[str, Value]:
        """Values as shipped in a mode, of every control of which they are known."""
        known = ((c.path, mode.defaults.get(c.path, c.default)) for c in self.controls)
        return {path: value for path, value in known if value is not None}

    @property
    def luminance_control(self) -> Control | None:
        """The control that sets the luminance of white. Where two do, such as the unit's and the host's, that of the unit."""
        found = [c for c in self.controls if c.role == "luminance"]
        return min(found, key=lambda c: PLACES.index(c.place)) if found else None

    def luminance_levels(self, mode: Mode) -> tuple[float, ...]:
        """Eleven even values of the luminance control, on its own steps; none where the mode locks it."""
        control = self.luminance_control
        if control is None or not control.numeric or control.path in mode.locks:
            return ()
        span = control.maximum - control.minimum
        values = {round(control.minimum + round(i * span / 10 / control.step) * control.step, 9) for i in range(11)}
        return tuple(sorted(v for v in values if v <= control.maximum))

    def modulation_levels(self, mode: Mode) -> tuple[float, ...]:
        """Four of the luminance control's levels, lowest and highest among them."""
        levels = self.luminance_levels(mode)
        last = len(levels) - 1
        return tuple(dict.fromkeys(levels[round(i * last / 3)] for i in range(4))) if levels else ()

    def why_locked(self, state: Mapping[str, Value], mode: Mode, path: str) -> str | None:
        """Why a control cannot be set in a state of the menu (values by path), None where it can."""
        if path in mode.locks:
            return f"{path} is locked in the mode {mode.name}"
        for other in self.controls:
            value = state.get(other.path)
            if value is not None and path in other.locks.get(text_of(value), ()):
                return f"{path} is locked while {other.path} is {text_of(value)}"
        return None

    def why_not_now(self, state: Mapping[str, Value], mode: Mode, path: str) -> str | None:
        """Why a control cannot be set while a mode shows, None where it can: it is locked, or is set before the signal comes."""
        if mode.signal != "sdr" and self.control(path).when:
            return f"{path} is set before {SIGNAL_WORDS[mode.signal]} is sent"
        return self.why_locked(state, mode, path)

    def ahead(self, paths: Iterable[str]) -> list[str]:
        """Those of the paths that are set before HDR is sent."""
        return [p for p in paths if p in self.by_path and self.by_path[p].when]

    def change(self, state: Mapping[str, Value], mode: Mode, path: str, value: Value) -> dict[str, Value]:
        """The state after a control was set: what it resets falls back to the mode's defaults. Setting what it is already
        changes nothing and resets nothing. MenuError where it is locked or cannot take the value."""
        control = self.control(path)
        control.check(value)
        if state.get(path) == value:
            return dict(state)
        if reason := self.why_locked(state, mode, path):
            raise MenuError(reason)
        after = {**state, path: value}
        shipped = self.defaults(mode)
        for other in control.resets:
            after.pop(other, None)
            if other in shipped:
                after[other] = shipped[other]
        return after

    def consequences(self, state: Mapping[str, Value], mode: Mode, path: str, value: Value) -> Consequences:
        """What setting a control in a state would bring with it. MenuError as of `change`."""
        after = self.change(state, mode, path, value)
        others = [c.path for c in self.controls if c.path != path]
        reset = tuple((p, state.get(p), after.get(p)) for p in others if state.get(p) != after.get(p))
        before_locked = {p for p in others if self.why_locked(state, mode, p)}
        after_locked = {p for p in others if self.why_locked(after, mode, p)}
        return Consequences(
            reset,
            tuple(p for p in others if p in after_locked - before_locked),
            tuple(p for p in others if p in before_locked - after_locked),
        )

    def differences(self, before: Mapping[str, Value], after: Mapping[str, Value]) -> list[tuple[str, Value, Value]]:
        """Path and both values of what differs between two states and can change what is measured. A value known in one of
        them only is no difference: it became known, or was forgotten."""
        return [
            (c.path, before[c.path], after[c.path])
            for c in self.controls
            if c.bears and c.path in before and c.path in after and before[c.path] != after[c.path]
        ]

    def order(self, mode: Mode, wanted: Mapping[str, Value]) -> list[str]:
        """In which order to enter settings from the mode's defaults so that none undoes another: what resets others and what
        frees them first, what locks them last, else as they stand in the menu.

        MenuError names the settings that cannot all be had: a circle, or one that stays locked.
        """
        shipped = self.defaults(mode)
        paths = [c.path for c in self.controls if c.path in wanted and wanted[c.path] != shipped.get(c.path)]
        after: dict[str, set[str]] = {p: set() for p in paths}
        for path in paths:
            control = self.by_path[path]
            for other in paths:
                if other == path:
                    continue
                locks_now = other in control.locks.get(text_of(shipped[path]), ()) if path in shipped else False
                locks_then = other in control.locks.get(text_of(wanted[path]), ())
                if other in control.resets or (locks_now and not locks_then):
                    after[path].add(other)
                elif locks_then:
                    after[other].add(path)
        if cycle := _cycle({p: sorted(after[p], key=paths.index) for p in paths}):
            raise MenuError(f"these settings undo one another, so not all can be had: {', '.join(cycle[:-1])}")
        before: dict[str, set[str]] = {p: {q for q in paths if p in after[q]} for p in paths}
        ordered: list[str] = []
        while len(ordered) < len(paths):
            ordered.append(next(p for p in paths if p not in ordered and before[p] <= set(ordered)))
        self._reachable(mode, wanted, ordered)
        return ordered

    def _reachable(self, mode: Mode, wanted: Mapping[str, Value], ordered: Sequence[str]) -> None:
        state = self.defaults(mode)
        for path in ordered:
            state = self.change(state, mode, path, wanted[path])
        for path in ordered:
            if state.get(path) != wanted[path]:
                raise MenuError(f"{path} is reset by another of these settings")

    def entered(self, mode: Mode, changes: Mapping[str, Value]) -> dict[str, Value]:
        """All values after changes from the mode's defaults were entered in a good order. MenuError as of `order`."""
        state = self.defaults(mode)
        for path in self.order(mode, changes):
            state = self.change(state, mode, path, changes[path])
        for path, value in changes.items():
            self.control(path).check(value)
        return state


def renamed(menu: Menu, was: str, path: str) -> Menu:
    """A menu in which one control is called otherwise. MenuError where there is none, or another is called so."""
    menu.control(was)

    def new(p: str) -> str:
        return path if p == was else p

    controls = tuple(
        replace(
            c,
            path=new(c.path),
            resets=tuple(map(new, c.resets)),
            locks={v: tuple(map(new, ps)) for v, ps in c.locks.items()},
        )
        for c in menu.controls
    )
    modes = tuple(
        replace(m, defaults={new(p): v for p, v in m.defaults.items()}, locks=tuple(map(new, m.locks)))
        for m in menu.modes
    )
    return Menu(modes, controls, menu.mode_path)


def text_of(value: Value) -> str:
    """A value as locks name it."""
    return f"{value:g}" if isinstance(value, int | float) and not isinstance(value, bool) else str(value)


def check_counts(controls: int, modes: int = 0) -> None:
    """MenuError if a menu would have more controls or modes than it can."""
    for count, most, what in ((controls, MOST_CONTROLS, "controls"), (modes, MOST_MODES, "modes")):
        if count > most:
            raise MenuError(f"the menu has {count:,} {what}; at most {most:,} are possible")


def _printable(text: str, what: str, most: int) -> None:
    """MenuError unless a text is one line of 1 to `most` characters that can be shown."""
    if not text.strip():
        raise MenuError(f"{what} is empty")
    if len(text) > most:
        raise MenuError(f"{what} has {len(text):,} characters; at most {most} are possible: {text[:40]}…")
    if any(unicodedata.category(x) in ("Cc", "Zl", "Zp", "Cs") for x in text):
        raise MenuError(f"{what} is one line without control characters: {text[:40]!r}")


def _fits(c: Control) -> None:
    if not c.path.strip():
        raise MenuError("a control without a name")
    _printable(c.path, "the path of a control", MOST_PATH)
    if c.group:
        _printable(c.group, f"the group of {c.path}", MOST_PATH)
    if len(c.choices) > MOST_VALUES:
        raise MenuError(f"{c.path} has {len(c.choices):,} values; at most {MOST_VALUES} are possible")
    for value in c.choices:
        _printable(value, f"a value of {c.path}", MOST_NAME)
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
    _unique(c.choices, f"value of {c.path}")
    if c.default is not None:
        c.check(c.default)


def _unique(names: Sequence[str], what: str) -> None:
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise MenuError(f"the {what} {name} stands there twice")
        seen.add(name)


def _cycle(edges: Mapping[str, Sequence[str]]) -> list[str]:
    """A circle in a graph, its first name again at its end; empty where there is none."""
    done: set[str] = set()
    for start in edges:
        if start in done:
            continue
        way = [start]
        left = [iter(edges.get(start, ()))]
        while way:
            following = next(left[-1], None)
            if following is None:
                done.add(way.pop())
                left.pop()
            elif following in way:
                return [*way[way.index(following) :], following]
            elif following not in done:
                way.append(following)
                left.append(iter(edges.get(following, ())))
    return []


def document_of(menu: Menu) -> dict[str, Any]:
    """A menu as JSON can hold it; what is as usual is left out."""
    usual = Control("", "slider")
    controls = []
    for c in menu.controls:
        entry: dict[str, Any] = {"path": c.path, "kind": c.kind}
        if c.numeric:
            entry |= {"minimum": c.minimum, "maximum": c.maximum, "step": c.step}
        for name in ("choices", "resets"):
            if getattr(c, name):
                entry[name] = list(getattr(c, name))
        for name in ("default", "place", "scope", "role", "group", "bears", "when", *WORDS):
            if getattr(c, name) != getattr(usual, name):
                entry[name] = getattr(c, name)
        if c.locks:
            entry["locks"] = {value: list(paths) for value, paths in c.locks.items()}
        controls.append(entry)
    modes = [
        {"name": m.name, "signal": m.signal, "target": m.target}
        | ({"defaults": dict(m.defaults)} if m.defaults else {})
        | ({"locks": list(m.locks)} if m.locks else {})
        for m in menu.modes
    ]
    return {"mode_path": menu.mode_path, "modes": modes, "controls": controls}


_TEXTS = ("path", "kind", "place", "scope", "role", "group", "when", *WORDS)
_NUMBERS = ("minimum", "maximum", "step")
_KNOWN = {*_TEXTS, *_NUMBERS, "choices", "resets", "default", "bears", "locks"}


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _are_texts(value: object) -> bool:
    return isinstance(value, list | tuple) and all(isinstance(v, str) for v in value)


def _check_document(document: Mapping[str, Any]) -> None:
    """MenuError that names the entry unless a document has the form of a menu: what is a list, a text, a number."""

    def wrong(where: str, wanted: str, value: object) -> MenuError:
        return MenuError(f"{where}: {wanted} is expected, not {str(value)[:60]!r}")

    for name in ("controls", "modes"):
        if not isinstance(document.get(name), list | tuple):
            raise wrong(name, "a list", document.get(name))
    if not isinstance(document.get("mode_path", "Mode"), str):
        raise wrong("mode_path", "a text", document["mode_path"])
    _printable(document.get("mode_path", "Mode"), "mode_path", MOST_PATH)
    check_counts(len(document["controls"]), len(document["modes"]))
    for i, c in enumerate(document["controls"]):
        at = f"controls[{i}]"
        if not isinstance(c, Mapping) or not all(isinstance(c.get(k), str) for k in ("path", "kind")):
            raise wrong(at, "an object with a path and a kind", c)
        if unknown := [k for k in c if k not in _KNOWN]:
            raise MenuError(f"{at}: a control has no {unknown[0][:40]!r}")
        for name, value in c.items():
            where = f"{at}.{name}"
            if name in _TEXTS and not (isinstance(value, str) or (name == "role" and value is None)):
                raise wrong(where, "a text", value)
            if name in _NUMBERS and not _is_number(value):
                raise wrong(where, "a number", value)
            if name in ("choices", "resets") and not _are_texts(value):
                raise wrong(where, "a list of texts", value)
            if name == "default" and not (value is None or isinstance(value, str) or _is_number(value)):
                raise wrong(where, "a number or a text", value)
            if name == "bears" and not isinstance(value, bool):
                raise wrong(where, "true or false", value)
            if name == "locks" and not (isinstance(value, Mapping) and all(map(_are_texts, value.values()))):
                raise wrong(where, "by value a list of paths", value)
    for i, m in enumerate(document["modes"]):
        at = f"modes[{i}]"
        if not isinstance(m, Mapping) or not all(isinstance(m.get(k), str) for k in ("name", "signal", "target")):
            raise wrong(at, "an object with a name, a signal and a target", m)
        if m["signal"] not in SIGNAL_WORDS:
            raise wrong(f"{at}.signal", "sdr, pq or hlg", m["signal"])
        defaults = m.get("defaults", {})
        if not isinstance(defaults, Mapping) or not all(isinstance(v, str) or _is_number(v) for v in defaults.values()):
            raise wrong(f"{at}.defaults", "by path a number or a text", defaults)
        if not _are_texts(m.get("locks", [])):
            raise wrong(f"{at}.locks", "a list of paths", m["locks"])


def menu_from(document: Mapping[str, Any]) -> Menu:
    """A menu from its document; MenuError that names the entry where it is none."""
    _check_document(document)
    controls = tuple(
        Control(
            **{
                **c,
                "choices": tuple(c.get("choices", ())),
                "resets": tuple(c.get("resets", ())),
                "locks": {value: tuple(paths) for value, paths in c.get("locks", {}).items()},
            }
        )
        for c in document["controls"]
    )
    modes = tuple(
        Mode(m["name"], m["signal"], m["target"], dict(m.get("defaults", {})), tuple(m.get("locks", ())))
        for m in document["modes"]
    )
    return Menu(modes, controls, document.get("mode_path", "Mode"))
