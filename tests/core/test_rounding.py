"""What a meter shows is rounded: that is part of what a figure does not know."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits, step_of
from lumenar.core.targets import TARGETS

levels = st.lists(st.floats(0, 2000), min_size=1, max_size=20)


@given(levels, st.integers(0, 4))
def test_the_step_is_that_of_the_last_place_shown(values, places):
    shown = [round(v, places) for v in values]
    step = step_of(shown)
    # They may all happen to end in noughts, never in a digit that is not there.
    assert step >= 10.0**-places
    assert all(abs(v / step - round(v / step)) < 1e-6 for v in shown)
    odd = 1 + 10.0**-places
    assert step_of([*shown, odd]) == pytest.approx(10.0**-places)


@given(levels)
def test_finer_numbers_and_no_numbers_tell_of_no_rounding(values):
    assert step_of([*values, 1 / 3]) == 0
    assert step_of([np.nan, 1.25]) == step_of([1.25]) == pytest.approx(0.01)
    assert step_of([]) == step_of([np.nan]) == 0


def test_rounding_adds_to_the_noise_that_does_not_depend_on_the_light():
    meter = MeterLimits(0.002, 0.0, 0.001)
    assert meter.as_shown([1 / 3]) is meter
    assert meter.as_shown([152.0, 0.15]).absolute == pytest.approx(np.hypot(0.001, 0.01 / 12**0.5))
    assert meter.as_shown([152.0, 90.0]).limit == pytest.approx(2 * np.hypot(0.001, 1 / 12**0.5))


def test_a_contrast_of_a_black_shown_to_two_places_lies_in_its_interval():
    noise, limits = np.random.default_rng(4), MeterLimits(0.002, 0.0, 0.001)
    patches = MEASUREMENTS["white_black"].patches(Context())
    black = np.array([p.rgb == (0.0, 0.0, 0.0) for p in patches])
    held = []
    for _ in range(300):
        true = noise.uniform(0.05, 0.25)
        Y = np.where(black, true, 152.0)
        read = Y * (1 + 0.002 * noise.standard_normal(len(Y))) + 0.001 * noise.standard_normal(len(Y))
        shown = np.round(read, 2)
        XYZ = np.outer(shown, (0.9505, 1, 1.089))
        readings = collect(patches, XYZ, np.zeros(len(Y), bool), limits.as_shown(shown))
        u = analyse("white_black", readings, TARGETS["srgb"]).uncertainty["contrast_ratio"]
        held.append(u.low <= 152.0 / true <= u.high)
    assert 0.91 <= np.mean(held) <= 0.99
