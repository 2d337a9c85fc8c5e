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


def _nearest(uv: Array) -> NDArray[np.intp]:
    """Index of the nearest tabulated locus point, (N, 2) -> (N,), without an N x table array."""
    _, locus = _locus()
    u, v = uv[:, 0, None], uv[:, 1, None]
    best = np.zeros((len(uv), 1), np.intp)
    # Each pass looks around the best so far with a finer stride; the squared distance has one minimum near the locus.
    for offsets in (np.arange(0, len(locus), 60), np.arange(-60, 61, 8), np.arange(-8, 9)):
        window = np.clip(best + offsets, 0, len(locus) - 1)
        near = locus[window]
        closest = np.argmin((u - near[..., 0]) ** 2 + (v - near[..., 1]) ** 2, axis=1)
        best = np.take_along_axis(window, closest[:, None], axis=1)
    return np.asarray(best[:, 0], np.intp)


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
    before, at, after = locus[i - 1], locus[i], locus[i + 1]
    # Quadratic p(t) = at + a t + b t^2 for t in -1..1; two Newton steps on the squared distance.
    a, b = (after - before) / 2, (after + before) / 2 - at
    t = np.zeros(len(uv))
    for _ in range(4):
        d = at + a * t[:, None] + b * (t**2)[:, None] - uv
        slope = a + 2 * b * t[:, None]
        t = np.clip(t - (d * slope).sum(1) / ((slope**2).sum(1) + (d * 2 * b).sum(1)), -1, 1)
    d = uv - (at + a * t[:, None] + b * (t**2)[:, None])
    # Along rising mired the locus runs to larger u; "above" is to the left of that direction.
    slope = a + 2 * b * t[:, None]
    sign = np.sign(slope[:, 0] * d[:, 1] - slope[:, 1] * d[:, 0])
    duv = sign * np.hypot(d[:, 0], d[:, 1])
    cct = 1e6 / (mired[i] + t * (mired[1] - mired[0]))
    ended = ((i == 1) & (t <= -1)) | ((i == len(mired) - 2) & (t >= 1))
    cct = np.where(finite & (np.abs(duv) <= MAX_DUV) & ~ended, cct, np.nan)
    return cct.reshape(xy.shape[:-1]), np.where(finite, duv, np.nan).reshape(xy.shape[:-1])


def planck_xy(temperature: ArrayLike) -> Array:
    """Chromaticity xy (..., 2) of Planckian radiators at temperatures in K (...)."""
    uv = _uv1960(planck_XYZ(temperature)) * np.array([1.0, 1.5])
    return uv_to_xy(uv)
