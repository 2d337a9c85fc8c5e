"""What a simulated display's menu does to colours on their way to the panel: shadows, tables of points, and six hues."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.simulated.unit_controls import UnitControl

Array = NDArray[np.float64]
AXES = ("red", "yellow", "green", "cyan", "blue", "magenta")
CHANNELS = ("red", "green", "blue")
Set = Sequence[tuple[UnitControl, float | str]]
"""Controls with their values in the present mode."""


def number_of(control: UnitControl, value: float | str) -> float:
    """What a value stands for: of a choice what the file says of it, else its distance from the default in steps' amounts."""
    if control.by_choice:
        return control.by_choice[str(value)]
    return (float(value) - float(control.default)) * control.per_step


def shadows_lifted(V: Array, lift: float) -> Array:
    """Signals (..., 3) with the dark lifted by a share: most at a tenth of white, nothing at black and in the bright."""
    return np.asarray(V + lift * 10 * V * np.clip(1 - V, 0, 1) ** 8, float)


def pointed(encoded: Array, points: Set) -> Array:
    """Drives (..., 3) after a table: each point moves its channel about its level, less the farther off, until its reach."""
    out = np.array(encoded)
    for control, value in points:
        if value == control.default:
            continue
        c = CHANNELS.index(str(control.channel))
        near = np.clip(1 - np.abs(encoded[..., c] - (control.level or 0.0)) / control.reach, 0, 1)
        out[..., c] += encoded[..., c] * near * number_of(control, value)
    return out


def turned(linear: Array, controls: Set) -> Array:
    """Linear RGB (..., 3) after controls of six hues. Each works on its own hue and fades out at the two beside it; greys stay.

    hue turns (in shares of the way to the next of the six), axis_saturation and axis_lightness scale, mix adds to a channel.
    """
    moved = [(c, number_of(c, v)) for c, v in controls if v != c.default]
    if not moved:
        return linear
    top, bottom = linear.max(axis=-1), linear.min(axis=-1)
    chroma = top - bottom
    hue = _hue(linear, top, chroma)
    saturation = np.divide(chroma, top, out=np.zeros_like(chroma), where=top > 0)
    turn, more, lighter = np.zeros_like(hue), np.zeros_like(hue), np.zeros_like(hue)
    mixed = np.zeros_like(linear)
    for control, amount in moved:
        apart = np.abs(hue - AXES.index(str(control.axis)))
        weight = np.clip(1 - np.minimum(apart, 6 - apart), 0, 1)
        if control.effect == "hue":
            turn += weight * amount
        elif control.effect == "axis_saturation":
            more += weight * amount
        elif control.effect == "axis_lightness":
            lighter += weight * amount
        else:
            mixed[..., CHANNELS.index(str(control.channel))] += weight * amount * chroma
    top = top * (1 + lighter * saturation)
    saturation = np.clip(saturation * (1 + more), 0, 1)
    return np.asarray(_rgb((hue + turn) % 6, saturation, top) + mixed, float)


def _hue(linear: Array, top: Array, chroma: Array) -> Array:
    """Place (...) among the six hues, 0 red to below 6."""
    r, g, b = np.moveaxis(linear, -1, 0)
    safe = np.where(chroma > 0, chroma, 1.0)
    hue = np.where(top == r, (g - b) / safe, np.where(top == g, 2 + (b - r) / safe, 4 + (r - g) / safe))
    return np.asarray(hue % 6, float)


def _rgb(hue: Array, saturation: Array, top: Array) -> Array:
    """Linear RGB (..., 3) of hue, saturation and the strongest channel."""
    k = (np.array([5.0, 3.0, 1.0]) + hue[..., None]) % 6
    return np.asarray(top[..., None] * (1 - saturation[..., None] * np.clip(np.minimum(k, 4 - k), 0, 1)), float)
