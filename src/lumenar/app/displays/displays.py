"""Displays: what a reviewer knows of each sample."""

from __future__ import annotations

import json
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.drivers.stations import station_of
from lumenar.app.errors import NotFoundError
from lumenar.bench.capabilities import Capabilities
from lumenar.bench.stations import Station
from lumenar.core.menu.documents import menu_from
from lumenar.core.menu.menu import Menu
from lumenar.store import menus, reviews
from lumenar.store.reviews import SetupRow, UnitRow

USUAL_ASPECT = 16 / 9
"""Width over height of a screen of which nobody has said it."""


@dataclass(frozen=True)
class Display:
    """One sample: its identity, its menu, and what it is measured by."""

    row: UnitRow
    menu: Menu
    station: Station

    @property
    def can(self) -> Capabilities:
        """What goes without a person."""
        return self.station.capabilities

    @property
    def aspect(self) -> float:
        """Width over height of the screen."""
        return self.row.width_px / self.row.height_px if self.row.width_px and self.row.height_px else USUAL_ASPECT


def display(app: Application, unit_id: int) -> Display:
    """One sample; NotFoundError where there is none."""
    db = app.db.connection()
    row = reviews.unit(db, unit_id)
    if row is None:
        raise NotFoundError("unit", f"There is no unit {unit_id}.")
    # A menu is changed now and then, but read at every turn.
    text = menus.text(db, row.menu_id)
    menu: Menu = app.cache.get(("menu", row.menu_id, text), lambda: menu_from(json.loads(text)))
    return Display(row, menu, station_of(db, unit_id))


def display_of(app: Application, review_id: int) -> Display:
    """A review's first sample; NotFoundError where there is no such review."""
    row = reviews.unit_of(app.db.connection(), review_id)
    if row is None:
        raise NotFoundError("review", f"There is no review {review_id}.")
    return display(app, row.id)


def settings_words(setup: SetupRow, menu: Menu) -> str:
    """What is known of a setup's settings, in words: how many were changed, that it is what the mode ships with, that nobody
    has changed any of a menu that is written down, or that nobody said."""
    count = len(setup.changes)
    if count:
        return f"{count} {'setting' if count == 1 else 'settings'} changed"
    if setup.shipped:
        return "as shipped"
    return "as the mode ships" if menu.controls else "settings not recorded"
