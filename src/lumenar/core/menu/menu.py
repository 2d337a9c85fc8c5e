"""What a reviewer knows of a display's menu: its controls and modes, what locks what, what resets what, and in which order
settings are entered so that none undoes another. Pure: it knows nothing of how a display makes light."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from lumenar.core.menu.controls import (
    MOST_LINKS,
    MOST_NAME,
    PLACES,
    Control,
    MenuError,
    Value,
    check_counts,
    fits,
    printable,
    text_of,
    unique,
)
from lumenar.core.menu.paths import endings, written
from lumenar.core.signals import WORDS as SIGNAL_WORDS
from lumenar.core.targets import Signal


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
            printable(m.name, "the name of a mode", MOST_NAME)
        unique([c.path for c in self.controls], "control")
        unique([f"{m.name} ({m.signal})" for m in self.modes], "mode")
        for c in self.controls:
            fits(c)
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
