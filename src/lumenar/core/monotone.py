"""Curves through readings that rise where these rise: isotonic regression, and cubic interpolation without overshoot."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def isotonic(y: Array) -> Array:
    """Least-squares non-decreasing fit over the last axis (..., n), equal weights.

    The min-max form of the pool-adjacent-violators solution (Barlow et al. 1972, eq. 1.9), vectorised over the batch.
    """
    n = y.shape[-1]
    total = np.concatenate([np.zeros((*y.shape[:-1], 1)), np.cumsum(y, axis=-1)], axis=-1)
    j, k = np.arange(n)[:, None], np.arange(n)[None, :]
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = np.where(k >= j, (total[..., None, 1:] - total[..., :-1, None]) / np.maximum(k - j + 1, 1), np.inf)
    lowest = np.minimum.accumulate(mean[..., ::-1], axis=-1)[..., ::-1]
    return np.asarray(np.where(k >= j, lowest, -np.inf).max(axis=-2), float)


def _end(h0: float, h1: float, d0: Array, d1: Array) -> Array:
    """The slope at an end from the two nearest secants (...): that of the parabola, kept from turning the curve."""
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    slope = np.where(slope * d0 <= 0, 0.0, slope)
    return np.asarray(np.where((d0 * d1 < 0) & (np.abs(slope) > 3 * np.abs(d0)), 3 * d0, slope), float)


def pchip(x: ArrayLike, y: ArrayLike, at: ArrayLike) -> Array:
    """Piecewise cubic Hermite interpolation (..., m) at points (m,) of values (..., n) given at rising x (n,).

    Slopes are the weighted harmonic means of the neighbouring secants, zero where these differ in sign (Fritsch and
    Butland 1984), so the curve turns only where the values do and never leaves their range; points beyond the ends get
    the end's value, and one point alone its value everywhere. ValueError without a point or where x does not rise.
    """
    x, y, at = np.asarray(x, float), np.asarray(y, float), np.asarray(at, float)
    h = np.diff(x)
    if not len(x) or not (h > 0).all():
        raise ValueError("a curve needs points, each further along than the one before")
    if len(x) == 1:
        return np.repeat(y, len(at), axis=-1)
    d = np.diff(y, axis=-1) / h
    if len(x) == 2:
        slope = np.repeat(d, 2, axis=-1)
    else:
        slope = np.zeros_like(y)
        one, two = d[..., :-1], d[..., 1:]
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        same = one * two > 0
        harmonic = (w1 + w2) / (w1 / np.where(same, one, 1.0) + w2 / np.where(same, two, 1.0))
        slope[..., 1:-1] = np.where(same, harmonic, 0.0)
        slope[..., 0] = _end(h[0], h[1], d[..., 0], d[..., 1])
        slope[..., -1] = _end(h[-1], h[-2], d[..., -1], d[..., -2])
    at = np.clip(at, x[0], x[-1])
    i = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 2)
    s = at - x[i]
    m, step = d[..., i], h[i]
    m0, m1 = slope[..., i], slope[..., i + 1]
    return np.asarray(y[..., i] + s * (m0 + s / step * (3 * m - 2 * m0 - m1 + s / step * (m0 + m1 - 2 * m))), float)
