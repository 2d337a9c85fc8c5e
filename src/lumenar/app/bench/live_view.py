"""What the bench bar shows: patch, reading beside its target, progress, drift; told to everyone who watches."""

from __future__ import annotations

import threading
import time
from collections.abc import Mapping
from dataclasses import asdict, replace

import numpy as np

from lumenar.app.bench.bench_views import BenchState, BenchStatus, CorrectionInForce, LivePatch, LiveReading, place_of
from lumenar.app.bench.equipment import Equipment
from lumenar.app.bench.journal import Tally
from lumenar.app.bench.occupancy import Occupancy
from lumenar.app.drivers.simulated import COLORIMETER
from lumenar.app.events import Event, Hub
from lumenar.bench.ports import MeterReading
from lumenar.bench.runner_port import RunnerStep, SetupState, State, Watched
from lumenar.core.colour import difference, spaces
from lumenar.core.readings.patches import Outcome
from lumenar.core.targets import Anchor, resolve
from lumenar.store.runs import RunRow

TELL_EVERY_S = 0.04


class LiveView:
    """The bench's state as others see it. run: the run on the bench, as it is in the store."""

    def __init__(self, occupancy: Occupancy, equipment: Equipment, hub: Hub) -> None:
        self._occupancy, self._equipment, self.hub = occupancy, equipment, hub
        self._telling = threading.Lock()
        self.run: RunRow | None = None
        self.queued = 0
        self._name = ""
        self._tally: Tally | None = None
        self._targets: Mapping[int, str] = {}
        self._patch: LivePatch | None = None
        self._reading: LiveReading | None = None
        self._whites: dict[int, np.ndarray] = {}
        self._references: dict[int, float] = {}
        self._drift: float | None = None
        self._told = 0.0

    def begin(self, run: RunRow, name: str, tally: Tally, targets: Mapping[int, str]) -> None:
        """A run is put on the bench; targets: the declared one of each setup."""
        self.run, self._name, self._tally, self._targets = run, name, tally, targets
        self._patch = self._reading = self._drift = None
        self._whites, self._references = {}, {}

    def end(self) -> None:
        """Nothing is on the bench."""
        self.run = self._tally = self._patch = None

    def corrected(self, XYZ: tuple[float, float, float]) -> np.ndarray:
        """A raw reading with the correction in force."""
        return self._equipment.corrected(XYZ)

    def read(
        self, code: str, outcome: Outcome, XYZ: np.ndarray | None, target: tuple[float, float] | None = None
    ) -> None:
        """The last reading."""
        u, v = (None, None) if XYZ is None else (float(x) if np.isfinite(x) else None for x in spaces.XYZ_to_uv(XYZ))
        Y, de = target or (None, None)
        self._reading = LiveReading(
            outcome=outcome, Y=None if XYZ is None else float(XYZ[1]), u=u, v=v, code=code, target_Y=Y, de=de
        )

    def shown(self, code: str, rgb: tuple[float, float, float], place: str, setup: str) -> None:
        """What is on the screen."""
        self._patch = LivePatch(code, rgb, place, setup)

    # -- what a run's journal tells -------------------------------------------------------------------------------

    def show(self, step: RunnerStep) -> None:
        """A patch goes on the screen."""
        p = step.patch
        self.shown(p.code, p.rgb, place_of(p), step.setup.name)
        self.tell(throttled=True)

    def took(self, step: RunnerStep, outcome: Outcome, reading: MeterReading | None) -> None:
        """A reading was committed."""
        XYZ = None if reading is None else self.corrected(reading.XYZ)
        p = step.patch
        if XYZ is not None and p.rgb == (1.0, 1.0, 1.0) and p.level is None and p.zone is None and p.reads == "XYZ":
            self._whites[step.setup.key] = XYZ
        if self._quiet():
            return
        self.read(p.code, outcome, XYZ, self._against_target(step, XYZ))
        self._tell_cells()
        self.tell()

    def _tell_cells(self) -> None:
        """How far the cells are that have grown: a Board redraws these alone, and asks for figures when one is whole."""
        tally = self._tally
        if self.run is None or tally is None or not tally.changed:
            return
        changed = list(tally.changed)
        tally.changed.clear()
        cells = [[setup, measurement, *tally.cells[setup, measurement]] for setup, measurement in changed]
        self.hub.publish(Event("cells", {"review": self.run.review_id, "cells": cells}))

    def _against_target(self, step: RunnerStep, XYZ: np.ndarray | None) -> tuple[float, float] | None:
        """Target luminance and dE2000 of a plain patch, once white is known and while black counts as zero."""
        p, white = step.patch, self._whites.get(step.setup.key)
        plain = p.level is None and p.zone is None and p.pattern == "window" and p.reads == "XYZ" and p.at_s is None
        if XYZ is None or white is None or not plain or step.setup.key not in self._targets:
            return None
        target = resolve(self._targets[step.setup.key])
        wanted = target.XYZ(np.clip(np.array([p.rgb]), 0, 1), Anchor(white[1], np.array(0.0)))[0]
        Lab = [target.Lab(c[None, :], white[1])[0] for c in (XYZ, wanted)]
        return float(wanted[1]), float(difference.de2000(*Lab))

    def watched(self, kind: Watched, setup: SetupState, reading: MeterReading) -> None:
        """A reading that watches the bench: the drift is told against the first of its kind."""
        first = self._references.setdefault(setup.key, reading.XYZ[1])
        self._drift = 100 * (reading.XYZ[1] / first - 1)
        self.read("reference white" if kind == "reference" else "warming up", "ok", self.corrected(reading.XYZ))
        self.tell(throttled=True)

    def became(self, state: State, message: str) -> None:
        """The run changed its state."""
        if self.run is not None:
            self._tell_cells()
            self.run = replace(self.run, state=state, message=message)
            self.hub.publish(Event("run", {"review": self.run.review_id, "state": state}))
        self.tell()

    # -- telling --------------------------------------------------------------------------------------------------

    def _quiet(self) -> bool:
        """Whether something was told a moment ago: a bench that does not wait would flood everyone."""
        return self._equipment.speed == 0 and time.monotonic() - self._told < TELL_EVERY_S

    def tell(self, throttled: bool = False) -> None:
        """Send the bench's state to everyone who watches."""
        if throttled and self._quiet():
            return
        self._told = time.monotonic()
        # State and telling go together: else one thread could tell what another has overtaken, and nobody would tell
        # again.
        with self._telling:
            self.hub.publish(Event("bench", asdict(self.status())))

    def status(self) -> BenchStatus:
        """The bench's present state. Takes no lock but its own, since whoever tells it may hold any other."""
        run, tally, kind, closing = self.run, self._tally, self._occupancy.kind, self._occupancy.closing
        # Between two runs the bench is not at rest: the next one is about to be put on it. A run that has just ended may
        # still lie on it for a moment.
        waiting: BenchState = "queued" if self.queued and not closing else "idle"
        over = run is not None and run.state in ("done", "stopped")
        state: BenchState = waiting if over else run.state if run is not None else "running" if kind else waiting
        c = self._equipment.correction
        return BenchStatus(
            state=state,
            kind=kind,
            message=run.message if run else "",
            run=run.id if run else None,
            review=run.review_id if run else None,
            review_name=self._name if run else "",
            done=tally.done if tally else 0,
            total=tally.total if tally else 0,
            left_s=tally.left_s if tally else 0.0,
            speed=self._equipment.speed,
            meter=COLORIMETER.name,
            correction=CorrectionInForce(c.panel, c.made_at[:10]) if c else None,
            drift_percent=self._drift,
            fault=self._equipment.fault if kind else None,
            patch=self._patch,
            reading=self._reading,
            queued=self.queued,
        )
