"""A person at the remote with a meter that only shows numbers: what they read is typed in."""

from __future__ import annotations

from typing import Any

STEP_S = 8.0
"""How long a person takes to show a patch, read the meter and type what it says, in s."""
REPEATABILITY, FLOOR, ABSOLUTE = 0.002, 0.0, 0.001
"""What is assumed of a meter of which nobody has said more: see core/readings.py."""


def meters() -> dict[str, dict[str, Any]]:
    """The meter whose readings are typed, as a run remembers it."""
    return {"XYZ": {"name": "Typed by hand", "kind": "colorimeter", "repeatability": REPEATABILITY}}
