"""The meter running free: readings flow while a control is moved by hand, and one key captures setting and reading."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.figures import cells
from lumenar.app.runs.planning import new_run, setup_states
from lumenar.app.setups.setups import Edit, change
from lumenar.bench.panel_timing import CLEAR_S, PANEL_TIMINGS, REST
from lumenar.bench.ports import BelowFloorError, InstrumentError, MeterReading, RefusedError, SaturatedError
from lumenar.core.colour.spaces import XYZ_to_uv
from lumenar.core.measurements import brightness_ladder
from lumenar.core.readings.patches import Patch
from lumenar.store import plans, readings, runs
from lumenar.store.plans import NewPatch
from lumenar.store.readings import NewReading

WHITE = (1.0, 1.0, 1.0)
LEAST_CAPTURES = 3


@dataclass(frozen=True)
class MovableControl:
    """A slider that can be moved while the meter runs free."""

    path: str
    minimum: float
    maximum: float
    step: float
    value: float
    luminance: bool


@dataclass(frozen=True)
class Capture:
    """One setting with its reading, corrected."""

    value: float
    Y: float
    u: float
    v: float


@dataclass(frozen=True)
class Picture:
    """What is held before the meter: signal 0 to 1, and the share of the screen's area."""

    rgb: tuple[float, float, float]
    window: float


@dataclass(frozen=True, kw_only=True)
class FreeView:
    """What the free-running panel shows. captures are of the control chosen and the picture held."""

    running: bool
    review: int | None
    setup: int | None
    setup_name: str
    controls: list[MovableControl]
    control: str | None
    captures: list[Capture]
    message: str
    picture: Picture


@dataclass
class _Held:
    review: int
    setup_id: int
    unit: int
    name: str
    control: str
    values: dict[str, float]
    captures: dict[float, MeterReading] = field(default_factory=dict)
    at: dict[float, float] = field(default_factory=dict)
    last: MeterReading | None = None
    last_of: tuple[Patch, str, float] | None = None
    message: str = ""
    patch: Patch = field(default_factory=lambda: Patch(WHITE))

    @property
    def wanted(self) -> tuple[Patch, str, float]:
        """The picture that is held, the control that is moved and its setting: what a reading to be captured is of."""
        return self.patch, self.control, self.values[self.control]


STILL_S = 45.0
"""After so long another picture is shown for a moment: many displays dim one that stands still, and what is captured then
would be too low."""


@dataclass
class _FreeJob:
    review: int
    owner: FreeRun
    held: _Held
    kind: Literal["free"] = "free"

    def work(self) -> None:
        self.owner.work(self.held)

    def leave(self) -> None:
        self.owner.leave()

    def failed(self, error: BaseException) -> bool:
        self.owner.ended(self.held, error)
        return False


class FreeRun:
    """One free run at a time on the bench."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self._held: _Held | None = None
        self._failed = ""
        self._stopping = threading.Event()
        self._capturing = threading.Lock()
        self._read = threading.Condition()

    def start(self, review_id: int, setup_id: int) -> FreeView:
        """Let the meter run on a setup's white. ConflictError while the bench is in use; BadInputError without a slider."""
        setup = cells.setup_of(self.app, review_id, setup_id)
        shown = display(self.app, setup.unit_id)
        if not shown.can.alone:
            said = f"{shown.row.name} is not simulated, so the simulated meter can't read it. Use a manual run instead."
            raise ConflictError("by-hand", said)
        controls = self._controls(setup.unit_id, review_id, setup_id)
        if not controls:
            raise BadInputError("setup", f"{setup.name} has no slider that can be moved.", "setup")
        first = next((c for c in controls if c.luminance), controls[0])
        held = _Held(review_id, setup_id, setup.unit_id, setup.name, first.path, {c.path: c.value for c in controls})

        def begin() -> None:
            self._stopping.clear()
            self._held, self._failed = held, ""

        self.bench.occupancy.take(_FreeJob(review_id, self, held), begin)
        return self.view()

    def _controls(self, unit_id: int, review_id: int, setup_id: int) -> list[MovableControl]:
        menu = display(self.app, unit_id).menu
        state = setup_states(self.app, review_id, unit_id)[setup_id]
        mode = menu.mode(state.mode)
        return [
            MovableControl(c.path, c.minimum, c.maximum, c.step, float(state.settings[c.path]), c.role == "luminance")
            for c in menu.controls
            if c.kind == "slider" and c.path not in mode.locks and c.path in state.settings
        ]

    def work(self, held: _Held) -> None:
        """Read until it is stopped."""
        live = self.bench.live
        bench = self.bench.equipment.assemble(held.unit, 911 + held.setup_id)
        row = display(self.app, held.unit).row
        state = setup_states(self.app, held.review, held.unit)[held.setup_id]
        bench.enter(state.wanted, state.format)
        patch = held.patch
        bench.source.show(patch)
        shown_at = bench.clock.now()
        while not self._stopping.is_set():
            wanted = held.wanted
            picture, control, value = wanted
            try:
                bench.remote.apply(control, value)
                if picture != patch:
                    patch = picture
                    bench.source.show(patch)
                    shown_at = bench.clock.now()
                if bench.clock.now() - shown_at > STILL_S:
                    bench.source.show(REST)
                    bench.clock.sleep(CLEAR_S)
                    bench.source.show(patch)
                    shown_at = bench.clock.now()
                bench.clock.sleep(PANEL_TIMINGS[row.panel].settle_s)
                reading = bench.read(patch)
            except (BelowFloorError, SaturatedError) as e:
                held.message, held.last = str(e), None
                live.read(patch.code, "below_floor", None)
            except RefusedError as e:
                held.message = str(e)
                self._stopping.wait(0.2)
                continue
            except InstrumentError as e:
                held.message = f"{e}. {e.advice}"
                self._stopping.wait(0.2)
                continue
            else:
                held.message = ""
                with self._read:
                    held.last, held.last_of = reading, wanted
                    held.at[value] = bench.clock.now()
                    self._read.notify_all()
                live.read(patch.code, "ok", live.corrected(reading.XYZ))
            live.shown(patch.code, patch.rgb, f"{control.split(' > ')[-1]} {value:g}", held.name)
            live.tell()
            if self.bench.equipment.speed == 0:
                # A meter without waiting would only burn time: nobody moves a slider that fast.
                self._stopping.wait(0.05)

    def leave(self) -> None:
        """End soon, without waiting for it."""
        self._stopping.set()

    def ended(self, held: _Held, error: BaseException) -> None:
        """It failed in a way nobody foresaw: the panel says so, with what was captured lost."""
        held.message = f"The meter stopped on a fault ({type(error).__name__}: {error}); start it again."
        self._failed = held.message
        with self._read:
            held.last = None
            self._read.notify_all()

    def _open(self) -> _Held:
        if self._held is None or self.bench.occupancy.kind != "free":
            raise ConflictError("free", "The meter does not run free; start it first.")
        return self._held

    def move(self, control: str, value: float) -> FreeView:
        """Move a control; BadInputError where it has no such value."""
        held = self._open()
        known = {c.path: c for c in self._controls(held.unit, held.review, held.setup_id)}
        if control not in known:
            raise BadInputError("control", f"There is no slider {control!r} to move in {held.name}.", "control")
        c = known[control]
        if not c.minimum <= value <= c.maximum:
            raise BadInputError("value", f"{value:g} is outside {c.minimum:g}..{c.maximum:g} of {control}.", "value")
        steps = (value - c.minimum) / c.step
        if abs(steps - round(steps)) > 1e-6:
            raise BadInputError(
                "value", f"{value:g} is between the steps of {control}, which are {c.step:g} apart.", "value"
            )
        with self._read:
            if control != held.control:
                held.captures.clear()
            held.values[control] = value
            held.control = control
            self._read.notify_all()
        return self.view()

    def show(self, rgb: tuple[float, float, float], window: float) -> FreeView:
        """Hold another picture; captures of the one before are gone. BadInputError where there is no such picture."""
        held = self._open()
        if not all(0 <= v <= 1 for v in rgb):
            raise BadInputError("picture", "A signal lies within 0 and 1 in each channel.", "rgb")
        if not 0.001 <= window <= 1:
            raise BadInputError("picture", "A picture covers 0.1 to 100 % of the screen.", "window")
        with self._read:
            held.patch = Patch(rgb, window)
            held.captures.clear()
            self._read.notify_all()
        return self.view()

    def capture(self) -> FreeView:
        """Keep the present setting with a reading of it; the last one of a setting counts."""
        held = self._open()
        wanted = held.wanted
        # One waits at the most, so that those who wait for a reading never keep others from being answered.
        if not self._capturing.acquire(blocking=False):
            raise ConflictError("free", "A capture waits for its reading already.")
        try:
            with self._read:
                # What was read of another picture, or of another control at the same setting, is not of this one.
                self._read.wait_for(
                    lambda: held.wanted != wanted or (held.last is not None and held.last_of == wanted), timeout=10
                )
                if held.wanted != wanted:
                    raise ConflictError("free", "The picture or the setting was changed meanwhile; capture it again.")
                if held.last is None or held.last_of != wanted:
                    raise ConflictError("free", f"No reading at {wanted[2]:g} came within ten seconds. {held.message}")
                held.captures[wanted[2]] = held.last
        finally:
            self._capturing.release()
        return self.view()

    def stop(self, wait_s: float = 15.0) -> FreeView:
        """Let the meter rest; what was captured and not kept is gone."""
        self._stopping.set()
        if self.bench.occupancy.kind == "free":
            self.bench.occupancy.wait(timeout=wait_s)
        self._held = None
        return self.view()

    def keep_ladder(self) -> int:
        """Keep the captures as readings of the setup's brightness control. ConflictError under three, or of another control."""
        held = self._open()
        luminance = {c.path for c in self._controls(held.unit, held.review, held.setup_id) if c.luminance}
        if held.control not in luminance:
            raise ConflictError(
                "free",
                f"Only captures along the brightness control can be saved. These were made along {held.control}.",
            )
        if held.patch != Patch(WHITE):
            raise ConflictError(
                "free",
                "The brightness control is read with white on a tenth of the screen. Show that picture and capture again.",
            )
        if len(held.captures) < LEAST_CAPTURES:
            raise ConflictError("free", f"A ladder needs {LEAST_CAPTURES} settings, {len(held.captures)} are captured.")
        row = display(self.app, held.unit).row
        values = sorted(held.captures)
        setup = cells.setup_of(self.app, held.review, held.setup_id)
        patches = [
            NewPatch(held.setup_id, Patch(WHITE, level=v), 0.0, (brightness_ladder.MEASUREMENT.key,)) for v in values
        ]
        new = new_run(
            app=self.app,
            review_id=held.review,
            unit_id=held.unit,
            setups=[setup],
            habits=PANEL_TIMINGS[row.panel],
            warm_up=False,
            patches=patches,
        )
        with self.app.db.transaction() as writing:
            run_id = runs.add_run(writing, new)
            for patch, v in zip(plans.unread(writing, run_id), values, strict=True):
                reading = held.captures[v]
                readings.add(
                    writing,
                    NewReading(
                        patch_id=patch.id,
                        attempt=1,
                        outcome="ok",
                        XYZ=reading.XYZ,
                        exposure_s=reading.exposure_s,
                        at_s=held.at[v],
                        read_at=now(),
                    ),
                )
            runs.set_state(writing, run_id, "done", "")
        held.captures.clear()
        return run_id

    def keep_setting(self) -> None:
        """Give the setup the present value of the control moved."""
        held = self._open()
        change(self.app, held.review, held.setup_id, Edit(values={held.control: held.values[held.control]}))

    def view(self) -> FreeView:
        """What the panel shows."""
        s = self._held
        if s is None or self.bench.occupancy.kind != "free":
            return FreeView(
                running=False,
                review=None,
                setup=None,
                setup_name="",
                controls=[],
                control=None,
                captures=[],
                message=self._failed,
                picture=Picture(WHITE, Patch(WHITE).window),
            )
        controls = [
            MovableControl(c.path, c.minimum, c.maximum, c.step, s.values[c.path], c.luminance)
            for c in self._controls(s.unit, s.review, s.setup_id)
        ]
        captures = []
        for value in sorted(s.captures):
            XYZ = self.bench.live.corrected(s.captures[value].XYZ)
            u, v = XYZ_to_uv(XYZ)
            captures.append(Capture(value, float(XYZ[1]), float(u), float(v)))
        picture = Picture(s.patch.rgb, s.patch.window)
        return FreeView(
            running=True,
            review=s.review,
            setup=s.setup_id,
            setup_name=s.name,
            controls=controls,
            control=s.control,
            captures=captures,
            message=s.message,
            picture=picture,
        )
