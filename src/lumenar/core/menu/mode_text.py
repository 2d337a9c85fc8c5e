"""Modes as text, and a whole menu of text."""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from dataclasses import replace

from lumenar.core.menu.controls import MOST_MODES, Control
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.menu.text_reading import MenuTextError, TextReading, controls_from, lines_of, named_values, value_in
from lumenar.core.targets import DEFAULT_TARGETS, TARGETS, Signal, TargetError, resolve


def modes_from(
    text: str,
    default_target: str = "bt709_bt1886",
    named: Mapping[str, str] | None = None,
    controls: Sequence[Control] = (),
) -> tuple[Mode, ...]:
    """Modes, one a line: a name, then its signal (sdr, pq, hlg) and its target, parted by commas; indented under it the defaults
    that are its own and what it locks. named: keys of further targets by their titles in small letters; controls: those that
    defaults and locks name. MenuTextError with line and column where a line cannot be read."""
    modes: list[Mode] = []
    known = TextReading(list(controls))
    for index, raw in lines_of(text):
        if not raw.strip():
            continue
        if len(modes) > MOST_MODES:
            raise MenuTextError(index, 1, f"more than {MOST_MODES} modes, the most that a menu can have")
        if modes and raw[0] == " ":
            modes[-1] = _of_mode(known, index, raw, modes[-1])
            continue
        name, *rest = [part.strip() for part in next(csv.reader([raw], skipinitialspace=True))]
        if not name:
            raise MenuTextError(index, 1, "a mode without a name")
        signal: Signal = "sdr"
        target: str | None = None
        for part in rest:
            column = raw.index(part) + 1
            word = part.lower()
            if word in DEFAULT_TARGETS:
                signal = word  # type: ignore[assignment]
            elif (key := _target(part, named or {})) is not None:
                target = key
            else:
                raise MenuTextError(
                    index, column, f"{part!r} is neither a signal (sdr, pq, hlg) nor a target ({', '.join(TARGETS)})"
                )
        target = target or (default_target if signal == "sdr" else DEFAULT_TARGETS[signal])
        if resolve(target).signal != signal:
            raise MenuTextError(
                index, 1, f"{name}: the target {target} is for {resolve(target).signal}, not for {signal}"
            )
        if any(m.name == name and m.signal == signal for m in modes):
            raise MenuTextError(index, 1, f"the mode {name} stands there twice")
        modes.append(Mode(name, signal, target))
    return tuple(modes)


def _of_mode(known: TextReading, index: int, raw: str, mode: Mode) -> Mode:
    """A mode with a line that stands under it: a default that is its own, or what it locks."""
    column = len(raw) - len(raw.lstrip()) + 1
    line = raw.strip()
    if line.lower().startswith("locks "):
        paths = [named_values(known, index, column + 6, w.strip()) for w in line[6:].split(",")]
        return replace(mode, locks=tuple(dict.fromkeys([*mode.locks, *paths])))
    name, equals, value = line.partition("=")
    if not equals or not value.strip():
        raise MenuTextError(
            index, column, f"{line!r} under {mode.name} is neither a default, Light = 60, nor locks Light"
        )
    path = named_values(known, index, column, name.strip())
    control = known.controls[known.at[path]]
    if path in mode.defaults:
        raise MenuTextError(index, column, f"{path} has a default in {mode.name} already")
    read = value_in(control, index, column + line.index("=") + 2, value.strip())
    return replace(mode, defaults={**mode.defaults, path: read})


def _target(part: str, named: Mapping[str, str]) -> str | None:
    word = part.lower()
    if word in TARGETS or word in named:
        return named.get(word, word)
    try:
        return resolve(part).key
    except TargetError:
        return next((k for k, t in TARGETS.items() if t.title.lower() == word), None)


def menu_from_text(modes: str, controls: str, default_target: str = "bt709_bt1886", mode_path: str = "Mode") -> Menu:
    """A whole menu from both texts. MenuError where they cannot be read or do not fit one another."""
    listed = controls_from(controls)
    return Menu(modes_from(modes, default_target, None, listed), listed, mode_path)
