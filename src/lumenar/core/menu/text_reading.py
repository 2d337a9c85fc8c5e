"""A menu as a person types or pastes it, a line for each entry, and back.

    Picture
      Light 0..100 = 80 (luminance)
      Tone 1.8 2.0 [2.2] 2.4
      Blue filter off* 1 2 3
      Warmth 13 notches
      Colour mixer: Red | Green | Blue*
      White table 5 10 30 50 100 x Red Green Blue -50..50 = 0
    Host
      Night tint on off* (host) (all modes)
    Power = low locks Light, Contrast
    Power resets everything

An indented line stands under the one above. A colon always ends the name; without it the name ends before the first number,
mark or switch word. `*` or brackets mark the default, `|` parts values of several words. Notes in round brackets at the end:
unit, host, input; all modes, this signal, this mode; no effect on accuracy; only while SDR shows, before HDR is sent;
what it sets: luminance, white, tone, shadows, red gain, blue offset, cyan hue, and of a whole table white or colours; and in
words of one's own (promise: ...), (note: ...), (evidence: ...), (route: how to get there), (only: what a model must have).

Modes are written apart, a line each: name, signal, target. Under one, indented, stands what is its own:

    Film, sdr, bt709_bt1886
      Light = 60
      locks Tone, Contrast
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from lumenar.core.menu.controls import MOST_CONTROLS, MOST_LINKS, MOST_VALUES, WORDS, Control, MenuError, Value, text_of
from lumenar.core.menu.roles import TABLES, role_in_table, role_of


class MenuTextError(MenuError):
    """A line cannot be read; line and column count from 1."""

    def __init__(self, line: int, column: int, reason: str) -> None:
        super().__init__(f"line {line}, column {column}: {reason}")
        self.line, self.column = line, column


_NUMBER = r"[-+]?\d+(?:[.,]\d+)?"
_TO = r"\.\.|…|–|—|-|to\b"
"""What may stand between the ends of a range: 0..100, 0-100, 0 to 100."""
_BULLET = re.compile(r"^(\s*)[-•*·‣◦–]\s+(?=\S)")
_RANGE = re.compile(
    rf"^(?P<low>{_NUMBER})\s*(?:{_TO})\s*(?P<high>{_NUMBER})(?:\s+(?:in\s+)?steps?\s+(?:of\s+)?(?P<step>{_NUMBER}))?"
    rf"(?:\s*=\s*(?P<default>{_NUMBER}))?$"
)
_NOTCHES = re.compile(r"^(?P<count>\d+)\s+notches(?:\s*=\s*(?P<default>\d+))?$")
_TAIL = re.compile(
    rf"^(?P<name>\S.*?)\s+(?P<values>{_NUMBER}\s*(?:{_TO})\s*{_NUMBER}(?:\s+(?:in\s+)?steps?\b.*|\s*=.*)?|\d+\s+notches.*)$"
)
_TABLE = re.compile(rf"^(?P<points>.+?)\s+x\s+(?P<channels>.+?)\s+(?P<range>{_NUMBER}\s*(?:{_TO}).*)$")
_DOES = re.compile(r"\s(locks|resets)\s")
MOST_CHARS, MOST_LINE = 200_000, 1000
"""The most characters in a whole text, and in one of its lines."""
_MARK = re.compile(r"\(([^()]*)\)\s*$")
_SWITCH_WORDS = {"on", "off", "low", "medium", "high", "auto", "min", "max", "standard", "normal", "warm", "cool"}
_MARKS: dict[str, dict[str, object]] = {
    "unit": {"place": "unit"},
    "host": {"place": "host"},
    "input": {"place": "input"},
    "all modes": {"scope": "unit"},
    "this signal": {"scope": "signal"},
    "this mode": {"scope": "mode"},
    "only while sdr shows": {"when": "sdr"},
    "before hdr is sent": {"when": "first"},
    "luminance": {"role": "luminance"},
    "white": {"role": "white"},
    "no effect on accuracy": {"bears": False},
}
_PLACE_HEADS = {"host": "host", "input": "input"}


@dataclass
class TextReading:
    """What has been read so far. rules wait until all controls are known."""

    controls: list[Control] = field(default_factory=list)
    where: dict[str, int] = field(default_factory=dict)
    ends: dict[str, list[str]] | None = None
    """By the ends of their paths in small letters: the controls that a rule may mean."""
    at: dict[str, int] = field(default_factory=dict)
    """The place of a control by its path."""
    links: int = 0
    rules: list[tuple[int, str]] = field(default_factory=list)


def number(text: str) -> float:
    """A number with a decimal point or a decimal comma."""
    return float(text.replace(",", "."))


def controls_from(text: str) -> tuple[Control, ...]:
    """Controls from the text of a menu; MenuTextError with line and column where it cannot be read."""
    reading = TextReading()
    heads: list[tuple[int, str]] = []
    for index, raw in lines_of(text):
        line = " ".join(raw.split())
        if not line or line.startswith("#"):
            continue
        depth = len(raw) - len(raw.lstrip())
        if _rule_of(line) is not None and not _looks_like_values(line):
            reading.rules.append((index, line))
            continue
        while heads and heads[-1][0] >= depth:
            heads.pop()
        name, values, marks = _parts(index, depth + 1, line)
        path = " > ".join([*(h for _, h in heads), name])
        heads.append((depth, name))
        if values:
            top = heads[0][1].lower()
            usual: dict[str, object] = {"place": _PLACE_HEADS[top]} if top in _PLACE_HEADS else {}
            for control in _controls(index, _start(raw, name, values), path, values, {**usual, **marks}):
                if control.path in reading.where:
                    raise MenuTextError(
                        index, depth + 1, f"{control.path} stands in line {reading.where[control.path]} already"
                    )
                reading.where[control.path] = index
                reading.controls.append(control)
            if len(reading.controls) > MOST_CONTROLS:
                raise MenuTextError(index, 1, f"more than {MOST_CONTROLS:,} controls, the most that a menu can have")
        elif marks:
            raise MenuTextError(index, depth + 1, f"{name} has no values, so nothing can be noted of it")
    for index, rule in reading.rules:
        _rule(reading, index, rule)
    return tuple(reading.controls)


def lines_of(text: str) -> Iterator[tuple[int, str]]:
    """The lines of a text with their numbers from 1; tabs become blanks. MenuTextError where it is too long."""
    if len(text) > MOST_CHARS:
        raise MenuTextError(1, 1, f"the text has {len(text):,} characters; at most {MOST_CHARS:,} are possible")
    for index, raw in enumerate(text.replace("\t", "    ").splitlines(), 1):
        if len(raw) > MOST_LINE:
            raise MenuTextError(
                index, MOST_LINE, f"the line has {len(raw):,} characters; at most {MOST_LINE:,} are possible"
            )
        # A list that was pasted with its bullets; columns stay what they are.
        yield index, _BULLET.sub(lambda found: " " * len(found[0]), raw)


@dataclass(frozen=True)
class _Rule:
    """What a line says of locks or resets: who does it, at which value, what, and to whom."""

    who: str
    value: str | None
    what: str
    whom: str


def _rule_of(line: str) -> _Rule | None:
    """A line such as "Power = low locks Light"; None where it is none."""
    found = _DOES.search(line)
    if found is None or not line[: found.start()].strip() or not line[found.end() :].strip():
        return None
    who, equals, value = line[: found.start()].partition("=")
    if not who.strip() or (equals and not value.strip()):
        return None
    return _Rule(who.strip(), value.strip() if equals else None, found[1], line[found.end() :].strip())


def _start(raw: str, name: str, values: str) -> int:
    """The column in which the values of a line begin."""
    # A name may have stood with wider gaps.
    after = max(raw.find(name), 0) + len(name)
    return max(raw.find(values.split()[0], after), raw.find(values.split()[0]), 0) + 1


def _looks_like_values(line: str) -> bool:
    return ":" in line.split(" locks ")[0].split(" resets ")[0]


def _parts(index: int, column: int, line: str) -> tuple[str, str, dict[str, object]]:
    """Name, values and notes of a line."""
    marks: dict[str, object] = {}
    while found := _MARK.search(line):
        word = found.group(1).strip().lower()
        kind, colon, text = found.group(1).partition(":")
        if colon and kind.strip().lower() in WORDS:
            marks[kind.strip().lower()] = text.strip()
        elif word in _MARKS:
            marks |= _MARKS[word]
        elif word == "colours" or role_of(word) is not None:
            marks["role"] = word
        else:
            raise MenuTextError(
                index,
                column + found.start(),
                f"the note ({found.group(1)}) is not known; known are {', '.join([*_MARKS, *(f'{w}: ...' for w in WORDS)])}",
            )
        line = line[: found.start()].rstrip()
    if ":" in line:
        name, _, values = line.partition(":")
        return name.strip(), values.strip(), marks
    if " x " not in line and (tail := _TAIL.match(line)):
        # A name may end in a number itself: "Preset 2 0..100 = 50".
        return tail["name"], tail["values"], marks
    words = line.split()
    for i, word in enumerate(words):
        if i and (re.match(rf"^\[|^{_NUMBER}(?:\b|$)|.*[*\]]$", word) or word.lower().strip("*[]") in ("on", "off")):
            start = i
            # Values of words stand before the marked one too: "low medium* high".
            while start > 1 and words[start - 1].lower() in _SWITCH_WORDS:
                start -= 1
            return " ".join(words[:start]), " ".join(words[start:]), marks
    return line, "", marks


def _controls(index: int, column: int, path: str, values: str, marks: Mapping[str, object]) -> list[Control]:
    def failed(reason: str) -> MenuTextError:
        return MenuTextError(index, column, reason)

    if marks.get("role") == "colours" and not _TABLE.match(values):
        raise failed("colours is the note of a table such as Red Yellow Green x Hue Saturation Lightness -50..50 = 0")
    try:
        if found := _RANGE.match(values):
            return [_slider(path, found, marks)]
        if found := _NOTCHES.match(values):
            default = None if found["default"] is None else float(found["default"])
            return [Control(path, "notches", 0, float(found["count"]), 1, default=default, **marks)]  # type: ignore[arg-type]
        if found := _TABLE.match(values):
            inner = _RANGE.match(found["range"].strip())
            points, channels = found["points"].replace("%", " ").split(), found["channels"].replace(",", " ").split()
            if inner is None:
                raise failed(f"{found['range']!r} is not a range such as -50..50 = 0")
            if len(points) * len(channels) > MOST_CONTROLS:
                cells = f"{len(points) * len(channels):,}"
                raise failed(f"a table of {cells} cells; a menu has at most {MOST_CONTROLS:,} controls")
            table = str(marks.get("role") or "")
            like = _slider(path, inner, {**marks, "role": None} if table in TABLES else marks)
            return [
                replace(
                    like,
                    path=f"{path} > {p} > {c}",
                    group=path,
                    role=role_in_table(table, p, c) if table in TABLES else like.role,
                )
                for p in points
                for c in channels
            ]
        if marks.get("role") == "colours":
            raise failed(
                "colours is the note of a table such as Red Yellow Green x Hue Saturation Lightness -50..50 = 0"
            )
        return [_choice(path, values, marks, failed)]
    except MenuTextError:
        raise
    except MenuError as e:
        raise failed(str(e)) from e


def _slider(path: str, found: re.Match[str], marks: Mapping[str, object]) -> Control:
    low, high = number(found["low"]), number(found["high"])
    step = 1.0 if found["step"] is None else number(found["step"])
    if low >= high:
        raise MenuError(f"{low:g} is not below {high:g}")
    if step <= 0:
        raise MenuError(f"a step of {step:g} leads nowhere")
    default = None if found["default"] is None else number(found["default"])
    control = Control(path, "slider", low, high, step, default=default, **marks)  # type: ignore[arg-type]
    if default is not None:
        control.check(default)
    return control


def _choice(path: str, values: str, marks: Mapping[str, object], failed: Callable[[str], MenuTextError]) -> Control:
    if ".." in values or " x " in values:
        raise failed(
            f"{values!r} is neither a range such as 0..100 = 80 nor a table such as 10 50 100 x Red Green Blue -50..50"
        )
    parts = [p.strip() for p in values.split("|")] if "|" in values else values.split()
    if len(parts) > MOST_VALUES:
        raise failed(f"{len(parts):,} values; a choice has at most {MOST_VALUES}")
    names, default = [], None
    for part in parts:
        plain = part.removesuffix("*").strip()
        plain = plain[1:-1].strip() if plain.startswith("[") and plain.endswith("]") else plain
        if not plain:
            raise failed("a value without a name")
        if plain != part:
            if default is not None:
                raise failed(f"both {default} and {plain} are marked as the default")
            default = plain
        names.append(plain)
    if len(names) < 2:
        raise failed(f"{path} has one value only; give them all, or a range such as 0..100")
    if doubled := next((n for n in names if names.count(n) > 1), None):
        raise failed(f"the value {doubled} stands there twice")
    kind = "switch" if {n.lower() for n in names} == {"on", "off"} else "choice"
    if kind == "switch":
        return Control(path, "switch", default=default.lower() if default else None, **marks)  # type: ignore[arg-type]
    return Control(path, "choice", choices=tuple(names), default=default, **marks)  # type: ignore[arg-type]


def named_values(reading: TextReading, index: int, column: int, name: str) -> str:
    """A control by its path or the end of it."""
    if reading.ends is None:
        reading.ends = {}
        for i, c in enumerate(reading.controls):
            reading.at[c.path] = i
            parts = c.path.lower().split(" > ")
            for k in range(len(parts)):
                reading.ends.setdefault(" > ".join(parts[k:]), []).append(c.path)
    if name in reading.at:
        return name
    ends = reading.ends.get(name.lower(), [])
    if len(ends) == 1:
        return ends[0]
    reason = "there is none such" if not ends else f"it may be {' or '.join(ends[:4])}; write the whole path"
    raise MenuTextError(index, column, f"{name}: {reason}")


def _rule(reading: TextReading, index: int, line: str) -> None:
    found = _rule_of(line)
    assert found is not None
    path = named_values(reading, index, 1, found.who)
    at = reading.at[path]
    control = reading.controls[at]
    whom, column = found.whom, line.index(found.whom) + 1
    if whom.lower() in ("everything", "all"):
        others = tuple(c.path for c in reading.controls if c.path != path)
    else:
        others = tuple(named_values(reading, index, column, w.strip()) for w in whom.split(","))
    if path in others:
        raise MenuTextError(index, column, f"{path} {found.what} itself")
    reading.links += len(others)
    if reading.links > MOST_LINKS:
        raise MenuTextError(index, 1, f"more than {MOST_LINKS:,} locks and resets, the most that a menu can have")
    if found.what == "resets":
        reading.controls[at] = replace(control, resets=tuple(dict.fromkeys([*control.resets, *others])))
        return
    if found.value is None:
        raise MenuTextError(index, 1, f"at which value does {path} lock them? Write {path} = value locks …")
    value = value_in(control, index, line.index(found.value, line.index("=")) + 1, found.value)
    have = control.locks.get(text_of(value), ())
    locks = {**control.locks, text_of(value): tuple(dict.fromkeys([*have, *others]))}
    reading.controls[at] = replace(control, locks=locks)


def value_from(control: Control, text: str) -> Value:
    """A control's value as written, in any case. MenuError where it cannot be that."""
    value: Value = text
    if control.numeric:
        try:
            value = number(text)
        except ValueError:
            raise MenuError(f"{control.path} takes a number, not {text!r}") from None
    else:
        value = next((v for v in control.values if v.lower() == text.lower()), text)
    control.check(value)
    return value


def value_in(control: Control, index: int, column: int, text: str) -> Value:
    try:
        return value_from(control, text)
    except MenuError as e:
        raise MenuTextError(index, column, str(e)) from e
