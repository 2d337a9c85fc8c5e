"""CSV: every reading once for each measurement that uses it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from lumenar.app.application import Application
from lumenar.app.exchange.formats.base import Format
from lumenar.app.exchange.formats.table import Row, SetupTable, line_of, tables
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
_AT = {name: i for i, name in enumerate(COLUMNS)}


def _parts(setups: Iterable[SetupTable]) -> Iterator[str]:
    """A CSV file in parts, one for each setup: every reading once for each measurement that uses it."""
    yield ",".join(HEADS) + "\n"
    for s in setups:
        head = line_of((s.name, s.unit, s.mode, s.signal, s.target))
        lines: list[tuple[str, float, int, str]] = []
        for row, used in s.readings:
            time_s, number, light = row[_AT["time_s"]], row[_AT["id"]], _light(row)
            lines += [(m, time_s, number, light) for m in used]  # type: ignore[misc]
        lines.sort()
        yield "".join([f"{head},{m},{light}\n" for m, _, _, light in lines])


def _light(row: Row) -> str:
    """What stands beside the measurement, which is the same for each that a reading serves."""
    r = dict(zip(COLUMNS, row, strict=True))
    zone = (None,) * 4 if r["zone"] is None else [int(v) for v in str(r["zone"]).strip("[]").split(",")]
    pattern = "" if r["pattern"] == "window" else r["pattern"]
    flag = "" if r["outcome"] == "ok" else r["outcome"]
    rgb = [float(r[c]) for c in "rgb"]  # type: ignore[arg-type]
    return line_of(
        (
            *rgb,
            r["window"],
            r["background"],
            r["level"],
            *zone,
            pattern,
            r["at_s"],
            r["time_s"],
            r["X"],
            r["Y"],
            r["Z"],
            flag,
        )
    )


def parts(app: Application, review_id: int) -> Iterator[str]:
    """A review as CSV."""
    return _parts(tables(app, review_id))


FORMAT = Format("csv", "CSV", 2, "csv", "text/csv", parts)
