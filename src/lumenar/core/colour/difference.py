"""Colour differences with their parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.spaces import XYZ_to_ICtCp

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Parts:
    """CIEDE2000 and its signed weighted terms, each (...): dE^2 = tL^2 + tC^2 + tH^2 + R_T tC tH."""

    de2000: Array
    lightness: Array
    chroma: Array
    hue: Array
    rotation: Array


def de76(Lab: ArrayLike, Lab_target: ArrayLike) -> Array:
    """CIE 1976 colour difference (CIE 15:2018, eq. 8.12) between Lab arrays (..., 3)."""
    return np.asarray(np.linalg.norm(np.asarray(Lab, float) - np.asarray(Lab_target, float), axis=-1), float)


_BLOCK = 1 << 13
"""Pairs worked on at a time: the intermediate arrays stay in the cache, and are too small to be mapped anew each time."""

_RAD = np.pi / 180
_C6, _C63, _S6, _S63 = (f(a * _RAD) for f in (np.cos, np.sin) for a in (6, 63))
# T in powers of cosine and sine of the mean hue, k being the squared cosine: T = p(k) + c q(k) + s (r(k) + c t(k)).
_P = (0.76 - 0.2 * _C63, 0.48 + 1.6 * _C63, -1.6 * _C63)
_Q = (-0.17 * np.cos(30 * _RAD) - 0.96 * _C6, 1.28 * _C6)
_R = (-0.17 * np.sin(30 * _RAD) + 0.32 * _S6, -1.28 * _S6)
_T = (0.8 * _S63, -1.6 * _S63)


def _hue_weight(c: Array, s: Array) -> Array:
    """T of ISO/CIE 11664-6:2014, eq. 14, from cosine and sine of the mean hue; multiple angles from these."""
    k = c * c
    weight = (_P[2] * k + _P[1]) * k + _P[0]
    weight += c * (_Q[1] * k + _Q[0])
    weight += s * (_R[1] * k + _R[0] + c * (_T[1] * k + _T[0]))
    return np.asarray(weight, float)


def _rotation(h: Array, mean_C7: Array) -> Array:
    """R_T of ISO/CIE 11664-6:2014, eq. 16 and 17, of mean hue h in radians."""
    theta = (np.pi / 6) * np.exp(-(((h - 275 * _RAD) * (1 / (25 * _RAD))) ** 2))
    return np.asarray(-2 * np.sqrt(mean_C7 / (mean_C7 + 25.0**7)) * np.sin(2 * theta), float)


def de2000_parts(Lab: ArrayLike, Lab_target: ArrayLike) -> Parts:
    """CIEDE2000 of measured against target Lab (..., 3), with its terms (ISO/CIE 11664-6:2014, eq. 1 to 20).

    Signs are measured minus target: a positive lightness term is too light, a positive chroma term too colourful.
    """
    two, one = np.broadcast_arrays(np.asarray(Lab, float), np.asarray(Lab_target, float))
    shape = two.shape[:-1]
    one, two = one.reshape(-1, 3), two.reshape(-1, 3)
    if len(one) <= _BLOCK:
        parts = _terms(one, two)
    else:
        parts = np.empty((5, len(one)))
        for start in range(0, len(one), _BLOCK):
            block = slice(start, start + _BLOCK)
            parts[:, block] = _terms(one[block], two[block])
    return Parts(*(np.asarray(p).reshape(shape) for p in parts))


def _terms(one: Array, two: Array) -> tuple[Array, ...] | Array:
    """dE2000, tL, tC, tH and R_T, each (n,), of target `one` and measured `two`, both (n, 3)."""
    L1, a1, b1 = np.ascontiguousarray(one.T)
    L2, a2, b2 = np.ascontiguousarray(two.T)
    bb1, bb2 = b1 * b1, b2 * b2
    C7 = _pow7(0.5 * (np.sqrt(a1 * a1 + bb1) + np.sqrt(a2 * a2 + bb2)))
    G1 = 1.5 - 0.5 * np.sqrt(C7 / (C7 + 25.0**7))
    a1, a2 = a1 * G1, a2 * G1
    C1, C2 = np.sqrt(a1 * a1 + bb1), np.sqrt(a2 * a2 + bb2)
    product = C1 * C2
    cos, sin, half = _bisector(a1, b1, C1, a2, b2, C2)
    mean_hue = np.arctan2(sin, cos)
    mean_hue += 2 * np.pi * (mean_hue < 0)
    dH = 2 * np.sqrt(product) * half
    mean_L, mean_C = 0.5 * (L1 + L2) - 50, 0.5 * (C1 + C2)
    L50 = mean_L * mean_L
    tL = (L2 - L1) / (1 + 0.015 * L50 / np.sqrt(20 + L50))
    tC = (C2 - C1) / (1 + 0.045 * mean_C)
    tH = dH / (1 + 0.015 * mean_C * _hue_weight(cos, sin))
    R_T = _rotation(mean_hue, _pow7(mean_C))
    de = np.sqrt(np.maximum(tL * tL + tC * tC + tH * tH + R_T * tC * tH, 0))
    return de, tL, tC, tH, R_T


def _bisector(a1: Array, b1: Array, C1: Array, a2: Array, b2: Array, C2: Array) -> tuple[Array, Array, Array]:
    """Cosine and sine of the mean hue, and the sine of half the hue difference, without trigonometry: the mean hue is
    the direction of the sum of the two unit vectors. Only where they cancel, opposite hues or greys, are angles needed.
    """
    one, two = C1 + (C1 == 0), C2 + (C2 == 0)
    x1, y1, x2, y2 = a1 / one, b1 / one, a2 / two, b2 / two
    x, y = x1 + x2, y1 + y2
    length = np.sqrt(x * x + y * y)
    opposite = length < 1e-6
    if not opposite.any():
        return x / length, y / length, (x1 * y2 - y1 * x2) / length
    length += opposite
    cos, sin, half = x / length, y / length, (x1 * y2 - y1 * x2) / length
    # Hues in 0..2 pi; their mean is taken on the shorter way round, and downwards where both ways are equal.
    h1, h2 = (np.arctan2(b[opposite], a[opposite]) % (2 * np.pi) for a, b in ((a1, b1), (a2, b2)))
    mean = 0.5 * (h1 + h2) + np.pi * (np.abs(h2 - h1) > np.pi) * np.where(h1 + h2 < 2 * np.pi, 1.0, -1.0)
    cos[opposite], sin[opposite] = np.cos(mean), np.sin(mean)
    half[opposite] = x1[opposite] * sin[opposite] - y1[opposite] * cos[opposite]
    return cos, sin, half


def _pow7(x: Array) -> Array:
    square = x * x
    return square * square * square * x


def de2000(Lab: ArrayLike, Lab_target: ArrayLike) -> Array:
    """CIEDE2000 alone (ISO/CIE 11664-6:2014) between Lab arrays (..., 3)."""
    return de2000_parts(Lab, Lab_target).de2000


def de_itp(XYZ: ArrayLike, XYZ_target: ArrayLike) -> Array:
    """dE ITP (ITU-R BT.2124-0, eq. 1) between absolute XYZ in cd/m2 (..., 3)."""
    target = np.asarray(XYZ_target, float)
    # What PQ wants is absolute: of a batch of draws the same for all.
    if target.ndim > 2 and (target == target[:1]).all():
        target = target[:1]
    return de_itp_from_ICtCp(XYZ_to_ICtCp(XYZ), XYZ_to_ICtCp(target))


def de_itp_from_ICtCp(one: ArrayLike, two: ArrayLike) -> Array:
    """dE ITP (ITU-R BT.2124-0, eq. 1) between ICtCp arrays (..., 3); T is Ct / 2."""
    d = np.asarray(one, float) - np.asarray(two, float)
    return np.asarray(720 * np.sqrt(d[..., 0] ** 2 + (d[..., 1] / 2) ** 2 + d[..., 2] ** 2), float)
