"""Reviews, their units and setups."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any, Literal

from lumenar.core.menu.controls import Panel
from lumenar.core.targets import Signal

Known = Literal["read", "set"]


@dataclass(frozen=True)
class UnitRow:
    """One physical sample under review: what a reviewer knows of it. Size and pixels are None where nobody has said."""

    id: int
    review_id: int
    menu_id: int
    maker: str
    model: str
    serial: str
    sample: str
    firmware: str
    kind: str
    panel: Panel
    about: str
    size_inch: float | None
    width_px: int | None
    height_px: int | None
    bits: int
    signal_range: str

    @property
    def name(self) -> str:
        """Maker and model."""
        return f"{self.maker} {self.model}"


@dataclass(frozen=True)
class SetupRow:
    """A mode plus the values of its controls, as differences from default. shipped: the one that the mode comes with.
    condition_id: the light in the room, None where nobody said it. format: what differs from the unit's usual signal. origins:
    by path "read" or "set"; any other value is assumed to be the default."""

    id: int
    unit_id: int
    position: int
    name: str
    mode: str
    shipped: int
    signal: Signal
    target: str
    changes: Mapping[str, float | str]
    condition_id: int | None = None
    format: Mapping[str, float | str] = field(default_factory=dict)
    origins: Mapping[str, Known] = field(default_factory=dict)


def add_review(db: sqlite3.Connection, created_at: str) -> int:
    """A new, empty review."""
    return int(db.execute("INSERT INTO review (created_at) VALUES (?)", (created_at,)).lastrowid or 0)


def add_unit(db: sqlite3.Connection, unit: UnitRow) -> int:
    """Store a unit; its id field is ignored."""
    names = [f.name for f in fields(UnitRow)][1:]
    cursor = db.execute(
        f"INSERT INTO unit ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})",
        [getattr(unit, name) for name in names],
    )
    return int(cursor.lastrowid or 0)


def add_stand_in(db: sqlite3.Connection, unit_id: int, file: str) -> None:
    """A unit is simulated: how it makes light, as the JSON text of a unit file."""
    db.execute("INSERT INTO stand_in (unit_id, file) VALUES (?, ?)", (unit_id, file))


def stand_in(db: sqlite3.Connection, unit_id: int) -> str | None:
    """The unit file of a simulated display; None for any other display."""
    row = db.execute("SELECT file FROM stand_in WHERE unit_id = ?", (unit_id,)).fetchone()
    return None if row is None else str(row["file"])


def add_setup(db: sqlite3.Connection, setup: SetupRow) -> int:
    """Store a setup; its id field is ignored."""
    cursor = db.execute(
        "INSERT INTO setup (unit_id, position, name, mode, shipped, signal, target, changes, condition_id, format, origins)"
        " VALUES (?,?,?,?,?,?,?,?,?,?,?)",
        (
            setup.unit_id,
            setup.position,
            setup.name,
            setup.mode,
            int(setup.shipped),
            setup.signal,
            setup.target,
            json.dumps(setup.changes, sort_keys=True),
            setup.condition_id,
            json.dumps(setup.format, sort_keys=True),
            json.dumps({**dict.fromkeys(setup.changes, "set"), **setup.origins}, sort_keys=True),
        ),
    )
    return int(cursor.lastrowid or 0)


def review_ids(db: sqlite3.Connection) -> list[int]:
    """Every review, oldest first."""
    return [r["id"] for r in db.execute("SELECT id FROM review ORDER BY id")]


def unit_of(db: sqlite3.Connection, review_id: int) -> UnitRow | None:
    """The unit of a review, None where there is no such review."""
    row = db.execute("SELECT * FROM unit WHERE review_id = ? ORDER BY id LIMIT 1", (review_id,)).fetchone()
    return UnitRow(**row) if row else None


def units_of(db: sqlite3.Connection, review_id: int) -> list[UnitRow]:
    """The units of a review, the first sample first."""
    return [UnitRow(**r) for r in db.execute("SELECT * FROM unit WHERE review_id = ? ORDER BY id", (review_id,))]


def units_with_menu(db: sqlite3.Connection, menu_id: int) -> list[UnitRow]:
    """The samples that share a menu."""
    return [UnitRow(**r) for r in db.execute("SELECT * FROM unit WHERE menu_id = ? ORDER BY id", (menu_id,))]


def unit(db: sqlite3.Connection, unit_id: int) -> UnitRow | None:
    """One unit."""
    row = db.execute("SELECT * FROM unit WHERE id = ?", (unit_id,)).fetchone()
    return UnitRow(**row) if row else None


def set_firmware(db: sqlite3.Connection, unit_id: int, firmware: str) -> None:
    """A unit has another firmware now."""
    db.execute("UPDATE unit SET firmware = ? WHERE id = ?", (firmware, unit_id))


def set_identity(db: sqlite3.Connection, review_id: int, maker: str, model: str, kind: str, panel: str) -> None:
    """Every sample of a review is of this model."""
    db.execute(
        "UPDATE unit SET maker = ?, model = ?, kind = ?, panel = ? WHERE review_id = ?",
        (maker, model, kind, panel, review_id),
    )


def set_serial(db: sqlite3.Connection, unit_id: int, serial: str) -> None:
    """A unit has this serial number."""
    db.execute("UPDATE unit SET serial = ? WHERE id = ?", (serial, unit_id))


def _setup(row: Mapping[str, Any]) -> SetupRow:
    return SetupRow(**{**row, **{name: json.loads(row[name]) for name in ("changes", "format", "origins")}})


def setups_of(db: sqlite3.Connection, review_id: int) -> list[SetupRow]:
    """The setups of a review: by sample, signal and mode, what a mode ships with before what was made of it."""
    rows = db.execute(
        "SELECT s.* FROM setup s JOIN unit u ON u.id = s.unit_id WHERE u.review_id = ? ORDER BY s.unit_id,"
        " CASE s.signal WHEN 'sdr' THEN 0 WHEN 'pq' THEN 1 ELSE 2 END, (SELECT min(o.position) FROM setup o"
        " WHERE o.unit_id = s.unit_id AND o.mode = s.mode AND o.signal = s.signal), s.shipped DESC, s.position",
        (review_id,),
    )
    return [_setup(dict(r)) for r in rows]


def setup(db: sqlite3.Connection, setup_id: int) -> tuple[SetupRow, int] | None:
    """One setup of any review, and the review it belongs to."""
    row = db.execute(
        "SELECT s.*, u.review_id FROM setup s JOIN unit u ON u.id = s.unit_id WHERE s.id = ?", (setup_id,)
    ).fetchone()
    if row is None:
        return None
    values = dict(row)
    review_id = values.pop("review_id")
    return _setup(values), review_id


_KEPT = ("name", "target", "changes", "condition_id", "format", "origins")


def change_setup(db: sqlite3.Connection, setup: SetupRow, at: str | None) -> None:
    """A setup is another one now: its name, target, values, light and signal. What it was is kept where `at` says when."""
    if at is not None:
        columns = ", ".join(f"'{name}', {name}" for name in _KEPT)
        db.execute(
            f"INSERT INTO setup_change (setup_id, changed_at, was) SELECT id, ?, json_object({columns}) FROM setup WHERE id = ?",
            (at, setup.id),
        )
    values = [json.dumps(v, sort_keys=True) if isinstance(v := getattr(setup, name), Mapping) else v for name in _KEPT]
    db.execute(f"UPDATE setup SET {', '.join(f'{name} = ?' for name in _KEPT)} WHERE id = ?", (*values, setup.id))


def setup_changes(db: sqlite3.Connection, setup_id: int) -> list[tuple[int, str, SetupRow]]:
    """What a setup was before each of its changes, with number and time, the oldest first."""
    held = setup(db, setup_id)
    rows = db.execute(
        "SELECT id, changed_at, was FROM setup_change WHERE setup_id = ? ORDER BY id", (setup_id,)
    ).fetchall()
    if held is None:
        return []
    found = []
    for r in rows:
        # Objects come back as text within the text.
        was = {
            k: json.loads(v) if k in ("changes", "format", "origins") else v for k, v in json.loads(r["was"]).items()
        }
        found.append((int(r["id"]), str(r["changed_at"]), replace(held[0], **was)))
    return found


def forget_setup_change(db: sqlite3.Connection, change_id: int) -> None:
    """A change was taken back."""
    db.execute("DELETE FROM setup_change WHERE id = ?", (change_id,))


def rename_setup(db: sqlite3.Connection, setup_id: int, name: str, mode: str) -> None:
    """A setup's mode is called otherwise, and the setup perhaps with it."""
    db.execute("UPDATE setup SET name = ?, mode = ? WHERE id = ?", (name, mode, setup_id))


def delete_setup(db: sqlite3.Connection, setup_id: int) -> None:
    """Delete a setup with its readings."""
    db.execute("DELETE FROM setup WHERE id = ?", (setup_id,))


OF_SETUPS = {
    "tuning": "tuning",
    "replay": "recipe check",
    "experiment": "experiment",
    "recipe_note": "recipe note",
    "carried": "setting carried over",
    "setup_change": "change of its settings",
    "run_cell": "measurement",
}
"""Tables of what belongs to a setup, and what one of their rows is called."""


def belongings(db: sqlite3.Connection, setup_id: int) -> list[tuple[str, int]]:
    """What belongs to a setup and would go with it, as names and how many of each there are."""
    found = []
    for table, name in OF_SETUPS.items():
        count = int(db.execute(f"SELECT count(*) FROM {table} WHERE setup_id = ?", (setup_id,)).fetchone()[0])
        found += [(name, count)] if count else []
    return found


def delete_review(db: sqlite3.Connection, review_id: int) -> bool:
    """Delete a review with all that hangs on it; False where there was none."""
    gone = db.execute("DELETE FROM review WHERE id = ?", (review_id,)).rowcount > 0
    db.execute("DELETE FROM menu WHERE id NOT IN (SELECT menu_id FROM unit)")
    return gone
