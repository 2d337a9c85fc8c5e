"""The computation against an independent library on random inputs."""

import warnings

import numpy as np
import pytest

from lumenar.core.colour import adaptation, difference, spaces, spectra, temperature, transfer

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

RNG = np.random.default_rng(7)
XYZ = RNG.uniform(0.01, 300, (500, 3))
WHITE = np.array([190.1, 200.0, 217.8])


def test_lab_and_chromaticity():
    white_xy = colour.XYZ_to_xy(WHITE)
    want = colour.XYZ_to_Lab(XYZ / 200, white_xy)
    np.testing.assert_allclose(spaces.XYZ_to_Lab(XYZ, WHITE / WHITE[1] * 200), want, rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(spaces.XYZ_to_xy(XYZ), colour.XYZ_to_xy(XYZ))
    np.testing.assert_allclose(spaces.XYZ_to_uv(XYZ), colour.Luv_to_uv(colour.XYZ_to_Luv(XYZ)), atol=1e-9)
    np.testing.assert_allclose(spaces.uv_to_xy(spaces.XYZ_to_uv(XYZ)), spaces.XYZ_to_xy(XYZ))


def test_de2000_over_the_whole_of_lab():
    one = RNG.uniform([0, -120, -120], [100, 120, 120], (20_000, 3))
    two = np.vstack(
        [one[:10_000] + RNG.normal(0, 3, (10_000, 3)), RNG.uniform([0, -120, -120], [100, 120, 120], (10_000, 3))]
    )
    np.testing.assert_allclose(
        difference.de2000(one, two), colour.delta_E(one, two, method="CIE 2000"), rtol=1e-8, atol=1e-8
    )


def test_itp():
    rgb = RNG.uniform(0, 1000, (200, 3))
    want = colour.RGB_to_ICtCp(rgb, method="ITU-R BT.2100-2 PQ")
    np.testing.assert_allclose(spaces.rgb2020_to_ICtCp(rgb), want, atol=1e-6)
    np.testing.assert_allclose(
        difference.de_itp_from_ICtCp(want[:100], want[100:]),
        colour.delta_E(want[:100], want[100:], method="ITP"),
        rtol=1e-9,
    )


def test_transfer():
    V = RNG.uniform(0, 1, 1000)
    np.testing.assert_allclose(transfer.srgb(V), colour.models.eotf_sRGB(V), rtol=1e-12)
    np.testing.assert_allclose(
        transfer.bt1886(V, 150.0, 0.08), colour.models.eotf_BT1886(V, L_B=0.08, L_W=150.0), rtol=1e-9
    )
    np.testing.assert_allclose(transfer.pq(V), colour.models.eotf_ST2084(V), rtol=1e-9)
    L = RNG.uniform(0, 10_000, 1000)
    np.testing.assert_allclose(transfer.pq_inverse(L), colour.models.eotf_inverse_ST2084(L), rtol=1e-9)


def test_bradford():
    D50, D65 = np.array([0.9642, 1.0, 0.8251]), np.array([0.9505, 1.0, 1.0891])
    want = colour.chromatic_adaptation(XYZ / 100, D65, D50, method="Von Kries", transform="Bradford")
    np.testing.assert_allclose(adaptation.adapt(XYZ / 100, D65, D50), want, rtol=1e-9)


def test_cct_and_duv():
    cct, duv = RNG.uniform(2000, 15_000, 300), RNG.uniform(-0.02, 0.02, 300)
    uv = colour.temperature.CCT_to_uv_Ohno2013(np.column_stack([cct, duv]))
    xy = colour.UCS_uv_to_xy(uv)
    got_cct, got_duv = temperature.cct_duv(xy)
    np.testing.assert_allclose(got_cct, cct, rtol=2e-3)
    np.testing.assert_allclose(got_duv, duv, atol=1e-4)


def test_spectra():
    shape = colour.SpectralShape(380, 780, 5)
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    spd = spectra.gaussians([450, 540, 620], [20, 40, 30], [1.0, 0.8, 1.1])
    want = 683.002 * 5 * (spd @ cmfs.values)
    np.testing.assert_allclose(spectra.spectrum_to_XYZ(spd), want, rtol=1e-6)
    planck = spectra.planck_XYZ(6500.0)
    assert spaces.XYZ_to_xy(planck) == pytest.approx([0.31352, 0.32363], abs=2e-4)


def test_temperatures_of_draws_are_those_of_each():
    rng = np.random.default_rng(3)
    middle = np.array([[0.3127, 0.3290], [0.2807, 0.2884], [0.4476, 0.4074], [np.nan, np.nan], [0.30, 0.60]])
    xy = middle + rng.normal(0, 2e-4, (200, 5, 2))
    xy[3, 0] = np.nan
    whole, _ = temperature.cct_duv(xy)
    drawn = temperature.cct_of_draws(xy)
    assert drawn[:, :3] == pytest.approx(whole[:, :3], rel=2e-4, nan_ok=True)
    assert np.isnan(drawn[3, 0]) and np.isnan(drawn[:, 3:]).all() and np.isnan(whole[:, 3:]).all()
    assert drawn[:, :3][np.isfinite(drawn[:, :3])].std() > 10
