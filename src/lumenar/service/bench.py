"""The bench of a server, joined of its parts."""

from __future__ import annotations

from lumenar.bench.drivers.simulated import FaultKey
from lumenar.service.application import Application
from lumenar.service.events import Hub
from lumenar.service.live import LiveView
from lumenar.service.rig import Rig
from lumenar.service.run_queue import RunQueue
from lumenar.service.seat import Seat


class BenchService:
    """seat: who has the bench; rig: its instruments; live: what is seen of it; runs: what is measured on it."""

    def __init__(self, app: Application, hub: Hub | None = None, speed: float = 20.0) -> None:
        self.app = app
        self.seat = app.seat = Seat()
        self.rig = Rig(app, speed)
        self.live = LiveView(self.seat, self.rig, hub or Hub())
        self.runs = RunQueue(app, self.seat, self.rig, self.live)
        self.seat.told = self.live.tell
        self.seat.over = app.db.close

    def set_speed(self, speed: float) -> None:
        """Real time (1), faster (20) or without waiting (0)."""
        self.rig.set_speed(speed)
        self.live.tell()

    def set_fault(self, fault: FaultKey | None) -> None:
        """Make the stand-in meter fail, or heal it."""
        with self.seat.lock:
            self.rig.set_fault(fault, bool(self.seat.kind))
        self.live.tell()

    def close(self) -> None:
        """Leave the bench: a run under way stays, paused, where it is."""
        if self.rig.clock is not None and self.seat.working:
            self.rig.clock.speed = 0.0
        self.seat.close()
        self.runs.close()
