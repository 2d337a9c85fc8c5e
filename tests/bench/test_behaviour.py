"""What is put into a display is what the analysis finds, within the stated uncertainty."""

from itertools import pairwise

import numpy as np
import pytest

from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.simulated.behaviour import shading
from lumenar.core.colour import gamut, spaces
from lumenar.core.measurements.uniformity import worst_place
from lumenar.core.uncertainty import measurable

from ..conftest import MONITOR, PHONE
from .carry import carry_out, context_of, figures, unit

HELD = PANEL_TIMINGS["oled"]


def close(analysis, key, truth, sigmas=4.0, least=0.0):
    """A figure agrees with the truth within its uncertainty."""
    u = analysis.uncertainty[key].standard
    assert abs(analysis.scalar(key) - truth) <= max(sigmas * u, least), (key, analysis.scalar(key), truth, u)


def test_coverage_is_that_of_the_spectra(units):
    a, bench = figures(unit(units[PHONE]), "gamut")
    bench.remote.select("Faithful")
    triangle = spaces.XYZ_to_uv(bench.remote.XYZ(np.eye(3)))
    for name, space in (("p3", spaces.P3_D65), ("srgb", spaces.BT709)):
        truth = float(gamut.coverage_percent(triangle, spaces.xy_to_uv(np.array(space.primaries))))
        close(a, f"coverage_{name}_uv_percent", truth)


def test_a_dip_at_ten_percent_is_found_there(units):
    dip = {"curve_table": [[0, 0], [0.05, 0.05], [0.1, 0.08], [0.15, 0.15], [1, 1]], "white_gains": [1, 1, 1]}
    a, _ = figures(unit(units[MONITOR], clamp="bt709", **dip), "grey_ramp")
    f = a.figures
    at = int(np.nanargmin(f["error_lstar"]))
    assert f["levels_percent"][at] == pytest.approx(10, abs=0.05)
    srgb = [116 * np.cbrt(((v + 0.055) / 1.055) ** 2.4) - 16 for v in (0.08, 0.1)]
    assert f["error_lstar"][at] == pytest.approx(srgb[0] - srgb[1], abs=0.3)


def test_a_white_subpixel_breaks_additivity_and_is_as_large_as_it_is(units):
    plain = {"clamp": None, "saturation": 1.0, "white_gains": [1, 1, 1], "gamma": 2.2}
    a, _ = figures(unit(units[MONITOR], behaviour={"white_subpixel": 0.25}, **plain), "additivity")
    assert a.scalar("additive") == 0
    close(a, "white_boost_percent", 25.0, least=0.3)
    ideal, _ = figures(unit(units[MONITOR], **plain), "additivity")
    assert ideal.scalar("additive") == 1 and ideal.scalar("sum_error_max_percent") < 1


def test_area_limiting_is_the_drop_over_windows(units):
    limit = {"area_limit": [[0, 1], [0.25, 1], [0.5, 0.85], [1, 0.6]]}
    a, bench = figures(unit(units[MONITOR], behaviour=limit), "window_ladder")
    share = bench.remote.drive((1.0, 1.0, 1.0)).mean()
    truth = np.interp(share, [0, 0.25, 0.5, 1], [1, 1, 0.85, 0.6])
    close(a, "drop_percent", 100 * (1 - truth), least=0.3)
    assert a.scalar("steadiness_percent") < 97


def test_a_load_gives_a_time_constant(units):
    a, _ = figures(unit(units[MONITOR], behaviour={"load_depth": 0.2, "load_tau_s": 40.0}), "hold")
    assert a.scalar("tau_s_100") == pytest.approx(40, rel=0.1)
    share = a.scalar("settled_cd_m2_100") / a.figures["luminance_cd_m2_100"][0]
    drift = a.scalar("drift_percent_100")
    assert drift < -5 and share == pytest.approx(1 + drift / 100, abs=0.01)
    assert abs(a.scalar("drift_percent_10")) < abs(drift) / 3, "a small window loads the panel less"


def test_static_dimming_is_told_with_its_time(units):
    a, _ = figures(unit(units[MONITOR], behaviour={"static_dim_after_s": 92.0, "static_dim_to": 0.8}), "hold")
    for window in ("10", "100"):
        assert a.scalar(f"dimmed_after_s_{window}") == 95
        assert a.scalar(f"tau_s_{window}") is None, "a step is no decay"


def test_the_uniformity_map_is_found_zone_by_zone(units):
    behaviour = {"edge_falloff": 0.2, "tint_corner": (1, -1), "corner_tint": (0.08, -0.05, 0.04), "dark_clouds": 0.2}
    file = unit(units[PHONE], behaviour=behaviour)
    a, bench = figures(file, "uniformity", context=context_of(file, grid=(7, 5)))
    drive = bench.remote.drive((1.0, 1.0, 1.0))
    for level, name in ((1.0, "white"), (0.2, "dark")):
        truth = []
        own = float(bench.remote.drive((level,) * 3).max())
        for c, r in a.figures["zones"]:
            gains = shading(file.behaviour, ((c + 0.5) / 7, (r + 0.5) / 5), own)
            truth.append((drive * gains) @ bench.remote.channel_XYZ[:, 1])
        centre = drive @ bench.remote.channel_XYZ[:, 1]
        assert a.figures[f"{name}_luminance_percent"] == pytest.approx(100 * np.array(truth) / centre, abs=1.2)
    assert worst_place(a.figures) == "upper right"
    assert a.scalar("uniformity_de2000_p95") <= a.scalar("uniformity_de2000_worst")
    assert a.scalar("uniformity_de2000_judged") == a.scalar("uniformity_de2000_p95")


def test_drift_during_the_grid_is_no_unevenness(units):
    # The panel fades by a fifth while the grid is read; only what differs between places at one time counts.
    fading = {"warm_up_depth": 0.2, "warm_up_tau_s": 30_000.0}
    a, _ = figures(unit(units[PHONE], behaviour=fading), "uniformity")
    assert a.scalar("uniformity_falloff_percent") < 0.8
    assert "uniformity_de2000_p95" in a.figures
    small, _ = figures(unit(units[PHONE]), "uniformity", context=context_of(unit(units[PHONE]), grid=(3, 3)))
    assert "uniformity_de2000_p95" not in small.figures


def test_zone_dimming_blooms_on_the_checkerboard(units):
    file = unit(units[PHONE], behaviour={"zone_dimming": True, "bloom": 0.004})
    a, _bench = figures(file, "contrast")
    after_white, beside_white = a.scalar("sequential_contrast_10"), a.scalar("checker_contrast_ratio")
    assert after_white is None or after_white > 5 * beside_white
    leak = file.light.leakage
    assert beside_white == pytest.approx(1 / (0.004 + leak), rel=0.08)
    assert a.scalar("black_raise_percent_of_white") == pytest.approx(100 * (0.004 + 0.98 * leak), rel=0.05)


@pytest.mark.parametrize("shape", ["sine", "pulse"])
def test_light_modulation_is_found_with_depth_and_frequency(units, shape):
    modulation = {"shape": shape, "frequency_hz": 231.7, "depth": [[0, 0.6], [100, 0.0]]}
    a, _ = figures(unit(units[MONITOR], behaviour={"modulation": modulation}), "modulation")
    f = a.figures
    assert f["frequency_by_setting_hz"][0] == pytest.approx(231.7, abs=0.1)
    truth = 60 if shape == "sine" else 100 * 0.6 / (2 - 0.6)
    assert f["modulation_by_setting_percent"][0] == pytest.approx(truth, rel=0.03)
    assert f["modulation_by_setting_percent"][-1] == 0 and f["region_by_setting"][-1] == 0


def test_crushed_and_clipped_steps_are_counted(units):
    crush = [[0, 0], [0.035, 0], [0.06, 0.03], [0.12, 0.12], [0.94, 0.97], [0.955, 1.0], [1, 1]]
    file = unit(units[PHONE], curve_table=crush, gamma=2.2, light={"panel_bits": 14, "input_bits": 12})
    dark, _ = figures(file, "near_black")
    assert dark.figures["crushed"][dark.figures["levels_percent"] <= 3.4].sum() == dark.scalar("crushed_steps") == 3
    assert dark.scalar("first_visible_percent") == pytest.approx(4, abs=0.02)
    bright, _ = figures(file, "near_white")
    assert bright.scalar("lost_steps") == 4
    straight, _ = figures(unit(units[PHONE], gamma=2.2, light={"panel_bits": 14, "input_bits": 12}), "near_white")
    assert straight.scalar("lost_steps") == 0


def test_headroom_shows_the_codes_above_white(units):
    file = unit(units[PHONE], gamma=2.2, headroom=True, light={"panel_bits": 12, "input_bits": 10})
    shown, _ = figures(file, "near_white", context=context_of(file, limited=True))
    assert shown.scalar("above_white_steps") >= 8
    cut, _ = figures(
        unit(units[PHONE], gamma=2.2), "near_white", context=context_of(unit(units[PHONE], gamma=2.2), limited=True)
    )
    assert cut.scalar("above_white_steps") == 0


def test_the_volume_is_that_of_the_light(units):
    a, bench = figures(unit(units[PHONE], light={"leakage": 0.0}), "volume")
    from lumenar.core.colour import volume
    from lumenar.core.targets import TARGETS

    surface = volume.cube(10)
    XYZ = bench.remote.XYZ(np.round(surface.rgb * 255) / 255)
    Lab = TARGETS["srgb"].Lab(XYZ, np.array(XYZ[surface.rgb.sum(axis=1) == 3][0, 1]))
    truth = float(volume.mesh_volume(Lab, surface))
    close(a, "volume_cubic_lab", truth, least=0.004 * truth)


def test_the_uncertainty_of_a_shared_volume_is_that_of_whole_analyses(units):
    # Draws follow how the surface moves; here each is cut and intersected in full.
    from lumenar.core.measurements import MEASUREMENTS
    from lumenar.core.targets import TARGETS
    from lumenar.core.uncertainty import draw

    readings, _ = carry_out(unit(units[PHONE]), "volume")
    m, target = MEASUREMENTS["volume"], TARGETS["display_p3"]
    own = readings.take(m.select(readings))
    drawn = draw(own, draws=30)
    key = "volume_percent_of_target"
    quick = m.analyse(drawn, target)[key]
    whole = np.array([m.analyse(own.with_XYZ(XYZ), target)[key] for XYZ in drawn.XYZ])
    assert np.corrcoef(quick, whole)[0, 1] > 0.95
    np.testing.assert_allclose(quick.std(), whole.std(), rtol=0.2)


@pytest.mark.parametrize(
    "measurement", ["white_black", "brightness_ladder", "grey_ramp", "gamut", "saturation", "additivity", "uniformity"]
)
def test_figures_scatter_as_their_uncertainty_says(units, measurement):
    """The whole measurement carried out again and again: what differs is what each of them says may differ."""
    # Black is a number here: what an unknown one leaves open does not scatter.
    file = unit(units[MONITOR], light={"leakage": 0.0008})
    found = [figures(file, measurement, seed=seed)[0] for seed in range(1, 21)]
    checked = 0
    for key in found[0].uncertainty:
        values = [a.scalar(key) for a in found]
        if key.endswith(("_index", "_level_percent")) or None in values:
            continue
        scatter = float(np.std(values, ddof=1))
        stated = float(np.sqrt(np.mean([a.uncertainty[key].standard ** 2 for a in found])))
        # What an unknown black leaves open does not scatter: it is the same each time.
        if max(scatter, stated) < 1e-9 or any(key in a.range for a in found):
            continue
        # Twenty values tell a standard deviation to a sixth; four times that is allowed.
        assert scatter < 1.7 * stated, (key, scatter, stated)
        checked += 1
        if "dark" not in key and "black" not in key:
            assert scatter > 0.35 * stated, (key, scatter, stated)
        pairs = list(pairwise(found))
        told = [measurable(a.scalar(key) - b.scalar(key), (a.draws[key] - b.draws[key]).std()) for a, b in pairs]
        assert sum(told) <= 5, f"{key}: the same display differs from itself in {sum(told)} of {len(pairs)} comparisons"
    assert checked >= 3


def test_blue_light_is_that_of_the_spectrum(units):
    from lumenar.core.measurements.blue_light import radiance_between

    a, bench = figures(unit(units[MONITOR]), "blue_light")
    from lumenar.core.colour import spectra

    true = bench.remote.spectrum((1.0, 1.0, 1.0))
    share = radiance_between(spectra.WAVELENGTHS, true, 415, 455) / radiance_between(
        spectra.WAVELENGTHS, true, 400, 700
    )
    assert a.scalar("blue_share_percent") == pytest.approx(100 * share, rel=0.02)
    assert a.scalar("melanopic_der") == pytest.approx(float(spectra.melanopic_der(spectra.WAVELENGTHS, true)), rel=0.01)


def test_samples_of_one_model_differ(units):
    from lumenar.bench.simulated.light import SimulatedUnit
    from lumenar.bench.simulated.unit_file import parse_unit

    first = parse_unit(units[MONITOR])
    second = first.of_sample(first.samples[0])
    whites = [spaces.XYZ_to_uv(SimulatedUnit(f).XYZ((1.0, 1.0, 1.0))) for f in (first, second)]
    assert 0.0005 < np.linalg.norm(whites[0] - whites[1]) < 0.02
    assert (second.firmware, second.sample) == ("1.06", "B") and second.modes[0] != first.modes[0]
    assert np.array_equal(SimulatedUnit(second).XYZ((1.0, 1.0, 1.0)), SimulatedUnit(second).XYZ((1.0, 1.0, 1.0)))


def test_readings_carry_their_bench_time(units):
    readings, _ = carry_out(unit(units[PHONE]), "white_black")
    assert np.all(np.diff(np.sort(readings.time_s)) > 0) and readings.time_s.min() > 36_000
