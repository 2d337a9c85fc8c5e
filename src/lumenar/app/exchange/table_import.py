"""Readings from tables: CSV with a line of heads, and CGATS text (ISO 28178); and which of all formats a file is in."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lumenar.app.errors import BadInputError
from lumenar.app.exchange.readings_file import MAX_BYTES, ReadingsFile, parse_document, parse_readings
from lumenar.app.exchange.table_spectra import spectrum_reading, wavelengths_of, with_XYZ
from lumenar.core.colour.spaces import uv_to_xy, xy_to_XYZ
from lumenar.core.menu.text_reading import number

COLUMNS: dict[str, tuple[str, ...]] = {
    "setup": ("setup", "name", "setup name"),
    "unit": ("unit", "display"),
    "mode": ("mode", "picture mode"),
    "signal": ("signal",),
    "target": ("target",),
    "measurement": ("measurement", "test"),
    "r": ("r", "red", "rgb_r"),
    "g": ("g", "green", "rgb_g"),
    "b": ("b", "blue", "rgb_b"),
    "level_percent": ("grey", "gray", "grey %", "level %", "stimulus", "stimulus %"),
    "window": ("window", "area"),
    "background": ("background",),
    "level": ("level", "control"),
    "column": ("column", "zone column"),
    "row": ("row", "zone row"),
    "columns": ("columns",),
    "rows": ("rows",),
    "flag": ("flag",),
    "pattern": ("pattern",),
    "at_s": ("at_s",),
    "time_s": ("time_s", "time"),
    "meter": ("meter",),
    "X": ("x", "xyz_x"),
    "Y": ("y", "xyz_y", "luminance", "cd/m2", "cd/m²"),
    "Z": ("z", "xyz_z"),
    "x": ("chromaticity x", "cie x", "xyy_x"),
    "y": ("chromaticity y", "cie y", "xyy_y"),
    "u": ("u'", "u′"),
    "v": ("v'", "v′"),
}
"""What a column can be, and under which heads (whatever their case) it is recognised."""
RANGES = {"0..1": 1.0, "0..100": 100.0, "0..255": 255.0, "0..1023": 1023.0}
"""How signals can be written."""


@dataclass(frozen=True)
class Read:
    """A readings file with where it came from: its format, what each column was taken for, and what was assumed."""

    file: ReadingsFile
    format: str
    columns: Mapping[str, str]
    notes: Sequence[str]


def text_of(data: str | bytes, name: str) -> str:
    """The text in a file: UTF-8, with or without a mark, or UTF-16 with one. BadInputError where it is none."""
    if isinstance(data, str):
        return data.removeprefix("\ufeff")
    if len(data) > MAX_BYTES:
        raise BadInputError("readings-file", f"{name}: larger than {MAX_BYTES // 1_000_000} MB; split it by setups")
    code = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        return data.decode(code)
    except UnicodeDecodeError as e:
        line = data[: e.start].count(b"\n") + 1
        raise BadInputError(
            "readings-file", f"{name}: line {line} is neither UTF-8 nor UTF-16; save the file as UTF-8"
        ) from e


def read_any(data: str | bytes, name: str, mapping: Mapping[str, str] | None = None) -> Read:
    """A readings file in JSON, CSV or CGATS text, whichever it is. mapping: by head what a column is, and under "rgb" how
    signals are written (`RANGES`), where a person has said so. BadInputError with the line where it cannot be understood."""
    text = text_of(data, name)
    start = text.lstrip()
    if start.startswith("{"):
        return Read(parse_readings(text, name), "JSON", {}, ())
    if not start:
        raise BadInputError("readings-file", f"{name}: the file is empty")
    if start.startswith("[") or start.startswith("<"):
        raise BadInputError("readings-file", f"{name}: neither a readings file in JSON, nor CSV, nor CGATS text")
    if re.match(r"^\S*CGATS|^IT8|^ISO28178", start) or "BEGIN_DATA_FORMAT" in text:
        return _cgats(text, name, mapping or {})
    return _csv(text, name, mapping or {})


def _csv(text: str, name: str, mapping: Mapping[str, str]) -> Read:
    lines = text.splitlines()
    first = next(i for i, line in enumerate(lines) if line.strip())
    delimiter = max(";\t,", key=lines[first].count)
    if delimiter not in lines[first]:
        raise BadInputError(
            "readings-file", f"{name}: line {first + 1}: no heads parted by commas, semicolons or tabs", "line 1"
        )
    try:
        rows = list(csv.reader(io.StringIO("\n".join(lines[first:])), delimiter=delimiter, strict=True))
    except csv.Error as e:
        raise BadInputError("readings-file", f"{name}: not a table that can be read ({e})") from e
    heads = [h.strip() for h in rows[0]]
    table = [(first + i + 2, row) for i, row in enumerate(rows[1:]) if any(c.strip() for c in row)]
    return _document(heads, table, name, "CSV", mapping, [])


def _cgats(text: str, name: str, mapping: Mapping[str, str]) -> Read:
    lines = text.splitlines()
    tables: list[tuple[str, list[str], list[tuple[int, list[str]]]]] = []
    heads: list[str] = []
    inside = ""
    title = ""
    for number_, line in enumerate(lines, 1):
        words = line.split()
        if not words:
            continue
        head = words[0].upper()
        if head in ("BEGIN_DATA_FORMAT", "BEGIN_DATA"):
            inside = head
            if head == "BEGIN_DATA_FORMAT":
                heads = []
            else:
                tables.append((title or f"Table {len(tables) + 1}", heads, []))
        elif head in ("END_DATA_FORMAT", "END_DATA"):
            inside = ""
        elif inside == "BEGIN_DATA_FORMAT":
            heads = [*heads, *words]
        elif inside == "BEGIN_DATA":
            tables[-1][2].append((number_, words))
        elif head in ("DESCRIPTOR", "TABLE_NAME") and len(words) > 1:
            title = line.split(None, 1)[1].strip().strip('"')
    if not tables:
        raise BadInputError("readings-file", f"{name}: CGATS text without BEGIN_DATA")
    setups: list[dict[str, Any]] = []
    columns: dict[str, str] = {}
    notes: list[str] = []
    for title, heads, rows in tables:
        known = [*heads, "setup"]
        read = _document(known, [(n, [*row, title]) for n, row in rows], name, "CGATS", mapping, [])
        setups += [s.model_dump(exclude_none=True) for s in read.file.setups]
        columns |= dict(read.columns)
        notes += read.notes
    columns.pop("setup", None)
    document = {"format": "lumenar-readings", "version": 1, "setups": setups}
    return Read(_checked(document, name), "CGATS", columns, tuple(dict.fromkeys(notes)))


def _checked(document: Mapping[str, Any], name: str) -> ReadingsFile:
    import json

    return parse_document(ReadingsFile, json.dumps(document), name, "readings-file")


def _recognised(heads: Sequence[str], name: str, mapping: Mapping[str, str]) -> dict[str, int]:
    """By what a column is, its place. A person's word counts first; x and y beside Y, x, y are chromaticities."""
    asked = {h.lower(): v for h, v in mapping.items() if h != "rgb"}
    for head, wanted in asked.items():
        if wanted not in (*COLUMNS, ""):
            raise BadInputError(
                "mapping", f"{name}: {head!r} cannot be {wanted!r}; known are {', '.join(COLUMNS)}", head
            )
    exact = {h for h in heads if h in ("X", "Y", "Z", "x", "y")}
    places: dict[str, int] = {}
    for i, head in enumerate(heads):
        low = head.lower()
        if low in asked:
            key = asked[low]
        elif head in ("x", "y") and ("X" not in exact or exact >= {"X", "x"}):
            # With a capital they would be tristimulus values.
            key = head
        elif re.fullmatch(r"XYY_CAPY", head.upper()):
            key = "Y"
        else:
            key = next((k for k, names in COLUMNS.items() if low in names), "")
        if not key:
            continue
        if key in places:
            raise BadInputError(
                "readings-file", f"{name}: both {heads[places[key]]!r} and {head!r} seem to be {key}; say which", key
            )
        places[key] = i
    return places


@dataclass(frozen=True)
class _Table:
    """Rows of a table with their line numbers, and the place of each column that was recognised."""

    name: str
    heads: Sequence[str]
    rows: Sequence[tuple[int, Sequence[str]]]
    places: Mapping[str, int]

    def cell(self, line: int, row: Sequence[str], key: str) -> str:
        """What stands in a row under a column."""
        if self.places[key] >= len(row):
            raise BadInputError(
                "readings-file",
                f"{self.name}: line {line} ends before {self.heads[self.places[key]]!r}",
                f"line {line}",
            )
        return row[self.places[key]].strip()

    def value(self, line: int, row: Sequence[str], key: str) -> float:
        """The number that stands in a row under a column."""
        text = self.cell(line, row, key)
        try:
            return number(text)
        except ValueError:
            head = self.heads[self.places[key]]
            raise BadInputError(
                "readings-file", f"{self.name}: line {line}, {head}: {text!r} is no number", f"line {line}"
            ) from None


def _signal_columns(table: _Table) -> tuple[str, ...]:
    """The columns that the signal stands in: a grey level, or red, green and blue."""
    if "level_percent" in table.places:
        return ("level_percent",) * 3
    lacking = [c for c in "rgb" if c not in table.places]
    if lacking:
        raise BadInputError(
            "columns",
            f"{table.name}: no column for the signal {', '.join(lacking)} among {', '.join(table.heads)}; say which it is",
            lacking[0],
        )
    return ("r", "g", "b")


def _light_columns(table: _Table) -> tuple[str, ...]:
    """The columns that the light stands in."""
    forms = (("X", "Y", "Z"), ("Y", "x", "y"), ("Y", "u", "v"))
    light = next((form for form in forms if set(form) <= set(table.places)), None)
    if light is None:
        raise BadInputError(
            "columns",
            f"{table.name}: no columns X, Y, Z (or Y with x, y or u', v') among {', '.join(table.heads)}; say which they are",
            "Y",
        )
    return light


RELATIVE = (
    "White has exactly Y = 100, so these values may be relative to white rather than in cd/m². Luminance, contrast and PQ"
    " figures are right only if they are in cd/m²: multiply all by the luminance of white divided by 100 if they are not."
)


def _document(
    heads: Sequence[str],
    rows: Sequence[tuple[int, Sequence[str]]],
    name: str,
    format: str,
    mapping: Mapping[str, str],
    notes: list[str],
) -> Read:
    table = _Table(name, heads, rows, _recognised(heads, name, mapping))
    signal_columns = _signal_columns(table)
    spectrum = wavelengths_of(heads, name)
    if spectrum and not {"X", "Y", "Z"} <= set(table.places):
        notes = [*notes, "X, Y and Z are computed from the spectra, in W/(sr m² nm), for the CIE 1931 2° observer."]
        table = _Table(name, *with_XYZ(heads, rows, dict(table.places), spectrum, name))
    light = ("X", "Y", "Z") if spectrum else _light_columns(table)
    if not rows:
        raise BadInputError("readings-file", f"{name}: heads, but not one reading")
    signals = [[table.value(n, row, c) for c in signal_columns] for n, row in table.rows]
    stated = "0..100" if signal_columns[0] == "level_percent" else mapping.get("rgb")
    top, said = _range([v for s in signals for v in s], stated, name)
    setups = _setups(table, signals, top, light, spectrum)
    notes = [*notes, *said, *([RELATIVE] if _relative(setups) else [])]
    taken = {table.heads[i]: key for key, i in table.places.items()}
    nanometres = {table.heads[i] for i in spectrum.values()}
    taken |= dict.fromkeys([f"{len(nanometres)} columns of a spectrum"], "spectrum") if nanometres else {}
    ignored = [h for h in table.heads if h not in taken and h not in nanometres]
    if ignored:
        notes.append(f"Not used: {', '.join(ignored)}.")
    readings = [r for s in setups for r in s["readings"]]
    document = {
        "format": "lumenar-readings",
        "version": 1,
        "units": [{"id": u} for u in dict.fromkeys(s["unit"] for s in setups if s.get("unit"))],
        "meters": [{"id": m} for m in dict.fromkeys(r["meter"] for r in readings if r.get("meter") is not None)],
        "setups": setups,
    }
    return Read(_checked(document, name), format, taken, tuple(notes))


def _setups(
    table: _Table, signals: Sequence[Sequence[float]], top: float, light: tuple[str, ...], spectrum: Mapping[float, int]
) -> list[dict[str, Any]]:
    """The setups of a table with their readings. signals: of each row; top: the signal's value for 100 %."""
    found: dict[tuple[str, str], dict[str, Any]] = {}
    for (n, row), signal in zip(table.rows, signals, strict=True):
        texts = {k: table.cell(n, row, k) for k in ("setup", "unit", "mode", "signal", "target") if k in table.places}
        title = texts.get("setup") or texts.get("mode") or "Readings"
        setup = found.setdefault(
            (texts.get("unit", ""), title),
            {"name": title, "signal": texts.get("signal") or "sdr", "readings": []}
            | {k: texts[k] for k in ("unit", "mode", "target") if texts.get(k)},
        )
        setup["readings"].append(_reading(table, n, row, signal, top, light))
        if spectrum and all(v == top for v in signal):
            setup["readings"].append(spectrum_reading(row, spectrum))
    return list(found.values())


def _relative(setups: Iterable[Mapping[str, Any]]) -> bool:
    """Whether the white of every setup that has one is exactly 100, as where values are relative to white."""
    whites = [
        r["XYZ"][1]
        for s in setups
        for r in s["readings"]
        if r.get("XYZ") is not None and all(abs(v - 1) < 1e-9 for v in r["rgb"])
    ]
    return bool(whites) and all(abs(Y - 100) < 1e-6 for Y in whites)


def _range(values: Sequence[float], asked: str | None, name: str) -> tuple[float, list[str]]:
    """What full signal is written as. Where it could be either of two the person is asked rather than guessed at."""
    if asked is not None:
        if asked not in RANGES:
            raise BadInputError("mapping", f"{name}: signals run {', '.join(RANGES)}, not {asked!r}", "rgb")
        return RANGES[asked], []
    most = max(values)
    fits = [k for k, top in RANGES.items() if abs(most - top) <= 1e-6 * top]
    if fits:
        return RANGES[fits[0]], [f"Signals run {fits[0]}, since the highest is {most:g}."]
    raise BadInputError(
        "columns", f"{name}: the highest signal is {most:g}; say whether signals run {', '.join(RANGES)}", "rgb"
    )


def _reading(
    table: _Table, n: int, row: Sequence[str], signal: Sequence[float], top: float, light: Sequence[str]
) -> dict[str, Any]:
    """The reading in a row. light: the columns that the light stands in."""
    flag = table.cell(n, row, "flag") if "flag" in table.places else ""
    if flag and not any(table.cell(n, row, k) for k in light):
        reading: dict[str, Any] = {"rgb": [v / top for v in signal], "XYZ": None, "flag": flag}
        return _with_place(reading, table, n, row)
    a, b, c = (table.value(n, row, k) for k in light)
    if light[1] in ("x", "u"):
        if c <= 0:
            head = {"y": "y", "v": "v'"}[light[2]]
            raise BadInputError(
                "readings-file", f"{table.name}: line {n}: {head} is {c:g}, so there is no colour", f"line {n}"
            )
        a, b, c = xy_to_XYZ([b, c] if light[1] == "x" else uv_to_xy([b, c]), a).tolist()
    return _with_place({"rgb": [v / top for v in signal], "XYZ": [a, b, c]}, table, n, row)


def _with_place(reading: dict[str, Any], table: _Table, n: int, row: Sequence[str]) -> dict[str, Any]:
    """A reading with what its row says beside signal and light."""
    for key in ("window", "background", "level", "at_s", "time_s"):
        if key in table.places and table.cell(n, row, key):
            reading[key] = table.value(n, row, key)
    for key in ("measurement", "pattern", "meter"):
        if key in table.places and table.cell(n, row, key):
            reading[key] = table.cell(n, row, key)
    if {"column", "row", "columns", "rows"} <= set(table.places) and table.cell(n, row, "column"):
        reading["zone"] = [int(table.value(n, row, k)) for k in ("column", "row", "columns", "rows")]
    return reading
