"""Setups and firmware: what a person changes of them. Undo is one step back, kept by the interface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.core.menu import MenuError, Value
from lumenar.service import cells
from lumenar.service.application import Application
from lumenar.service.displays import display
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.store import reviews, runs
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True)
class ControlView:
    """One control in a setup: its value and its default in that mode (none where nobody knows it), what it can be, and why
    it cannot be set."""

    path: str
    kind: str
    value: float | str | None
    default: float | str | None
    minimum: float
    maximum: float
    step: float
    choices: list[str]
    scope: str
    locked: str | None


@dataclass(frozen=True)
class SetupView:
    """A setup with all its controls."""

    setup: int
    name: str
    mode: str
    sample: str
    firmware: str
    unit: int
    target: str
    shipped: bool
    """Whether it is what the mode ships with, no value changed."""
    own: bool
    """Whether a person made it, so that it can be deleted."""
    controls: list[ControlView]


def view(app: Application, review_id: int, setup_id: int) -> SetupView:
    """A setup as the settings dialog shows it."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    row, menu = shown.row, shown.menu
    mode = menu.mode(setup.mode, setup.signal)
    defaults = menu.defaults(mode)
    state = {**defaults, **setup.changes}
    controls = [
        ControlView(
            c.path, c.kind, state.get(c.path), defaults.get(c.path), c.minimum, c.maximum, c.step, list(c.values), c.scope,
            menu.why_locked(state, mode, c.path),
        )
        for c in menu.controls
    ]  # fmt: skip
    return SetupView(
        setup.id,
        setup.name,
        setup.mode,
        row.sample,
        row.firmware,
        row.id,
        setup.target,
        bool(setup.shipped) and not setup.changes,
        not setup.shipped,
        controls,
    )


def _checked(app: Application, setup: SetupRow, changes: Mapping[str, Value]) -> dict[str, Value]:
    """The changes that differ from default, as the unit would take them. BadInputError where it would refuse one."""
    menu = display(app, setup.unit_id).menu
    mode = menu.mode(setup.mode, setup.signal)
    defaults = menu.defaults(mode)
    for path, value in changes.items():
        try:
            menu.control(path).check(value)
        except MenuError as e:
            raise BadInputError("setting", f"{setup.name}: {e}.", path) from e
    try:
        menu.order(mode, changes)
    except MenuError as e:
        place = next((p for p in changes if str(e).startswith(p)), next(iter(changes), None))
        raise BadInputError("setting", f"{setup.name}: {e}.", place) from e
    return {p: v for p, v in changes.items() if v != defaults.get(p)}


def change(
    app: Application, review_id: int, setup_id: int, changes: Mapping[str, Value], target: str | None = None
) -> None:
    """Give a setup other values, or another declared target. Cells measured before count as stale where values differ.

    BadInputError where the unit would refuse a value; ConflictError while a run measures the setup.
    """
    setup = cells.setup_of(app, review_id, setup_id)
    if target is not None:
        cells.target_of(target, setup.signal)
    _not_measuring(app, review_id)
    kept = _checked(app, setup, {**setup.changes, **changes})
    with app.db.transaction() as db:
        reviews.change_setup(db, setup_id, kept, target or setup.target)


def _not_measuring(app: Application, review_id: int) -> None:
    if any(r.review_id == review_id for r in runs.unfinished(app.db.connection())):
        raise ConflictError("run-in-progress", "A run is measuring this review; let it finish or stop it first.")


def add(app: Application, review_id: int, like: int, name: str, changes: Mapping[str, Value]) -> int:
    """A new setup of the same mode with other values, placed after its like. BadInputError where the name is taken."""
    setup = cells.setup_of(app, review_id, like)
    name = name.strip()
    own = [s for s in reviews.setups_of(app.db.connection(), review_id) if s.unit_id == setup.unit_id]
    if not name or len(name) > 80:
        raise BadInputError("name", "A setup needs a name of 1 to 80 characters.", "name")
    if any(s.name == name for s in own):
        raise BadInputError("name", f"There is a setup {name!r} already; choose another name.", "name")
    kept = _checked(app, setup, {**setup.changes, **changes})
    position = max(s.position for s in own) + 1
    with app.db.transaction() as db:
        return reviews.add_setup(
            db, SetupRow(0, setup.unit_id, position, name, setup.mode, 0, setup.signal, setup.target, kept)
        )


def delete(app: Application, review_id: int, setup_id: int) -> None:
    """Delete a setup with its readings; the one that a mode ships with stays."""
    setup = cells.setup_of(app, review_id, setup_id)
    _not_measuring(app, review_id)
    if setup.shipped:
        raise ConflictError("shipped-setup", f"{setup.name} is the mode as shipped; it stays.")
    with app.bench_lock:
        job = app.seat.job if app.seat is not None else None
        if job is not None and job.review == review_id:
            raise ConflictError("run-in-progress", "The bench works on this review; let it finish or stop it first.")
        with app.db.transaction() as db:
            reviews.delete_setup(db, setup_id)
    app.forget()


def set_firmware(app: Application, unit_id: int, firmware: str) -> None:
    """A unit has another firmware now; what was measured before counts as stale."""
    row = reviews.unit(app.db.connection(), unit_id)
    if row is None:
        raise NotFoundError("unit", f"There is no unit {unit_id}.")
    if not firmware.strip() or len(firmware) > 80:
        raise BadInputError("firmware", "A firmware version has 1 to 80 characters.", "firmware")
    _not_measuring(app, row.review_id)
    with app.db.transaction() as db:
        reviews.set_firmware(db, unit_id, firmware.strip())
