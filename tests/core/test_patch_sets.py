"""The patches of the measurements, and that readings find their measurement again."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core import appearance
from lumenar.core.analysis import analyse
from lumenar.core.colour import spaces
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.measurements.base import direction
from lumenar.core.measurements.charts import Table
from lumenar.core.measurements.colours import decode, encode, lab_to_linear
from lumenar.core.measurements.hold import decays, fit
from lumenar.core.measurements.swatches import code, even_set, own_set
from lumenar.core.measurements.zones import contour
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS, Anchor

SDR = [t for t in TARGETS.values() if t.signal == "sdr"]
LADDER = tuple(float(v) for v in range(0, 101, 10))


def ideal(target, patches, white=160.0, black=0.08):
    XYZ = target.XYZ(np.clip(np.array([p.rgb for p in patches]), 0, 1), Anchor(np.array(white), np.array(black)))
    return collect(patches, XYZ, np.zeros(len(patches), bool), MeterLimits(0.0, 0.0))


@pytest.mark.parametrize("target", SDR, ids=lambda t: t.key)
@pytest.mark.parametrize("bits", [8, 10])
@pytest.mark.parametrize("key", ["saturation", "swatches", "volume", "additivity", "near_black", "near_white"])
def test_unnamed_readings_find_their_measurement_and_a_perfect_display_has_no_error(key, target, bits):
    m = MEASUREMENTS[key]
    patches = m.patches(Context(target=target, bits=bits))
    assert len(set(patches)) == len(patches) or key == "additivity"
    readings = ideal(target, patches)
    assert len(m.select(readings)) == len(readings)
    f = analyse(m, readings, target, uncertain=False).figures
    if key in ("saturation", "swatches"):
        assert f["de2000_max"] < 1e-6 and np.nanmax(np.abs(f["chroma_error_percent"])) < 1e-6
    elif key == "volume":
        assert 98.5 < f["volume_percent_of_target"] <= 100
    elif key == "additivity":
        assert f["additive"] == 1 and f["sum_error_max_percent"] < 1e-6
    elif key == "near_black":
        assert f["error_rms_lstar"] < 1e-6 and f["crushed_steps"] == 0
    else:
        assert f["lost_steps"] == 0


def test_our_swatches_lie_inside_bt709_and_are_spread():
    Lab = np.array(own_set())
    assert len(Lab) == 40 + 8 + 8 and len(np.unique(Lab, axis=0)) == 56
    linear = lab_to_linear(Lab, TARGETS["srgb"])
    assert linear.min() > -1e-9 and linear.max() < 1 + 1e-9
    hues = np.degrees(np.arctan2(Lab[:40, 2], Lab[:40, 1])) % 360
    assert sorted(set(np.round(hues).astype(int) % 360)) == [36 * k for k in range(10)]
    assert code(Lab[:1])[0].startswith("H000 L30 C") and code(Lab[-1:])[0] == "N94"
    for target in SDR:
        even = np.array(even_set(target))
        inside = lab_to_linear(even, target)
        assert len(even) == 96 and inside.min() >= 0 and inside.max() <= 1
        assert np.all(np.ptp(even, axis=0) > [75, 120, 120])


@given(st.sampled_from(SDR), st.floats(0, 1))
def test_codes_decode_to_the_light_they_were_made_for(target, light):
    assert decode(encode(light, target), target) == pytest.approx(light, abs=1e-9)


@given(st.floats(5, 300), st.floats(-0.4, 0.4), st.floats(20, 2000))
def test_a_decay_is_fitted_as_it_is(tau, depth, level):
    t = np.arange(0, 181, 5.0)
    y = level * (1 + depth * np.exp(-t / tau))
    infinite, start, found = fit(t, y)
    assert infinite + (start - infinite) * np.exp(-t / found) == pytest.approx(y, rel=0.004)


def test_noise_alone_is_no_decay():
    t = np.arange(0, 181, 5.0)
    rng = np.random.default_rng(3)
    share = {}
    for depth in (0.0, 0.006):
        Y = 100 * (1 - depth * (1 - np.exp(-t / 60)) + 0.001 * rng.standard_normal((2000, len(t))))
        share[depth] = decays(t, Y, fit(t, Y), 0.001).mean()
    assert share[0.0] < 0.002 and share[0.006] > 0.98


@given(st.floats(0.1, 0.9), st.floats(-1, 1), st.floats(-1, 1))
def test_a_contour_lies_on_its_level(level, a, b):
    x, y = np.linspace(0, 1, 30), np.linspace(0, 1, 20)
    z = 0.5 + a * (x[None, :] - 0.5) + b * (y[:, None] - 0.5)
    for px, py in contour(x, y, z, level):
        if px is not None:
            assert 0.5 + a * (px - 0.5) + b * (1 - py - 0.5) == pytest.approx(level, abs=2e-4)


def test_places_have_names():
    assert direction((0.9, 0.1)) == "upper right" and direction((0.5, 0.5)) == "centre"
    assert direction((0.1, 0.5)) == "left" and direction((0.5, 0.95)) == "lower"


def test_what_is_no_number_is_no_value_in_a_table():
    table = Table(("a", "b"), (0, None), ((float("nan"), "text"), (1.0, None)))
    assert table.rows == ((None, "text"), (1.0, None))


def test_grids_ladders_and_options_change_the_patches():
    def count(key, **options):
        return len(MEASUREMENTS[key].patches(Context(luminance_levels=LADDER, **options)))

    assert [count("uniformity", grid=g) for g in ((3, 3), (5, 5), (7, 5))] == [4 * (9 + 3), 4 * (25 + 6), 4 * (35 + 7)]
    assert [count("grey_ramp", grey_step=s) for s in (10, 5, 2, 1)] == [11, 21, 51, 101]
    assert count("hold", hold_s=1800) <= 2 * 73 and count("hold") == 74
    assert count("near_black", fine_black=True) > count("near_black") + 10
    assert count("near_white", limited=True) == count("near_white") + 13
    assert [count("additivity", sum_levels=n) for n in (1, 10)] == [9, 72]


def test_a_model_of_the_display_shows_what_was_read():
    target = TARGETS["display_p3"]
    patches = [p for k in ("grey_ramp", "gamut") for p in MEASUREMENTS[k].patches(Context())]
    readings = ideal(target, list(dict.fromkeys(patches)))
    model = appearance.model_of(readings, readings)
    assert model.XYZ(readings.rgb) == pytest.approx(readings.XYZ, rel=1e-6, abs=1e-6)
    meant, shown = appearance.both_Lab(model, appearance.scene("skin"), target)
    assert np.abs(meant - shown).max() < 1.0, "between the levels read the curve is joined by straight lines"
    grey = np.array([[50.0, 0.0, 0.0], [100.0, 0.0, 0.0], [60.0, 120.0, -90.0]])
    codes, outside = appearance.to_codes(grey)
    assert codes[1].tolist() == [255, 255, 255] and np.ptp(codes[0]) <= 1 and outside == pytest.approx(100 / 3)
    assert spaces.XYZ_to_xy(model.XYZ(np.ones(3))) == pytest.approx(spaces.D65_XY, abs=1e-6)
