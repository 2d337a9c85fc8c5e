"""How slow this machine is right now, so that limits of tests scale with it."""

import os
import time

IDLE_S = 0.04
"""What `work` takes on a machine of the usual speed with nothing else to do."""


def work() -> float:
    """Seconds that a fixed piece of Python takes."""
    begun = time.perf_counter()
    total = 0
    for i in range(600_000):
        total += i & 7
    return time.perf_counter() - begun


_measured: tuple[float, float] | None = None
"""When the machine was last looked at, and how slow it was."""
GOOD_FOR_S = 10.0


def pace() -> float:
    """How many times longer than usual things take here: 1 on an idle machine of the usual speed, more on a slow or busy one.

    A busy machine is told by its load too, since a short piece of work may find a moment of peace. LUMENAR_PACE sets the least.
    The work is done again only after some seconds, or it would itself make tests slow.
    """
    global _measured
    if _measured is None or time.monotonic() - _measured[0] > GOOD_FOR_S:
        _measured = time.monotonic(), work() / IDLE_S
    busy = os.getloadavg()[0] / (os.cpu_count() or 1)
    return max(1.0, _measured[1], busy, float(os.environ.get("LUMENAR_PACE", "1")))
