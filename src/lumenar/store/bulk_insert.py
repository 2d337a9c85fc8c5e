"""Storing many rows at a time."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from itertools import chain

# Rows in one statement. A table with AUTOINCREMENT writes its counter at the end of every statement, which costs as much as
# the row itself; beyond some dozens nothing more is gained, and SQLite allows 32,766 values in one.
_ROWS = 50


def add_rows(db: sqlite3.Connection, table: str, columns: Sequence[str], rows: Sequence[Sequence[object]]) -> None:
    """Add rows to a table in their order, in half the time of `executemany`. The names are the program's, never a person's."""
    head = f"INSERT INTO {table} ({', '.join(columns)}) VALUES "
    place = f"({','.join('?' * len(columns))})"
    whole = len(rows) - len(rows) % _ROWS
    many = head + ",".join([place] * _ROWS)
    for i in range(0, whole, _ROWS):
        db.execute(many, list(chain.from_iterable(rows[i : i + _ROWS])))
    if whole < len(rows):
        rest = rows[whole:]
        db.execute(head + ",".join([place] * len(rest)), list(chain.from_iterable(rest)))
