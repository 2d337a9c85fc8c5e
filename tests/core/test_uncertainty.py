"""What can be told apart."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS
from lumenar.core.uncertainty import (
    Uncertainty,
    colour_measurable,
    draw,
    holm,
    hotelling,
    measurable,
    narrowed,
    pooled,
    quantiles,
    summarise,
    with_perfect,
)

from .test_measurements import display


def test_a_scalar_difference_needs_twice_its_uncertainty_or_more_with_few_repeats():
    assert measurable(0.21, 0.1) and not measurable(0.19, 0.1)
    assert measurable(-0.44, 0.1, nu=2) and not measurable(-0.42, 0.1, nu=2)
    assert not measurable(np.nan, 0.1) and not measurable(1, np.nan)


def test_a_colour_difference_is_judged_by_its_covariance():
    S = np.diag([0.04, 0.01, 0.01])
    assert colour_measurable(np.array([0.57, 0, 0]), S) and not colour_measurable(np.array([0.55, 0, 0]), S)
    assert colour_measurable(np.array([0, 0.29, 0]), S)


def test_without_a_covariance_repeats_decide():
    rng = np.random.default_rng(3)
    nothing = [hotelling(rng.normal(0, 0.3, (6, 3))) for _ in range(800)]
    assert np.mean(nothing) == pytest.approx(0.05, abs=0.025), "one in twenty by chance"
    assert hotelling(rng.normal([3, 0, 0], 0.3, (6, 3)))
    with pytest.raises(ValueError, match="at least 4 repeats"):
        hotelling(np.zeros((3, 3)))


def test_many_states_are_judged_together():
    assert holm([0.001, 0.02, 0.03]).tolist() == [True, True, True]
    assert holm([0.03, 0.001, 0.04]).tolist() == [False, True, False]
    assert holm([0.06]).tolist() == [False]


def test_what_two_setups_share_cancels_and_what_they_do_not_does_not():
    limits = MeterLimits(0.002, 0.0, correction_u=0.01, correction_key=7)
    one, two = (display("gamma22", white=w, limits=limits) for w in (150.0, 151.0))
    other = display("gamma22", white=151.0, limits=MeterLimits(0.002, 0.0, correction_u=0.01, correction_key=8))
    white = MEASUREMENTS["white_black"]

    def whites(readings):
        return white.analyse(draw(readings.take(white.select(readings))), TARGETS["gamma22"])["white_cd_m2"]

    same, apart = (whites(one) - whites(r) for r in (two, other))
    assert same.std() == pytest.approx(np.sqrt(2) * 0.002 * 150, rel=0.25), "only the repeatability is left"
    assert apart.std() > 4 * same.std()
    # Seeded by the readings: the same readings give the same draws, others others.
    assert np.array_equal(whites(one), whites(one))


def test_an_interval_ends_beside_perfection_that_noise_rules_out_and_holds_it_where_it_does_not():
    floor = np.abs(np.random.default_rng(3).standard_normal(2000))
    u = Uncertainty(1.0, 0.0, 6.0)
    for extreme, limit in ((False, 0.96), (True, 0.93)):
        edge = float(np.quantile(floor, limit))
        inside = with_perfect(u, edge - 0.01, 0.0, floor, extreme)
        outside = with_perfect(u, edge + 0.01, 0.0, floor, extreme)
        assert inside.low == 0.0, "noise alone gives as much"
        assert 0 < outside.low <= edge + 0.01, "noise alone gives it in few cases only"


@pytest.mark.parametrize(("least", "most"), [(0.3, 1.5), (1.0, 3.0), (4.0, 9.0)])
def test_the_interval_of_a_mean_of_absolutes_is_about_the_truth(least, most):
    """Each part is an error with noise of one: near nothing, beside it, and far from it."""
    rng = np.random.default_rng(3)
    off, held = [], []
    for _ in range(300):
        parts = rng.uniform(least, most, 12)
        truth = parts.mean()
        read = parts + rng.standard_normal(12)
        u = summarise(np.abs(read).mean(), np.abs(read + rng.standard_normal((200, 12))).mean(axis=1))
        off.append(((u.low + u.high) / 2 - truth) / u.standard)
        held.append(u.low <= truth <= u.high)
    assert abs(np.median(off)) < 0.3
    assert np.mean(held) >= 0.85


@pytest.mark.parametrize(("least", "most"), [(0.05, 3.0), (0.2, 1.0)])
def test_noise_that_all_parts_share_does_not_carry_the_interval_away(least, most):
    """Greys beside their white: each is off in lightness, and noise in two directions of colour, white's own among it, can but
    add to that."""
    rng = np.random.default_rng(5)

    def noise(*draws):
        return 0.3 * (rng.standard_normal((*draws, 12, 2)) - rng.standard_normal((*draws, 1, 2)))

    off, held, still = [], [], []
    for _ in range(300):
        lightness = rng.uniform(least, most, 12)
        mean = lambda colour, L=lightness: np.hypot(L, np.linalg.norm(colour, axis=-1)).mean(axis=-1)  # noqa: E731
        read = noise()
        u = summarise(mean(read), mean(read + noise(200)))
        off.append(((u.low + u.high) / 2 - lightness.mean()) / u.standard)
        held.append(u.low <= lightness.mean() <= u.high)
        less = narrowed(u, mean(read))
        assert less.low <= mean(read) <= less.high and less.high - less.low <= u.high - u.low + 1e-12
        still.append(less.low <= lightness.mean() <= less.high)
    assert np.mean(held) >= 0.93 and np.mean(still) >= 0.93
    assert np.median(off) < 0.75


def test_readings_that_noise_can_not_tell_apart_are_one_group():
    u = np.full(7, 1.0)
    np.testing.assert_array_equal(pooled(np.array([100, 101, 99, 90, 90.5, 70, 71.0]), u), [0, 0, 0, 1, 1, 2, 2])
    np.testing.assert_array_equal(pooled(np.array([100, 101, 99, 90, 90.5, 70, 71.0]), u / 100), np.arange(7))
    np.testing.assert_array_equal(pooled(np.array([5.0]), u[:1]), [0])
    # Without noise only what is the same is alike.
    np.testing.assert_array_equal(pooled(np.array([5.0, 5.0, 4.0]), np.zeros(3)), [0, 0, 1])
    # A slope of small steps is not all alike.
    assert pooled(np.linspace(100, 80, 21), np.full(21, 1.0)).max() > 0


@given(
    st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=80),
    st.lists(st.floats(0, 1), min_size=1, max_size=5),
    st.booleans(),
)
def test_quantiles_are_those_of_numpy(values, shares, weibull):
    wanted = np.quantile(np.array(values), shares, method="weibull" if weibull else "linear")
    assert quantiles(np.array(values), shares, weibull) == pytest.approx(wanted.tolist(), rel=1e-9, abs=1e-6)


def test_a_quantile_beside_infinity_is_a_number_or_infinity():
    assert quantiles(np.array([1.0, np.inf, 2.0]), [0.0, 0.5, 1.0]) == [1.0, 2.0, np.inf]


@pytest.mark.parametrize("share", [0.02, -0.02])
def test_light_that_was_still_to_come_moves_the_interval_towards_a_warm_display(share):
    white = MEASUREMENTS["white_black"]
    own = display("gamma22", white=150.0, limits=MeterLimits(0.001, 0.0))
    cold = replace(own, to_come=share, cold=0.003)
    u = analyse(white.key, cold, TARGETS["gamma22"]).uncertainty["white_cd_m2"]
    assert u.low < 150 * (1 + share) < u.high
    # It ends where the reading itself is, and is no wider than what is to come and its uncertainty.
    assert u.high - u.low < 150 * (abs(share) + 0.009)
