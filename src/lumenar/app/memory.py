"""Memory that is free goes back to the system, where the C library can do that. Elsewhere these calls do nothing."""

from __future__ import annotations

import ctypes
from contextlib import suppress

_M_ARENA_MAX = -8


def share_arenas() -> None:
    """Let all threads share two pools of memory. By default each thread has its own and keeps what it once used."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(_M_ARENA_MAX, 2)


def give_back() -> None:
    """Return free memory to the system. Takes some milliseconds."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
