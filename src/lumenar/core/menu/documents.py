"""Menus as JSON documents, checked whole before they are used."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lumenar.core.menu.controls import MOST_PATH, WORDS, Control, MenuError, check_counts, printable
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.signals import WORDS as SIGNAL_WORDS


def document_of(menu: Menu) -> dict[str, Any]:
    """A menu as JSON can hold it; what is as usual is left out."""
    usual = Control("", "slider")
    controls = []
    for c in menu.controls:
        entry: dict[str, Any] = {"path": c.path, "kind": c.kind}
        if c.numeric:
            entry |= {"minimum": c.minimum, "maximum": c.maximum, "step": c.step}
        for name in ("choices", "resets"):
            if getattr(c, name):
                entry[name] = list(getattr(c, name))
        for name in ("default", "place", "scope", "role", "group", "bears", "when", *WORDS):
            if getattr(c, name) != getattr(usual, name):
                entry[name] = getattr(c, name)
        if c.locks:
            entry["locks"] = {value: list(paths) for value, paths in c.locks.items()}
        controls.append(entry)
    modes = [
        {"name": m.name, "signal": m.signal, "target": m.target}
        | ({"defaults": dict(m.defaults)} if m.defaults else {})
        | ({"locks": list(m.locks)} if m.locks else {})
        for m in menu.modes
    ]
    return {"mode_path": menu.mode_path, "modes": modes, "controls": controls}


_TEXTS = ("path", "kind", "place", "scope", "role", "group", "when", *WORDS)


_NUMBERS = ("minimum", "maximum", "step")


_KNOWN = {*_TEXTS, *_NUMBERS, "choices", "resets", "default", "bears", "locks"}


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _are_texts(value: object) -> bool:
    return isinstance(value, list | tuple) and all(isinstance(v, str) for v in value)


def _check_document(document: Mapping[str, Any]) -> None:
    """MenuError that names the entry unless a document has the form of a menu: what is a list, a text, a number."""

    def wrong(where: str, wanted: str, value: object) -> MenuError:
        return MenuError(f"{where}: {wanted} is expected, not {str(value)[:60]!r}")

    for name in ("controls", "modes"):
        if not isinstance(document.get(name), list | tuple):
            raise wrong(name, "a list", document.get(name))
    if not isinstance(document.get("mode_path", "Mode"), str):
        raise wrong("mode_path", "a text", document["mode_path"])
    printable(document.get("mode_path", "Mode"), "mode_path", MOST_PATH)
    check_counts(len(document["controls"]), len(document["modes"]))
    for i, c in enumerate(document["controls"]):
        at = f"controls[{i}]"
        if not isinstance(c, Mapping) or not all(isinstance(c.get(k), str) for k in ("path", "kind")):
            raise wrong(at, "an object with a path and a kind", c)
        if unknown := [k for k in c if k not in _KNOWN]:
            raise MenuError(f"{at}: a control has no {unknown[0][:40]!r}")
        for name, value in c.items():
            where = f"{at}.{name}"
            if name in _TEXTS and not (isinstance(value, str) or (name == "role" and value is None)):
                raise wrong(where, "a text", value)
            if name in _NUMBERS and not _is_number(value):
                raise wrong(where, "a number", value)
            if name in ("choices", "resets") and not _are_texts(value):
                raise wrong(where, "a list of texts", value)
            if name == "default" and not (value is None or isinstance(value, str) or _is_number(value)):
                raise wrong(where, "a number or a text", value)
            if name == "bears" and not isinstance(value, bool):
                raise wrong(where, "true or false", value)
            if name == "locks" and not (isinstance(value, Mapping) and all(map(_are_texts, value.values()))):
                raise wrong(where, "by value a list of paths", value)
    for i, m in enumerate(document["modes"]):
        at = f"modes[{i}]"
        if not isinstance(m, Mapping) or not all(isinstance(m.get(k), str) for k in ("name", "signal", "target")):
            raise wrong(at, "an object with a name, a signal and a target", m)
        if m["signal"] not in SIGNAL_WORDS:
            raise wrong(f"{at}.signal", "sdr, pq or hlg", m["signal"])
        defaults = m.get("defaults", {})
        if not isinstance(defaults, Mapping) or not all(isinstance(v, str) or _is_number(v) for v in defaults.values()):
            raise wrong(f"{at}.defaults", "by path a number or a text", defaults)
        if not _are_texts(m.get("locks", [])):
            raise wrong(f"{at}.locks", "a list of paths", m["locks"])


def menu_from(document: Mapping[str, Any]) -> Menu:
    """A menu from its document; MenuError that names the entry where it is none."""
    _check_document(document)
    controls = tuple(
        Control(
            **{
                **c,
                "choices": tuple(c.get("choices", ())),
                "resets": tuple(c.get("resets", ())),
                "locks": {value: tuple(paths) for value, paths in c.get("locks", {}).items()},
            }
        )
        for c in document["controls"]
    )
    modes = tuple(
        Mode(m["name"], m["signal"], m["target"], dict(m.get("defaults", {})), tuple(m.get("locks", ())))
        for m in document["modes"]
    )
    return Menu(modes, controls, document.get("mode_path", "Mode"))
