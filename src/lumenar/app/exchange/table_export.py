"""A review's readings as tables, setup by setup: CSV and CGATS text (ISO 28178). Light alone: waveforms and spectra, meters,
corrections and runs stand in the JSON file only."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

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
USUAL_WINDOW = 0.1
_AT = {name: i for i, name in enumerate(COLUMNS)}
Row = tuple[object, ...]
"""A reading in the order of COLUMNS."""


@dataclass(frozen=True)
class SetupTable:
    """A setup and its readings of light, each with the measurements that use it."""

    name: str
    unit: str
    mode: str
    signal: str
    target: str
    readings: Sequence[tuple[Row, Sequence[str]]]


def _text(value: object) -> str:
    return "" if value is None else repr(value) if isinstance(value, float) else str(value)


def _cells(cells: Iterable[object]) -> str:
    """Cells as a part of a line."""
    out = io.StringIO()
    csv.writer(out, lineterminator="").writerow([_text(c) for c in cells])
    return out.getvalue()


def csv_parts(setups: Iterable[SetupTable]) -> Iterator[str]:
    """A CSV file in parts, one for each setup: every reading once for each measurement that uses it."""
    yield ",".join(HEADS) + "\n"
    for s in setups:
        head = _cells((s.name, s.unit, s.mode, s.signal, s.target))
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
    return _cells(
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


def cgats_parts(setups: Iterable[SetupTable]) -> Iterator[str]:
    """CGATS text in parts, a table for each setup, signals from 0 to 100; each plain patch in the usual window once, in the order
    of their signals, since such a table has no room for more."""
    yield 'CGATS.17\nORIGINATOR "Lumenar"\n'
    for s in setups:
        found: list[tuple[list[float], list[str]]] = []
        for row, used in s.readings:
            r = dict(zip(COLUMNS, row, strict=True))
            plain = r["window"] == USUAL_WINDOW and r["pattern"] == "window" and r["Y"] is not None
            if used and plain and all(r[c] is None for c in ("level", "zone", "at_s")):
                signal = [round(100 * float(r[c]), 8) for c in "rgb"]  # type: ignore[arg-type]
                XYZ = [float(r[c]) for c in "XYZ"]  # type: ignore[arg-type]
                found.append(([*signal, *XYZ], [_text(v) for v in (*signal, *XYZ)]))
        title = s.name.replace('"', "'")
        lines = ["", f'DESCRIPTOR "{title}"', "NUMBER_OF_FIELDS 7", "BEGIN_DATA_FORMAT"]
        lines += ["SAMPLE_ID RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z", "END_DATA_FORMAT", f"NUMBER_OF_SETS {len(found)}"]
        lines += [
            "BEGIN_DATA",
            *(f"{i} {' '.join(cells)}" for i, (_, cells) in enumerate(sorted(found), 1)),
            "END_DATA",
        ]
        yield "\n".join(lines) + "\n"


PARTS: dict[str, Callable[[Iterable[SetupTable]], Iterator[str]]] = {"csv": csv_parts, "cgats": cgats_parts}
