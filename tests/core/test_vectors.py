"""Every row of the reference vectors that concerns the colour computation."""

import json
from pathlib import Path

import numpy as np
import pytest

from lumenar.core.colour import (
    adaptation,
    correction,
    difference,
    gamut,
    spaces,
    temperature,
    transfer,
    volume,
    waveform,
)
from lumenar.core.measurements.saturation import HUES, STEPS, codes
from lumenar.core.targets import TARGETS, Anchor

VECTORS = Path(__file__).parent.parent / "vectors"


def rows(name):
    return json.loads((VECTORS / f"{name}.json").read_text())["rows"]


def test_matrices():
    for row in rows("matrices"):
        got = spaces.primary_matrix(row["primaries_xy"], row["white_xy"])
        np.testing.assert_allclose(got, row["rgb_to_xyz"], rtol=1e-6, atol=1e-9)
        np.testing.assert_allclose(spaces.SPACES[row["space"]].matrix, got)


def test_spaces():
    for row in rows("spaces"):
        np.testing.assert_allclose(spaces.XYZ_to_xy(row["XYZ"]), row["xy"], rtol=1e-6)
        np.testing.assert_allclose(spaces.XYZ_to_uv(row["XYZ"]), row["uv"], rtol=1e-6)
        np.testing.assert_allclose(spaces.XYZ_to_Lab(row["XYZ"], row["white_XYZ"]), row["Lab"], rtol=1e-6, atol=1e-6)


def test_adaptation():
    for row in rows("adaptation"):
        got = adaptation.bradford(spaces.xy_to_XYZ(row["from_xy"]), spaces.xy_to_XYZ(row["to_xy"]))
        np.testing.assert_allclose(got, row["bradford"], rtol=1e-6, atol=1e-9)


def test_difference():
    for row in rows("difference"):
        got = difference.de2000(row["Lab_1"], row["Lab_2"])
        assert got == pytest.approx(row["de2000"], abs=0.51 * 10 ** -row["places"])
        if "de76" in row:
            assert difference.de76(row["Lab_1"], row["Lab_2"]) == pytest.approx(row["de76"], rel=1e-6)


def test_difference_itp():
    for row in rows("difference_itp"):
        one, two = spaces.rgb2020_to_ICtCp(row["rgb_1"]), spaces.rgb2020_to_ICtCp(row["rgb_2"])
        np.testing.assert_allclose(one, row["ictcp_1"], rtol=1e-6, atol=1e-9)
        np.testing.assert_allclose(two, row["ictcp_2"], rtol=1e-6, atol=1e-9)
        assert difference.de_itp_from_ICtCp(one, two) == pytest.approx(row["de_itp"], rel=1e-6)
        M = spaces.BT2020.matrix
        assert difference.de_itp(M @ row["rgb_1"], M @ row["rgb_2"]) == pytest.approx(row["de_itp"], rel=1e-6)


@pytest.mark.parametrize(
    "row", rows("transfer"), ids=lambda r: "-".join(str(v) for v in r.values() if not isinstance(v, list))
)
def test_transfer(row):
    V = np.array(row["signal"])
    want = np.array(row.get("relative_luminance", row.get("luminance_cd_m2")))
    match row["curve"]:
        case "srgb":
            got = transfer.srgb(V)
        case "power":
            got = transfer.power(V, row["gamma"])
        case "bt1886":
            got = transfer.bt1886(V, row["white_cd_m2"], row["black_cd_m2"])
        case "pq":
            got = transfer.pq(V)
        case "hlg":
            got = transfer.hlg(np.repeat(V[:, None], 3, 1), row["white_cd_m2"], row.get("black_cd_m2", 0))[:, 1]
    np.testing.assert_allclose(got, want, rtol=1e-6, atol=1e-9)


def test_pq_inverse():
    for row in rows("pq_inverse"):
        np.testing.assert_allclose(transfer.pq_inverse(row["luminance_cd_m2"]), row["signal"], rtol=1e-6)


def test_rolloff():
    for row in rows("rolloff"):
        got = transfer.bt2390_rolloff(
            row["luminance_in"],
            row["display_white"],
            row["display_black"],
            row["mastering_white"],
            row["mastering_black"],
        )
        np.testing.assert_allclose(got, row["luminance_out"], rtol=1e-6)


def test_temperature():
    for row in rows("temperature"):
        cct, duv = temperature.cct_duv(row["xy"])
        assert cct == pytest.approx(row["cct_k"], rel=1e-3)
        assert duv == pytest.approx(row["duv"], abs=5e-5)


def test_coverage():
    for row in rows("coverage"):
        measured, target = np.array(row["primaries_xy"]), np.array(spaces.SPACES[row["target"]].primaries)
        uv, target_uv = spaces.xy_to_uv(measured), spaces.xy_to_uv(target)
        assert gamut.coverage_percent(uv, target_uv) == pytest.approx(row["coverage_uv_percent"], rel=1e-6)
        assert gamut.area_percent(uv, target_uv) == pytest.approx(row["area_uv_percent"], rel=1e-6)
        assert gamut.coverage_percent(measured, target) == pytest.approx(row["coverage_xy_percent"], rel=1e-6)


def test_four_colour():
    for row in rows("four_colour"):
        got = correction.four_colour(
            row["reference_rgb"], row["reference_white"], row["working_rgb"], row["working_white"]
        )
        np.testing.assert_allclose(got, row["matrix"], rtol=1e-6)


def test_saturation_steps():
    rgb = codes(TARGETS["srgb"])
    anchor = Anchor(np.array(1.0), np.array(0.0))
    for row in rows("saturation"):
        got = rgb[list(HUES).index(row["hue"]), STEPS.index(row["saturation"])]
        np.testing.assert_allclose(got, row["rgb"], rtol=1e-6, atol=1e-9)
        XYZ = TARGETS["srgb"].XYZ(got[None], anchor)[0]
        np.testing.assert_allclose(spaces.XYZ_to_uv(XYZ), row["uv"], rtol=1e-6)
        assert XYZ[1] == pytest.approx(row["relative_luminance"], rel=1e-6)


def solid_of(space, steps):
    surface = volume.cube(steps)
    XYZ = surface.rgb**2.2 @ space.matrix.T
    return volume.solid(spaces.XYZ_to_Lab(XYZ, spaces.xy_to_XYZ(space.white)), surface)


@pytest.mark.parametrize(("steps", "low", "high"), [(40, -0.003, 0.003), (10, -0.003, 0.0)])
def test_volume(steps, low, high):
    solids = {name: solid_of(space, steps) for name, space in spaces.SPACES.items()}
    for row in rows("volume"):
        one, two = solids[row["gamut"]], solids[row["reference"]]
        assert low <= volume.volume(volume.sectors(one)) / row["volume"] - 1 <= high
        share = volume.volume(volume.shared_sectors(one, two)) / volume.volume(volume.sectors(two))
        assert 100 * share == pytest.approx(row["shared_percent"], abs=0.4)


def wave(row, rate, periods):
    """A waveform of a row, `periods` long at `rate` samples a period, each sample the mean over its stretch."""
    phase = (np.arange(rate * periods) + 0.5) / rate
    if row["shape"] == "sine":
        mean, amplitude = row.get("mean", 100), row.get("amplitude", 100 * row.get("modulation", 0))
        return mean + amplitude * np.sin(2 * np.pi * phase)
    if row["shape"] == "square":
        return np.where(phase % 1 < row["duty"], row.get("high", 200), row.get("low", 0)).astype(float)
    return np.full(len(phase), float(row["mean"]))


def test_modulation():
    for row in rows("modulation"):
        L = wave(row, 10_000, 3)
        assert waveform.modulation_percent(L) == pytest.approx(row["modulation_percent"], abs=1e-4)
        assert waveform.flicker_index(L) == pytest.approx(row["flicker_index"], abs=1e-4)


def test_strobe():
    for row in rows("strobe"):
        # 240 Hz for a second at 96 kHz: 400 samples a period, so that the harmonics are those of the Fourier series.
        found = waveform.analyse(wave(row, 400, 240), 96_000.0)
        assert found.svm == pytest.approx(row["svm"], rel=2e-3)
        assert found.frequency_hz == pytest.approx(240, abs=0.01)
