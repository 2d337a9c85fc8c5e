"""State the floor of a meter after its readings were made: figures near black then rest on a fact, not on an assumption."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from lumenar.app.application import Application
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures.loading import meter_limits
from lumenar.core.numbers import grouped, significant
from lumenar.store import computed, instruments, runs
from lumenar.store.runs import RunRow

BEFORE = "before_floor_was_stated"
"""Key in a run's meter under which it is kept as it was before its floor was stated."""
MOST_CD_M2 = 100.0
"""No meter for displays has a higher floor than this."""


@dataclass(frozen=True)
class MeterFloor:
    """The least light that a run's meter reads. name: empty if it has none; floor_cd_m2: stated, or assumed from its readings;
    stated: whether a person stated it after the run; runs: how many runs of the review that meter has made."""

    run: int
    name: str
    floor_cd_m2: float
    stated: bool
    runs: int


def floor_of(app: Application, run_id: int) -> MeterFloor | None:
    """The floor of a run's meter, None if it was stated before the run."""
    run = runs.get(app.db.connection(), run_id)
    if run is None or not _open(run.meter):
        return None
    limit = meter_limits(run.meter).limit
    same = _same_meter(app.db.connection(), run)
    return MeterFloor(run_id, str(run.meter.get("name", "")), limit, BEFORE in run.meter, len(same))


def state_floor(app: Application, run_id: int, floor_cd_m2: float | None) -> None:
    """State the floor of the meter of a run, for all runs of the review with that meter; None takes back what was stated.

    Figures of these runs are computed again. A named meter without a floor gets this one.

    BadInputError if no meter has such a floor; ConflictError if the floor was stated before the run, or a run with the meter
    isn't over; NotFoundError if there is no such run.
    """
    run = runs.get(app.db.connection(), run_id)
    if run is None:
        raise NotFoundError("run", f"There is no run {run_id}.")
    if not _open(run.meter):
        raise ConflictError("meter", "The floor of this meter was stated before the run.")
    if floor_cd_m2 is not None and not 0 < floor_cd_m2 <= MOST_CD_M2:
        raise BadInputError(
            "floor",
            f"A meter's floor is above 0 and at most {grouped(MOST_CD_M2, 0)} cd/m², not {significant(floor_cd_m2, 3)}.",
            "floor_cd_m2",
        )
    # A run that is started at the same moment comes before this transaction or after it.
    with app.db.transaction() as db:
        same = _same_meter(db, run)
        if any(r.state not in ("stopped", "done") for r in same):
            raise ConflictError("meter", "A run with this meter isn't over. End it first, then state the floor.")
        for one in same:
            before = one.meter.get(BEFORE, one.meter)
            meter = dict(before) if floor_cd_m2 is None else _with_floor(before, floor_cd_m2)
            runs.set_meters(db, one.id, {**one.meters, "XYZ": meter})
            computed.forget_run(db, one.id)
        for row in instruments.every(db):
            if floor_cd_m2 is not None and row.floor is None and (row.name, row.serial) == _identity(run.meter):
                instruments.change(db, replace(row, floor=floor_cd_m2))
        # Figures that are being computed now have the old floor and must not be kept.
        app.forget()
    # Until the transaction ended, readers still got the old floor.
    app.forget()


def _with_floor(meter: Mapping[str, Any], floor_cd_m2: float) -> dict[str, Any]:
    dropped = ("floor", "absolute", "estimated_floor", "estimated_absolute", "floor_origin")
    return {**{k: v for k, v in meter.items() if k not in dropped}, "floor": floor_cd_m2, BEFORE: dict(meter)}


def _open(meter: Mapping[str, Any]) -> bool:
    """Whether the floor of a meter may be stated: it was not known when the readings were made."""
    return bool(meter) and (BEFORE in meter or meter_limits(meter).floor_origin != "stated")


def _identity(meter: Mapping[str, Any]) -> tuple[str, str]:
    return str(meter.get("name", "")), str(meter.get("serial", ""))


def _same_meter(db: sqlite3.Connection, run: RunRow) -> list[RunRow]:
    every = runs.of_review(db, run.review_id, None, -1)
    return [r for r in every if _open(r.meter) and _identity(r.meter) == _identity(run.meter)]
