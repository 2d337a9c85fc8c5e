"""Units: the shipped unit files, and the unit of a review."""

from __future__ import annotations

from importlib.resources import files

from pydantic import ValidationError

from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFile, UnitFileError, first_problem, parse_unit
from lumenar.service.application import Application
from lumenar.service.errors import BadInputError, NotFoundError
from lumenar.store import reviews
from lumenar.store.reviews import UnitRow


def shipped_units() -> dict[str, str]:
    """The text of each shipped unit file by its name."""
    folder = files("lumenar.demo").joinpath("units")
    return {f.name: f.read_text() for f in sorted(folder.iterdir(), key=lambda f: f.name) if f.name.endswith(".json")}


def parse(text: str | bytes, name: str) -> UnitFile:
    """A unit file that can also make light; BadInputError with one line that names file, place and reason."""
    try:
        unit = parse_unit(text, name)
        SimulatedUnit(unit)
        for i, sample in enumerate(unit.samples):
            try:
                SimulatedUnit(unit.of_sample(sample))
            except ValidationError as e:
                place, reason = first_problem(e)
                raise UnitFileError(f"{name}: samples[{i}].mode_changes: {place}: {reason}") from e
    except (UnitFileError, ValueError) as e:
        detail = str(e) if str(e).startswith(name) else f"{name}: {e}"
        raise BadInputError("unit-file", detail, _place(detail, name)) from e
    return unit


def _place(detail: str, name: str) -> str | None:
    parts = detail.removeprefix(f"{name}: ").split(": ", 1)
    return parts[0] if len(parts) == 2 else None


def unit_by_id(app: Application, unit_id: int) -> tuple[UnitRow, UnitFile]:
    """One unit as stored and as a file; NotFoundError where there is none."""
    row = reviews.unit(app.db.connection(), unit_id)
    if row is None:
        raise NotFoundError("unit", f"There is no unit {unit_id}.")
    file: UnitFile = app.cache.get(("unit", row.id), lambda: UnitFile.model_validate_json(row.file))
    return row, file


def unit_of(app: Application, review_id: int) -> tuple[UnitRow, UnitFile]:
    """A review's first unit as stored and as a file; NotFoundError where there is no such review."""
    row = reviews.unit_of(app.db.connection(), review_id)
    if row is None:
        raise NotFoundError("review", f"There is no review {review_id}.")
    return unit_by_id(app, row.id)
