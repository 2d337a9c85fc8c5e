"""Migrations of filled databases of every earlier version: all that was read is there afterwards, with its figures."""

import json
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.figures import cells
from lumenar.app.setups import setup_history, setup_views, setups
from lumenar.bench.drivers.simulated import arrive
from lumenar.core.analysis import analyse
from lumenar.core.colour.correction import corrected
from lumenar.core.menu.documents import menu_from
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import TARGETS
from lumenar.store import database
from lumenar.store.database import Database, StoreError, migrations

FILLED = Path(__file__).parent / "filled"
VERSIONS = sorted(int(f.stem[1:]) for f in FILLED.glob("v*.db"))
TABLES = ("review", "unit", "setup", "run", "run_cell", "patch", "reading", "edition")
FIGURES = {"white_black": "white_cd_m2", "grey_ramp": "de2000_mean", "gamut": "coverage_srgb_uv_percent"}


def copied(version: int, folder: Path) -> Path:
    """The database of a version in a data folder."""
    folder.mkdir()
    path = folder / "lumenar.db"
    path.write_bytes((FILLED / f"v{version}.db").read_bytes())
    return path


def test_there_is_a_filled_database_of_every_earlier_version():
    assert [*VERSIONS, migrations()[-1][0]] == [n for n, _ in migrations()]


def uses_of(db: sqlite3.Connection) -> str:
    """What gives patch and measurement of every use."""
    if db.execute("PRAGMA user_version").fetchone()[0] < 8:
        return "(SELECT patch_id, measurement FROM patch_use)"
    return "(SELECT q.id AS patch_id, m.measurement FROM patch q JOIN use_set_member m ON m.use_set = q.use_set)"


def rows_of(db: sqlite3.Connection) -> dict[str, list]:
    """What was stored, by table, without what a later version knows alone."""
    kept = {t: db.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in TABLES}
    kept["values"] = db.execute(
        "SELECT g.id, p.id, p.run_id, p.setup_id, p.r, p.g, p.b, p.window, p.level, g.outcome, g.X, g.Y, g.Z, g.at_s"
        " FROM reading g JOIN patch p ON p.id = g.patch_id ORDER BY g.id"
    ).fetchall()
    kept["uses"] = db.execute(f"SELECT patch_id, measurement FROM {uses_of(db)} ORDER BY 1, 2").fetchall()
    if db.execute("PRAGMA user_version").fetchone()[0] > 1:
        kept["traces"] = db.execute("SELECT reading_id, kind, start, step, samples FROM trace ORDER BY 1").fetchall()
    return kept


def figures_of(db: sqlite3.Connection) -> dict[tuple[int, str], float]:
    """Some figures of every setup, from the rows alone."""
    matrices = {}
    meter = "meter" if db.execute("PRAGMA user_version").fetchone()[0] < 4 else "json_extract(meters, '$.XYZ')"
    limits = {i: json.loads(m) for i, m in db.execute(f"SELECT id, {meter} FROM run")}
    if db.execute("PRAGMA user_version").fetchone()[0] > 1:
        matrices = dict(db.execute("SELECT r.id, c.matrix FROM run r JOIN correction c ON c.id = r.correction_id"))
    found = {}
    cells_ = db.execute(
        "SELECT DISTINCT p.run_id, p.setup_id, s.target, u.measurement FROM patch p"
        f" JOIN {uses_of(db)} u ON u.patch_id = p.id JOIN setup s ON s.id = p.setup_id"
    ).fetchall()
    for run, setup, target, measurement in cells_:
        if measurement not in FIGURES:
            continue
        rows = db.execute(
            f"SELECT p.r, p.g, p.b, p.window, g.X, g.Y, g.Z FROM patch p JOIN {uses_of(db)} u ON u.patch_id = p.id"
            " JOIN reading g ON g.patch_id = p.id WHERE p.run_id = ? AND p.setup_id = ? AND u.measurement = ?"
            " ORDER BY p.position",
            (run, setup, measurement),
        ).fetchall()
        XYZ = np.array([r[4:] for r in rows], float)
        if run in matrices:
            XYZ = corrected(XYZ, json.loads(matrices[run]))
        meter = MeterLimits(limits[run]["repeatability"], limits[run]["floor"])
        below = ~(XYZ[:, 1] >= meter.floor)
        readings = collect([Patch(r[:3], r[3]) for r in rows], XYZ, below, meter)
        analysis = analyse(measurement, readings, TARGETS[target], uncertain=False)
        found[setup, measurement] = analysis.scalar(FIGURES[measurement])
    return found


@pytest.mark.parametrize("version", VERSIONS)
def test_a_filled_database_comes_through_with_every_reading_and_figure(version, tmp_path):
    path = copied(version, tmp_path / "data")
    then = sqlite3.connect(path)
    before, figures = rows_of(then), figures_of(then)
    then.close()
    assert before["reading"] > 50 and len(figures) >= 8
    app = Application(tmp_path / "data")
    db = app.db.connection()
    assert {
        k: [tuple(r) for r in v] if isinstance(v, list) else v for k, v in rows_of(db).items() if k in before
    } == before
    for review in (1,):
        for cell, row in cells.newest(app, review).complete.items():
            if cell.measurement in FIGURES:
                target = TARGETS[db.execute("SELECT target FROM setup WHERE id = ?", (cell.setup,)).fetchone()[0]]
                now = cells.analysis_of(app, row, target).scalar(FIGURES[cell.measurement])
                assert now == pytest.approx(figures[cell.setup, cell.measurement], rel=1e-12), cell
    assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
    assert not db.execute("PRAGMA foreign_key_check").fetchall()
    app.close()


@pytest.mark.parametrize("version", VERSIONS)
def test_the_file_as_it_was_stays_beside(version, tmp_path):
    path = copied(version, tmp_path / "data")
    then = sqlite3.connect(path)
    before = rows_of(then)
    then.close()
    Database(path).close()
    copy = sqlite3.connect(tmp_path / "data" / f"lumenar-schema-{version}.db")
    assert rows_of(copy) == before and copy.execute("PRAGMA user_version").fetchone()[0] == version


@pytest.mark.parametrize("version", VERSIONS)
def test_what_a_mode_ships_with_is_told_by_a_column(version, tmp_path):
    db = Database(copied(version, tmp_path / "data")).connection()
    shipped = {(r["mode"], r["unit_id"]): r["name"] for r in db.execute("SELECT * FROM setup WHERE shipped = 1")}
    assert len(shipped) == (12 if version < 10 else 20), "six modes of two samples, later four of HDR besides"
    assert [r["name"] for r in db.execute("SELECT name FROM setup WHERE shipped = 0")] == ["Desk"]


@pytest.mark.parametrize("version", VERSIONS)
def test_a_menu_comes_out_of_a_stored_unit_file_as_out_of_one_that_arrives(version, tmp_path):
    db = Database(copied(version, tmp_path / "data")).connection()
    units = db.execute("SELECT u.*, s.file, m.document FROM unit u JOIN stand_in s ON s.unit_id = u.id JOIN menu m ON"
                       " m.id = u.menu_id").fetchall()  # fmt: skip
    assert len(units) == 2 and len({u["menu_id"] for u in units}) == 1, "equal samples share a menu"
    for u in units:
        arrival = arrive(u["file"], "stored")[0]
        assert menu_from(json.loads(u["document"])) == arrival.menu
        known = (u["kind"], u["about"], u["size_inch"], (u["width_px"], u["height_px"]), u["bits"], u["signal_range"])
        assert known == (
            arrival.kind, arrival.about, arrival.size_inch, arrival.pixels, arrival.bits, arrival.signal_range
        )  # fmt: skip


def test_light_states_that_were_changed_in_place_are_kept_and_taken_back(tmp_path):
    copied(6, tmp_path / "data")
    app = Application(tmp_path / "data")
    own = app.db.connection().execute("SELECT id FROM setup WHERE name = 'Desk'").fetchone()[0]
    assert setup_views.view(app, 1, own).room == setup_views.Room("Lamp", 5.0, "30 cm")
    told = [words for change in setup_history.history(app, 1, own) for words in change.words]
    assert "room: not recorded → Lamp, 5 lux, 30 cm" in told, "the torch was swept away before this version"
    setups.change(app, 1, own, setups.Edit(room=setup_views.Room("Lamp", 9.0, "30 cm")))
    assert setup_views.view(app, 1, own).room.lux == 9.0
    for room in (setup_views.Room("Lamp", 5.0, "30 cm"), None):
        setups.undo(app, 1, own)
        assert setup_views.view(app, 1, own).room == room
    app.close()


def test_numbers_of_what_was_deleted_stay_used_when_a_table_is_rebuilt(tmp_path):
    path = copied(4, tmp_path / "data")
    then = sqlite3.connect(path)
    then.execute("UPDATE sqlite_sequence SET seq = 70 WHERE name IN ('unit', 'run')")
    then.commit()
    then.close()
    db = Database(path).connection()
    kept = dict(db.execute("SELECT name, seq FROM sqlite_sequence WHERE name IN ('unit', 'run')").fetchall())
    assert kept == {"unit": 70, "run": 70}


@pytest.mark.parametrize(
    "table", ["review", "unit", "setup", "run", "patch", "reading", "correction", "watch", "edition"]
)
def test_no_number_is_used_again(table, tmp_path):
    db = Database(copied(3, tmp_path / "data")).connection()
    last = db.execute("SELECT seq FROM sqlite_sequence WHERE name = ?", (table,)).fetchone()
    top = db.execute(f"SELECT max(id) FROM {table}").fetchone()[0]
    assert (last[0] if last else 0) == (top or 0)
    assert "AUTOINCREMENT" in db.execute("SELECT sql FROM sqlite_master WHERE name = ?", (table,)).fetchone()[0]


def test_a_migration_that_would_orphan_rows_changes_nothing(tmp_path, monkeypatch):
    path = copied(3, tmp_path / "data")
    Database(path).close()
    own = migrations()
    cut = (
        own[-1][0] + 1,
        "CREATE TABLE r (id INTEGER PRIMARY KEY); DROP TABLE review; ALTER TABLE r RENAME TO review;",
    )
    monkeypatch.setattr(database, "migrations", lambda: [*own, cut])
    with pytest.raises(StoreError, match="rows without what they refer to"):
        Database(path)
    monkeypatch.undo()
    assert Database(path).connection().execute("SELECT count(*) FROM review").fetchone()[0] == 1


def test_a_migration_that_fails_halfway_changes_nothing(tmp_path, monkeypatch):
    path = copied(3, tmp_path / "data")
    Database(path).close()
    own = migrations()
    monkeypatch.setattr(
        database, "migrations", lambda: [*own, (own[-1][0] + 1, "DELETE FROM reading; SELECT nonsense;")]
    )
    with pytest.raises(StoreError):
        Database(path)
    monkeypatch.undo()
    assert Database(path).connection().execute("SELECT count(*) FROM reading").fetchone()[0] == 171


def test_a_rebuilt_table_takes_nothing_with_it(tmp_path, monkeypatch):
    """What happened before: foreign keys were on, so that dropping a table to rebuild it deleted every reading."""
    path = copied(3, tmp_path / "data")
    Database(path).close()
    own = migrations()
    rebuild = (
        "CREATE TABLE u AS SELECT * FROM unit; DROP TABLE unit; CREATE TABLE unit (id INTEGER PRIMARY KEY);"
        " INSERT INTO unit SELECT id FROM u; DROP TABLE u;"
    )
    monkeypatch.setattr(database, "migrations", lambda: [*own, (own[-1][0] + 1, rebuild)])
    db = Database(path).connection()
    assert db.execute("SELECT count(*) FROM reading").fetchone()[0] == 171
