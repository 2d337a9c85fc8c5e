"""What another firmware changed: the figures of a sample as they were read before it and after, in the same settings, light and
signal."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import erfc, sqrt

import numpy as np

from lumenar.app.application import Application
from lumenar.app.figures import cells
from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis
from lumenar.core.figures import difference_u, session_u, written
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.numbers import listed
from lumenar.core.targets import resolve
from lumenar.core.uncertainty import holm
from lumenar.store import conditions, reviews, runs
from lumenar.store.reviews import SetupRow, UnitRow
from lumenar.store.runs import CellRow


@dataclass(frozen=True, kw_only=True)
class FigureChange:
    """A figure before and after as it is written; measurable: whether it is more than noise makes of so many figures."""

    setup: str
    measurement: str
    head: str
    unit: str
    before: str
    after: str
    measurable: bool


@dataclass(frozen=True)
class FirmwareChange:
    """A sample with another firmware than it was read with before. figures: those that were read with both; not_again: setups of
    which something was read with the older one alone."""

    sample: str
    before: str
    after: str
    figures: list[FigureChange]
    not_again: list[str]
    sentences: list[str]


def changes(app: Application, review_id: int) -> list[FirmwareChange]:
    """Of every sample what its present firmware changed against the one it was read with before, if there was one."""
    db = app.db.connection()
    found = []
    for unit in reviews.units_of(db, review_id):
        older = [f for f in runs.firmwares(db, unit.id) if f != unit.firmware]
        if unit.firmware and older:
            found.append(_change(app, review_id, unit, older[0]))
    return found


def _change(app: Application, review_id: int, unit: UnitRow, before: str) -> FirmwareChange:
    db = app.db.connection()
    setups = {s.id: s for s in reviews.setups_of(db, review_id) if s.unit_id == unit.id}
    rooms = conditions.of_review(db, review_id)
    fresh = cells.newest(app, review_id).fresh
    # What else is otherwise would be taken for the firmware's doing.
    alone = f"firmware {before} → {unit.firmware}"
    present = {s.id: cells.Present(app, s, rooms) for s in setups.values()}
    read = [r for r in runs.cells(db, review_id, True, before) if r.setup_id in setups]
    read = [r for r in read if present[r.setup_id].why_stale(r) == alone]
    pairs = [(setups[r.setup_id], r, fresh.get(Cell(r.setup_id, r.measurement))) for r in read]
    made = [f for s, then, now in pairs if now is not None for f in _figures(app, s, then, now)]
    told = holm(np.array([p for _, p in made]))
    figures = [replace(f, measurable=bool(t)) for (f, _), t in zip(made, told, strict=True)]
    missing = list(dict.fromkeys(s.name for s, _, now in pairs if now is None))
    return FirmwareChange(unit.sample, before, unit.firmware, figures, missing, _sentences(figures, missing, unit))


def _figures(app: Application, setup: SetupRow, then: CellRow, now: CellRow) -> list[tuple[FigureChange, float]]:
    """The figures of a cell before and after, each with the probability of so much by noise alone."""
    m, target = MEASUREMENTS[then.measurement], resolve(setup.target)
    one, two = (cells.tried(app, r, target) for r in (then, now))
    if not (isinstance(one, Analysis) and isinstance(two, Analysis)):
        return []
    found = []
    for c in m.columns:
        if setup.signal not in (c.signals or m.signals):
            continue
        a, b, u = one.scalar(c.figure), two.scalar(c.figure), difference_u(c.figure, two, one)
        if a is None or b is None or u is None:
            continue
        u = float(np.hypot(u, session_u(c, a)))
        p = 1.0 if a == b else erfc(abs(b - a) / u / sqrt(2)) if u > 0 else 1.0
        change = FigureChange(
            setup=setup.name,
            measurement=m.title,
            head=c.head,
            unit=c.unit,
            before=written(c, one)[0],
            after=written(c, two)[0],
            measurable=False,
        )
        found.append((change, p))
    return found


MOST_TOLD = 4
"""So many figures of a setup are told one by one."""


def _sentences(figures: list[FigureChange], missing: list[str], unit: UnitRow) -> list[str]:
    said = []
    for name in dict.fromkeys(f.setup for f in figures):
        own = [f for f in figures if f.setup == name]
        # What is written alike is nobody's business, however well it is told apart.
        moved = [f for f in own if f.measurable and f.before != f.after]
        if not moved:
            said.append(f"{name}: nothing measurable changed ({len(own)} figure{'s' if len(own) > 1 else ''}).")
            continue
        parts = [f"{f.measurement}, {f.head}: {f.before} → {f.after} {f.unit}".rstrip() for f in moved[:MOST_TOLD]]
        more = f"; and {len(moved) - MOST_TOLD} more" if len(moved) > MOST_TOLD else ""
        said.append(f"{name}: {'; '.join(parts)}{more}. {len(moved)} of {len(own)} figures changed.")
    if missing:
        said.append(f"Not read again with {unit.firmware}: all or some of {listed(missing)}.")
    return said
