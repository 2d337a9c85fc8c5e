"""How colours between six follow these where they are moved: by how near they lie on the wheel of hues, and how much colour
they have."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.colour.difference import de2000
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import Array

HUES = 6
STEPS, FINE = 5, 20
"""In so many steps each of the six goes back, and in so fine ones on again."""
FAR = 0.02
"""How near every one of the six lies at least: where little is expected of one more may be read."""
SURE = 1e-3
"""What keeps two readings with nearly the same shares from being told apart."""
BACK = (1, 2, STEPS)
"""By so many of them at a time."""
LEAST = 0.02
"""dE2000 that going back a step costs at least."""


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


def attributed(changes: Array, shares: Array, expected: Array, near: Array) -> Array:
    """By how much Lab (6, n, 3) each of the six moves colours on its whole way: what is expected of it (6, n, 3), corrected by
    the changes (k, n, 3) that were read with each on a share (k, 6) of its way, NaN where none was, after how near (n, 6) each
    lies."""
    parts = np.array(expected, float)
    for i in range(len(near)):
        read = np.isfinite(changes[:, i]).all(axis=1)
        if not read.any() or not near[i].any():
            continue
        S = shares[read]
        off = changes[read, i] - S @ parts[:, i]
        weighted = S * (near[i] + FAR)
        parts[:, i] += weighted.T @ np.linalg.solve(weighted @ S.T + SURE * np.eye(len(S)), off)
    return parts


def held_back(before: Array, parts: Array, wanted: Array, most: float, judged: Sequence[Array]) -> tuple[Array, Array]:
    """How far (6,) each of the six may go of its way for no colour between to get worse by more than most dE2000: what helps
    these for the least of what the six lose goes back first. And by how much those (n,) are worse then.

    before, wanted (n, 3) Lab, parts (6, n, 3) by which each of the six moves them; judged: Lab (6, m, 3) of the six before,
    after, and wanted."""
    start = de2000(before, wanted)
    at = np.linspace(0, 1, STEPS + 1)
    ways = judged[0] + at[:, None, None, None] * (judged[1] - judged[0])
    lost = np.nanmean(de2000(ways, np.broadcast_to(judged[2], ways.shape)), axis=2)
    now, worse = np.full(HUES, STEPS), de2000(before + parts.sum(axis=0), wanted) - start
    # One of them goes back, by a step or more: a single one may do nothing yet.
    back = (np.array(BACK)[:, None, None] * np.eye(HUES, dtype=int)).reshape(-1, HUES)
    while (over := float(np.nansum(np.maximum(worse - most, 0)))) > 0 and now.any():
        to = np.maximum(now - back, 0)
        moved = before + np.tensordot(to / STEPS, parts, 1)
        there = de2000(moved, np.broadcast_to(wanted, moved.shape)) - start
        helps = over - np.nansum(np.maximum(there - most, 0), axis=1)
        costs = (lost[to, np.arange(HUES)] - lost[now, np.arange(HUES)]).sum(axis=1)
        costs = np.maximum(costs, LEAST * (now - to).sum(axis=1) + 1e-9)
        best = int(np.argmax(helps / costs))
        if helps[best] > 0:
            now, worse = to[best], there[best]
        else:
            now = np.maximum(now - 1, 0)
            worse = de2000(before + np.tensordot(now / STEPS, parts, 1), wanted) - start
    shares = now / STEPS
    # The steps were coarse: each goes on again as far as it may.
    at = np.linspace(0, 1, FINE + 1)
    for axis in np.argsort(lost[-1] - lost[0]):
        tried = np.repeat(shares[None, :], FINE + 1, axis=0)
        tried[:, axis] = at
        moved = before + np.tensordot(tried, parts, 1)
        worse = np.nanmax(de2000(moved, np.broadcast_to(wanted, moved.shape)) - start, axis=1)
        shares[axis] = at[(worse <= most) & (at >= shares[axis])].max(initial=shares[axis])
    return shares, de2000(before + np.tensordot(shares, parts, 1), wanted) - start


def _linear(patches: Sequence[Patch], target: Target) -> Array:
    """Light (n, 3) of patches' channels as shares of white's."""
    V = np.array([p.rgb for p in patches], float)
    return np.asarray(target.Y(V.ravel(), Anchor(np.array(1.0), np.array(0.0))), float).reshape(V.shape)
