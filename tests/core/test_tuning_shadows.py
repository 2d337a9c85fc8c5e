"""Lifting shadows for a purpose: how far, with which control, and without lifting black."""

import numpy as np
import pytest

from lumenar.core.menu.controls import Control
from lumenar.core.targets import TARGETS
from lumenar.core.tuning.shadows import CLOSE, WANTED_LIFT, Shadows

from .test_tuning import carry_out

TARGET = TARGETS["gamma22"]
SLIDER = Control("Picture > Shadow", "slider", minimum=0, maximum=20, default=0, role="shadows")
LIST = Control("Picture > Dark boost", "choice", choices=("off", "low", "high"), default="off", role="shadows")


def light(lift, black=lambda _: 0.05, floor=0.0):
    """Reads greys whose shadows are lifted by a share of signal, over a black that may rise too."""

    def read(patch, values):
        v = patch.rgb[0]
        V = v + lift(values) * 10 * v * (1 - v) ** 8
        K = black(values)
        Y = K + (150 - K) * V**2.2
        return [Y, Y, Y] if floor <= Y else [np.nan] * 3

    return read


@pytest.mark.parametrize("per_step", [0.0005, 0.01, 0.05])
def test_shadows_are_lifted_as_far_as_it_pays_and_no_further(per_step):
    problem = Shadows((SLIDER,), TARGET, {SLIDER.path: 0.0})
    read = light(lambda v: per_step * v[SLIDER.path])
    state, done = carry_out(problem, read)
    lifts = {v: problem.lift(a) for a in state.attempts for v in a.values.values()}
    chosen = done.values[SLIDER.path]
    if per_step == 0.0005:
        assert chosen == 20 and done.unreached and lifts[20] < WANTED_LIFT
    else:
        assert lifts[chosen] >= WANTED_LIFT - CLOSE and not done.unreached
        below = carry_out(Shadows((SLIDER,), TARGET, {SLIDER.path: chosen - 1}), read)[0].attempts[0]
        assert problem.lift(below) < WANTED_LIFT
    assert len(state.attempts) <= 5
    assert "above the target" in done.reason and "Shadow " in done.reason


def test_a_setting_that_raises_black_too_is_refused():
    problem = Shadows((SLIDER,), TARGET, {SLIDER.path: 0.0})
    # From step 8 on black rises with the shadows.
    read = light(lambda v: 0.01 * v[SLIDER.path], black=lambda v: 0.05 * (1 + max(0, v[SLIDER.path] - 7) * 0.2))
    state, done = carry_out(problem, read)
    assert 4 <= done.values[SLIDER.path] <= 7 and done.values[SLIDER.path] in {
        v for a in state.attempts for v in a.values.values()
    }
    rising = light(lambda v: 0.01 * v[SLIDER.path], black=lambda v: 0.05 * (1 + v[SLIDER.path]))
    _, none = carry_out(problem, rising)
    assert none.values == {SLIDER.path: 0.0} and none.reason.startswith("No setting lifts shadows further")


def test_every_choice_of_a_list_is_tried_and_what_runs_downwards_is_found():
    problem = Shadows((LIST,), TARGET, {LIST.path: "off"})
    state, done = carry_out(problem, light(lambda v: {"off": 0.0, "low": 0.02, "high": 0.005}[v[LIST.path]]))
    assert done.values == {LIST.path: "low"} and len(state.attempts) == 3
    down = Shadows((SLIDER,), TARGET, {SLIDER.path: 10.0})
    _, found = carry_out(down, light(lambda v: 0.001 * (20 - v[SLIDER.path])))
    assert found.values[SLIDER.path] < 10


def test_two_controls_are_used_one_after_the_other_and_the_second_only_if_needed():
    both = Shadows((LIST, SLIDER), TARGET, {LIST.path: "off", SLIDER.path: 0.0})
    much = {"off": 0.0, "low": 0.004, "high": 0.16}
    state, done = carry_out(both, light(lambda v: much[v[LIST.path]] + 0.001 * v[SLIDER.path]))
    assert done.values == {LIST.path: "high", SLIDER.path: 0.0} and len(state.attempts) == 3
    little = {"off": 0.0, "low": 0.01, "high": 0.02}
    _, done = carry_out(both, light(lambda v: little[v[LIST.path]] + 0.001 * v[SLIDER.path]))
    assert done.values[LIST.path] == "high" and done.values[SLIDER.path] > 0


def test_under_the_floor_a_level_counts_as_black_and_white_that_is_not_read_ends_it():
    problem = Shadows((SLIDER,), TARGET, {SLIDER.path: 0.0})
    read = light(lambda v: 0.01 * v[SLIDER.path], black=lambda _: 0.0001, floor=0.02)
    _, done = carry_out(problem, read)
    assert done.values[SLIDER.path] > 0
    glowing = light(lambda v: 0.01 * v[SLIDER.path], black=lambda v: 0.0001 + 0.1 * v[SLIDER.path], floor=0.02)
    _, done = carry_out(problem, glowing)
    assert done.values[SLIDER.path] == 0
    _, dark = carry_out(problem, light(lambda v: 0.0, floor=1000))
    assert dark.values == {SLIDER.path: 0.0} and dark.unreached
