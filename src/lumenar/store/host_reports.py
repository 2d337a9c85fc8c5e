"""What hosts report of displays, by setup."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass


@dataclass(frozen=True)
class HostReportRow:
    """A setup's report in cd/m2; typed: a person wrote it down, so that no reading of it takes its place."""

    setup_id: int
    max_cd_m2: float
    full_cd_m2: float | None
    min_cd_m2: float | None
    typed: bool


def of_review(db: sqlite3.Connection, review_id: int) -> dict[int, HostReportRow]:
    """Reports by setup."""
    rows = db.execute(
        "SELECT h.* FROM host_report h JOIN setup s ON s.id = h.setup_id JOIN unit u ON u.id = s.unit_id"
        " WHERE u.review_id = ?",
        (review_id,),
    )
    return {r["setup_id"]: HostReportRow(**{**r, "typed": bool(r["typed"])}) for r in rows}


def put(db: sqlite3.Connection, new: HostReportRow) -> None:
    """Keep a report; one that was read gives way to one that was typed."""
    db.execute(
        "INSERT INTO host_report VALUES (?, ?, ?, ?, ?) ON CONFLICT (setup_id) DO UPDATE SET max_cd_m2 = excluded.max_cd_m2,"
        " full_cd_m2 = excluded.full_cd_m2, min_cd_m2 = excluded.min_cd_m2, typed = excluded.typed"
        " WHERE excluded.typed = 1 OR host_report.typed = 0",
        (new.setup_id, new.max_cd_m2, new.full_cd_m2, new.min_cd_m2, int(new.typed)),
    )


def forget(db: sqlite3.Connection, setup_id: int) -> None:
    """Nothing is known of a setup's report."""
    db.execute("DELETE FROM host_report WHERE setup_id = ?", (setup_id,))
