"""The runner: works through a plan, one committed reading at a time."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, Protocol

import numpy as np

from lumenar.bench.habits import CLEAR_S, LEVEL_S, MOVE_S, REST, SETUP_S, SIGNATURE, Habits, settling
from lumenar.bench.plan import is_free
from lumenar.bench.ports import (
    BelowFloorError,
    Bench,
    ControlValue,
    InstrumentError,
    MeterReading,
    SaturatedError,
    TimedOutError,
)
from lumenar.core.colour.spaces import XYZ_to_uv
from lumenar.core.readings import Patch

Outcome = Literal["ok", "below_floor", "saturated"]
State = Literal["running", "paused", "stopped", "done"]
Watched = Literal["reference", "warm_up"]
RETRIES, BACKOFF_S = 3, 2.0
AGAIN = 2
"""An odd reading is read so many times more."""
ODD_SIGMAS, ODD_LEAST = 6.0, 0.004
"""A reading is odd where it is out of order with its neighbours by more sigmas than these, and by this share at least."""
WARM_EVERY_S, WARM_SPAN_S, WARM_MOST_S = 60.0, 600.0, 5400.0
COLD_TOLERANCE = 10.0
"""Percent that white may differ from the last run's while the unit is not known to be warm."""


class SettingChangedError(InstrumentError):
    """A setup does not look as it did in its last run."""

    advice = "Did a setting change? Put it back and resume; or resume as it is, and what was measured before counts as stale."


@dataclass(frozen=True)
class SetupState:
    """What a setup needs of the unit: its mode and the values of its controls. signature: XYZ (3, 3) of the signature
    patches in its last run with the same settings and firmware, None where there was none."""

    key: int
    name: str
    mode: str
    settings: Mapping[str, ControlValue]
    luminance_control: str | None
    signature: Sequence[Sequence[float]] | None = None


@dataclass(frozen=True)
class Step:
    """The next patch to read, with a number the journal knows it by."""

    number: int
    setup: SetupState
    patch: Patch


class Journal(Protocol):
    """Where a run's progress lives. Each call is one transaction; what `commit` took is never read again, unless a later
    attempt of the same step is committed on purpose."""

    def next_step(self) -> Step | None: ...

    def commit(
        self, step: Step, outcome: Outcome, reading: MeterReading | None, at_s: float, attempt: int = 1
    ) -> None: ...

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading, at_s: float) -> None: ...

    def signed(self, setup: SetupState, XYZ: Sequence[Sequence[float]], changed: bool) -> None: ...

    def warm(self, warm: bool) -> None: ...

    def state(self, state: State, message: str) -> None: ...

    def showing(self, step: Step) -> None: ...


class Runner:
    """Carries a run out, in the caller's thread. `pause`, `resume` and `stop` may come from any thread."""

    def __init__(
        self, bench: Bench, journal: Journal, habits: Habits, warm_up: bool = False, warm: bool = False
    ) -> None:
        self._bench, self._journal, self._habits = bench, journal, habits
        self._warm_up, self._warm = warm_up, warm
        self._free = threading.Event()
        self._free.set()
        self._stopping = threading.Event()
        self._setup: SetupState | None = None
        self._asked: int | None = None
        self._level: float | None = None
        self._zone: tuple[int, int, int, int] | None = None
        self._held: Patch | None = None
        self._before: Patch | None = None
        self._onset = 0.0
        self._since_rest, self._reference_at = 0, 0.0
        self._greys: dict[float, tuple[float, Step]] = {}

    def pause(self, message: str = "Paused.") -> None:
        """Stand still before the next patch."""
        if not self._stopping.is_set():
            self._free.clear()
            self._journal.state("paused", message)

    def resume(self) -> None:
        """Go on; the unit's settings are applied anew, since a person may have touched them."""
        self._setup = self._held = None
        if not self._stopping.is_set():
            self._journal.state("running", "")
            self._free.set()

    def stop(self) -> None:
        """End the run before the next patch; what was read stays."""
        self._stopping.set()
        self._free.set()

    def work(self) -> State:
        """Read patch after patch until the plan is done or the run stopped."""
        self._journal.state("running", "")
        while True:
            self._free.wait()
            if self._stopping.is_set():
                self._journal.state("stopped", "Stopped; what was read is kept.")
                return "stopped"
            try:
                step = self._journal.next_step()
                if step is None:
                    self._restore_level()
                    self._journal.state("done", "")
                    return "done"
                if self._warm_up and not self._warm:
                    self._warm_until_steady(step.setup)
                    continue
                self._carry_out(step)
            except InstrumentError as e:
                self.pause(f"{str(e)[:1].upper()}{str(e)[1:]}. {e.advice}")
            except OSError as e:
                self.pause(
                    f"The reading could not be saved: {e}. What was read before is safe; make room, then resume."
                )

    # -- one step -------------------------------------------------------------------------------------------------

    def _carry_out(self, step: Step) -> None:
        self._journal.showing(step)
        self._enter(step.setup)
        self._set_level(step)
        self._move(step.patch)
        if is_free(step.patch):
            self._rest()
            self._reference(step.setup)
            self._since_rest += 1
        outcome, reading = self._measure(step.patch)
        if self._stopping.is_set():
            return
        self._journal.commit(step, outcome, reading, self._bench.clock.now())
        if reading is not None:
            self._compare(step, reading)

    def _measure(self, patch: Patch) -> tuple[Outcome, MeterReading | None]:
        self._show(patch)
        try:
            return "ok", self._read(patch)
        except BelowFloorError:
            return "below_floor", None
        except SaturatedError:
            return "saturated", None

    def _show(self, patch: Patch) -> None:
        """Show a patch and wait: until it has settled, or until it has been on for as long as it is to be held.

        A patch that is held stays on from one reading to the next; after a pause or a restart it starts anew and is
        held as long as the reading wants, so that the reading means the same.
        """
        held = replace(patch, at_s=0.0) if patch.at_s is not None else None
        now = self._bench.clock.now()
        if held is None or held != self._held or (patch.at_s or 0) <= now - self._onset:
            self._bench.source.show(patch)
            self._onset = self._bench.clock.now()
        self._held = held
        wait = settling(self._habits, self._before, patch)
        if patch.at_s:
            wait = patch.at_s - (now - self._onset)
        self._before = patch
        self._bench.clock.sleep(max(0.0, wait))

    def _read(self, patch: Patch) -> MeterReading:
        """One reading, tried again with growing waits where the meter does not answer."""
        for attempt in range(RETRIES):
            try:
                return self._bench.reader(patch).read()
            except TimedOutError:
                if attempt == RETRIES - 1 or self._stopping.is_set():
                    raise
                self._bench.clock.sleep(BACKOFF_S * 2**attempt)
        raise AssertionError("unreachable: the last attempt raises")

    # -- what comes before a patch --------------------------------------------------------------------------------

    def _enter(self, setup: SetupState) -> None:
        """Put the unit into a setup and check by its signature that it is the one known."""
        if self._setup == setup:
            return
        self._apply(setup)
        # A rest long enough for what the last setup left on the panel.
        self._pause_dark(max(CLEAR_S, 10 * self._habits.rest_s))
        found = []
        for patch in SIGNATURE:
            outcome, reading = self._measure(patch)
            if reading is None:
                raise SettingChangedError(f"{setup.name} shows {patch.code} {outcome.replace('_', ' the ')}")
            found.append(reading.XYZ)
        reason = self._differs(setup, found)
        if reason and self._asked != setup.key:
            self._asked = setup.key
            raise SettingChangedError(f"{setup.name} is not what it was in its last run: {reason}")
        self._journal.signed(setup, found, bool(reason))
        self._setup, self._asked = setup, None
        self._reference_at = self._bench.clock.now()

    def _apply(self, setup: SetupState) -> None:
        self._restore_level()
        self._bench.remote.select(setup.mode)
        for path, value in setup.settings.items():
            self._bench.remote.apply(path, value)
        self._bench.clock.sleep(SETUP_S)
        self._level = self._zone = self._before = self._held = None
        self._since_rest = 0
        self._greys.clear()

    def _differs(self, setup: SetupState, found: Sequence[Sequence[float]]) -> str:
        """What tells the signature from the last one, empty where nothing does."""
        if setup.signature is None:
            return ""
        now, then = np.array(found), np.array(setup.signature)
        tolerance = self._habits.tolerance_percent if self._warm else COLD_TOLERANCE
        change = 100 * (now[:, 1] / then[:, 1] - 1)
        # White's luminance may drift; grey and colour beside white may not.
        against_white = np.array([change[0], *(change[1:] - change[0])])
        shift = np.linalg.norm(XYZ_to_uv(now) - XYZ_to_uv(then), axis=1)
        for i, patch in enumerate(SIGNATURE):
            if abs(against_white[i]) > (tolerance if i == 0 else 2 * self._habits.tolerance_percent):
                return f"{patch.code} has {change[i]:+.0f} % luminance"
            if shift[i] > self._habits.tolerance_uv:
                return f"{patch.code} has moved by {shift[i]:.4f} in u′v′"
        return ""

    def _set_level(self, step: Step) -> None:
        level, control = step.patch.level, step.setup.luminance_control
        if level == self._level or control is None:
            return
        if level is None:
            self._restore_level()
            return
        self._bench.remote.apply(control, level)
        self._bench.clock.sleep(LEVEL_S)
        self._level = level

    def _restore_level(self) -> None:
        """Put the luminance control back after a ladder."""
        setup = self._setup
        control = setup.luminance_control if setup else None
        if setup is not None and control is not None and self._level is not None and control in setup.settings:
            self._bench.remote.apply(control, setup.settings[control])
            self._bench.clock.sleep(LEVEL_S)
        self._level = None

    def _move(self, patch: Patch) -> None:
        """Put the meter to another place on the screen."""
        if patch.zone != self._zone:
            self._bench.clock.sleep(MOVE_S)
            self._zone = patch.zone

    def _rest(self) -> None:
        if self._habits.rest_every and self._since_rest >= self._habits.rest_every:
            self._pause_dark(self._habits.rest_s)
            self._since_rest = 0

    def _pause_dark(self, seconds: float) -> None:
        if seconds > 0:
            self._bench.source.show(REST)
            self._before, self._held = REST, None
            self._bench.clock.sleep(seconds)

    def _reference(self, setup: SetupState) -> None:
        """Now and then the setup's white again, so that drift shows."""
        every = self._habits.reference_every_s
        if not every or self._bench.clock.now() - self._reference_at < every:
            return
        _, reading = self._measure(SIGNATURE[0])
        if reading is not None:
            self._journal.watched("reference", setup, reading, self._bench.clock.now())
        self._reference_at = self._bench.clock.now()

    def _warm_until_steady(self, setup: SetupState) -> None:
        """Read white every minute until it drifts by less than a per cent over ten minutes."""
        self._apply(setup)
        clock = self._bench.clock
        start = clock.now()
        seen: list[tuple[float, float]] = []
        while not self._stopping.is_set():
            self._free.wait()
            # A picture that stands still for long is dimmed by some; a change of picture ends that.
            self._pause_dark(CLEAR_S)
            _, reading = self._measure(SIGNATURE[0])
            if reading is None:
                break
            now = clock.now()
            seen.append((now, reading.XYZ[1]))
            self._journal.watched("warm_up", setup, reading, now)
            old = [Y for t, Y in seen if now - t >= WARM_SPAN_S - WARM_EVERY_S / 2]
            drift = 100 * (reading.XYZ[1] / old[-1] - 1) if old else None
            if drift is not None and abs(drift) < self._habits.warm_up_percent:
                break
            if now - start > WARM_MOST_S:
                break
            said = "ten minutes are needed to know" if drift is None else f"{drift:+.1f} % over ten minutes"
            self._journal.state("running", f"Warming up: {said}.")
            clock.sleep(max(0.0, WARM_EVERY_S - (clock.now() - now) - reading.exposure_s - CLEAR_S))
        self._warm = True
        self._setup = None
        self._journal.warm(True)
        if not self._stopping.is_set():
            self._journal.state("running", "")

    # -- odd readings ---------------------------------------------------------------------------------------------

    def _compare(self, step: Step, reading: MeterReading) -> None:
        """Read again what is out of order with its neighbours: a grey darker than a darker one, or brighter than a
        brighter one. All readings are kept, and their median counts."""
        p = step.patch
        if not (
            is_free(p)
            and p.pattern == "window"
            and p.reads == "XYZ"
            and p.rgb[0] == p.rgb[1] == p.rgb[2]
            and p.window == 0.1
        ):
            return
        v = p.rgb[0]
        self._greys[v] = (reading.XYZ[1], step)
        neighbour = self._out_of_order(v)
        if neighbour is None:
            return
        self._again(v)
        if self._out_of_order(v) is not None:
            self._again(neighbour)

    def _out_of_order(self, v: float) -> float | None:
        """The neighbour of a grey that contradicts it, None where none does."""
        Y = self._greys[v][0]
        limits = self._bench.meter.describe()
        margin = max(ODD_SIGMAS * float(np.hypot(limits.repeatability * Y, limits.floor / 10)), ODD_LEAST * Y)
        below, above = [g for g in self._greys if g < v], [g for g in self._greys if g > v]
        if below and self._greys[max(below)][0] - Y > margin:
            return max(below)
        if above and Y - self._greys[min(above)][0] > margin:
            return min(above)
        return None

    def _again(self, v: float) -> None:
        Y, step = self._greys[v]
        values = [Y]
        for attempt in range(2, 2 + AGAIN):
            outcome, reading = self._measure(step.patch)
            if self._stopping.is_set():
                return
            self._journal.commit(step, outcome, reading, self._bench.clock.now(), attempt)
            if reading is not None:
                values.append(reading.XYZ[1])
        self._greys[v] = (float(np.median(values)), step)
