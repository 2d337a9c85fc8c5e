"""CSV: every reading once for each measurement that uses it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from operator import itemgetter

from lumenar.app.application import Application
from lumenar.app.exchange.formats.base import Format
from lumenar.app.exchange.formats.table import Row, SetupTable, line_of, tables, text_of_cell
from lumenar.store.readings import COLUMNS

HEADS = (
    "setup",
    "unit",
    "mode",
    "signal",
    "target",
    "measurement",
    "r",
    "g",
    "b",
    "window",
    "background",
    "level",
    "column",
    "row",
    "columns",
    "rows",
    "pattern",
    "at_s",
    "time_s",
    "X",
    "Y",
    "Z",
    "flag",
)
_PATCH_ID = COLUMNS.index("patch_id")
_WHEN = itemgetter(COLUMNS.index("time_s"), COLUMNS.index("id"))
_LIGHT = itemgetter(*(COLUMNS.index(c) for c in ("time_s", "X", "Y", "Z", "outcome")))


def _parts(setups: Iterable[SetupTable]) -> Iterator[str]:
    """A CSV file in parts, one for each measurement of each setup: every reading once for each measurement that uses it."""
    yield ",".join(HEADS) + "\n"
    for s in setups:
        head = line_of((s.name, s.unit, s.mode, s.signal, s.target))
        patches: dict[object, str] = {}
        lines: dict[str, list[str]] = {}
        for row, used in sorted(s.readings, key=lambda r: _WHEN(r[0])):
            # The rest of a line is the same for each measurement, and the patch's part of it for each of its readings.
            if (patch := row[_PATCH_ID]) not in patches:
                patches[patch] = _patch(row)
            light = f"{patches[patch]},{_light(row)}\n"
            for m in used:
                lines.setdefault(m, []).append(light)
        for m, own in sorted(lines.items()):
            begin = f"{head},{m},"
            yield begin + begin.join(own)


def _patch(row: Row) -> str:
    """The columns from `r` to `at_s`."""
    r = dict(zip(COLUMNS, row, strict=True))
    zone = (None,) * 4 if r["zone"] is None else [int(v) for v in str(r["zone"]).strip("[]").split(",")]
    pattern = "" if r["pattern"] == "window" else r["pattern"]
    rgb = [float(r[c]) for c in "rgb"]  # type: ignore[arg-type]
    return line_of((*rgb, r["window"], r["background"], r["level"], *zone, pattern, r["at_s"]))


def _light(row: Row) -> str:
    """The columns from `time_s` to `flag`."""
    time_s, X, Y, Z, outcome = _LIGHT(row)
    return ",".join(map(text_of_cell, (time_s, X, Y, Z, "" if outcome == "ok" else outcome)))


def parts(app: Application, review_id: int) -> Iterator[str]:
    """A review as CSV."""
    return _parts(tables(app, review_id))


FORMAT = Format("csv", "CSV", 2, "csv", "text/csv", parts)
