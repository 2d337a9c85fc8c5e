"""Spectra to tristimulus values: the tabulated CIE 1931 2 degree functions, Planck's law, sums of Gaussians."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

WAVELENGTHS = np.arange(380.0, 781.0, 5.0)
"""The grid of display spectra in this package: 380..780 nm in 5 nm steps, shape (81,)."""
KM = 683.002
"""Maximum luminous efficacy in lm/W (CIE 18:2019)."""
C2 = 1.438776877e-2
"""Second radiation constant hc/k in m K (SI 2019)."""


@cache
def observer() -> tuple[Array, Array]:
    """CIE 1931 2 degree functions at 1 nm (CIE 018:2019, table 6): wavelengths (471,), x_bar y_bar z_bar (471, 3)."""
    text = files("lumenar.core.colour").joinpath("data/cie_1931_2deg_1nm.csv").read_text()
    table = np.loadtxt(text.splitlines(), delimiter=",", skiprows=1)
    return table[:, 0], table[:, 1:]


@cache
def melanopic() -> tuple[Array, Array]:
    """Melanopic action spectrum (CIE S 026:2018, table 2) at 1 nm: wavelengths (401,), s_mel (401,)."""
    text = files("lumenar.core.colour").joinpath("data/cie_s026_melanopic_1nm.csv").read_text()
    table = np.loadtxt(text.splitlines(), delimiter=",", skiprows=1)
    return table[:, 0], table[:, 1]


K_MEL_D65 = 1.3262e-3
"""Melanopic efficacy of luminous radiation for D65 in W/lm (CIE S 026:2018, section 3.8)."""


def melanopic_der(wavelengths: ArrayLike, radiance: ArrayLike) -> Array:
    """Melanopic daylight efficacy ratio (...) (CIE S 026:2018, section 3.9) of spectra (..., n) at evenly spaced
    wavelengths (n,) in nm: [int L s_mel / (683.002 int L V)] / 1.3262e-3. D65 has 1."""
    at, L = np.asarray(wavelengths, float), np.asarray(radiance, float)
    known, functions = observer()
    V = np.interp(at, known, functions[:, 1], left=0, right=0)
    s_mel = np.interp(at, *melanopic(), left=0, right=0)
    return np.asarray((L @ s_mel) / (KM * (L @ V)) / K_MEL_D65, float)


@cache
def observer_5nm() -> Array:
    """The observer on `WAVELENGTHS`, shape (81, 3)."""
    wavelengths, functions = observer()
    return functions[np.searchsorted(wavelengths, WAVELENGTHS)]


def spectrum_to_XYZ(radiance: ArrayLike) -> Array:
    """Absolute XYZ (..., 3) of spectral radiance (..., 81) in W/(sr m2 nm) on `WAVELENGTHS` (CIE 15:2018, eq. 7.2)."""
    return np.asarray(KM * 5.0 * (np.asarray(radiance, float) @ observer_5nm()), float)


def XYZ_of_spectrum(wavelengths: ArrayLike, radiance: ArrayLike) -> Array:
    """Absolute XYZ (..., 3) of spectral radiance (..., n) in W/(sr m2 nm) at evenly spaced wavelengths (n,) in nm
    (CIE 15:2018, eq. 7.2); what lies outside 360..830 nm gives no light."""
    at, L = np.asarray(wavelengths, float), np.asarray(radiance, float)
    known, functions = observer()
    bars = np.stack([np.interp(at, known, functions[:, i], left=0, right=0) for i in range(3)], axis=-1)
    return np.asarray(KM * (at[1] - at[0]) * (L @ bars), float)


def noise_of_spectrum(radiance: ArrayLike, common: float, sample: float, absolute: float) -> Array:
    """Covariance (..., 3, 3) in (cd/m2)^2 of the XYZ of spectra (..., 81) as a spectroradiometer reads them.

    common: relative standard deviation that all samples share; sample: that of each sample's own; absolute: standard
    deviation in cd/m2 of Y in the dark, from the same noise in every sample. Neighbouring samples make X and Y of a narrow
    band together, so that its chromaticity is far better known than three separate filters would have it.
    """
    L, weights = np.asarray(radiance, float), KM * 5.0 * observer_5nm()
    dark = absolute / np.linalg.norm(weights[:, 1])
    variance = (sample * L) ** 2 + dark**2
    XYZ = common * (L @ weights)
    return np.asarray(
        np.einsum("...w,wi,wj->...ij", variance, weights, weights) + XYZ[..., :, None] * XYZ[..., None, :], float
    )


def gaussians(peaks_nm: ArrayLike, widths_nm: ArrayLike, weights: ArrayLike) -> Array:
    """Sum of Gaussian bands on `WAVELENGTHS`; each band by peak, full width at half maximum and height, shapes (n,)."""
    peak, width, weight = (np.asarray(v, float)[:, None] for v in (peaks_nm, widths_nm, weights))
    sigma = width / (2 * np.sqrt(2 * np.log(2)))
    return np.asarray((weight * np.exp(-0.5 * ((WAVELENGTHS - peak) / sigma) ** 2)).sum(axis=0), float)


def planck_XYZ(temperature: ArrayLike) -> Array:
    """Relative XYZ (..., 3) of Planckian radiators at temperatures in K (...), at 1 nm (CIE 15:2018, eq. 4.1)."""
    wavelengths, functions = observer()
    metres = wavelengths * 1e-9
    T = np.asarray(temperature, float)[..., None]
    radiance = metres**-5 / np.expm1(C2 / (metres * T))
    XYZ = radiance @ functions
    return np.asarray(XYZ / XYZ[..., 1:2], float)
