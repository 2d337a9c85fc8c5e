"""Transfer curves: signal to light (EOTF) and back. Signal is 0..1 after range decoding; arrays of any shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

OPRGB_GAMMA = 563 / 256


def srgb(V: ArrayLike) -> Array:
    """sRGB EOTF (IEC 61966-2-1, section 5.2), relative light 0..1."""
    V = np.asarray(V, float)
    return np.where(V <= 0.04045, V / 12.92, np.power((np.maximum(V, 0) + 0.055) / 1.055, 2.4))


def srgb_inverse(L: ArrayLike) -> Array:
    """Inverse of `srgb`."""
    L = np.asarray(L, float)
    return np.where(L <= 0.04045 / 12.92, L * 12.92, 1.055 * np.power(np.maximum(L, 0), 1 / 2.4) - 0.055)


def power(V: ArrayLike, gamma: float) -> Array:
    """Pure power law V^gamma, signals below 0 count as 0."""
    return np.asarray(np.power(np.maximum(np.asarray(V, float), 0), gamma), float)


def power_inverse(L: ArrayLike, gamma: float) -> Array:
    """Inverse of `power`."""
    return np.asarray(np.power(np.maximum(np.asarray(L, float), 0), 1 / gamma), float)


def bt1886(V: ArrayLike, white: ArrayLike, black: ArrayLike) -> Array:
    """BT.1886 EOTF (ITU-R BT.1886, annex 1) in cd/m2 for a display with luminances `white` > `black` >= 0.

    `white` and `black` broadcast against V.
    """
    w, k = np.power(np.asarray(white, float), 1 / 2.4), np.power(np.maximum(np.asarray(black, float), 0), 1 / 2.4)
    a, b = np.power(w - k, 2.4), k / (w - k)
    return np.asarray(a * np.power(np.maximum(np.asarray(V, float) + b, 0), 2.4), float)


# SMPTE ST 2084:2014, section 5.2.
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32


def pq(V: ArrayLike) -> Array:
    """PQ EOTF (SMPTE ST 2084:2014, eq. 4.1 and 4.2), cd/m2 up to 10000."""
    v = np.power(np.maximum(np.asarray(V, float), 0), 1 / _M2)
    return np.asarray(10000 * np.power(np.maximum(v - _C1, 0) / (_C2 - _C3 * v), 1 / _M1), float)


def pq_inverse(L: ArrayLike) -> Array:
    """Inverse PQ EOTF (SMPTE ST 2084:2014, eq. 5.1 and 5.2) of luminance in cd/m2; below 0 counts as 0."""
    y = np.power(np.maximum(np.asarray(L, float), 0) / 10000, _M1)
    return np.asarray(np.power((_C1 + _C2 * y) / (1 + _C3 * y), _M2), float)


# ITU-R BT.2100-2, table 5.
_HLG_A = 0.17883277
_HLG_B, _HLG_C = 1 - 4 * _HLG_A, 0.5 - _HLG_A * np.log(4 * _HLG_A)


def hlg_gamma(white: ArrayLike) -> Array:
    """HLG system gamma for a nominal peak in cd/m2: BT.2100-2 note 5f within 400..2000, BT.2390 section 6.2 outside."""
    white = np.asarray(white, float)
    inside = 1.2 + 0.42 * np.log10(white / 1000)
    return np.where((white >= 400) & (white <= 2000), inside, 1.2 * np.power(1.111, np.log2(white / 1000)))


HLG_Y = np.array([0.2627, 0.6780, 0.0593])
"""Luminance of the channels of HLG (ITU-R BT.2100-2, table 5)."""


def hlg(rgb: ArrayLike, white: ArrayLike, black: ArrayLike = 0.0) -> Array:
    """HLG EOTF (ITU-R BT.2100-2, table 5): signal RGB (..., 3) to display-linear BT.2020 RGB in cd/m2 (..., 3). white, black:
    luminances of the display (...), broadcasting against the signals without their last axis."""
    w, k = np.asarray(white, float)[..., None], np.maximum(np.asarray(black, float), 0)[..., None]
    gamma = hlg_gamma(w)
    beta = np.sqrt(3 * (k / w) ** (1 / gamma))
    E = np.maximum(0, (1 - beta) * np.asarray(rgb, float) + beta)
    scene = np.where(E <= 0.5, E * E / 3, (np.exp((E - _HLG_C) / _HLG_A) + _HLG_B) / 12)
    Ys = (scene @ HLG_Y)[..., None]
    # Under 334 cd/m2 the gamma is below 1, and nothing to a negative power is not a number.
    return np.asarray(w * np.power(np.where(Ys > 0, Ys, 1.0), gamma - 1) * scene, float)


def hlg_inverse(rgb: ArrayLike, white: float, black: float = 0.0) -> Array:
    """Inverse of `hlg` (ITU-R BT.2100-2, table 5) of display-linear RGB in cd/m2 (..., 3); below 0 counts as 0."""
    light = np.maximum(np.asarray(rgb, float), 0) / white
    gamma = float(hlg_gamma(white))
    beta = float(np.sqrt(3 * (black / white) ** (1 / gamma)))
    Yd = (light @ HLG_Y)[..., None]
    scene = light * np.power(Yd, 1 / gamma - 1, where=Yd > 0, out=np.zeros_like(Yd))
    E = np.where(scene <= 1 / 12, np.sqrt(3 * scene), _HLG_A * np.log(np.maximum(12 * scene - _HLG_B, 1e-9)) + _HLG_C)
    return np.asarray((E - beta) / (1 - beta), float)


def bt2390_rolloff(
    L: ArrayLike,
    display_white: ArrayLike,
    display_black: ArrayLike,
    mastering_white: float = 10000,
    mastering_black: float = 0,
) -> Array:
    """EETF (ITU-R BT.2390-10, section 5.4.1): mastering luminance L in cd/m2 to what a smaller display should show.
    display_white, display_black: its luminances, broadcasting against L."""
    low, high = pq_inverse(mastering_black), pq_inverse(mastering_white)
    E1 = np.clip((pq_inverse(L) - low) / (high - low), 0, 1)
    top = (pq_inverse(display_white) - low) / (high - low)
    bottom = (pq_inverse(display_black) - low) / (high - low)
    knee = 1.5 * top - 0.5
    # Where the display reaches the mastering's peak there is no knee, and nothing to divide by.
    width = np.where(knee < 1, 1 - knee, 1.0)
    T = np.clip((E1 - knee) / width, 0, 1)
    spline = (2 * T**3 - 3 * T**2 + 1) * knee + (T**3 - 2 * T**2 + T) * (1 - knee) + (-2 * T**3 + 3 * T**2) * top
    E2 = np.where((knee > E1) | (knee >= 1), E1, spline)
    E3 = E2 + bottom * np.power(1 - E2, 4)
    return pq(E3 * (high - low) + low)
