"""A menu as a table, for a spreadsheet: a row for each mode and each control, and back."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

from lumenar.core.menu.controls import MOST_CONTROLS, MOST_MODES, WORDS, Control, MenuError, Value, When, text_of
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.menu.text_reading import number, value_from
from lumenar.core.menu.text_writing import WHEN_MARKS
from lumenar.core.targets import DEFAULT_TARGETS, resolve

HEADS = (
    "entry",
    "path",
    "kind",
    "minimum",
    "maximum",
    "step",
    "choices",
    "default",
    "place",
    "scope",
    "role",
    "group",
    "bears",
    "locks",
    "resets",
    "signal",
    "target",
    "when",
    *WORDS,
)
MOST_ROWS = MOST_CONTROLS + MOST_MODES + 100
"""More rows than a menu has entries; some may be empty."""
_OWN = "default in "
"""What the head of a column begins with that holds the defaults of one mode."""


class MenuTableError(MenuError):
    """A table cannot be read; rows count from 1, the head among them, and columns are named."""

    def __init__(self, row: int, column: str, reason: str) -> None:
        super().__init__(f"row {row}, column {column}: {reason}")
        self.row, self.column = row, column


def csv_of(menu: Menu) -> str:
    """A menu's table, parted by commas."""
    names = [f"{m.name} ({m.signal})" for m in menu.modes]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*HEADS, *(_OWN + n for n in names)])
    for m in menu.modes:
        row: dict[str, str] = {
            "entry": "mode",
            "path": m.name,
            "signal": m.signal,
            "target": m.target,
            "locks": _joined(m.locks),
        }
        writer.writerow([row.get(h, "") for h in HEADS] + [""] * len(names))
    for c in menu.controls:
        row = {
            "entry": "control",
            "path": c.path,
            "kind": c.kind,
            "place": c.place,
            "scope": c.scope,
            "role": c.role or "",
            "group": c.group,
            "bears": "yes" if c.bears else "no",
            "when": WHEN_MARKS[c.when],
            "choices": _joined(c.choices),
            "default": "" if c.default is None else text_of(c.default),
            "resets": _joined(c.resets),
            "locks": " | ".join(f"{v}: {_joined(paths)}" for v, paths in c.locks.items()),
            **{w: getattr(c, w) for w in WORDS},
        }
        if c.numeric:
            row |= {k: f"{getattr(c, k):g}" for k in ("minimum", "maximum", "step")}
        defaults = [text_of(m.defaults[c.path]) if c.path in m.defaults else "" for m in menu.modes]
        writer.writerow([row.get(h, "") for h in HEADS] + defaults)
    return out.getvalue()


def menu_from_csv(text: str, mode_path: str = "Mode") -> Menu:
    """A menu from its table, parted by commas, semicolons or tabs. MenuTableError with row and column where it cannot be
    read; MenuError where its entries do not fit one another."""
    text = text.removeprefix("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    lines = text.splitlines()
    if not lines:
        raise MenuTableError(1, "entry", "the table is empty")
    if len(lines) > MOST_ROWS:
        raise MenuTableError(
            MOST_ROWS, "entry", f"the table has {len(lines):,} rows; at most {MOST_ROWS:,} are possible"
        )
    heads, *rows = _parted(text, max(",;\t", key=lines[0].count))
    modes: list[tuple[int, Mode]] = []
    controls: list[Control] = []
    own: dict[str, dict[str, Value]] = {}
    for index, cells in enumerate(rows, 2):
        if not any(c.strip() for c in cells):
            continue
        row = dict(zip(heads, (c.strip() for c in cells), strict=False))
        entry = row.get("entry", "")
        if "path" not in row:
            raise MenuTableError(index, "path", "the row ends before its path")
        if entry == "mode":
            modes.append((index, _mode(index, row)))
        elif entry == "control":
            control = _control(index, row)
            controls.append(control)
            for head, cell in row.items():
                if head.lower().startswith(_OWN) and cell:
                    own.setdefault(head[len(_OWN) :], {})[control.path] = _value(index, head, control, cell)
        else:
            raise MenuTableError(index, "entry", f"an entry is a mode or a control, not {entry!r}")
    named = {f"{m.name} ({m.signal})": m for _, m in modes}
    for head in own:
        if head not in named:
            raise MenuTableError(1, _OWN + head, f"there is no mode {head!r} in the table")
    whole = tuple(Mode(m.name, m.signal, m.target, own.get(n, {}), m.locks) for n, m in named.items())
    if len(whole) < len(modes):
        raise MenuError("a mode stands there twice")
    return Menu(whole, tuple(controls), mode_path)


def _parted(text: str, by: str) -> list[list[str]]:
    """The cells of a table, row by row, its heads checked and stripped."""
    rows: list[list[str]] = []
    try:
        rows.extend(csv.reader(io.StringIO(text), delimiter=by))
    except csv.Error as e:
        raise MenuTableError(len(rows) + 1, "entry", f"the row cannot be read ({e})") from e
    if not rows or not rows[0]:
        raise MenuTableError(1, "entry", "the table has no heads")
    heads = [h.strip().lower() if not h.strip().lower().startswith(_OWN) else h.strip() for h in rows[0]]
    for wanted in ("entry", "path"):
        if wanted not in heads:
            raise MenuTableError(1, wanted, f"the table has no column {wanted}; a menu's has {', '.join(HEADS)}")
    unknown = [h for h in heads if h and h not in HEADS and not h.lower().startswith(_OWN)]
    if unknown:
        raise MenuTableError(1, unknown[0], f"no column of a menu is called so; known are {', '.join(HEADS)}")
    return [heads, *rows[1:]]


def _when(index: int, cell: str) -> When:
    """When a control can be set."""
    for when, words in WHEN_MARKS.items():
        if cell.lower() in (when, words.lower()):
            return when
    known = ", ".join(w for w in WHEN_MARKS.values() if w)
    raise MenuTableError(index, "when", f"a control is set at any time (empty), or {known}; not {cell!r}")


def _mode(index: int, row: Mapping[str, str]) -> Mode:
    signal = row.get("signal") or "sdr"
    if signal not in ("sdr", "pq", "hlg"):
        raise MenuTableError(index, "signal", f"a signal is sdr, pq or hlg, not {signal!r}")
    try:
        target = resolve(row.get("target") or DEFAULT_TARGETS[signal])
    except ValueError as e:
        raise MenuTableError(index, "target", str(e)) from e
    if target.signal != signal:
        raise MenuTableError(index, "target", f"{target.title} is for {target.signal}, the mode is {signal}")
    return Mode(row["path"], target.signal, target.key, {}, _list(row.get("locks", "")))


def _joined(names: Sequence[str]) -> str:
    """Names in one cell, parted by semicolons; a name with a semicolon stands in quotes."""
    return "; ".join('"' + n.replace('"', '""') + '"' if ";" in n or '"' in n else n for n in names)


def _list(text: str) -> tuple[str, ...]:
    parts = next(csv.reader([text], delimiter=";", skipinitialspace=True), [])
    return tuple(p for p in (part.strip() for part in parts) if p)


def _control(index: int, row: Mapping[str, str]) -> Control:
    def numeric(name: str, usual: float) -> float:
        try:
            return number(row[name]) if row.get(name) else usual
        except ValueError:
            raise MenuTableError(index, name, f"{row[name]!r} is no number") from None

    kind, place, scope = row.get("kind") or "slider", row.get("place") or "unit", row.get("scope") or "unknown"
    locks: dict[str, tuple[str, ...]] = {}
    for part in filter(None, (p.strip() for p in row.get("locks", "").split(" | "))):
        # A value may have a colon of its own.
        known = next((v for v in (*_list(row.get("choices", "")), "") if part.startswith(f"{v}: ")), None)
        value, colon, paths = part.partition(": ") if not known else (known, ": ", part[len(known) + 2 :])
        if not colon:
            raise MenuTableError(index, "locks", f"{part!r} does not say at which value; write low: Light; Contrast")
        locks[value.strip()] = _list(paths)
    plain = {
        "place": place,
        "scope": scope,
        "role": row.get("role") or None,
        "group": row.get("group", ""),
        "bears": _yes(index, "bears", row.get("bears") or "yes"),
        "locks": locks,
        "when": _when(index, row.get("when", "")),
        "resets": _list(row.get("resets", "")),
        "choices": _list(row.get("choices", "")),
        "minimum": numeric("minimum", 0),
        "maximum": numeric("maximum", 100),
        "step": numeric("step", 1),
        **{w: row.get(w, "") for w in WORDS},
    }
    control = Control(row["path"], kind, **plain)  # type: ignore[arg-type]
    try:
        # What does not fit is said with its row rather than of the menu as a whole.
        Menu((), (Control(row["path"], kind, **{**plain, "locks": {}, "resets": ()}),))  # type: ignore[arg-type]
    except MenuError as e:
        raise MenuTableError(index, "path", str(e)) from e
    if row.get("default"):
        return Control(row["path"], kind, **plain, default=_value(index, "default", control, row["default"]))  # type: ignore[arg-type]
    return control


def _yes(index: int, column: str, cell: str) -> bool:
    """A cell that says yes or no."""
    for word, means in (("yes", True), ("true", True), ("1", True), ("no", False), ("false", False), ("0", False)):
        if cell.lower() == word:
            return means
    raise MenuTableError(index, column, f"yes or no is expected, not {cell[:40]!r}")


def _value(index: int, column: str, control: Control, text: str) -> Value:
    try:
        return value_from(control, text)
    except MenuError as e:
        raise MenuTableError(index, column, str(e)) from e
