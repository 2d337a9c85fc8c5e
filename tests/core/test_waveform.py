"""Light over time: noise is no modulation, components are told apart, regions follow the standard."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lumenar.core.colour import waveform
from lumenar.core.measurements import modulation
from lumenar.core.measurements.charts import Shown
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch, Waveform
from lumenar.core.targets import TARGETS

RATE = 20_000.0
T = np.arange(20_000) / RATE


def noise(u, seed=1):
    return 100 * u * np.random.default_rng(seed).standard_normal(len(T))


def test_noise_alone_is_no_modulation():
    for seed in range(20):
        found = waveform.analyse(100 + noise(0.003, seed), RATE)
        assert found.region == 0 and found.modulation_percent == 0 and found.svm == 0
        assert np.isnan(found.frequency_hz) and len(found.frequencies) == 0


@settings(max_examples=25, deadline=None)
@given(st.floats(60, 2000), st.floats(0.02, 0.9), st.integers(0, 1000))
@example(1819.0, 0.5, 104)
@example(2000.0, 0.9, 157)
def test_a_sine_in_noise_is_found_as_it_is(frequency, depth, seed):
    found = waveform.analyse(100 * (1 + depth * np.sin(2 * np.pi * frequency * T + seed)) + noise(0.002, seed), RATE)
    assert found.frequency_hz == pytest.approx(frequency, rel=1e-3)
    # A period of ten whole samples shows no more than these: the top may lie midway, and cos 18 degrees is seen of it.
    assert found.modulation_percent == pytest.approx(100 * depth, rel=0.05, abs=0.3)
    assert found.amplitudes[np.argmax(found.amplitudes)] == pytest.approx(depth, rel=0.02)


def test_many_periods_together_show_one_more_finely_than_its_samples_lie():
    found = waveform.analyse(100 * (1 + 0.5 * np.sin(2 * np.pi * 1819 * T + 104)) + noise(0.002), RATE)
    assert found.modulation_percent == pytest.approx(50, abs=0.5)
    assert found.flicker_index == pytest.approx(0.5 / np.pi, rel=0.01)


def test_two_components_are_both_there_and_the_worst_counts():
    slow, fast = 100.0, 1500.0
    found = waveform.analyse(
        100 * (1 + 0.06 * np.sin(2 * np.pi * slow * T) + 0.3 * np.sin(2 * np.pi * fast * T)) + noise(0.001), RATE
    )
    assert found.frequencies == pytest.approx([slow, fast], abs=1)
    assert found.amplitudes == pytest.approx([0.06, 0.3], rel=0.02)
    assert waveform.REGIONS[found.region] == "low risk", "6 % at 100 Hz: over 3.3, under 8"


@pytest.mark.parametrize(
    ("frequency", "percent", "region"),
    [(60, 0.5, 1), (60, 1.2, 2), (60, 2.0, 3), (120, 3.9, 1), (120, 9, 2), (120, 12, 3), (2000, 60, 1), (4000, 100, 1)],
)
def test_regions(frequency, percent, region):
    assert waveform.ieee_region([frequency], [percent / 100]) == region


@pytest.mark.parametrize(
    ("frequency", "percent", "region"),
    [
        (89.9, 0.9, 2), (90, 2.99, 1), (90, 3.01, 2), (90, 7.19, 2), (90, 7.21, 3),
        (1250, 99.9, 2), (1250, 100.1, 3), (1250.5, 100.1, 2), (3000, 99.8, 1), (3000, 100, 2), (3001, 101, 1),
    ],
)  # fmt: skip
def test_regions_at_both_sides_of_their_edges(frequency, percent, region):
    """8 % of 90 Hz to 1,250 Hz is low risk, a thirtieth up to 3,000 Hz has no effect; beyond there is no limit."""
    assert waveform.ieee_region([frequency], [percent / 100]) == region


def test_what_is_no_waveform_is_refused():
    for samples in (np.zeros(500), np.ones(20), np.full(500, np.nan)):
        with pytest.raises(ValueError, match="200 or more samples"):
            waveform.analyse(samples, RATE)


@pytest.mark.parametrize(("count", "said"), [(3, False), (30, True)])
def test_a_chart_that_leaves_components_out_says_so(count, said):
    light = 100 * (1 + sum(0.1 / k * np.sin(2 * np.pi * 120 * k * T) for k in range(1, count + 1)))
    patch = Patch((1.0, 1.0, 1.0), reads="waveform")
    readings = collect(
        [patch], np.full((1, 3), np.nan), np.array([False]), MeterLimits(), traces=[Waveform(RATE, light)]
    )
    figures = modulation.analyse(readings, TARGETS["srgb"])
    chart = modulation._spectrum_chart(Shown("Only", figures, TARGETS["srgb"]))
    assert ("the 12 strongest" in chart.note) is said and len(chart.table.rows) == min(count, 12)
