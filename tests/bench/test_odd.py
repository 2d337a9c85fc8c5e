"""Greys that do not lie where their neighbours say."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.bench.outliers import odd_greys

LEVELS = np.round(np.arange(0, 1.01, 0.05), 2)


def ramp(gamma=2.2, white=200.0, black=0.1, levels=LEVELS):
    return {float(v): black + (white - black) * float(v) ** gamma for v in levels}


def u(Y):
    return float(np.hypot(0.001 * Y, 0.0003))


@given(st.floats(1.6, 2.8), st.floats(30, 2000), st.floats(0.001, 0.5), st.integers(0, 2**32 - 1))
def test_a_smooth_ramp_with_its_noise_is_not_odd(gamma, white, black, seed):
    rng = np.random.default_rng(seed)
    read = {
        v: Y + u(Y) * float(np.clip(rng.standard_normal(), -2.5, 2.5)) for v, Y in ramp(gamma, white, black).items()
    }
    assert odd_greys({v: Y for v, Y in read.items() if v == 0 or v >= 0.2}, u) == []


@given(st.sampled_from([0.2, 0.35, 0.5, 0.65, 0.8, 0.9]), st.sampled_from([-0.12, -0.06, 0.06, 0.12]))
def test_what_is_off_is_the_first_to_be_suspected(level, off):
    read = ramp()
    read[level] *= 1 + off
    assert odd_greys(read, u)[0] == level


@pytest.mark.parametrize("end", [1.0, 0.05])
def test_an_end_of_the_ramp_is_suspected_with_the_level_beside_it(end):
    read = ramp()
    read[end] *= 1.2
    beside = 0.95 if end == 1.0 else 0.1
    assert set(odd_greys(read, u)[:2]) == {end, beside}


def test_out_of_order_is_odd_among_few_levels_too_and_less_than_the_noise_is_not():
    assert set(odd_greys({0.0: 0.1, 0.5: 60.0, 0.75: 50.0, 1.0: 200.0}, u)) == {0.5, 0.75}
    assert odd_greys({0.0: 0.1, 0.5: 60.0, 0.75: 59.9, 1.0: 200.0}, u) == []
    assert odd_greys({1.0: 200.0}, u) == [] and odd_greys({}, u) == []
    # What lies on black is told by black alone.
    assert odd_greys({0.0: 0.5, 0.02: 0.5, 0.04: 0.45, 1.0: 200.0}, u) == []


def test_a_bend_of_the_display_itself_is_no_fault():
    read = {v: Y if v < 0.6 else 0.93 * Y + 0.07 * ramp()[0.6] for v, Y in ramp().items()}
    assert odd_greys(read, u) == []
