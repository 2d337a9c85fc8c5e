"""A whole simulated bench for one unit file."""

from __future__ import annotations

from lumenar.bench.ports import Bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import (
    SimulatedColorimeter,
    SimulatedPhotodiode,
    SimulatedRoom,
    SimulatedSource,
    SimulatedSpectroradiometer,
)
from lumenar.bench.simulated.unit_file import UnitFile


def simulated_bench(file: UnitFile, clock: SimulatedClock, seed: int | None = None, ideal: bool = False) -> Bench:
    """Unit, source and instruments on one clock; the seed of the noise is the unit's unless given. ideal: the
    colorimeter's filters are the observer's, so that it needs no correction."""
    unit = SimulatedUnit(file)
    source = SimulatedSource(unit, clock)
    noise = file.seed if seed is None else seed
    return Bench(
        meter=SimulatedColorimeter(unit, source, clock, noise, ideal),
        source=source,
        remote=unit,
        clock=clock,
        spectroradiometer=SimulatedSpectroradiometer(unit, source, clock, noise),
        photodiode=SimulatedPhotodiode(unit, source, clock, noise),
        room=SimulatedRoom(unit),
    )
