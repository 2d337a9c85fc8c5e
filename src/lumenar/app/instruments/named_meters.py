"""Meters of one's own: named with serial and calibration date, and corrected by a matrix that was made elsewhere."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

import numpy as np

from lumenar.app.application import Application
from lumenar.app.data import digest, now
from lumenar.app.drivers.manual import TYPED
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.bench.stated_meter import LUMINANCE, StatedMeter
from lumenar.core.menu.controls import Panel
from lumenar.store import corrections, instruments
from lumenar.store.corrections import CorrectionRow
from lumenar.store.instruments import InstrumentRow

Role = Literal["meter", "reference"]
Kind = Literal["colorimeter", "spectroradiometer", "luminance meter"]
LUMINANCE_FACTOR = 3.0
"""A correction that changes white's luminance by more than this factor is a slip rather than a correction."""


@dataclass(frozen=True, kw_only=True)
class MeterIdentity:
    """What a person says of a meter. repeatability_percent: one standard deviation; floor_cd_m2: the least it shows; both None
    where they do not know."""

    name: str
    serial: str = ""
    role: Role = "meter"
    kind: Kind = "colorimeter"
    calibrated_on: str | None = None
    repeatability_percent: float | None = None
    floor_cd_m2: float | None = None
    note: str = ""


@dataclass(frozen=True)
class NamedMeter:
    """A meter, the days since its calibration, and the panel types it has a correction for."""

    id: int
    version: str
    driver: str
    identity: MeterIdentity
    calibrated_days_ago: int | None
    corrected_for: list[Panel]


@dataclass(frozen=True)
class StatedCorrection:
    """A correction made elsewhere: corrected XYZ = matrix @ XYZ as read. u_percent: how uncertain its result is, one standard
    deviation of each channel."""

    panel: Panel
    matrix: Sequence[Sequence[float]]
    u_percent: float
    made_by: str
    made_on: str


def views(app: Application) -> list[NamedMeter]:
    """All of them."""
    db = app.db.connection()
    held = corrections.every(db)
    found = []
    for row in instruments.every(db):
        panels = {c.panel for c, _ in held if (c.meter, c.serial) == (row.name, row.serial)}
        found.append(_view(row, sorted(panels)))
    return found


def view(app: Application, number: int) -> NamedMeter:
    """One of them; NotFoundError where there is none."""
    _held(app, number)
    return next(m for m in views(app) if m.id == number)


def _view(row: InstrumentRow, panels: list[Panel]) -> NamedMeter:
    days = None if row.calibrated_on is None else (date.today() - date.fromisoformat(row.calibrated_on)).days
    role: Role = "reference" if row.role == "reference" else "meter"
    kinds: dict[str, Kind] = {k: k for k in ("colorimeter", "spectroradiometer", "luminance meter")}
    identity = MeterIdentity(
        name=row.name,
        serial=row.serial,
        role=role,
        kind=kinds.get(row.kind, "colorimeter"),
        calibrated_on=row.calibrated_on,
        repeatability_percent=None if row.repeatability is None else 100 * row.repeatability,
        floor_cd_m2=row.floor,
        note=row.note,
    )
    return NamedMeter(row.id, digest(row), row.driver, identity, days, panels)


def _row(app: Application, number: int, m: MeterIdentity) -> InstrumentRow:
    name, serial = m.name.strip(), m.serial.strip()
    if not name or len(name) > 80 or len(serial) > 80 or any(ord(c) < 32 for c in name + serial):
        raise BadInputError(
            "meter", "A meter needs a name of 1 to 80 characters; its serial number has at most 80.", "name"
        )
    if any(r.id != number and (r.name, r.serial) == (name, serial) for r in instruments.every(app.db.connection())):
        raise BadInputError("meter", f"There is a meter {name} with that serial number already.", "serial")
    if m.calibrated_on is not None:
        try:
            when = date.fromisoformat(m.calibrated_on)
        except ValueError:
            raise BadInputError(
                "meter", f"{m.calibrated_on!r} is no date; write it as 2026-03-31.", "calibrated_on"
            ) from None
        if when > date.today():
            raise BadInputError("meter", f"{m.calibrated_on} is still to come.", "calibrated_on")
    if m.repeatability_percent is not None and not 0 < m.repeatability_percent <= 50:
        raise BadInputError("meter", "A meter repeats within more than 0 and at most 50 %.", "repeatability_percent")
    if m.floor_cd_m2 is not None and not 0 <= m.floor_cd_m2 <= 1000:
        raise BadInputError("meter", "A meter's floor lies within 0 and 1,000 cd/m².", "floor_cd_m2")
    share = None if m.repeatability_percent is None else m.repeatability_percent / 100
    return InstrumentRow(
        id=number,
        role=m.role,
        driver=TYPED,
        kind=m.kind,
        name=name,
        serial=serial,
        calibrated_on=m.calibrated_on,
        repeatability=share,
        floor=m.floor_cd_m2,
        note=m.note.strip()[:200],
    )


def version(app: Application, number: int) -> str:
    """What an edit of a meter is made from."""
    return digest(_held(app, number))


def add(app: Application, meter: MeterIdentity) -> int:
    """Name a meter; returns its number. BadInputError names what is wrong."""
    row = _row(app, 0, meter)
    with app.db.transaction(of=0) as db:
        return instruments.add(db, row)


def change(app: Application, number: int, meter: MeterIdentity) -> None:
    """Describe a meter anew. Runs keep what they recorded; corrections go with it."""
    _held(app, number)
    row = _row(app, number, meter)
    with app.db.transaction() as db:
        instruments.change(db, row)


def delete(app: Application, number: int) -> None:
    """Forget a meter. ConflictError while corrections belong to it."""
    row = _held(app, number)
    with app.db.transaction(of=0) as db:
        if any((c.meter, c.serial) == (row.name, row.serial) for c, _ in corrections.every(db)):
            raise ConflictError("meter", f"{row.name} has corrections; delete them first.")
        instruments.delete(db, number)


def _held(app: Application, number: int) -> InstrumentRow:
    row = instruments.get(app.db.connection(), number)
    if row is None:
        raise NotFoundError("meter", f"There is no meter {number}.")
    return row


def hand_meter(app: Application, number: int) -> StatedMeter:
    """A named meter as a run by hand takes it."""
    row = _held(app, number)
    usual = StatedMeter()
    share = usual.repeatability_percent if row.repeatability is None else 100 * row.repeatability
    return replace(
        usual,
        name=row.name,
        serial=row.serial,
        kind=row.kind,
        repeatability_percent=share,
        floor_cd_m2=row.floor,
        calibrated_on=row.calibrated_on,
    )


def add_correction(app: Application, number: int, stated: StatedCorrection) -> int:
    """Keep a correction that was made elsewhere; runs by hand with this meter on such a panel use it from now on. Returns its
    number. BadInputError where the matrix cannot be one."""
    row = _held(app, number)
    if row.kind == LUMINANCE:
        raise BadInputError("correction", f"{row.name} shows luminance alone; a matrix corrects colours.", "matrix")
    matrix = _matrix(stated.matrix)
    if not 0 < stated.u_percent <= 20:
        raise BadInputError("correction", "The uncertainty lies above 0 and at most at 20 %.", "u_percent")
    if not stated.made_by.strip():
        raise BadInputError("correction", "Say what the correction was made with or by whom.", "made_by")
    with app.db.transaction() as db:
        return corrections.add(
            db,
            CorrectionRow(
                id=0,
                panel=stated.panel,
                meter=row.name,
                reference=stated.made_by.strip()[:80],
                made_on=stated.made_on.strip()[:200] or "elsewhere",
                made_at=now(),
                matrix=matrix,
                residual={"u_percent": stated.u_percent},
                series=None,
                serial=row.serial,
            ),
        )


def _matrix(given: Sequence[Sequence[float]]) -> list[list[float]]:
    if len(given) != 3 or any(len(r) != 3 for r in given) or not all(math.isfinite(v) for r in given for v in r):
        raise BadInputError("correction", "A correction is three rows of three numbers.", "matrix")
    M = np.array(given, float)
    # Of equal-energy white: what it makes of X = Y = Z = 1.
    white = M.sum(axis=1)
    if abs(np.linalg.det(M)) < 1e-4:
        raise BadInputError("correction", "The matrix has no inverse, so it would lose a colour.", "matrix")
    if not (1 / LUMINANCE_FACTOR <= white[1] <= LUMINANCE_FACTOR and (white > 0).all()):
        raise BadInputError(
            "correction",
            f"The matrix makes white {white[1]:.2f} times as bright; a correction stays near 1. It takes XYZ as read, row by"
            " row: the first row gives X.",
            "matrix",
        )
    return [[float(v) for v in r] for r in M]


def delete_correction(app: Application, number: int) -> None:
    """Delete a correction. ConflictError where runs were read with it."""
    with app.db.transaction(of=0) as db:
        held = next(((c, used) for c, used in corrections.every(db) if c.id == number), None)
        if held is None:
            raise NotFoundError("correction", f"There is no correction {number}.")
        if held[1]:
            raise ConflictError("correction", f"{held[1]} runs were read with it, so it stays.")
        corrections.delete(db, number)
