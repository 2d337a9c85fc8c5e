"""The database: migrations, constraints, full disks and read-only folders."""

import sqlite3

import pytest

from lumenar.app.application import Application, DataFolderInUseError
from lumenar.app.setups import new_reviews
from lumenar.store import readings, reviews
from lumenar.store.database import Database, StoreError, install, migrate, migrations
from lumenar.store.readings import NewReading

from ..conftest import PHONE


def test_every_migration_applies_from_every_earlier_version(tmp_path):
    newest = migrations()[-1][0]
    for start in range(newest + 1):
        connection = sqlite3.connect(tmp_path / f"from{start}.db", isolation_level=None)
        install(connection)
        for number, script in migrations():
            if number <= start:
                connection.executescript(f"{script}\nPRAGMA user_version = {number};")
        migrate(connection)
        assert connection.execute("PRAGMA user_version").fetchone()[0] == newest
        query = "SELECT count(*), sum(strict) FROM pragma_table_list WHERE schema = 'main' AND type = 'table'"
        tables, strict_ones = connection.execute(query).fetchone()
        assert tables - strict_ones <= 2, "all but sqlite's own tables are STRICT"
        assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"


def test_data_of_a_newer_version_is_left_alone(tmp_path):
    connection = sqlite3.connect(tmp_path / "lumenar.db")
    connection.execute("PRAGMA user_version = 99")
    connection.close()
    with pytest.raises(StoreError, match="newer Lumenar"):
        Database(tmp_path / "lumenar.db")


def test_what_is_no_database_is_said(tmp_path):
    (tmp_path / "lumenar.db").write_text("this is a text, not a database, and long enough to be told apart " * 40)
    with pytest.raises(StoreError, match="not a Lumenar database"):
        Database(tmp_path / "lumenar.db")


BAD_ROWS = [
    "INSERT INTO reading (patch_id, outcome, X, Y, Z, at_s, read_at, checksum) VALUES (1, 'ok', NULL, NULL, NULL, 0, '', 0)",
    "INSERT INTO reading (patch_id, outcome, X, Y, Z, at_s, read_at, checksum) VALUES (1, 'below_floor', 1, 1, 1, 0, '', 0)",
    "INSERT INTO reading (patch_id, outcome, at_s, read_at, checksum) VALUES (999999, 'below_floor', 0, '', 0)",
    "UPDATE run SET state = 'sleeping'",
    "UPDATE run_cell SET readings = patches + 1",
    "UPDATE setup SET signal = 'vhs'",
    "UPDATE patch SET window = 0",
    "UPDATE stand_in SET file = 'no json'",
    "UPDATE menu SET document = '{}'",
    "UPDATE unit SET kind = 'toaster'",
    "UPDATE unit SET bits = 3",
    "UPDATE patch SET zone = '[1, 2]'",
    "UPDATE patch SET pattern = 'stripes'",
    "UPDATE patch SET reads = 'smell'",
    "UPDATE run_setup SET signature = '[1]'",
    "INSERT INTO trace VALUES (1, 'waveform', 0, 0, x'00', 0)",
    "UPDATE correction SET matrix = '[[1,0,0]]'",
]


@pytest.mark.parametrize("statement", BAD_ROWS)
def test_the_schema_refuses_what_cannot_be(app, bench, measured, statement):
    with pytest.raises(sqlite3.IntegrityError), app.db.transaction() as db:
        db.execute(statement)


def test_a_reading_is_taken_once(app, bench, measured):
    patch = app.db.connection().execute("SELECT patch_id FROM reading LIMIT 1").fetchone()[0]
    with pytest.raises(sqlite3.IntegrityError), app.db.transaction() as db:
        readings.add(db, NewReading(patch, 1, "ok", (1.0, 1.0, 1.0), 0.4, 1.0, ""))


def test_a_full_disk_is_said_and_nothing_is_half_done(app, units):
    before = reviews.review_ids(app.db.connection())
    pages = app.db.connection().execute("PRAGMA page_count").fetchone()[0]
    app.db.connection().execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(StoreError, match="full"):
        for _ in range(50):
            new_reviews.add_review(app, units[PHONE], PHONE)
    app.db.connection().execute("PRAGMA max_page_count = 1000000")
    after = reviews.review_ids(app.db.connection())
    assert all(reviews.setups_of(app.db.connection(), r) for r in after)
    assert after[: len(before)] == before
    new_reviews.add_review(app, units[PHONE], PHONE)


def test_a_second_server_on_the_same_data_is_told(app):
    with pytest.raises(DataFolderInUseError, match="another Lumenar"):
        Application(app.folder)


def test_a_folder_that_cannot_be_made_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(StoreError, match="cannot be made"):
        Application(tmp_path / "file" / "data")


def test_deleting_a_review_takes_all_of_it(app, bench, measured):
    new_reviews.delete_review(app, measured)
    for table in ("unit", "setup", "run", "run_cell", "patch", "reading"):
        assert app.db.connection().execute(f"SELECT count(*) FROM {table}").fetchone()[0] == 0
