"""Colours between six that are moved: how they follow, and what that is worth to a tuning."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lumenar.core.colour.difference import de2000
from lumenar.core.readings.patches import Patch
from lumenar.core.tuning.base import Done, observe, propose, start
from lumenar.core.tuning.colours import CHECKED, JUDGED, SixColours, _Course
from lumenar.core.tuning.intermediate_colours import attributed, chroma, followed, held_back, nearness

from .random_units import NOISE, TARGET, SixDisplay, six_error


def polar(L, C, degrees):
    h = np.radians(degrees)
    return np.array([L, C * np.cos(h), C * np.sin(h)])


@given(st.floats(0, 1), st.integers(0, 5), st.floats(0.2, 1.0))
def test_a_colour_lies_beside_two_of_the_six_and_all_of_it_is_theirs(share, first, value):
    corners = np.array([(1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)], float)
    rgb = (corners[first] + share * (corners[(first + 1) % 6] - corners[first])) * value
    near = nearness([Patch(tuple(rgb))], TARGET)[0]
    assert near.sum() == pytest.approx(1) and set(np.flatnonzero(near > 1e-9)) <= {first, (first + 1) % 6}
    if share in (0.0, 1.0):
        assert near[(first + int(share)) % 6] == pytest.approx(1)


def test_grey_has_no_chroma_and_a_corner_all_of_it():
    assert chroma([Patch((0.5, 0.5, 0.5)), Patch((1.0, 0.0, 0.0))], TARGET) == pytest.approx([0, 1])


@example(179.0, 10.0, 1.0, 0.5, 40.0)
@given(st.floats(-180, 180), st.floats(-30, 30), st.floats(0.7, 1.3), st.floats(0, 1), st.floats(1, 80))
def test_what_follows_turns_and_scales_by_its_share_whichever_way_is_shorter(hue, turn, scale, weight, C):
    before, after = polar(50, 60, hue), polar(54, 60 * scale, hue + turn)
    seen = followed(polar(40, C, hue + 10)[None, :], before, after, np.array([weight]))[0]
    wanted = polar(40 + 4 * weight * min(C / 60, 1), C * (1 + weight * (scale - 1)), hue + 10 + weight * turn)
    assert seen == pytest.approx(wanted, abs=1e-6)


def tuned(seed, mixes):
    display = SixDisplay(seed, mixes=mixes)
    problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
    state = start(problem)
    while not isinstance(following := propose(state), Done):
        read = [display.read(q, following.values) for q in following.patches]
        state = observe(state, following, following.values, read)
    return display, problem, state, following


def test_what_is_expected_of_them_comes_and_keeps_most_tunings_from_going_back():
    off, back, left = [], 0, []
    for seed in range(12):
        display, problem, state, done = tuned(seed, True)
        back += any(a.stage.startswith("less") for a in state.attempts)
        tried = next((a.values for a in state.attempts if a.stage == "set"), None)
        shipped, now = (six_error(display, v, CHECKED) for v in (display.table, tried or done.values))
        if tried:
            off.append(np.sqrt(((_Course(problem, state.attempts)._expected(tried) - (now - shipped)) ** 2).mean()))
        ends = [six_error(display, v, JUDGED).mean() for v in (display.table, done.values)]
        left.append(ends[1] / ends[0])
    assert np.median(off) < 0.6 and back <= 3 and np.median(left) < 0.25


def test_where_one_goes_otherwise_those_beside_it_are_read_too():
    display, _, state, done = tuned(6, False)
    stages = [a.stage for a in state.attempts]
    assert "check all" in stages and stages.index("check all") == stages.index("check") + 1
    worse = six_error(display, done.values, CHECKED) - six_error(display, display.table, CHECKED)
    assert worse.max() < 1.1


def ways(seed, n=8):
    """Colours between (n, 3), what each of the six does to them (6, n, 3), and how near they lie (n, 6)."""
    rng = np.random.default_rng(seed)
    near = np.zeros((n, 6))
    for i in range(n):
        share = rng.uniform(0.2, 0.8)
        near[i, i % 6], near[i, (i + 1) % 6] = share, 1 - share
    before = np.column_stack([rng.uniform(40, 80, n), rng.uniform(-40, 40, (n, 2))])
    return before, near.T[:, :, None] * rng.normal(0, 4, (6, n, 3)), near


@given(st.integers(0, 200))
def test_what_was_read_is_put_down_to_those_about_it(seed):
    _, parts, near = ways(seed)
    expected = parts * 0.5
    # One of them was not read: what was expected of it stands.
    changes = parts.sum(axis=0)[None]
    changes[0, 3] = np.nan
    told = attributed(changes, np.ones((1, 6)), expected, near)
    read = [i for i in range(8) if i != 3]
    assert told.sum(axis=0)[read] == pytest.approx(changes[0, read], abs=0.05)
    assert told[:, 3] == pytest.approx(expected[:, 3])
    # Read twice, with one of the six on less of its way, it is told which of the two it was.
    shares = np.array([[1.0] * 6, [0.2, 1.0, 0.2, 1.0, 0.2, 1.0]])
    told = attributed(np.einsum("ka,anc->knc", shares, parts), shares, expected, near)
    assert np.abs(told - parts).max() < 0.25 * np.abs(parts).max() < np.abs(expected - parts).max()


@given(st.integers(0, 200))
def test_only_those_go_back_that_cost_what_lies_between(seed):
    before, parts, _ = ways(seed)
    # The third colour, between green and cyan, is right as it stands; all others are wanted where they end up.
    wanted = before + parts.sum(axis=0)
    wanted[2] = before[2]
    lower, right = np.full((6, 2, 3), (50.0, 40.0, 0.0)), np.full((6, 2, 3), (50.0, 50.0, 0.0))
    judged = [lower, right, right]
    shares, worse = held_back(before, parts, wanted, 0.5, judged)
    assert (worse <= 0.5 + 1e-9).all() and (shares >= 0).all() and (shares <= 1).all()
    # All six going back alike would cost them more.
    alike = [
        t
        for t in np.linspace(0, 1, 11)
        if (de2000(before + t * parts.sum(axis=0), wanted) - de2000(before, wanted)).max() <= 0.5
    ]
    assert shares.mean() >= max(alike) - 0.05
    # Where all is as good as it was, all of the way is gone.
    free, _ = held_back(before, parts, before + parts.sum(axis=0), 0.5, judged)
    assert free == pytest.approx(1.0)


def test_none_goes_back_further_than_it_has_to():
    more = 0
    for seed in range(60):
        before, parts, _ = ways(seed)
        wanted = before + 0.4 * parts.sum(axis=0)
        lower, right = np.full((6, 2, 3), (50.0, 40.0, 0.0)), np.full((6, 2, 3), (50.0, 50.0, 0.0))
        shares, _ = held_back(before, parts, wanted, 0.5, [lower, right, right])
        for axis in np.flatnonzero(shares < 0.999):
            further = np.where(np.arange(6) == axis, shares + 0.05, shares)
            there = de2000(before + np.tensordot(further, parts, 1), wanted) - de2000(before, wanted)
            more += there.max() <= 0.5
    assert more <= 5
