"""Patches as a person at a display would call them."""

from __future__ import annotations

from lumenar.core.readings.patches import Patch

COLOURS = {
    (1.0, 0.0, 0.0): "red",
    (0.0, 1.0, 0.0): "green",
    (0.0, 0.0, 1.0): "blue",
    (0.0, 1.0, 1.0): "cyan",
    (1.0, 0.0, 1.0): "magenta",
    (1.0, 1.0, 0.0): "yellow",
}
"""Signals that a person at a display calls by a name."""


def in_words(patch: Patch) -> str:
    """A patch as a person at a display would say it."""
    return COLOURS.get(patch.rgb, patch.code)
