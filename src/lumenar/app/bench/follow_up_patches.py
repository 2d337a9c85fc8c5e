"""Patches that a run asks for besides its plan, by what it has read: such as the codes between which a curve is left."""

from __future__ import annotations

import sqlite3

import numpy as np

from lumenar.app.data import Data
from lumenar.app.figures.loading import limits
from lumenar.core.measurements import MEASUREMENTS, MissingPatchError
from lumenar.core.readings.collecting import collect
from lumenar.core.targets import resolve
from lumenar.store import plans, readings, runs
from lumenar.store.plans import NewPatch, PatchRow


def asks_more(measurement: str) -> bool:
    """Whether a measurement may ask for more than was planned."""
    return measurement in MEASUREMENTS and MEASUREMENTS[measurement].further is not None


def extend(data: Data, db: sqlite3.Connection, run_id: int, setup_id: int, measurement: str) -> list[PatchRow]:
    """Plan what a measurement asks for once all its patches are read, within the transaction that read the last; nothing where it
    asks for nothing more."""
    further = MEASUREMENTS[measurement].further
    made_for = runs.made_for(db, run_id, setup_id)
    if further is None or made_for is None:
        return []
    read = readings.of_measurement(db, run_id, setup_id, measurement)
    meter, matrix = limits(data, run_id)
    XYZ = np.array([r.XYZ or (np.nan,) * 3 for r in read], float).reshape(-1, 3)
    below = np.array([r.XYZ is None for r in read], bool)
    found = collect([r.patch for r in read], XYZ, below, meter, matrices=[matrix] * len(read))
    format = runs.recorded(db, run_id, setup_id, "format") or {}
    try:
        patches = further(found, resolve(made_for), int(format.get("bits", 8)))
    except MissingPatchError:
        return []
    expected = float(np.median([r.expected_s for r in read])) if read else 0.0
    return plans.extend(db, run_id, [NewPatch(setup_id, p, expected, (measurement,)) for p in patches])
