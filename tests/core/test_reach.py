"""What the points of a table do: where they work, how far they reach, and how much they move."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.tuning.point_response import WIDTH, PointReach, fit_reach

LEVELS = np.linspace(0.1, 1, 10)


def read(truth, k, seed, noise=0.004):
    """So many readings (place, moved, rise, u) of levels after all points were moved anyhow."""
    rng = np.random.default_rng(seed)
    place = np.arange(k) % len(LEVELS)
    moved = rng.uniform(-0.3, 0.3, (k, len(LEVELS), 3))
    rose = truth.amount * np.einsum("ckj,kjc->kc", truth.shares[:, place], moved)
    return place, moved, rose + noise * rng.standard_normal(rose.shape), np.full((k, 3), noise)


@given(st.floats(0.5, 2.0), st.floats(0.9, 1.1), st.floats(0.9, 1.1))
def test_a_point_does_most_where_it_is_driven_and_nothing_beyond_its_reach(width, bend, scale):
    reach = PointReach(LEVELS, 0.5, 0.1, width, bend, (1.0, scale, 1.0))
    shares = reach.shares
    assert shares.shape == (3, 10, 10) and (shares >= 0).all() and (shares <= 1).all()
    for i, level in enumerate(LEVELS):
        nearest = int(np.abs(LEVELS - scale * level**bend).argmin())
        assert shares[1, i].argmax() == nearest or shares[1, i, nearest] == pytest.approx(shares[1, i].max())
        beyond = np.abs(LEVELS - scale * level**bend) > width * 0.1 + 1e-9
        assert not shares[1, i, beyond].any()


def test_what_they_do_is_told_from_readings():
    """Whether it is put down to amount or to width, what is foreseen is what would be read."""
    off = []
    for seed in range(150):
        rng = np.random.default_rng([seed, 77])
        truth = PointReach(
            LEVELS,
            rng.uniform(0.15, 1.6),
            0.0,
            rng.uniform(0.8, 1.6),
            rng.uniform(0.95, 1.05),
            tuple(rng.uniform(0.93, 1.03, 3)),
        )
        told = fit_reach(LEVELS, *read(truth, 40, seed), 0.5, 0.5)
        place, moved, there, _ = read(truth, 60, seed + 1000, 0.0)
        foreseen = told.amount * np.einsum("ckj,kjc->kc", told.shares[:, place], moved)
        off.append(np.sqrt(((foreseen - there) ** 2).mean() / (there**2).mean()))
    # Of the light that is moved, a hundredth is misjudged as a rule; a valley beside the right one is rare.
    assert np.median(off) < 0.01 and np.percentile(off, 95) < 0.12


def test_of_nothing_nothing_is_told():
    told = fit_reach(LEVELS, np.zeros(0, int), np.zeros((0, 10, 3)), np.zeros((0, 3)), np.zeros((0, 3)), 0.5, 0.5)
    assert (told.amount, told.amount_u, told.width, told.bend) == pytest.approx((0.5, 0.5, WIDTH, 1.0))
    # A channel at its end says nothing either.
    place, moved, rose, u = read(PointReach(LEVELS, 1.2, 0.0), 20, 3)
    rose[:, 0] = np.nan
    rest = fit_reach(LEVELS, place, moved, rose, u, 0.5, 0.5)
    assert rest.amount == pytest.approx(1.2, rel=0.1) and rest.scale[0] == pytest.approx(1.0)


def test_displays_that_are_driven_at_the_signal_are_told_to_be():
    odd = 0
    for seed in range(30):
        place, moved, rose, u = read(PointReach(LEVELS, 0.6, 0.0), 12, seed)
        odd += fit_reach(LEVELS, place, moved, rose, u, 0.5, 0.5).scale != (1.0, 1.0, 1.0)
    assert odd <= 3
