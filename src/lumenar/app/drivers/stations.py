"""The station of a display: by which driver it is measured."""

from __future__ import annotations

import sqlite3

from lumenar.bench.drivers.hands import Manual
from lumenar.bench.drivers.simulated import Simulated, claims_in
from lumenar.bench.stations import Station
from lumenar.store import reviews

_SIMULATED, _MANUAL = Simulated(), Manual()


def station_of(db: sqlite3.Connection, unit_id: int) -> Station:
    """What stands before a display."""
    return _MANUAL if reviews.stand_in(db, unit_id) is None else _SIMULATED


def claims_of(db: sqlite3.Connection, unit_id: int) -> list[str]:
    """What the maker says of a display, as far as that came with it."""
    document = reviews.stand_in(db, unit_id)
    return [] if document is None else claims_in(document)
