"""How colours between six follow these where they are moved: by how near they lie on the wheel of hues, and how much colour
they have."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.readings import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import Array

HUES = 6


def nearness(patches: Sequence[Patch], target: Target) -> Array:
    """How near (n, 6) red, yellow, green, cyan, blue and magenta lie to colours on the wheel of hues, in the target's light: 1 on
    it, 0 from the next of the six on."""
    linear = _linear(patches, target)
    top, low = linear.max(axis=1), linear.min(axis=1)
    r, g, b = linear.T
    c = np.maximum(top - low, 1e-9)
    hue = np.where(top == r, (g - b) / c, np.where(top == g, 2 + (b - r) / c, 4 + (r - g) / c)) % HUES
    apart = np.abs(hue[:, None] - np.arange(HUES))
    return np.asarray(np.clip(1 - np.minimum(apart, HUES - apart), 0, 1), float)


def chroma(patches: Sequence[Patch], target: Target) -> Array:
    """The light (n,) that the strongest channel of colours has over the weakest, in shares of white's."""
    return np.asarray(np.ptp(_linear(patches, target), axis=1), float)


def followed(Lab: Array, before: Array, after: Array, weight: Array) -> Array:
    """Lab (n, 3) of colours that follow one of the six from Lab (3,) to Lab (3,) by weights (n,): as much turned and scaled, and
    lightened for the colour they have."""
    C, C0 = np.hypot(Lab[:, 1], Lab[:, 2]), max(float(np.hypot(*before[1:])), 1e-6)
    turn = np.arctan2(after[2], after[1]) - np.arctan2(before[2], before[1])
    turn = (turn + np.pi) % (2 * np.pi) - np.pi
    scale = 1 + weight * (np.hypot(*after[1:]) / C0 - 1)
    ab = (Lab[:, 1] + 1j * Lab[:, 2]) * scale * np.exp(1j * turn * weight)
    L = Lab[:, 0] + weight * np.minimum(C / C0, 1.0) * (after[0] - before[0])
    return np.column_stack([L, ab.real, ab.imag])


def _linear(patches: Sequence[Patch], target: Target) -> Array:
    """Light (n, 3) of patches' channels as shares of white's."""
    V = np.array([p.rgb for p in patches], float)
    return np.asarray(target.Y(V.ravel(), Anchor(np.array(1.0), np.array(0.0))), float).reshape(V.shape)
