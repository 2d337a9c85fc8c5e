"""Compare: up to four setups, of one display or several, figure by figure, with what can be told apart."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.board.cell_charts import MOST
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.keys import MeasurementKey
from lumenar.core.analysis import Analysis
from lumenar.core.figures import difference_u, written
from lumenar.core.measurements import MEASUREMENTS, Column, Group, Measurement, greys
from lumenar.core.signals import Signal
from lumenar.core.targets import Target, resolve
from lumenar.core.uncertainty import measurable
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True, kw_only=True)
class ComparedSetup:
    """One column of the comparison."""

    setup: int
    review: int
    name: str
    display: str
    sample: str
    firmware: str
    target: str
    target_title: str


@dataclass(frozen=True, kw_only=True)
class ComparedValue:
    """One figure of one setup: as written, its standard uncertainty, and how it differs from the first setup's.

    measurable is None where the uncertainty of the difference is not known, or there is nothing to compare; undecidable
    where either is a lower bound only, so that there is no difference.
    """

    text: str
    raw: float | None
    uncertainty: float | None
    difference: float | None
    difference_u: float | None
    measurable: bool | None
    undecidable: bool = False


@dataclass(frozen=True, kw_only=True)
class ComparedFigure:
    """One row of the comparison."""

    measurement: MeasurementKey
    title: str
    group: Group
    figure: str
    head: str
    unit: str
    values: list[ComparedValue]


@dataclass(frozen=True)
class Comparison:
    """The whole table. shared: measurements that every setup has, which can be drawn over one another;
    drawn: the one of them to begin with, empty where there is none."""

    setups: list[ComparedSetup]
    target: str | None
    rows: list[ComparedFigure]
    shared: list[str]
    drawn: str


def compare(app: Application, setup_ids: list[int], target_key: str | None) -> Comparison:
    """The comparison of two to four setups, each against its own target or all against one. BadInputError for too few
    or too many, NotFoundError for one that is not there."""
    ids = list(dict.fromkeys(setup_ids))
    if not 1 <= len(ids) <= MOST:
        raise BadInputError("setups", f"One to {MOST} setups can be compared, these are {len(ids)}.", "setups")
    found = []
    for i in ids:
        one = reviews.setup(app.db.connection(), i)
        if one is None:
            raise NotFoundError("setup", f"There is no setup {i}.")
        found.append(one)
    columns, analyses = [], []
    for setup, review in found:
        unit = display(app, setup.unit_id).row
        target = cells.target_of(target_key or setup.target, setup.signal)
        columns.append(
            ComparedSetup(
                setup=setup.id,
                review=review,
                name=setup.name,
                display=unit.name,
                sample=unit.sample,
                firmware=unit.firmware,
                target=target.key,
                target_title=target.title,
            )
        )
        analyses.append(_analyses(app, setup, review, target))
    signals = {s.signal for s, _ in found}
    rows = [row for m in MEASUREMENTS.values() for row in _rows(m, signals, [a.get(m.key) for a in analyses])]
    shared = [m for m in MEASUREMENTS if all(m in a for a in analyses)]
    grey = greys(found[0][0].signal).key
    return Comparison(columns, target_key, rows, shared, grey if grey in shared else next(iter(shared), ""))


def _analyses(app: Application, setup: SetupRow, review: int, target: Target) -> dict[str, Analysis]:
    """The up-to-date analyses of a setup against a target, by measurement."""
    own: dict[str, Analysis] = {}
    for cell, row in cells.newest(app, review).fresh.items():
        if cell.setup == setup.id:
            analysis = cells.tried(app, row, target, setup.target)
            if isinstance(analysis, Analysis):
                own[cell.measurement] = analysis
    return own


def _rows(m: Measurement, signals: Collection[Signal], analyses: list[Analysis | None]) -> list[ComparedFigure]:
    """The figures of a measurement, none if no setup was measured for it. signals: those of the setups."""
    if not any(analyses):
        return []
    return [
        ComparedFigure(
            measurement=m.key,
            title=m.title,
            group=m.group,
            figure=c.figure,
            head=c.head,
            unit=c.unit,
            values=[_value(c, a, analyses[0], k) for k, a in enumerate(analyses)],
        )
        for c in m.columns
        if set(signals) & set(c.signals or m.signals)
    ]


def _value(column: Column, analysis: Analysis | None, first: Analysis | None, place: int) -> ComparedValue:
    nothing = ComparedValue(text="·", raw=None, uncertainty=None, difference=None, difference_u=None, measurable=None)
    if analysis is None:
        return nothing
    text, value, key = written(column, analysis)
    if value is None:
        return ComparedValue(text=text, raw=None, uncertainty=None, difference=None, difference_u=None, measurable=None)
    u = analysis.uncertainty.get(key)
    standard = u.standard if u is not None and math.isfinite(u.standard) else None
    base = first.scalar(key) if first is not None and place else None
    bounds = [a for a in (analysis, first) if a is not None and place and _is_bound(column, a)]
    if bounds:
        return ComparedValue(
            text=text,
            raw=value,
            uncertainty=standard,
            difference=None,
            difference_u=None,
            measurable=None,
            undecidable=True,
        )
    if base is None or first is None or column.words:
        return ComparedValue(
            text=text, raw=value, uncertainty=standard, difference=None, difference_u=None, measurable=None
        )
    spread = difference_u(key, analysis, first)
    known = None if spread is None else measurable(value - base, spread)
    return ComparedValue(
        text=text, raw=value, uncertainty=standard, difference=value - base, difference_u=spread, measurable=known
    )


def _is_bound(column: Column, analysis: Analysis) -> bool:
    """Whether a setup has only a lower bound of a figure."""
    bound = column.floor_figure
    return bound is not None and analysis.scalar(column.figure) is None and analysis.scalar(bound) is not None


def comparable(app: Application) -> list[ComparedSetup]:
    """Every setup that has something to compare."""
    db = app.db.connection()
    out = []
    for review in reviews.review_ids(db):
        measured = {c.setup for c in cells.newest(app, review).fresh}
        units = {u.id: u for u in reviews.units_of(db, review)}
        for setup in reviews.setups_of(db, review):
            if setup.id in measured:
                unit = units[setup.unit_id]
                out.append(
                    ComparedSetup(
                        setup=setup.id,
                        review=review,
                        name=setup.name,
                        display=unit.name,
                        sample=unit.sample,
                        firmware=unit.firmware,
                        target=setup.target,
                        target_title=resolve(setup.target).title,
                    )
                )
    return out
