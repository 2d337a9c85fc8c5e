"""The bench of a server, joined of its parts."""

from __future__ import annotations

from lumenar.app.application import Application
from lumenar.app.bench.equipment import Equipment
from lumenar.app.bench.live_view import LiveView
from lumenar.app.bench.occupancy import Occupancy
from lumenar.app.bench.run_queue import RunQueue
from lumenar.app.drivers.simulated import FaultKey
from lumenar.app.events import Hub


class BenchService:
    """occupancy: the job that uses the bench now; equipment: its instruments; live: its state for browsers; runs: its queue."""

    def __init__(self, app: Application, hub: Hub | None = None, speed: float = 20.0) -> None:
        self.app = app
        self.occupancy = app.occupancy = Occupancy()
        self.equipment = Equipment(app, speed)
        self.live = LiveView(self.occupancy, self.equipment, hub or Hub())
        self.runs = RunQueue(app, self.occupancy, self.equipment, self.live)
        self.occupancy.told = self.live.tell
        self.occupancy.over = app.db.close

    def set_speed(self, speed: float) -> None:
        """Real time (1), faster (20) or without waiting (0)."""
        self.equipment.set_speed(speed)
        self.live.tell()

    def set_fault(self, fault: FaultKey | None) -> None:
        """Make the simulated meter fail, or heal it."""
        with self.occupancy.lock:
            self.equipment.set_fault(fault, bool(self.occupancy.kind))
        self.live.tell()

    def close(self) -> None:
        """Leave the bench: a run under way stays, paused, where it is."""
        if self.equipment.clock is not None and self.occupancy.working:
            self.equipment.clock.speed = 0.0
        self.occupancy.close()
        self.runs.close()
