"""What the points of a table do, and at which levels: a point moves its channel most where that is driven at the point's level,
which is not the signal's where a curve or a gain stands between, and less the farther off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumenar.core.tuning.base import Array

MOST_STEPS = 8
WIDTH, WIDTH_U = 1.1, 0.35
"""How far a point reaches in distances to its neighbours, and the standard deviation of that one's logarithm."""
PLAIN = 10.0
"""Channels are taken to be driven at the signal's level unless the sum of squares is less by so much where they are not."""
ENOUGH = 1e-4
BEND_U, SCALE_U = 0.06, 0.04
"""How much the drive may differ from the signal, as a power and as a factor of each channel."""


@dataclass(frozen=True, eq=False)
class PointReach:
    """levels (n,) of the points; amount: log of light that a point's whole range moves where it works most, with its standard
    deviation; width in distances to the neighbours; bend and scale (3,): each channel is driven at scale * level ** bend."""

    levels: Array
    amount: float
    amount_u: float
    width: float = WIDTH
    bend: float = 1.0
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)

    @property
    def shares(self) -> Array:
        """What a point (last axis) does of its most at each level, by channel (3, n, n)."""
        return _shares(self.levels, self.levels, _spacing(self.levels), np.array([self.width, self.bend, *self.scale]))


def _spacing(levels: Array) -> Array:
    return np.asarray(np.gradient(levels) if len(levels) > 1 else np.ones(1), float)


def _shares(at: Array, levels: Array, spacing: Array, shape: Array) -> Array:
    """What the points at levels (n,) do at others (k,), by channel (3, k, n)."""
    width, bend, scale = shape[0], shape[1], shape[2:]
    apart = (scale[:, None] * at**bend)[:, :, None] - levels
    return np.asarray(np.maximum(1 - np.abs(apart) / (width * spacing), 0), float)


def fit_reach(
    levels: Array, place: NDArray[np.intp], moved: Array, rose: Array, u: Array, guess: float, guess_u: float
) -> PointReach:
    """What k readings say: of levels (k,) by their places, after the points were moved (k, n, 3) in whole ranges, log amounts
    rose (k, 3), NaN where a channel says nothing, with standard deviations u (k, 3). guess: of the amount, guess_u how unsure."""
    prior = np.array([guess, np.log(WIDTH), 1.0, 1.0, 1.0, 1.0])
    sd = np.array([guess_u, WIDTH_U, BEND_U, SCALE_U, SCALE_U, SCALE_U])
    at, spacing, by = levels[place], _spacing(levels), np.ascontiguousarray(moved.transpose(2, 0, 1))
    rises, us = rose.T, u.T
    known = np.isfinite(rises)

    def off(p: Array) -> Array:
        """Residuals in standard deviations, readings first, then what is known beforehand."""
        shares = _shares(at, levels, spacing, np.array([np.exp(p[1]), *p[2:]]))
        foreseen = p[0] * (shares * by).sum(axis=2)
        return np.concatenate([((rises - foreseen) / us)[known], (prior - p) / sd])

    small = np.array([0.01 * guess, 0.01, 0.002, 0.002, 0.002, 0.002])
    plain, off_plain, u_plain = _fitted(off, prior, small, 2 if known.any() else 0)
    best, off_best, amount_u = _fitted(off, plain, small, len(prior) if known.any() else 0)
    if off_plain @ off_plain - off_best @ off_best < PLAIN:
        best, amount_u = plain, u_plain
    amount, width, bend, red, green, blue = (float(v) for v in best)
    return PointReach(
        levels, amount, amount_u if known.any() else guess_u, float(np.exp(width)), bend, (red, green, blue)
    )


def _fitted(off: Callable[[Array], Array], start: Array, small: Array, free: int) -> tuple[Array, Array, float]:
    """Parameters with the least squares of what `off` gives, the first so many of them free, by Levenberg and Marquardt; its
    residuals there, and the standard deviation of the first."""
    p, now, damping = start.copy(), off(start), 1e-2
    if not free:
        return p, now, 0.0
    J = np.zeros((len(now), free))
    for _ in range(MOST_STEPS):
        for k in range(free):
            there = p.copy()
            there[k] += small[k]
            J[:, k] = (off(there) - now) / small[k]
        H = J.T @ J
        step = np.zeros(len(p))
        step[:free] = np.linalg.solve(H + damping * np.diag(np.diag(H)), -J.T @ now)
        then = off(p + step)
        if then @ then < now @ now:
            gained = 1 - (then @ then) / (now @ now)
            p, now, damping = p + step, then, damping / 5
            if gained < ENOUGH:
                break
        else:
            damping *= 8
    return p, now, float(np.sqrt(np.linalg.inv(J.T @ J)[0, 0]))
