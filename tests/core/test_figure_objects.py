"""Figures as objects: each is one that its measurement gives, and each list of them is in its order."""

import numpy as np
import pytest

from lumenar.core.analysis import analyse
from lumenar.core.measurements import COMPARED, EXPECTED, FIGURES, MEASUREMENTS, PROMISED, Context, modulation
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch, Waveform
from lumenar.core.targets import TARGETS, Anchor

USUAL = {"sdr": "gamma22", "pq": "p3_d65_pq", "hlg": "bt2020_hlg"}
UNDER_THE_FLOOR = {"contrast_at_least"}


def found(measurement):
    """The figures of a perfect display, in every signal that the measurement has."""
    m, keys = MEASUREMENTS[measurement], set()
    for signal in m.signals:
        target = TARGETS[USUAL[signal]]
        levels = tuple(range(0, 101, 10))
        patches = m.patches(Context(target=target, luminance_levels=levels))
        scale = np.array([(p.level or 100) / 100 for p in patches])[:, None]
        XYZ = target.XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(300.0), np.array(0.05))) * scale
        readings = collect(patches, XYZ, np.zeros(len(patches), bool), MeterLimits(0.001, 0.001))
        keys |= set(analyse(m, readings, target, uncertain=False).figures)
    return keys


@pytest.mark.parametrize("measurement", sorted({f.measurement for f in FIGURES} - {"blue_light", "modulation"}))
def test_a_figure_is_one_that_its_measurement_gives(measurement):
    own = {f.key for f in MEASUREMENTS[measurement].figures}
    assert own - UNDER_THE_FLOOR <= found(measurement)
    assert {f.measurement for f in MEASUREMENTS[measurement].figures} == {measurement}


def test_the_depth_of_modulation_is_one_that_it_gives():
    pulse = Waveform(1000.0, np.tile([0.0, 1.0], 500))
    patches = [Patch((1.0, 1.0, 1.0), 0.1, reads="waveform")]
    limits = MeterLimits(0.001, 0.001)
    readings = collect(patches, np.full((1, 3), np.nan), np.zeros(1, bool), limits, traces=[pulse])
    assert modulation.DEPTH.key in analyse("modulation", readings, TARGETS["srgb"], uncertain=False).figures


def test_lists_are_in_their_order_and_no_place_is_taken_twice():
    for figures, place in (
        (COMPARED, lambda f: f.compared),
        (EXPECTED, lambda f: f.expected),
        (PROMISED, lambda f: f.promise.place),
    ):
        places = [place(f) for f in figures]
        assert places == list(range(1, len(figures) + 1))
    assert [f.name for f in EXPECTED[:3]] == ["white_black.white_cd_m2", "white_black.cct_k", "grey_ramp.de2000_mean"]
    assert COMPARED[0].better == -1 and len({f.name for f in FIGURES}) == len(FIGURES)


def test_levels_near_white_are_given_in_percent_of_the_signal():
    patches = MEASUREMENTS["near_white"].patches(Context(target=TARGETS["gamma22"]))
    XYZ = TARGETS["gamma22"].XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(300.0), np.array(0.05)))
    readings = collect(patches, XYZ, np.zeros(len(patches), bool), MeterLimits(0.001, 0.001))
    found = analyse("near_white", readings, TARGETS["gamma22"], uncertain=False).figures["levels_percent"]
    assert found.max() == 100 and np.allclose(found, 100 * np.sort([p.rgb[0] for p in patches]))


def test_how_far_a_replay_may_lie_from_what_a_recipe_promises():
    assert {f.name: f.promise.tolerance for f in PROMISED} == {
        "white_black.white_cd_m2": 0.05,
        "white_black.white_de2000": 1.0,
        "grey_ramp.de2000_mean": 0.7,
        "grey_ramp.curve_rms_lstar": 1.0,
        "pq_tracking.code_rms_percent": 1.0,
        "pq_tracking.de_itp_mean": 2.0,
        "hlg_tracking.code_rms_percent": 1.0,
        "hlg_tracking.de_itp_mean": 2.0,
        "gamut.de2000_mean": 1.0,
        "gamut.coverage_target_uv_percent": 1.0,
    }
    assert [f.name for f in PROMISED if f.promise.relative] == ["white_black.white_cd_m2"]
