"""The runner: works through a plan, one committed reading at a time."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lumenar.bench.outliers import odd_greys
from lumenar.bench.panel_timing import (
    CLEAR_S,
    FIRST_RESTS,
    LEVEL_S,
    MOVE_S,
    REST,
    SETUP_S,
    SIGNATURE,
    WHITES,
    PanelTiming,
    settling,
)
from lumenar.bench.plan import begins_hold, is_free, part_of, recovery_s
from lumenar.bench.ports import (
    BelowFloorError,
    Bench,
    Cancel,
    InstrumentError,
    MeterReading,
    SaturatedError,
    TimedOutError,
)
from lumenar.bench.runner_port import Grey, Journal, RunnerStep, SettingChangedError, SetupState, State, TooBrightError
from lumenar.core.colour.spaces import XYZ_to_uv
from lumenar.core.numbers import signed
from lumenar.core.readings.patches import Outcome, Patch

RETRIES, BACKOFF_S, READ_MOST_S = 3, 2.0, 600.0
AGAIN = 2
"""An odd reading is read so many times more."""
DAZZLED = 3
"""After so many readings in a row that are too bright the run pauses."""
WARM_EVERY_S, WARM_SPAN_S, WARM_MOST_S = 60.0, 600.0, 5400.0
COLD_TOLERANCE = 10.0
"""Percent that white may differ from the last run's while the unit is not known to be warm."""


class Runner:
    """Carries a run out, in the caller's thread. `pause`, `resume` and `stop` may come from any thread."""

    def __init__(
        self, bench: Bench, journal: Journal, habits: PanelTiming, warm_up: bool = False, warm: bool = False
    ) -> None:
        self._bench, self._journal, self._habits = bench, journal, habits
        self._warm_up, self._warm = warm_up, warm
        self._free = threading.Event()
        self._free.set()
        self._stopping = threading.Event()
        self._lock = threading.RLock()
        self._over = self._leaving = False
        self._dazzled = 0
        self._part = ""
        # Whether plain patches were read since white was last.
        self._unwatched = False
        self._setup: SetupState | None = None
        self._asked: int | None = None
        self._level: float | None = None
        self._zone: tuple[int, int, int, int] | None = None
        self._held: Patch | None = None
        self._before: Patch | None = None
        self._onset = 0.0
        self._since_rest, self._reference_at = 0, 0.0
        self._greys: dict[float, Grey] = {}

    # -- steering, from any thread --------------------------------------------------------------------------------

    def pause(self, message: str = "Paused.") -> bool:
        """Stand still before the next patch. Returns whether that changed anything: not where it stands still already or is
        over."""
        with self._lock:
            if self._over or self._stopping.is_set() or not self._free.is_set():
                return False
            self._free.clear()
            self._journal.state("paused", message)
            return True

    def resume(self) -> bool:
        """Go on; the unit's settings are applied anew, since a person may have touched them. Returns whether that changed
        anything."""
        with self._lock:
            if self._over or self._stopping.is_set() or self._free.is_set():
                return False
            self._setup = self._held = None
            # The person has seen that it is too bright, and wants to go on.
            self._dazzled = -1 if self._dazzled >= DAZZLED else self._dazzled
            self._journal.state("running", "")
            self._free.set()
            return True

    def stop(self) -> bool:
        """End the run before the next patch; what was read stays. Returns whether it was still going."""
        with self._lock:
            if self._over:
                return False
            self._stopping.set()
            self._free.set()
            return True

    def leave(self) -> None:
        """End before the next patch without a word: whoever closes the bench says what becomes of the run."""
        with self._lock:
            self._leaving = True
            self._stopping.set()
            self._free.set()

    def _say(self, state: State, message: str) -> None:
        """Tell the state, unless somebody has changed it meanwhile."""
        with self._lock:
            if self._free.is_set() and not self._stopping.is_set():
                self._journal.state(state, message)

    def _ended(self, state: State, message: str) -> bool:
        """The run is over, unless somebody has paused or stopped it meanwhile: from then on nothing steers it."""
        with self._lock:
            if state == "done" and (self._stopping.is_set() or not self._free.is_set()):
                return False
            self._over = True
            if not self._leaving:
                self._journal.state(state, message)
            return True

    def work(self) -> State:
        """Read patch after patch until the plan is done or the run stopped."""
        self._say("running", "")
        while True:
            self._free.wait()
            if self._stopping.is_set():
                self._ended("stopped", "Stopped; what was read is kept.")
                return "stopped"
            try:
                step = self._journal.next_step()
                if self._greys and (step is None or step.setup != self._setup or not _is_grey(step.patch)):
                    self._look_again()
                    continue
                if self._part and (step is None or step.setup != self._setup or part_of(step.patch) != self._part):
                    self._watch_after_part()
                    continue
                if self._unwatched and self._setup is not None and (step is None or step.setup != self._setup):
                    self._watch_white(self._setup)
                    continue
                if step is None:
                    self._restore_level()
                    if self._ended("done", ""):
                        return "done"
                    continue
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

    def _carry_out(self, step: RunnerStep) -> None:
        self._journal.showing(step)
        self._enter(step.setup)
        self._set_level(step)
        self._move(step.patch)
        if self._habits.rest_every and begins_hold(step.patch, self._held):
            # What one window took out of the panel is not to be missing from the next.
            self._pause_dark(recovery_s(self._habits))
        if is_free(step.patch):
            self._rest()
            self._reference(step.setup)
            self._since_rest += 1
            self._unwatched = bool(self._habits.reference_every_s)
        outcome, reading = self._measure(step.patch)
        if self._stopping.is_set():
            return
        self._journal.commit(step, outcome, reading, self._bench.clock.now())
        self._part = part_of(step.patch)
        if reading is not None and _is_grey(step.patch):
            self._greys[step.patch.rgb[0]] = Grey(reading.XYZ[1], step)
        self._blinded(outcome)

    def _blinded(self, outcome: Outcome) -> None:
        """Readings that are too bright one after the other are no readings of the display: the person has to see to it."""
        if self._dazzled < 0:
            return
        self._dazzled = self._dazzled + 1 if outcome == "saturated" else 0
        if self._dazzled >= DAZZLED:
            raise TooBrightError(f"{DAZZLED} readings in a row are too bright for the meter")

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
                return self._bench.read(patch, Cancel(self._stopping.is_set, READ_MOST_S))
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
        self._pause_dark(max(CLEAR_S, FIRST_RESTS * self._habits.rest_s))
        signature = []
        for patch in SIGNATURE:
            reads = []
            # All drift is told against the rested white, so its noise must not count.
            for _ in range(WHITES if patch == SIGNATURE[0] else 1):
                outcome, reading = self._measure(patch)
                if reading is None:
                    raise SettingChangedError(f"{setup.name} shows {patch.code} {outcome.replace('_', ' the ')}")
                reads.append(reading.XYZ)
            signature.append(tuple(np.median(reads, axis=0).tolist()))
        reason = self._differs(setup, signature)
        if reason and self._asked != setup.key:
            self._asked = setup.key
            raise SettingChangedError(f"{setup.name} is not what it was in its last run: {reason}")
        self._journal.signed(setup, signature, bool(reason), self._bench.said())
        self._setup, self._asked, self._unwatched = setup, None, False
        self._reference_at = self._bench.clock.now()

    def _apply(self, setup: SetupState) -> None:
        self._restore_level()
        self._bench.enter(setup.wanted, setup.format)
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
                return f"{patch.code} has {signed(change[i], 0)} % luminance"
            if shift[i] > self._habits.tolerance_uv:
                return f"{patch.code} has moved by {shift[i]:.4f} in u′v′"
        return ""

    def _set_level(self, step: RunnerStep) -> None:
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
        self._watch_white(setup)

    def _watch_white(self, setup: SetupState) -> None:
        """White, so often that its noise counts for little beside the drift it is to show."""
        self._unwatched = False
        for _ in range(WHITES):
            _, reading = self._measure(SIGNATURE[0])
            if reading is not None and not self._stopping.is_set():
                self._journal.watched("reference", setup, reading, self._bench.clock.now())
        self._reference_at = self._bench.clock.now()

    def _watch_after_part(self) -> None:
        """White once more at the end of a part without rests and reference whites, so that what it did to the panel shows; then
        a rest for panels that need one."""
        self._part = ""
        setup = self._setup
        if setup is None or not self._habits.reference_every_s:
            return
        self._restore_level()
        self._move(SIGNATURE[0])
        self._watch_white(setup)
        if self._habits.rest_every:
            self._pause_dark(recovery_s(self._habits))

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
            said = "ten minutes are needed to know" if drift is None else f"{signed(drift, 1)} % over ten minutes"
            self._say("running", f"Warming up: {said}.")
            clock.sleep(max(0.0, WARM_EVERY_S - (clock.now() - now) - reading.exposure_s - CLEAR_S))
        self._warm = True
        self._setup = None
        self._journal.warm(True)
        self._say("running", "")

    # -- odd readings ---------------------------------------------------------------------------------------------

    def _look_again(self) -> None:
        """Read again what does not lie on the curve of its neighbours: all greys of a setup are there. All readings are
        kept, and their median counts; what repeats is no fault of the meter."""
        greys = self._greys
        self._greys = {}
        for _ in range(len(greys)):
            suspects = [v for v in odd_greys({v: g.Y for v, g in greys.items()}, self._u) if not greys[v].again]
            if not suspects or self._stopping.is_set() or not self._free.is_set():
                return
            self._again(greys[suspects[0]])

    def _u(self, Y: float) -> float:
        return float(self._bench.meter.describe().limits.u(Y))

    def _again(self, grey: Grey) -> None:
        values = [grey.Y]
        grey.again = True
        for attempt in range(2, 2 + AGAIN):
            outcome, reading = self._measure(grey.step.patch)
            if self._stopping.is_set():
                return
            self._journal.commit(grey.step, outcome, reading, self._bench.clock.now(), attempt)
            if reading is not None:
                values.append(reading.XYZ[1])
        grey.Y = float(np.median(values))


def _is_grey(p: Patch) -> bool:
    """Whether a patch is a plain grey, which lies on a curve with its neighbours."""
    return (
        is_free(p)
        and p.pattern == "window"
        and p.reads == "XYZ"
        and p.rgb[0] == p.rgb[1] == p.rgb[2]
        and p.window == 0.1
    )
