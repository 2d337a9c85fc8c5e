"""For migrations 5 and 8 alone: what a unit file said of a menu then. It stays as it is whatever becomes of menus later."""

from __future__ import annotations

import json
from typing import Any


def menu_of_unit_file(text: str) -> str:
    """A menu's document (migration 5) from the text of a unit file."""
    file = json.loads(text)
    controls = []
    for c in file["controls"]:
        entry: dict[str, Any] = {"path": c["path"], "kind": c["kind"]}
        if c["kind"] == "slider":
            entry |= {"minimum": c.get("minimum", 0), "maximum": c.get("maximum", 100), "step": c.get("step", 1)}
        if c["kind"] == "choice":
            entry["choices"] = c["choices"]
        entry |= {"default": c["default"], "scope": c.get("scope", "mode")}
        if c["path"].startswith("Host > "):
            entry["place"] = "host"
        entry |= {k: c[k] for k in ("role", "resets") if c.get(k)}
        if c.get("locks"):
            entry["locks"] = c["locks"]
        controls.append(entry)
    modes = [
        {"name": m["name"], "signal": m.get("signal", "sdr"), "target": m["target"]}
        | {k: m[k] for k in ("defaults", "locks") if m.get(k)}
        for m in file["modes"]
    ]
    document = {"mode_path": file.get("mode_path", "Picture > Mode"), "modes": modes, "controls": controls}
    return json.dumps(document, sort_keys=True)


def evened(document: str) -> str:
    """A JSON document's text such that equal documents have equal texts: keys in order, 80 as 80.0."""
    return json.dumps(json.loads(document, parse_int=float), sort_keys=True)


def with_channels(document: str, file: str) -> str:
    """A menu's document (migration 8) in which controls that set white say of which channel and end, as the unit file has it."""
    of_file = {c["path"]: c for c in json.loads(file)["controls"]}
    menu = json.loads(document)
    for entry in menu["controls"]:
        c = of_file.get(entry["path"], {})
        if entry.get("role") == "white" and c.get("channel") and c.get("effect") in ("gain", "offset"):
            entry["role"] = f"{c['channel']} {c['effect']}"
    return json.dumps(menu, sort_keys=True)
