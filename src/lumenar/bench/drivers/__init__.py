"""Drivers: what stands behind the ports, one folder each with a `DRIVER`. A new folder is found without being listed; it needs
a case in the suite that every driver is run against (`bench/conformance.py`)."""

from __future__ import annotations

import pkgutil
from functools import cache
from importlib import import_module

from lumenar.bench.driver import Driver


@cache
def drivers() -> dict[str, Driver]:
    """Every driver by its key."""
    found = [import_module(f"{__name__}.{m.name}").DRIVER for m in pkgutil.iter_modules(__path__)]
    return {d.key: d for d in found}
