"""Colours between six that are moved: how they follow, and what that is worth to a tuning."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lumenar.core.readings import Patch
from lumenar.core.tuning.base import Done, observe, propose, start
from lumenar.core.tuning.between import chroma, followed, nearness
from lumenar.core.tuning.colours import CHECKED, JUDGED, SixColours, _Course

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
