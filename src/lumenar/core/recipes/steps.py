"""A recipe's steps in an order in which none undoes another: the mode, what is to be checked first, what is to be set, and what
is left at its default though people wonder about it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.menu.roles import role_of

Kind = Literal["set", "check", "only-if", "choose", "workaround", "leave"]
"""set a value; see that one stands; set it where the model has the part; choose by content or taste; do it until a firmware
mends what is wrong; leave it as it ships."""
NoteKind = Literal["why", "check", "only-if", "choose", "workaround", "say"]
MOST_NAMED = 3
"""So many of the settings that a control would undo are named, the rest counted."""


@dataclass(frozen=True)
class OrderedStep:
    """One line: what to do at which entry of the menu, with which value, and why. scope: where it holds, empty for this mode
    alone; evidence: the measurement whose plates it rests on; said: the value as a person enters it, empty if it is the same."""

    kind: Kind
    path: str
    value: str
    why: str
    scope: str = ""
    evidence: str = ""
    said: str = ""


def _step(kind: Kind, c: Control, value: Value, why: str) -> OrderedStep:
    """A line about a control of the menu."""
    said = c.said(value)
    return OrderedStep(
        kind=kind,
        path=c.path,
        value=text_of(value),
        why=why,
        scope=_scope(c),
        evidence="",
        said=said if said != text_of(value) else "",
    )


@dataclass(frozen=True)
class SettingNote:
    """What a person wrote to a recipe: another reason for the step at a path (why), a step of their own, or a line of text
    (say). until: the firmware up to which a workaround is needed, as far as is known."""

    kind: NoteKind
    path: str
    value: str
    words: str
    until: str = ""


def ordered_steps(
    menu: Menu, mode: Mode, changes: Mapping[str, Value], whys: Mapping[str, str], mode_why: str
) -> list[OrderedStep]:
    """The steps from a factory reset to a mode with these changes from its defaults. whys: by path why it is set so. MenuError
    names the settings that cannot all be had."""
    order = menu.order(mode, changes)
    ahead = menu.ahead(order)
    steps = []
    for path in ahead:
        c = menu.control(path)
        why = f"{_AHEAD[c.when]} {whys.get(path, 'Measured so.')}"
        steps.append(_step("set", c, changes[path], why))
    steps.append(OrderedStep("set", menu.mode_path, mode.name, mode_why))
    steps += _checks(menu, mode, changes)
    for path in (p for p in order if p not in ahead):
        c = menu.control(path)
        why = whys.get(path, "Measured so.")
        if not (c.bears or c.locks or c.resets):
            # What changes nothing that can be measured is no step.
            continue
        if c.only:
            steps.append(_step("only-if", c, changes[path], f"Where the model has {c.only}. {why}"))
        else:
            steps.append(_step("set", c, changes[path], why))
    return steps + _left(menu, mode, changes, whys)


_AHEAD: Mapping[str, str] = {
    "sdr": "While SDR shows: it cannot be set once HDR does.",
    "first": "Before HDR is sent: it decides how the signal is taken.",
}


def annotated(steps: Sequence[OrderedStep], notes: Sequence[SettingNote], firmware: str) -> list[OrderedStep]:
    """Steps with what a person wrote to them: reasons in place of those that were worked out, their own checks before anything is
    set, what is chosen or worked around after it. firmware: the display's present one."""
    whys = {n.path: n.words for n in notes if n.kind == "why" and n.words}
    worded = [replace(s, why=whys.get(s.path, s.why)) for s in steps]
    own = [OrderedStep(n.kind, n.path, n.value, _words(n, firmware)) for n in notes if n.kind not in ("why", "say")]  # type: ignore[arg-type]
    checks = [s for s in own if s.kind == "check"]
    others = [s for s in own if s.kind != "check"]
    first = next((i for i, s in enumerate(worded[1:], 1) if s.kind != "check"), len(worded))
    last = next((i for i, s in enumerate(worded) if s.kind == "leave"), len(worded))
    return [*worded[:first], *checks, *worded[first:last], *others, *worded[last:]]


def _words(n: SettingNote, firmware: str) -> str:
    if n.kind != "workaround" or not n.until:
        return n.words
    if firmware and firmware != n.until:
        return f"{n.words} Needed with firmware {n.until}; with {firmware} see whether it still is."
    return f"{n.words} Needed with firmware {n.until}."


def _checks(menu: Menu, mode: Mode, changes: Mapping[str, Value]) -> list[OrderedStep]:
    """Controls that stay at their default and, stood they otherwise, would lock or reset what is set afterwards."""
    defaults = menu.defaults(mode)
    found = []
    for c in menu.controls:
        if c.path in changes or c.path not in defaults:
            continue
        locked = {p for value, paths in c.locks.items() if value != text_of(defaults[c.path]) for p in paths}
        undone = [p for p in changes if p in locked or p in c.resets]
        if undone:
            names = [menu.short(p) for p in undone]
            more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
            why = f"Touched later, it would undo {', '.join(names[:MOST_NAMED])}{more}."
            found.append(_step("check", c, defaults[c.path], why))
    return found


def _scope(c: Control) -> str:
    return {"unit": "for all modes at a time", "signal": "for every mode of this signal"}.get(c.scope, "")


TUNED = "Tuned: "
"""How a reason begins that comes of a tuning."""
LEFT = "Default. The measurements were made with this setting."


def _left(menu: Menu, mode: Mode, changes: Mapping[str, Value], whys: Mapping[str, str]) -> list[OrderedStep]:
    """What people wonder about: controls that are said to set something, that promise something or that the mode locks, and that
    stay as they are. Those of one submenu that are left for the same reason are one line."""
    defaults = menu.defaults(mode)
    lines: list[OrderedStep] = []
    for c in menu.controls:
        locked = c.path in mode.locks
        own = whys.get(c.path, "")
        # What a tuning tried and left where it was has no more to say of it.
        tried = own if not own.startswith(TUNED) else ""
        said = role_of(c.role) or c.promise or locked or tried
        if c.path in changes or c.path not in defaults or not c.bears or not said:
            continue
        left = f"Default. {tried}" if tried else LEFT
        why = f"Locked in {mode.name}." if locked else left
        parent, _, name = c.path.rpartition(" > ")
        last = lines[-1] if lines else None
        value = c.said(defaults[c.path])
        if last is not None and parent and last.why == why and last.path.rpartition(" > ")[0] == parent:
            same = value if value == last.value else f"{last.value} / {value}"
            lines[-1] = OrderedStep("leave", f"{last.path} / {name}", same, why)
        elif last is not None and c.group and last.path == c.group:
            continue
        elif c.group and sum(o.group == c.group for o in menu.controls) > MOST_NAMED:
            lines.append(OrderedStep("leave", c.group, value, why))
        else:
            lines.append(OrderedStep("leave", c.path, value, why))
    return lines
