"""Properties that hold for any input."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.interpolate import PchipInterpolator

from lumenar.core.colour import adaptation, correction, difference, gamut, spaces, temperature, transfer, volume
from lumenar.core.measurements.base import balance, worst
from lumenar.core.measurements.brightness_ladder import settings_for
from lumenar.core.measurements.charts import around, tick_step
from lumenar.core.monotone import isotonic, pchip
from lumenar.core.numbers import mid_sentence, signed
from lumenar.core.targets import TARGETS, Anchor

unit = st.floats(0, 1)
lab = arrays(float, (3,), elements=st.floats(-100, 100)).map(lambda a: np.array([abs(a[0]), a[1], a[2]]))
positive_XYZ = arrays(float, (3,), elements=st.floats(0.01, 1000))


@given(unit)
def test_curves_have_inverses_and_rise(V):
    np.testing.assert_allclose(transfer.srgb_inverse(transfer.srgb(V)), V, atol=1e-9)
    np.testing.assert_allclose(transfer.pq_inverse(transfer.pq(V)), V, atol=1e-6)
    higher = min(1.0, V + 0.01)
    for curve in (
        transfer.srgb,
        transfer.pq,
        lambda v: transfer.bt1886(v, 100.0, 0.1),
        lambda v: transfer.power(v, 2.2),
    ):
        assert curve(higher) >= curve(V)


@given(lab, lab)
def test_de2000_is_symmetric_and_its_terms_make_it_up(one, two):
    parts = difference.de2000_parts(one, two)
    back = difference.de2000_parts(two, one)
    np.testing.assert_allclose(parts.de2000, back.de2000, rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose([parts.lightness, parts.chroma], [-back.lightness, -back.chroma], atol=1e-9)
    total = parts.lightness**2 + parts.chroma**2 + parts.hue**2 + parts.rotation * parts.chroma * parts.hue
    np.testing.assert_allclose(parts.de2000**2, max(total, 0), rtol=1e-9, atol=1e-9)
    assert difference.de2000(one, one) == 0


@given(positive_XYZ, positive_XYZ, positive_XYZ)
def test_adaptation_maps_white_to_white_and_back(colour, one, two):
    one, two = one / one[1] + 1, two / two[1] + 1
    np.testing.assert_allclose(adaptation.adapt(one, one, two), two, rtol=1e-7)
    there = adaptation.adapt(colour, one, two)
    np.testing.assert_allclose(adaptation.adapt(there, two, one), colour, rtol=1e-6, atol=1e-9)


triangle = arrays(float, (3, 2), elements=st.floats(0, 1)).filter(lambda t: gamut.area(t) > 1e-3)


@given(triangle, triangle, st.permutations([0, 1, 2]))
@example(
    np.array([[0, 0], [0.5, 0], [1e-12, 1]]), np.array([[0, 1], [0, 0.5], [0.5, 0.5]]), [0, 1, 2]
)  # sides that nearly coincide
def test_shared_area_is_bounded_symmetric_and_blind_to_order(one, two, order):
    shared = float(gamut.shared_area(one, two))
    assert -1e-12 <= shared <= min(gamut.area(one), gamut.area(two)) + 1e-12
    np.testing.assert_allclose(gamut.shared_area(two, one), shared, atol=1e-9)
    np.testing.assert_allclose(gamut.shared_area(one[order], two), shared, atol=1e-9)
    np.testing.assert_allclose(gamut.shared_area(one, one), gamut.area(one), atol=1e-9)


@given(triangle, st.floats(0.05, 1))
def test_a_shrunk_triangle_covers_its_share(one, factor):
    centre = one.mean(axis=0)
    np.testing.assert_allclose(
        gamut.coverage_percent(centre + factor * (one - centre), one), 100 * factor**2, rtol=1e-6
    )


@given(triangle, triangle)
@settings(max_examples=40)
def test_shared_area_against_counting_points(one, two):
    rng = np.random.default_rng(3)
    p = rng.uniform(0, 1, (20_000, 2))

    def inside(t):
        d = np.roll(t, -1, axis=0) - t
        side = d[:, 0] * (p[:, None, 1] - t[:, 1]) - d[:, 1] * (p[:, None, 0] - t[:, 0])
        return (side >= 0).all(axis=1) | (side <= 0).all(axis=1)

    assert abs(gamut.shared_area(one, two) - (inside(one) & inside(two)).mean()) < 0.02


@given(arrays(float, st.integers(2, 15), elements=st.floats(0, 500)))
def test_isotonic_rises_keeps_the_mean_and_leaves_rising_data_alone(y):
    fit = isotonic(y)
    assert np.all(np.diff(fit) >= -1e-9)
    np.testing.assert_allclose(fit.mean(), y.mean(), atol=1e-6)
    np.testing.assert_allclose(isotonic(np.sort(y)), np.sort(y), atol=1e-9)


@given(st.integers(2, 12), st.integers(0, 2**32 - 1), st.booleans())
def test_interpolation_is_pchip_and_stays_between_its_neighbours(n, seed, flat):
    rng = np.random.default_rng(seed)
    x, y = np.cumsum(rng.uniform(0.1, 3, n)), rng.normal(size=(2, n))
    if flat:
        y[:, : n // 2] = y[:, :1]
    at = np.linspace(x[0], x[-1], 61)
    found = pchip(x, y, at)
    np.testing.assert_allclose(found, PchipInterpolator(x, y, axis=-1)(at), atol=1e-12)
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, n - 2)
    low, high = np.minimum(y[:, k], y[:, k + 1]), np.maximum(y[:, k], y[:, k + 1])
    assert (found >= low - 1e-12).all() and (found <= high + 1e-12).all()
    np.testing.assert_array_equal(pchip(x, y, [x[0] - 1, x[-1] + 1]), pchip(x, y, x[[0, -1]]))
    with pytest.raises(ValueError, match="further along"):
        pchip(x[::-1], y, at)


@given(st.floats(-2e-4, 2e-4), st.floats(5, 400), st.floats(0, 600))
def test_an_even_drift_of_the_display_is_taken_out_of_a_series(rate, span, later):
    t = np.array([0, 0.2, 0.5, 0.7, 1]) * span
    XYZ = np.array([[95, 100, 109], [41, 21, 2], [36, 72, 12], [18, 7, 95], [95, 100, 109.0]])
    drifting = XYZ * (1 + rate * t)[:, None]
    second = XYZ * (1 + rate * (t + span + later))[:, None]
    names = ("white", "red", "green", "blue", "white")
    one, two = (
        correction.ColourReadings(names, v, s, 0.001, 0.0) for v, s in ((drifting, t), (second, t + span + later))
    )
    freed = correction.without_drift(one, two)
    # The logarithm of the light is taken to change evenly: what is left of an even change of the light is its square.
    left = 0.2 * (abs(rate) * (2 * span + later)) ** 2 + 1e-9
    for series in freed:
        np.testing.assert_allclose(series.XYZ[0] / series.XYZ[4], 1, atol=left)
    np.testing.assert_allclose(freed[1].XYZ / freed[0].XYZ, 1, atol=2 * left)
    still = correction.ColourReadings(names, drifting, np.zeros(5), 0.001, 0.0)
    assert correction.without_drift(still, still) == (still, still)


@given(st.floats(0.6, 3), st.floats(1, 20), st.floats(100, 900), st.booleans())
def test_the_ladder_finds_the_setting_that_gives_a_luminance(gamma, low, span, falling):
    x = np.linspace(0, 100, 11)
    Y = low + span * (x / 100) ** gamma
    wanted = [low + 0.3 * span, low + span * 0.77]
    found = settings_for(x, Y[::-1] if falling else Y, wanted)
    true = 100 * (np.array([0.3, 0.77])) ** (1 / gamma)
    np.testing.assert_allclose(100 - found if falling else found, true, atol=1.5)
    assert np.isnan(settings_for(x, Y, [low + span * 1.01, low * 0.9])).all()


@given(positive_XYZ, st.floats(0.01, 50))
def test_balance_does_not_see_luminance(XYZ, factor):
    target = TARGETS["srgb"]
    np.testing.assert_allclose(balance(XYZ, target), balance(XYZ * factor, target), rtol=1e-9)
    np.testing.assert_allclose(balance(target.white_XYZ(factor), target), 100, rtol=1e-9)


@given(arrays(float, st.integers(1, 50), elements=st.floats(0, 30)))
def test_worst_tenth_and_rest(errors):
    s = worst(errors)
    n = -(-len(errors) // 10)
    assert s["max"] >= s["worst_tenth"] - 1e-9 >= s["mean"] - 1e-6
    if len(errors) > n:
        np.testing.assert_allclose(
            (n * s["worst_tenth"] + (len(errors) - n) * s["rest"]) / len(errors), errors.mean(), atol=1e-9
        )
    assert errors[int(s["index"])] == s["max"]


@given(st.floats(10, 1000), st.floats(0, 0.5), arrays(float, (4, 3), elements=unit))
def test_targets_reach_white_and_black_and_scale(white, black, rgb):
    anchor = Anchor(np.array(white), np.array(black))
    for target in TARGETS.values():
        if target.signal != "sdr":
            continue
        ends = target.XYZ(np.array([[1.0] * 3, [0.0] * 3]), anchor)
        np.testing.assert_allclose(ends[0], target.white_XYZ(white), rtol=1e-9)
        np.testing.assert_allclose(ends[1, 1], black, rtol=1e-6, atol=1e-9)
        assert np.all(target.XYZ(rgb, anchor)[:, 1] <= white * (1 + 1e-9))


@given(st.floats(1500, 20_000))
def test_the_locus_itself_has_no_duv(kelvin):
    cct, duv = temperature.cct_duv(temperature.planck_xy(kelvin))
    np.testing.assert_allclose(cct, kelvin, rtol=1e-4)
    assert abs(duv) < 1e-6


@given(st.floats(-1000, 1000), st.floats(0.001, 1000))
def test_axes_hold_their_values_on_round_ticks(low, span):
    a, b = around([low, low + span])
    step = tick_step(b - a)
    assert a <= low + 1e-6 * span and b >= low + span - 1e-6 * span
    assert (b - a) / step <= 7.01


def test_chromaticities_without_light_are_no_numbers():
    assert np.isnan(spaces.XYZ_to_xy([0, 0, 0])).all()
    assert np.isnan(spaces.XYZ_to_uv(np.zeros((2, 3)))).all()
    cct, duv = temperature.cct_duv([[np.nan, np.nan], [0.3, 0.6]])
    assert np.isnan(cct).all() and np.isnan(duv[0])


@settings(max_examples=15, deadline=None)
@given(arrays(float, (3, 3), elements=st.floats(0.05, 1.0)), st.floats(0.5, 1.0), st.floats(1.6, 2.6))
def test_solids_share_no_more_than_either_has_and_rings_end_at_the_volume(mix, scale, gamma):
    surface = volume.cube(10)
    white = spaces.xy_to_XYZ(spaces.D65_XY)
    spread = np.eye(3) * 2 + mix / mix.sum(axis=0)
    M = spaces.BT709.matrix @ (spread / spread.sum(axis=1, keepdims=True))
    solids = [
        volume.solid(spaces.XYZ_to_Lab(scale * surface.rgb**gamma @ m.T, white), surface)
        for m in (M, spaces.P3_D65.matrix)
    ]
    own = [volume.sectors(s) for s in solids]
    shared = volume.shared_sectors(*solids)
    np.testing.assert_allclose(volume.shared_sectors(*reversed(solids)), shared, atol=1e-6)
    np.testing.assert_allclose(volume.shared_sectors(solids[0], solids[0]), own[0], rtol=1e-9, atol=1e-6)
    total = volume.volume(shared)
    assert total <= min(volume.volume(o) for o in own) * (1 + 1e-9)
    # By rays and by mesh the volume is the same, and the outermost ring encloses it.
    Lab = spaces.XYZ_to_Lab(scale * surface.rgb**gamma @ M.T, white)
    np.testing.assert_allclose(volume.volume(own[0]), volume.mesh_volume(Lab, surface), rtol=2e-3)
    # What is a little nearer to the middle lies within, what is a little farther away does not.
    middle = Lab[Lab.shape[0] // 2] * 0 + [50.0 * scale**0.4, 0, 0]
    well = (np.abs(Lab[:, 0] - middle[0]) > 2) & (Lab[:, 0] > 3) & (Lab[:, 0] < Lab[:, 0].max() - 3)
    for step, inside in ((0.9, True), (1.1, False)):
        found = volume.contains(solids[0], middle + step * (Lab - middle))[well]
        assert np.mean(found == inside) > 0.97, (step, np.mean(found == inside))
    # The normals are the derivative of the volume, whichever way the surface is moved.
    move = np.sin(np.arange(Lab.size).reshape(Lab.shape)) * 1e-3
    change = volume.mesh_volume(Lab + move, surface) - volume.mesh_volume(Lab - move, surface)
    np.testing.assert_allclose((volume.mesh_normals(Lab, surface) * 2 * move).sum(), change, rtol=1e-4, atol=1e-3)
    ring = volume.rings(own[0], np.array([50.0, 100.0]))
    np.testing.assert_allclose(
        0.5 * (ring[-1] ** 2).sum() * np.radians(volume.HUE_STEP), volume.volume(own[0]), rtol=1e-9
    )
    assert np.all(ring[1] >= ring[0] - 1e-9)


@given(st.floats(-1e4, 1e4), st.integers(0, 4))
@example(-0.04, 1)
@example(0.04, 1)
@example(-0.0, 0)
def test_a_difference_bears_its_sign_and_zero_none(value, decimals):
    text = signed(value, decimals)
    read = float(text.replace("−", "-").replace("\u2009", "").replace(",", ""))
    assert abs(read - value) <= 0.5001 * 10.0**-decimals
    assert (text[0] in "+−") == (read != 0) and "-" not in text


@pytest.mark.parametrize(
    ("title", "within"),
    [("Colour work", "colour work"), ("HDR film", "HDR film"), ("PQ tracking", "PQ tracking"), ("X", "x"), ("", "")],
)
def test_titles_within_a_sentence_keep_their_abbreviations(title, within):
    assert mid_sentence(title) == within
