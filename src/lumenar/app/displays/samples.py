"""Displays as lists: models under review, and their samples one by one."""

from __future__ import annotations

from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.data import digest
from lumenar.app.displays.displays import display
from lumenar.app.errors import NotFoundError
from lumenar.bench.capabilities import Capabilities
from lumenar.core.menu.controls import Panel
from lumenar.store import reviews
from lumenar.store.reviews import UnitRow


@dataclass(frozen=True, kw_only=True)
class Sample:
    """One sample of a display. version: what an edit of it is made from; can: what goes without a person."""

    id: int
    version: str
    review: int
    maker: str
    model: str
    kind: str
    panel: Panel
    serial: str
    sample: str
    firmware: str
    size_inch: float | None
    width_px: int | None
    height_px: int | None
    bits: int
    signal_range: str
    can: Capabilities
    modes: list[str]


@dataclass(frozen=True)
class DisplayView:
    """A display under review, by the number of its review, with its samples."""

    review: int
    name: str
    kind: str
    panel: Panel
    samples: list[Sample]


def version(app: Application, unit_id: int) -> str:
    """What an edit of a sample is made from."""
    return digest(display(app, unit_id).row)


def sample(app: Application, unit_id: int) -> Sample:
    """One sample; NotFoundError where there is none."""
    shown = display(app, unit_id)
    r = shown.row
    return Sample(
        id=r.id,
        version=digest(r),
        review=r.review_id,
        maker=r.maker,
        model=r.model,
        kind=r.kind,
        panel=r.panel,
        serial=r.serial,
        sample=r.sample,
        firmware=r.firmware,
        size_inch=r.size_inch,
        width_px=r.width_px,
        height_px=r.height_px,
        bits=r.bits,
        signal_range=r.signal_range,
        can=shown.can,
        modes=[m.name for m in shown.menu.modes],
    )


def samples(app: Application, review_id: int | None = None) -> list[Sample]:
    """Every sample, or those of one review, oldest first."""
    return [sample(app, u.id) for u in _units(app, review_id)]


def displays(app: Application) -> list[DisplayView]:
    """Every display under review, oldest first."""
    return [of_review(app, i) for i in reviews.review_ids(app.db.connection())]


def of_review(app: Application, review_id: int) -> DisplayView:
    """The display of a review; NotFoundError where there is none."""
    units = _units(app, review_id)
    return DisplayView(review_id, units[0].name, units[0].kind, units[0].panel, [sample(app, u.id) for u in units])


def _units(app: Application, review_id: int | None) -> list[UnitRow]:
    db = app.db.connection()
    if review_id is None:
        return [u for i in reviews.review_ids(db) for u in reviews.units_of(db, i)]
    units = reviews.units_of(db, review_id)
    if not units:
        raise NotFoundError("review", f"There is no review {review_id}.")
    return units
