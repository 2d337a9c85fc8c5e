"""Simulated displays: unit files, and the display that one makes."""

from __future__ import annotations

from lumenar.app.application import Application
from lumenar.app.errors import BadInputError
from lumenar.bench.drivers.simulated import (
    COLORIMETER,
    FAULTS,
    METERS,
    REFERENCE_HZ,
    SPECTRORADIOMETER,
    Arrival,
    FaultKey,
    SimulatedClock,
    SimulatedDisplay,
    UnitFileError,
    arrive,
)
from lumenar.store import reviews

__all__ = [
    "COLORIMETER",
    "FAULTS",
    "METERS",
    "REFERENCE_HZ",
    "SPECTRORADIOMETER",
    "Arrival",
    "FaultKey",
    "SimulatedClock",
    "arrivals",
    "simulated_of",
]


def arrivals(text: str | bytes, name: str) -> list[Arrival]:
    """Every sample in a unit file; BadInputError with one line that names file, place and reason."""
    try:
        return arrive(text, name)
    except (UnitFileError, ValueError) as e:
        detail = str(e) if str(e).startswith(name) else f"{name}: {e}"
        parts = detail.removeprefix(f"{name}: ").split(": ", 1)
        raise BadInputError("unit-file", detail, parts[0] if len(parts) == 2 else None) from e


def simulated_of(app: Application, unit_id: int) -> SimulatedDisplay | None:
    """What makes the light of a simulated display; None for any other."""
    row = reviews.unit(app.db.connection(), unit_id)
    firmware = row.firmware if row else ""

    def made() -> SimulatedDisplay | None:
        text = reviews.stand_in(app.db.connection(), unit_id)
        return None if text is None else SimulatedDisplay(text, firmware)

    found: SimulatedDisplay | None = app.cache.get(("simulated", unit_id, firmware), made)
    return found
