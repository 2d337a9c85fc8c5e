"""RGB spaces, and conversions between CIE XYZ, xy, u'v', CIELAB and ICtCp.

Colours are arrays whose last axis is the colour axis; XYZ is absolute with Y in cd/m2 unless said otherwise.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import transfer

Array = NDArray[np.float64]

D65_XY: tuple[float, float] = (0.3127, 0.3290)


@dataclass(frozen=True)
class Space:
    """An additive RGB space: chromaticities of red, green, blue and white in CIE 1931 xy."""

    name: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white: tuple[float, float] = D65_XY

    @cached_property
    def matrix(self) -> Array:
        """The (3, 3) matrix from linear RGB to XYZ with Y of white = 1."""
        return primary_matrix(self.primaries, self.white)

    @cached_property
    def inverse(self) -> Array:
        """The (3, 3) matrix from XYZ to linear RGB."""
        return np.asarray(np.linalg.inv(self.matrix), float)

    @cached_property
    def white_XYZ(self) -> Array:
        """XYZ (3,) of white at Y = 1."""
        return xy_to_XYZ(self.white)


BT709 = Space("bt709", ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)))
P3_D65 = Space("p3_d65", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)))
BT2020 = Space("bt2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)))
OPRGB = Space("oprgb", ((0.640, 0.330), (0.210, 0.710), (0.150, 0.060)))
SPACES: dict[str, Space] = {s.name: s for s in (BT709, P3_D65, BT2020, OPRGB)}


def primary_matrix(primaries: ArrayLike, white: ArrayLike) -> Array:
    """Normalised primary matrix, linear RGB to XYZ with Y(white) = 1 (SMPTE RP 177, section 3.3).

    primaries: (3, 2) xy of R, G, B; white: (2,) xy. Raises ValueError where the primaries lie on one line.
    """
    P = np.moveaxis(xy_to_XYZ(np.asarray(primaries, float)), -1, -2)
    W = xy_to_XYZ(np.asarray(white, float))
    if abs(np.linalg.det(P)) < 1e-9:
        raise ValueError("the three primaries lie on one line, so they span no gamut")
    return np.asarray(P * np.linalg.solve(P, W), float)


def XYZ_to_xy(XYZ: ArrayLike) -> Array:
    """CIE 1931 chromaticity (CIE 15:2018, eq. 7.1). XYZ (..., 3) -> (..., 2); NaN where X+Y+Z is not positive."""
    XYZ = np.asarray(XYZ, float)
    total = XYZ[..., 0] + XYZ[..., 1] + XYZ[..., 2]
    return np.asarray(XYZ[..., :2] / np.where(total > 0, total, np.nan)[..., None], float)


def xy_to_XYZ(xy: ArrayLike, Y: ArrayLike = 1.0) -> Array:
    """XYZ (..., 3) from xy (..., 2) and luminance Y (...)."""
    xy = np.asarray(xy, float)
    x, y = xy[..., 0], xy[..., 1]
    Y = np.asarray(Y, float)
    XYZ = np.empty((*np.broadcast_shapes(x.shape, Y.shape), 3))
    XYZ[..., 0], XYZ[..., 1], XYZ[..., 2] = Y * x / y, Y, Y * (1 - x - y) / y
    return XYZ


_UV = np.array([4.0, 9.0])


def XYZ_to_uv(XYZ: ArrayLike) -> Array:
    """CIE 1976 u'v' (CIE 15:2018, eq. 8.22). XYZ (..., 3) -> (..., 2); NaN where the sum is not positive."""
    XYZ = np.asarray(XYZ, float)
    X, Y = XYZ[..., 0], XYZ[..., 1]
    d = X + 15 * Y + 3 * XYZ[..., 2]
    return np.asarray(XYZ[..., :2] * _UV / np.where(d > 0, d, np.nan)[..., None], float)


def xy_to_uv(xy: ArrayLike) -> Array:
    """CIE 1976 u'v' from CIE 1931 xy, both (..., 2)."""
    xy = np.asarray(xy, float)
    d = -2 * xy[..., 0] + 12 * xy[..., 1] + 3
    return np.asarray(xy * _UV / d[..., None], float)


def uv_to_xy(uv: ArrayLike) -> Array:
    """CIE 1931 xy from CIE 1976 u'v', both (..., 2)."""
    uv = np.asarray(uv, float)
    d = 6 * uv[..., 0] - 16 * uv[..., 1] + 12
    return np.stack([9 * uv[..., 0] / d, 4 * uv[..., 1] / d], axis=-1)


_EPSILON, _KAPPA = 216 / 24389, 24389 / 27


def _f(t: Array) -> Array:
    return np.where(t > _EPSILON, np.cbrt(t), (_KAPPA * t + 16) / 116)


def XYZ_to_Lab(XYZ: ArrayLike, white: ArrayLike) -> Array:
    """CIELAB L*, a*, b* (..., 3) of XYZ (..., 3) against white XYZ (..., 3), same units (CIE 15:2018, eq. 8.3)."""
    t = np.asarray(XYZ, float) / np.asarray(white, float)
    f = _f(t)
    fy = f[..., 1]
    Lab = np.empty_like(f)
    Lab[..., 0], Lab[..., 1], Lab[..., 2] = 116 * fy - 16, 500 * (f[..., 0] - fy), 200 * (fy - f[..., 2])
    return Lab


def lightness(Y: ArrayLike, Y_white: ArrayLike) -> Array:
    """CIE 1976 lightness L* (CIE 15:2018, eq. 8.3) of luminance Y against Y_white, same units and shape."""
    return np.asarray(116 * _f(np.asarray(Y, float) / np.asarray(Y_white, float)) - 16, float)


# ITU-R BT.2100-2, table 4: linear BT.2020 RGB to LMS, PQ-coded LMS to ICtCp.
_RGB_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_LMS_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096

_XYZ_TO_LMS = (_RGB_TO_LMS @ BT2020.inverse).T


def rgb2020_to_ICtCp(rgb: ArrayLike) -> Array:
    """ICtCp in its PQ form (BT.2100-2, table 4) from display-linear BT.2020 RGB in cd/m2, both (..., 3); LMS below 0
    counts as 0."""
    lms = np.maximum(np.asarray(rgb, float) @ _RGB_TO_LMS.T, 0)
    return np.asarray(transfer.pq_inverse(lms) @ _LMS_TO_ICTCP.T, float)


def XYZ_to_ICtCp(XYZ: ArrayLike) -> Array:
    """ICtCp (PQ form) from absolute XYZ in cd/m2, both (..., 3), through linear BT.2020 RGB."""
    lms = np.maximum(np.asarray(XYZ, float) @ _XYZ_TO_LMS, 0)
    return np.asarray(transfer.pq_inverse(lms) @ _LMS_TO_ICTCP.T, float)
