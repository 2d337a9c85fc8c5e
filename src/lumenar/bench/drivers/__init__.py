"""Drivers: what stands behind the ports, one folder each with a `DRIVER`. A new folder is found without being listed; it needs
a case in the suite that every driver is run against (`bench/conformance.py`)."""

from __future__ import annotations

from functools import cache

from lumenar.bench.driver import Driver
from lumenar.core.registry import registered


@cache
def drivers() -> dict[str, Driver]:
    """Every driver by its key."""
    return {d.key: d for d in registered(__name__, __path__, "DRIVER", Driver)}
