"""The instruments of the bench, put before a unit; the clock and the faults of simulated ones."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.drivers.simulated import COLORIMETER, FAULTS, FaultKey, SimulatedClock, simulated_of
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.bench.ports import Bench
from lumenar.core.colour.correction import corrected
from lumenar.store import corrections, runs
from lumenar.store.corrections import CorrectionRow

SPEEDS = (1.0, 20.0, 0.0)
"""Bench clock: real time, twenty times as fast, without waiting."""


class Equipment:
    """What stands on the bench. bench and clock are those of the unit that was put there last."""

    def __init__(self, app: Application, speed: float) -> None:
        self.app, self.speed = app, speed
        self.bench: Bench | None = None
        self.clock: SimulatedClock | None = None
        self.correction: CorrectionRow | None = None

    def assemble(self, unit_id: int, seed: int, on_s: float = 0.0) -> Bench:
        """Put a unit with the instruments on the bench; its clock goes on where the unit was last read. on_s: it has been on for
        so long at least."""
        row, simulated = display(self.app, unit_id).row, simulated_of(self.app, unit_id)
        if simulated is None:
            raise ConflictError("by-hand", f"{row.name} is measured by hand.")
        db = self.app.db.connection()
        self.correction = corrections.newest(db, row.panel, COLORIMETER.name)
        self.clock = SimulatedClock(self.speed, max(on_s, runs.bench_time(db, unit_id)))
        self.bench = simulated.assemble(self.clock, seed)
        return self.bench

    def assemble_for(self, unit_id: int, salt: int, correction_id: int | None, on_s: float = 0.0) -> Bench:
        """`assemble` for something that keeps the correction it was begun with; salt tells its noise from that of others."""
        simulated = simulated_of(self.app, unit_id)
        bench = self.assemble(unit_id, (simulated.seed if simulated else 0) + salt, on_s)
        self.correction = None if correction_id is None else corrections.get(self.app.db.connection(), correction_id)
        return bench

    def set_speed(self, speed: float) -> None:
        """Real time (1), faster (20) or without waiting (0)."""
        if speed not in SPEEDS:
            raise BadInputError(
                "speed", f"The clock runs at {', '.join(f'{s:g}' for s in SPEEDS)}; 0 does not wait.", "speed"
            )
        self.speed = speed
        if self.clock is not None:
            self.clock.speed = speed

    def set_fault(self, fault: FaultKey | None, in_use: bool) -> None:
        """Make the simulated meter fail, or heal it."""
        if fault is not None and fault not in FAULTS:
            raise BadInputError(
                "fault", f"There is no such fault. The simulated meter has: {', '.join(FAULTS)}.", "fault"
            )
        if self.bench is None or not in_use:
            raise ConflictError("bench", "Nothing is on the bench, so no meter can fail.")
        self.bench.meter.fault = fault  # type: ignore[attr-defined]

    @property
    def fault(self) -> FaultKey | None:
        """What is wrong with the simulated meter."""
        return getattr(self.bench.meter, "fault", None) if self.bench is not None else None

    def corrected(self, XYZ: Sequence[float]) -> np.ndarray:
        """A raw reading of the working meter with the correction in force."""
        raw = np.asarray(XYZ, float)
        return raw if self.correction is None else corrected(raw, self.correction.matrix)
