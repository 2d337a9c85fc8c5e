"""Displays: what a reviewer knows of each sample, stand-in or not."""

from __future__ import annotations

import json
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.bench.drivers.simulated import Arrival, StandIn, UnitFileError, arrive
from lumenar.core.menu import Menu, menu_from
from lumenar.store import menus, reviews
from lumenar.store.reviews import SetupRow, UnitRow

USUAL_ASPECT = 16 / 9
"""Width over height of a screen of which nobody has said it."""


@dataclass(frozen=True)
class Display:
    """One sample: its identity, its menu, and whether a stand-in makes its light."""

    row: UnitRow
    menu: Menu
    stand_in: bool

    @property
    def aspect(self) -> float:
        """Width over height of the screen."""
        return self.row.width_px / self.row.height_px if self.row.width_px and self.row.height_px else USUAL_ASPECT


def arrivals(text: str | bytes, name: str) -> list[Arrival]:
    """Every sample in a unit file; BadInputError with one line that names file, place and reason."""
    try:
        return arrive(text, name)
    except (UnitFileError, ValueError) as e:
        detail = str(e) if str(e).startswith(name) else f"{name}: {e}"
        parts = detail.removeprefix(f"{name}: ").split(": ", 1)
        raise BadInputError("unit-file", detail, parts[0] if len(parts) == 2 else None) from e


def display(app: Application, unit_id: int) -> Display:
    """One sample; NotFoundError where there is none."""
    db = app.db.connection()
    row = reviews.unit(db, unit_id)
    if row is None:
        raise NotFoundError("unit", f"There is no unit {unit_id}.")
    # A menu is changed now and then, but read at every turn.
    text = menus.text(db, row.menu_id)
    menu: Menu = app.cache.get(("menu", row.menu_id, text), lambda: menu_from(json.loads(text)))
    return Display(row, menu, reviews.stand_in(db, unit_id) is not None)


def display_of(app: Application, review_id: int) -> Display:
    """A review's first sample; NotFoundError where there is no such review."""
    row = reviews.unit_of(app.db.connection(), review_id)
    if row is None:
        raise NotFoundError("review", f"There is no review {review_id}.")
    return display(app, row.id)


def stand_in_of(app: Application, unit_id: int) -> StandIn | None:
    """What makes the light of a stand-in; None for any other display."""

    row = reviews.unit(app.db.connection(), unit_id)
    firmware = row.firmware if row else ""

    def made() -> StandIn | None:
        text = reviews.stand_in(app.db.connection(), unit_id)
        return None if text is None else StandIn(text, firmware)

    found: StandIn | None = app.cache.get(("stand-in", unit_id, firmware), made)
    return found


def settings_words(setup: SetupRow, menu: Menu) -> str:
    """What is known of a setup's settings, in words: how many were changed, that it is what the mode ships with, that nobody
    has changed any of a menu that is written down, or that nobody said."""
    count = len(setup.changes)
    if count:
        return f"{count} {'setting' if count == 1 else 'settings'} changed"
    if setup.shipped:
        return "as shipped"
    return "as the mode ships" if menu.controls else "settings not recorded"
