"""A review's readings as tables: CSV and CGATS text (ISO 28178). Light alone: waveforms and spectra, meters, corrections and
runs stand in the JSON file only."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from typing import Any

HEADS = (
    "setup", "unit", "mode", "signal", "target", "measurement", "r", "g", "b", "window", "background", "level", "column",
    "row", "columns", "rows", "pattern", "at_s", "time_s", "X", "Y", "Z", "flag",
)  # fmt: skip
USUAL_WINDOW = 0.1


def _text(value: object) -> str:
    return "" if value is None else repr(value) if isinstance(value, float) else str(value)


def csv_of(document: Mapping[str, Any]) -> str:
    """A readings file's document as CSV, every reading once for each measurement that uses it."""
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\n")
    write.writerow(HEADS)
    for s in document["setups"]:
        head = [_text(s[k]) for k in ("name", "unit", "mode", "signal", "target")]
        # What stands beside the measurement is the same for each that a reading serves.
        light: dict[int, list[str]] = {}
        for r in s["readings"]:
            if "waveform" in r or "spectrum" in r:
                continue
            if r["id"] not in light:
                zone = r.get("zone") or (None,) * 4
                XYZ = r["XYZ"] or (None,) * 3
                cells = (
                    *(float(v) for v in r["rgb"]), r["window"], r["background"], r["level"], *zone, r.get("pattern", ""),
                    r.get("at_s"), r["time_s"], *XYZ, r.get("flag", ""),
                )  # fmt: skip
                light[r["id"]] = [_text(c) for c in cells]
            write.writerow([*head, r["measurement"], *light[r["id"]]])
    return out.getvalue()


def cgats_of(document: Mapping[str, Any]) -> str:
    """A readings file's document as CGATS text, a table for each setup, signals from 0 to 100; each plain patch in the usual
    window once, in the order of their signals, since such a table has no room for more."""
    lines = ["CGATS.17", 'ORIGINATOR "Lumenar"']
    for s in document["setups"]:
        seen: dict[object, tuple[list[float], list[str]]] = {}
        for r in s["readings"]:
            plain = r["window"] == USUAL_WINDOW and (
                r["XYZ"] is not None
                and r["level"] is None
                and "zone" not in r
                and "pattern" not in r
                and "at_s" not in r
            )
            if plain and "waveform" not in r and "spectrum" not in r:
                signal = [round(100 * float(v), 8) for v in r["rgb"]]
                cells = [*map(_text, signal), *(_text(float(v)) for v in r["XYZ"])]
                seen.setdefault(r["id"], ([*signal, *r["XYZ"]], cells))
        ordered = [cells for _, cells in sorted(seen.values())]
        title = s["name"].replace('"', "'")
        lines += ["", f'DESCRIPTOR "{title}"', "NUMBER_OF_FIELDS 7", "BEGIN_DATA_FORMAT"]
        lines += ["SAMPLE_ID RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z", "END_DATA_FORMAT", f"NUMBER_OF_SETS {len(seen)}"]
        lines += ["BEGIN_DATA", *(f"{i} {' '.join(cells)}" for i, cells in enumerate(ordered, 1)), "END_DATA"]
    return "\n".join(lines) + "\n"
