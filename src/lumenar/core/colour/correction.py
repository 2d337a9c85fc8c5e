"""Meter corrections."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.spaces import XYZ_to_xy

Array = NDArray[np.float64]


def _phosphor(rgb: ArrayLike, white: ArrayLike) -> tuple[Array, Array]:
    """Columns of chromaticity (x, y, z) for R, G, B, and the amounts that make the white's chromaticity."""
    xy = XYZ_to_xy(rgb)
    N = np.column_stack([xy, 1 - xy.sum(axis=-1)]).T
    w = XYZ_to_xy(white)
    k = np.linalg.solve(N, np.array([w[0], w[1], 1 - w.sum()]))
    return N, k


def corrected(XYZ: ArrayLike, matrix: ArrayLike) -> Array:
    """M @ reading for readings (..., 3) and a correction (3, 3). Term by term, so that a reading gives the same figure
    whether it comes alone or among others: a matrix product may add up in another order."""
    v, M = np.asarray(XYZ, float), np.asarray(matrix, float)
    return np.asarray(v[..., 0, None] * M[:, 0] + v[..., 1, None] * M[:, 1] + v[..., 2, None] * M[:, 2], float)


def without_drift(XYZ: ArrayLike, time_s: ArrayLike, at_s: float) -> Array:
    """Readings (n, 3) made at times (n,), first and last of the same white, as they would have been at another time.

    A display brightens or dims while it is read. Its white is taken to do so evenly from the first to the last reading
    and on to `at_s`, and every colour in proportion.
    """
    v, t = np.asarray(XYZ, float), np.asarray(time_s, float)
    if t[-1] == t[0]:
        return v
    slope = (v[-1, 1] - v[0, 1]) / (t[-1] - t[0])
    white = v[0, 1] + slope * (t - t[0])
    return np.asarray(v * ((v[0, 1] + slope * (at_s - t[0])) / white)[:, None], float)


def four_colour(reference_rgb: ArrayLike, reference_white: ArrayLike, rgb: ArrayLike, white: ArrayLike) -> Array:
    """The four-colour matrix (ASTM E1455-17, section 9): corrected = M @ reading.

    reference_rgb, rgb: XYZ of R, G, B, (3, 3), one colour a row; whites (3,). Only chromaticities of the primaries are
    used, so drift between them cancels; the scale makes Y of white agree. Raises numpy.linalg.LinAlgError where the
    primaries lie on one line.
    """
    N_ref, k_ref = _phosphor(reference_rgb, reference_white)
    N, k = _phosphor(rgb, white)
    M = (N_ref * k_ref) @ np.linalg.inv(N * k)
    return np.asarray(M * (np.asarray(reference_white, float)[1] / (M @ np.asarray(white, float))[1]), float)
