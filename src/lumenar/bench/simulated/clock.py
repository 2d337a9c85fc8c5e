"""Clocks for simulated instruments: real time, faster, or without waiting."""

from __future__ import annotations

import time


class SimulatedClock:
    """Bench time that runs `speed` times as fast as the wall's; speed 0 never waits. The speed may change while
    running."""

    def __init__(self, speed: float = 0.0, start: float = 0.0) -> None:
        self.speed = speed
        self._now = start

    def now(self) -> float:
        """Bench time in s since the clock was started."""
        return self._now

    def sleep(self, seconds: float) -> None:
        """Let `seconds` of bench time pass; in slices, so that a change of speed takes hold at once."""
        end = self._now + seconds
        while self.speed > 0 and self._now < end:
            piece = min(end - self._now, 0.1 * self.speed)
            time.sleep(piece / self.speed)
            self._now += piece
        self._now = end
