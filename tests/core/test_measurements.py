"""Figures of displays whose truth is known."""

import json
from pathlib import Path

import numpy as np
import pytest

from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS, Context, MissingPatchError
from lumenar.core.measurements.grey_ramp import gamma
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import TARGETS, Anchor
from lumenar.core.uncertainty import draw

SDR = [k for k, t in TARGETS.items() if t.signal == "sdr"]
PATCHES = list(
    dict.fromkeys(p for k in ("white_black", "grey_ramp", "gamut") for p in MEASUREMENTS[k].patches(Context()))
)
NO_NOISE = MeterLimits(0.0, 0.0)


def display(target_key, white=150.0, black=0.1, change=lambda XYZ: XYZ, patches=PATCHES, limits=NO_NOISE):
    """Readings of a display that follows a target exactly, but for `change`."""
    anchor = Anchor(np.array(white), np.array(black))
    XYZ = TARGETS[target_key].XYZ(np.array([p.rgb for p in patches]), anchor)
    XYZ = change(XYZ)
    below = XYZ[:, 1] < limits.floor
    return collect(patches, np.where(below[:, None], np.nan, XYZ), below, limits)


@pytest.mark.parametrize("key", SDR)
def test_a_display_that_is_its_target_has_no_error(key):
    readings = display(key)
    grey = analyse("grey_ramp", readings, TARGETS[key]).figures
    assert grey["de2000_max"] < 1e-6
    assert grey["curve_rms_lstar"] < 1e-6
    assert grey["gamma"] == pytest.approx(grey["target_gamma"])
    # Black adds a little of every primary to each corner, in the display as in the target.
    gamut = analyse("gamut", readings, TARGETS[key]).figures
    assert gamut["de2000_max"] < 1e-6
    assert analyse("gamut", display(key, black=0), TARGETS[key]).figures["coverage_target_uv_percent"] == pytest.approx(
        100
    )
    white = analyse("white_black", readings, TARGETS[key]).figures
    assert white["contrast_ratio"] == pytest.approx(1500)
    assert white["cct_k"] == pytest.approx(6504, abs=3)
    assert white["white_de2000"] < 1e-6


def test_gamma_vectors():
    rows = json.loads((Path(__file__).parent.parent / "vectors" / "gamma.json").read_text())["rows"]
    v = np.arange(0, 101, 5) / 100
    for row, (key, white, black) in zip(
        rows, [("gamma22", 1.0, 1 / 1000), ("srgb", 1.0, 0.0), ("bt709_bt1886", 100.0, 0.05)], strict=True
    ):
        Y = TARGETS[key].Y(v, Anchor(np.array(white), np.array(black)))
        assert gamma(v, (Y - black) / (white - black)) == pytest.approx(row["gamma"], rel=1e-6)


def test_a_dip_is_found_where_it_is_and_as_deep_as_it_is():
    def dip(XYZ):
        at = [i for i, p in enumerate(PATCHES) if abs(p.rgb[0] - 0.1) < 0.001 and p.rgb[0] == p.rgb[1] == p.rgb[2]]
        XYZ[at] *= 0.7
        return XYZ

    f = analyse("grey_ramp", display("srgb", black=0.0, change=dip), TARGETS["srgb"]).figures
    at = int(np.argmin(f["error_lstar"]))
    assert f["levels_percent"][at] == pytest.approx(10, abs=0.05)
    assert f["error_percent"][at] == pytest.approx(-30)
    assert f["de2000_max_level_percent"] == pytest.approx(10, abs=0.05)
    assert f["de_lightness"][at] < 0 and abs(f["de_chroma_only"][at]) < 1e-9
    others = np.delete(f["error_lstar"], at)
    assert np.abs(others[~np.isnan(others)]).max() < 1e-9


def test_a_cool_white_is_an_error_of_white_only():
    cool = np.array([0.96, 1.0, 1.12])
    f = analyse("grey_ramp", display("gamma22", change=lambda XYZ: XYZ * cool), TARGETS["gamma22"]).figures
    assert f["de2000_mean"] > 2
    assert np.nanmax(f["de2000_own_white"][1:]) < 1.0
    assert f["cct_mean_k"] > 7200
    assert np.all(f["balance_blue_percent"] > f["balance_red_percent"])
    assert f["curve_rms_lstar"] < 1e-9


def test_another_target_needs_no_other_readings():
    readings = display("srgb", black=0.0)
    wide = analyse("gamut", readings, TARGETS["display_p3"]).figures
    assert wide["coverage_target_uv_percent"] == pytest.approx(wide["coverage_p3_uv_percent"])
    assert wide["coverage_p3_uv_percent"] == pytest.approx(79.641, abs=0.001)
    assert wide["coverage_srgb_uv_percent"] == pytest.approx(100)
    assert wide["de2000_mean"] > 1


def test_black_under_the_floor_is_no_number():
    limits = MeterLimits(0.001, 0.003)
    a = analyse("white_black", display("srgb", black=0.0, limits=limits), TARGETS["srgb"])
    assert "contrast_ratio" not in a.figures and "black_cd_m2" not in a.figures
    assert a.scalar("contrast_at_least") == pytest.approx(150 / 0.003)
    grey = analyse("grey_ramp", display("bt709_bt1886", black=0.0, limits=limits), TARGETS["bt709_bt1886"])
    assert np.isnan(grey.figures["luminance_cd_m2"][0])
    low, high = grey.range["curve_rms_lstar"]
    assert low < 1e-6 < high, "with black at the floor the BT.1886 curve is another one"


def test_missing_patches_are_named():
    patches = [p for p in PATCHES if p.rgb != (1.0, 1.0, 1.0)]
    for key in ("white_black", "grey_ramp", "gamut"):
        with pytest.raises(MissingPatchError, match="100 % white"):
            analyse(key, display("srgb", patches=patches), TARGETS["srgb"])
    with pytest.raises(MissingPatchError, match="at least 5 levels"):
        analyse("grey_ramp", display("srgb", patches=PATCHES[:2]), TARGETS["srgb"])
    with pytest.raises(MissingPatchError, match="3 or more settings"):
        analyse("brightness_ladder", display("srgb"), TARGETS["srgb"])


def test_a_patch_read_more_than_once_counts_as_its_median():
    patches = [Patch((1.0, 1.0, 1.0))] * 3 + [Patch((0.0, 0.0, 0.0))]
    XYZ = np.array([[95, 100, 108], [95, 100, 108], [9, 10, 11], [0.1, 0.1, 0.1]], float)
    readings = collect(patches, XYZ, np.zeros(4, bool), NO_NOISE)
    assert len(readings) == 2
    assert analyse("white_black", readings, TARGETS["srgb"]).scalar("white_cd_m2") == 100


def test_uncertainty_comes_from_the_meter_and_the_value_from_the_readings():
    quiet, loud = (display("gamma22", limits=MeterLimits(r, 0.0)) for r in (0.001, 0.005))
    a, b = (analyse("grey_ramp", r, TARGETS["gamma22"]) for r in (quiet, loud))
    assert a.scalar("de2000_mean") == b.scalar("de2000_mean")
    assert b.uncertainty["gamma"].standard > 3 * a.uncertainty["gamma"].standard > 0
    # Half a per cent of noise alone looks like a mean dE of 0.64 on a perfect display.
    perfect = MEASUREMENTS["grey_ramp"].analyse(draw(loud), TARGETS["gamma22"])
    assert perfect["de2000_mean"].mean() == pytest.approx(0.64, abs=0.05)
    assert b.noise_floor["de2000_mean"] == pytest.approx(np.quantile(perfect["de2000_mean"], 0.95), rel=0.1)


def test_the_ladder_offers_settings():
    patches = MEASUREMENTS["brightness_ladder"].patches(Context(luminance_levels=tuple(range(0, 101, 10))))
    XYZ = np.array(
        [np.array([0.95, 1.0, 1.09]) * (20 + 2.8 * p.level) * (1 if p.rgb[0] else 1 / 1000) for p in patches]
    )
    f = analyse(
        "brightness_ladder", collect(patches, XYZ, np.zeros(len(patches), bool), NO_NOISE), TARGETS["srgb"]
    ).figures
    assert f["setting_for_120_cd_m2"] == pytest.approx(100 / 2.8, abs=0.01)
    assert f["contrast_by_setting"] == pytest.approx(np.full(11, 1000))
    assert (f["min_cd_m2"], f["max_cd_m2"]) == pytest.approx((20, 300))
