"""The unit files that ship with Lumenar."""

from __future__ import annotations

from importlib.resources import files


def shipped_units() -> dict[str, str]:
    """The text of each shipped unit file by its name."""
    folder = files("lumenar.demo").joinpath("units")
    return {f.name: f.read_text() for f in sorted(folder.iterdir(), key=lambda f: f.name) if f.name.endswith(".json")}
