"""What findings rest on: of a review as it is stored, and of a readings file."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lumenar.app.application import Application
from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.app.figures import cells
from lumenar.bench.plan import Cell
from lumenar.core.findings.base import DisplayEvidence, SetupEvidence
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import resolve
from lumenar.store import reviews
from lumenar.store.runs import CellRow


def of_review(app: Application, review_id: int, now: cells.Newest) -> DisplayEvidence:
    """The evidence of all setups of a review, from cells that are not out of date."""
    units = {u.id: u for u in reviews.units_of(app.db.connection(), review_id)}
    found = []
    for s in reviews.setups_of(app.db.connection(), review_id):
        analyses = cells.analyses_of(app, s, now)
        if analyses:
            found.append(
                SetupEvidence(
                    key=str(s.id),
                    name=s.name,
                    signal=s.signal,
                    target=resolve(s.target),
                    shipped=bool(s.shipped) and not s.changes,
                    analyses=analyses,
                    readings=_reader(app, {m: row for m in analyses if (row := now.fresh.get(Cell(s.id, m)))}),
                    sample=units[s.unit_id].sample,
                )
            )
    return DisplayEvidence(found)


def _reader(app: Application, rows: dict[str, CellRow]) -> Callable[[str], Readings | None]:
    def read(measurement: str) -> Readings | None:
        row = rows.get(measurement)
        return None if row is None else cells.readings_of(app, row)

    return read


def of_file(figures: Sequence[SetupFigures]) -> DisplayEvidence:
    """The evidence of a readings file's setups."""
    return DisplayEvidence(
        [
            SetupEvidence(
                key=f.key,
                name=f.name,
                signal=f.signal,
                target=resolve(f.target),
                shipped=f.shipped,
                analyses=f.analyses,
                readings=f.readings,
                sample=f.unit or "",
            )
            for f in figures
        ]
    )
