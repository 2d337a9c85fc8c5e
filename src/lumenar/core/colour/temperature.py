"""Correlated colour temperature and distance from the Planckian locus."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.spaces import XYZ_to_uv, uv_to_xy, xy_to_uv
from lumenar.core.colour.spectra import planck_XYZ

Array = NDArray[np.float64]

MAX_DUV = 0.05
"""Beyond this distance a correlated colour temperature has no meaning (CIE 15:2018, section 9.5)."""


def _uv1960(XYZ: ArrayLike) -> Array:
    return np.asarray(XYZ_to_uv(XYZ) * np.array([1.0, 2 / 3]), float)


@cache
def _locus() -> tuple[Array, Array]:
    """Reciprocal temperatures in MK^-1, even from 10 to 1000 (100 000 to 1000 K), and their CIE 1960 uv."""
    mired = np.linspace(10, 1000, 1981)
    return mired, _uv1960(planck_XYZ(1e6 / mired))


_PASSES = tuple(np.arange(low, high, step) for low, high, step in ((0, 1981, 60), (-60, 61, 8), (-8, 9, 1)))


def _nearest(uv: Array) -> NDArray[np.intp]:
    """Index of the nearest tabulated locus point, (N, 2) -> (N,), without an N x table array."""
    _, locus = _locus()
    at_u, at_v = locus.T
    u, v = uv[:, 0, None], uv[:, 1, None]
    rows = np.arange(len(uv))
    best = np.zeros(len(uv), np.intp)
    # Each pass looks around the best so far with a finer stride; the squared distance has one minimum near the locus.
    for offsets in _PASSES:
        window = np.minimum(np.maximum(best[:, None] + offsets, 0), len(locus) - 1)
        du, dv = u - at_u[window], v - at_v[window]
        best = window[rows, np.argmin(du * du + dv * dv, axis=1)]
    return best


def cct_duv(xy: ArrayLike) -> tuple[Array, Array]:
    """CCT in K and Duv (positive above the locus) of chromaticities xy (..., 2), each (...).

    The nearest Planckian point in CIE 1960 uv (CIE 15:2018, section 9.5; Duv as in ANSI C78.377). The locus is a
    parabola through three neighbouring tabulated points. CCT is NaN where |Duv| > 0.05 or the point lies beyond the
    table (1000 to 100 000 K); both are NaN for chromaticities that are not finite.
    """
    xy = np.asarray(xy, float)
    flat = (xy_to_uv(xy.reshape(-1, 2))) * np.array([1.0, 2 / 3])
    finite = np.isfinite(flat).all(axis=1)
    uv = np.where(finite[:, None], flat, 0.2)
    mired, locus = _locus()
    i = np.clip(_nearest(uv), 1, len(mired) - 2)
    before, at, after = locus[i - 1].T, locus[i].T, locus[i + 1].T
    # Quadratic p(t) = at + a t + b t^2 for t in -1..1; four Newton steps on the squared distance.
    a, b = (after - before) / 2, (after + before) / 2 - at
    point = uv.T
    t = np.zeros(len(uv))
    for _ in range(4):
        d = at + t * (a + b * t) - point
        slope = a + 2 * t * b
        t = t - (d[0] * slope[0] + d[1] * slope[1]) / (slope[0] ** 2 + slope[1] ** 2 + 2 * (d[0] * b[0] + d[1] * b[1]))
        t = np.minimum(np.maximum(t, -1), 1)
    d = point - (at + t * (a + b * t))
    # Along rising mired the locus runs to larger u; "above" is to the left of that direction.
    slope = a + 2 * t * b
    duv = np.sign(slope[0] * d[1] - slope[1] * d[0]) * np.hypot(d[0], d[1])
    cct = 1e6 / (mired[i] + t * (mired[1] - mired[0]))
    ended = ((i == 1) & (t <= -1)) | ((i == len(mired) - 2) & (t >= 1))
    cct = np.where(finite & (np.abs(duv) <= MAX_DUV) & ~ended, cct, np.nan)
    return cct.reshape(xy.shape[:-1]), np.where(finite, duv, np.nan).reshape(xy.shape[:-1])


def planck_xy(temperature: ArrayLike) -> Array:
    """Chromaticity xy (..., 2) of Planckian radiators at temperatures in K (...)."""
    uv = _uv1960(planck_XYZ(temperature)) * np.array([1.0, 1.5])
    return uv_to_xy(uv)


_STEP = 1e-5
"""Of x and y, by which the slope of a temperature is taken."""


def cct_of_draws(xy: ArrayLike) -> Array:
    """CCT in K (d, ...) of d chromaticities (d, ..., 2) each of which scatters little: along the slope of `cct_duv` about their
    mean, NaN where that has none."""
    xy = np.asarray(xy, float)
    known = np.isfinite(xy).all(axis=-1, keepdims=True)
    count = known.sum(axis=0)
    middle = np.where(count > 0, np.where(known, xy, 0.0).sum(axis=0) / np.maximum(count, 1), np.nan)
    around = np.stack([middle, *(middle + s * np.eye(2)[k] for k in (0, 1) for s in (-_STEP, _STEP))])
    cct, left, right, lower, upper = cct_duv(around)[0]
    slope = np.stack([right - left, upper - lower], axis=-1) / (2 * _STEP)
    return np.asarray(cct + ((xy - middle) * slope).sum(axis=-1), float)
