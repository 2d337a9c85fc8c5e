"""A person at the remote, who also puts the pictures on the screen: asked step by step, and only for what differs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.capabilities import BY_HAND, Capabilities
from lumenar.bench.driver import Driver
from lumenar.bench.manual_timing import STEP_S, step_times
from lumenar.bench.patch_words import in_words
from lumenar.bench.person import Person, SomethingElseError, Task, ask
from lumenar.bench.plan import Plan
from lumenar.bench.ports import ControlValue, Entered, RefusedError, Wanted, enter_by_steps
from lumenar.bench.stated_meter import StatedMeter, described
from lumenar.core.menu.controls import MenuError, Value, text_of
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat
from lumenar.core.targets import Signal

DRIVER = Driver("hands", "a person at the remote, who shows the patches too", ("patch source", "remote"))


class Manual:
    """The station of a display that a person measures: they work the menu, show patches and type what a meter shows."""

    @property
    def capabilities(self) -> Capabilities:
        """Nothing goes without a person."""
        return BY_HAND

    @property
    def light(self) -> None:
        """Nobody knows unless somebody says."""

    def meters(self, stated: StatedMeter | None) -> dict[str, dict[str, Any]]:
        """The person's meter, as a run remembers it."""
        return described(stated)

    def reading_s(self, patches: Sequence[Patch], Y: NDArray[np.float64]) -> list[float]:
        """The same for every patch."""
        return [STEP_S] * len(patches)

    def timed(self, plan: Plan) -> Plan:
        """A plan with the times that a person takes."""
        times: list[float] = []
        for setup in dict.fromkeys(p.setup for p in plan.patches):
            times += step_times([p.patch for p in plan.patches if p.setup == setup])
        patches = tuple(replace(p, seconds=t) for p, t in zip(plan.patches, times, strict=True))
        return replace(plan, patches=patches, seconds=sum(times), saved_seconds=(plan.asked - len(patches)) * STEP_S)

    def beyond(self, light: Mapping[str, Any], signal: Mapping[str, Any], usual: Mapping[str, Any]) -> str:
        """Whatever a person can arrange."""
        return ""


class Hands:
    """Remote and patch source of a display by its menu. What the menu does not have or locks is refused before anybody is
    asked; what stands there already is not asked for. At first each mode stands as it ships; after that as it was left, with
    what all modes share as it was set last. Where nobody knows whether modes share a control, it is asked for anew.

    signal: the one that the display is given; modes of that name under another are not meant. None where names suffice."""

    def __init__(self, menu: Menu, person: Person, signal: Signal | None = None) -> None:
        self._menu, self._person, self._signal = menu, person, signal
        self._mode: Mode | None = None
        self._format: SignalFormat | None = None
        self._state: dict[str, Value] = {}
        self._left: dict[str, dict[str, Value]] = {}
        # What was set last, whichever mode it was in.
        self._last: dict[str, Value] = {}
        # What the person said of a value that could not be had in a state of the menu.
        self._impossible: list[tuple[str, ControlValue, dict[str, Value], RefusedError]] = []

    def configure(self, format: SignalFormat) -> None:
        """Have a signal sent; asked for where it is not the one sent already."""
        if format != self._format:
            self._format = None
            ask(self._person, Task("send", format.words))
            self._format = format

    def enter(self, wanted: Wanted) -> Entered:
        """Choose a mode and enter what differs; what stands there then, as far as anybody knows."""
        enter_by_steps(self, wanted)
        return Entered(wanted.mode, self._state.copy())

    def armed(self, wanted: Wanted) -> Wanted | None:
        """What has to be entered before HDR is sent, as far as it does not stand already."""
        shipped = self._menu.defaults(self._mode or self._menu.mode(wanted.mode, self._signal))
        ahead = self._menu.ahead(wanted.values)
        first = {p: wanted.values[p] for p in ahead if self._last.get(p, shipped.get(p)) != wanted.values[p]}
        return Wanted("", first) if first else None

    def _set_ahead(self, control: str, value: ControlValue) -> None:
        """Before any mode is chosen, and whichever is shown."""
        try:
            self._menu.control(control).check(value)
        except MenuError as e:
            raise RefusedError(str(e)) from e
        ask(self._person, Task("enter", control, text_of(value)))
        self._last[control] = self._state[control] = value

    def select(self, mode: str) -> None:
        """Choose a mode."""
        try:
            chosen = self._menu.mode(mode, self._signal)
        except MenuError as e:
            raise RefusedError(str(e)) from e
        ask(self._person, Task("choose", self._menu.mode_path, mode))
        self._mode, self._state = chosen, self._left.get(mode, self._menu.defaults(chosen)).copy()
        self._impossible.clear()
        for path, value in self._last.items():
            scope = self._menu.control(path).scope
            if scope in ("unit", "signal") or self._menu.control(path).when:
                self._state[path] = value
            elif scope == "unknown" and self._state.get(path) != value:
                self._state.pop(path, None)

    def apply(self, control: str, value: ControlValue) -> None:
        """Enter a value. RefusedError where the menu does not take it, or the person found that the display does not."""
        if control in self._menu.by_path and self._menu.control(control).when:
            if self._last.get(control) != value and self._state.get(control) != value:
                self._set_ahead(control, value)
            return
        if self._mode is None:
            raise RefusedError(f"{control} belongs to a mode, and none is chosen yet")
        try:
            after = self._menu.change(self._state, self._mode, control, value)
        except MenuError as e:
            raise RefusedError(str(e)) from e
        if self._state.get(control) == value:
            return
        for path, wanted, state, refused in self._impossible:
            # Nothing has changed since, so nobody is asked the same again.
            if (path, wanted, state) == (control, value, self._state):
                raise refused
        try:
            ask(self._person, Task("enter", control, text_of(value)))
        except RefusedError as e:
            self._impossible.append((control, value, self._state.copy(), e))
            raise
        except SomethingElseError:
            # Nobody knows what stands there now.
            self._state.pop(control, None)
            self._left[self._mode.name] = self._state
            raise
        self._last |= {p: v for p, v in after.items() if self._state.get(p) != v}
        self._state = after
        self._left[self._mode.name] = after

    def show(self, patch: Patch) -> None:
        """Put a patch on the screen."""
        ask(self._person, Task("show", in_words(patch), f"{100 * patch.window:g} %", patch))
