"""Many rows at a time are stored as they came: none missing, none twice, in order."""

from __future__ import annotations

import sqlite3

import pytest

from lumenar.store.bulk_insert import add_rows


@pytest.mark.parametrize("count", [0, 1, 49, 50, 51, 150, 173])
def test_rows_are_stored_whole_and_in_order(count):
    db = sqlite3.connect(":memory:")
    db.execute("CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT, a, b)")
    rows = [(i, f"row {i}" if i % 7 else None) for i in range(count)]
    add_rows(db, "t", ("a", "b"), rows)
    assert db.execute("SELECT a, b FROM t ORDER BY id").fetchall() == rows


def test_a_row_that_is_refused_is_an_error():
    db = sqlite3.connect(":memory:")
    db.execute("CREATE TABLE t (a INTEGER CHECK (a < 60))")
    with pytest.raises(sqlite3.IntegrityError):
        add_rows(db, "t", ("a",), [(i,) for i in range(70)])
