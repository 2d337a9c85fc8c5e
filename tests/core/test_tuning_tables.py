"""Solvers beyond white: the curve, tables of points, six colours, sweeps, a whole session, and readings that are no numbers."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import lsq_linear

from lumenar.core.colour.adaptation import bradford
from lumenar.core.menu.controls import Control
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import TARGETS, Anchor
from lumenar.core.tuning import points
from lumenar.core.tuning.base import Attempt, Done, Noise, Proposal, bounded, observe, propose, start, white_error
from lumenar.core.tuning.colours import CHECKED, FADED, JUDGED, SixColours
from lumenar.core.tuning.goals import FAITHFUL, GOALS
from lumenar.core.tuning.luminance import WHITE, Luminance
from lumenar.core.tuning.plan import Tried, TuningPlan
from lumenar.core.tuning.points import CHECK, ManyPoints, _Course
from lumenar.core.tuning.session import Finished, Outcome, _corrected, following, off_by, possible
from lumenar.core.tuning.sweep import Sweep
from lumenar.core.tuning.tone import GREYS, LEVELS, Tone
from lumenar.core.tuning.white import TwoPoints

from .random_units import NOISE, TARGET, Display, SixDisplay, TableDisplay, mean_error, six_error, tune
from .test_tuning import LIGHT, carry_out, light_of

# -- tone -----------------------------------------------------------------------------------------------------------


def curve(gamma, lift=0.0):
    """What reads greys of a gamma, with the dark lifted."""

    def read(patch, values):
        v = patch.rgb[0]
        Y = 0.05 + 150 * ((1 - lift) * v ** gamma(values) + lift * v * (1 - v) ** 4)
        return [Y, Y, Y]

    return read


def test_the_choice_that_follows_the_target_is_taken():
    control = Control("Picture > Tone", "choice", choices=("1.8", "2.0", "2.2", "2.4"), default="2.0")
    problem = Tone((control,), TARGETS["gamma22"], {control.path: "2.0"})
    state, done = carry_out(problem, curve(lambda v: float(v[control.path])))
    assert done.values == {control.path: "2.2"} and len(state.attempts) == 3
    assert sum(len(a.patches) for a in state.attempts) == 33


@pytest.mark.parametrize("at", ["1.8", "2.0", "2.2", "2.4", "2.6"])
def test_choices_that_are_numbers_are_followed_from_where_they_stand(at):
    control = Control("Picture > Tone", "choice", choices=("1.8", "2.0", "2.2", "2.4", "2.6"), default=at)
    problem = Tone((control,), TARGETS["gamma22"], {control.path: at})
    state, done = carry_out(problem, curve(lambda v: float(v[control.path]) - 0.02))
    tried = [a.values[control.path] for a in state.attempts]
    assert done.values == {control.path: "2.2"}
    # It comes down or up to the best, and goes one farther only where the error does not say on which side that lies.
    steps = round(abs(float(at) - 2.2) / 0.2)
    assert len(tried) <= steps + 2 and len(set(tried)) == len(tried)


def test_choices_whose_names_promise_an_order_that_they_do_not_keep_are_all_tried():
    control = Control("Picture > Tone", "choice", choices=("1.8", "2.0", "2.2", "2.4"), default="2.2")
    really = {"1.8": 2.2, "2.0": 2.6, "2.2": 2.45, "2.4": 2.55}
    problem = Tone((control,), TARGETS["gamma22"], {control.path: "2.2"})
    state, done = carry_out(problem, curve(lambda v: really[v[control.path]]))
    assert done.values == {control.path: "1.8"} and len(state.attempts) == 4


def test_choices_without_numbers_are_all_tried():
    control = Control("Picture > Tone", "choice", choices=("Soft", "Plain", "Deep"), default="Plain")
    really = {"Soft": 2.0, "Plain": 2.3, "Deep": 2.21}
    state, done = carry_out(
        Tone((control,), TARGETS["gamma22"], {control.path: "Plain"}), curve(lambda v: really[v[control.path]])
    )
    assert done.values == {control.path: "Deep"} and len(state.attempts) == 3


def test_a_shadow_control_is_judged_near_black():
    tone = Control("Picture > Tone", "choice", choices=("2.0", "2.2"), default="2.2")
    shadow = Control("Picture > Shadows", "slider", 0.0, 4.0, 1.0, default=0.0)
    problem = Tone((tone, shadow), TARGETS["gamma22"], {tone.path: "2.2", shadow.path: 0.0})

    def read(patch, values):
        v = patch.rgb[0]
        # Crushed as it stands; two steps put it right.
        dark = v * (1 - v) ** 8 * 0.004 * (values[shadow.path] - 2)
        Y = 0.02 + 150 * max(0.0, v ** float(values[tone.path]) + dark)
        return [Y, Y, Y]

    _, done = carry_out(problem, read)
    assert done.values == {tone.path: "2.2", shadow.path: 2.0}


def test_a_curve_with_numbers_is_bisected():
    control = Control("Picture > Gamma", "slider", 1.6, 2.8, 0.02, default=2.0)
    problem = Tone((control,), TARGETS["gamma24"], {control.path: 2.0})
    state, done = carry_out(problem, curve(lambda v: v[control.path]))
    assert abs(done.values[control.path] - 2.4) <= 0.021 and len(state.attempts) <= 7


def test_between_equal_curves_what_stands_there_stays():
    control = Control("Picture > Tone", "choice", choices=("a", "b", "c"), default="b")
    _, done = carry_out(Tone((control,), TARGETS["gamma22"], {control.path: "b"}), curve(lambda v: 2.2))
    assert done.values == {control.path: "b"}


def test_a_shadow_slider_is_bisected_by_the_dark_that_it_moves():
    shadow = Control("Picture > Shadows", "slider", -5.0, 5.0, 1.0, default=0.0)
    problem = Tone((shadow,), TARGETS["gamma22"], {shadow.path: 0.0})

    def read(patch, values):
        v = patch.rgb[0]
        # The middle is too bright whatever is done; the dark is right at two steps.
        Y = 0.02 + 150 * max(
            0.0, v**2.2 + 0.02 * v * (1 - v) * (v > 0.25) + v * (1 - v) ** 8 * 0.004 * (values[shadow.path] - 2)
        )
        return [Y, Y, Y]

    state, done = carry_out(problem, read)
    assert done.values == {shadow.path: 2.0} and len(state.attempts) <= 7


# -- many points ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("count", "seeds"), [(10, 6), (22, 2)])
def test_points_come_near_what_the_table_can_reach(count, seeds):
    for seed in range(seeds):
        display = TableDisplay(seed, count=count, signed=seed % 2 == 0)
        XYZ = tuple(tuple(display.read(Patch(c), display.table)) for c in
                    ((1., 0., 0.), (0., 1., 0.), (0., 0., 1.), (1., 1., 1.), (0., 0., 0.)))  # fmt: skip
        problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE, XYZ)
        t = tune(problem, display, most=200)
        assert t.readings <= 3 * count
        before, after = mean_error(display, display.table), mean_error(display, t.done.values)
        limited = np.mean([abs(t.done.values[p]) in (0, 50, 255) for p in t.done.values]) > 0.3
        assert after < (0.75 if limited else 0.35) * before, seed


def known_of(display):
    return tuple(
        tuple(display.read(Patch(c), display.table))
        for c in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (1.0, 1.0, 1.0), (0.0, 0.0, 0.0))
    )


@pytest.mark.parametrize("seed", [15, 29, 33, 37, 43, 49])
def test_a_channel_that_comes_to_its_end_is_not_raised_in_vain(seed):
    """White asks for more of a channel than there is: the others are cut instead, and all greys follow the white that is left."""
    display = TableDisplay(seed, count=10, signed=False)
    t = tune(ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display)), display, most=200)
    assert t.readings <= 30
    drive = display.drives(t.done.values)[-1]
    assert drive.max() < 1.03 and mean_error(display, t.done.values) < 0.2 * mean_error(display, display.table)


@pytest.mark.parametrize("seed", range(4))
def test_points_that_work_beside_their_levels_are_tuned_all_the_same(seed):
    display = TableDisplay(seed, count=10, tuned=True, beside=True, signed=False)
    t = tune(ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display)), display, most=200)
    assert t.readings <= 30
    assert mean_error(display, t.done.values) < max(0.4 * mean_error(display, display.table), 0.5)


@pytest.mark.parametrize(("seed", "tuned"), [(1, True), (0, False), (6, False)])
def test_points_of_a_display_with_white_light_of_its_own(seed, tuned):
    display = TableDisplay(seed, count=10, tuned=tuned, additive=False, signed=seed % 2 == 0)
    known = known_of(display)
    assert np.sum(np.array(known)[:3, 1]) < 0.9 * known[3][1]
    t = tune(ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known), display, most=200)
    assert mean_error(display, t.done.values) < 0.15 * mean_error(display, display.table)


@pytest.mark.parametrize(("seed", "channel"), [(23, 2), (43, 0)])
def test_where_a_channel_ends_is_told_and_nothing_beyond_it_is_wanted(seed, channel):
    display = TableDisplay(seed, count=10, signed=False)
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display))
    state = start(problem)
    for _ in range(2):
        following = propose(state)
        read = [display.read(p, following.values) for p in following.patches]
        state = observe(state, following, following.values, read)
    course = _Course(problem, state.attempts)
    # It was raised beyond what it has: read is what it has, and by its step it would be more.
    assert display.drives(state.attempts[-1].values)[-1, channel] > 1.05
    top, end = course.logs[-1, channel], course.ceiling[channel]
    assert top == pytest.approx(end) and course.driven[-1, channel] > end + 0.05
    drive = display.drives(display.table)[-1, channel]
    assert end == pytest.approx(course.first[-1, channel] + 2.2 * np.log(1 / drive), abs=0.02)
    assert np.isfinite(course.ceiling).sum() == 1
    # White is wanted no brighter than that allows, and all greys with it.
    lower = course._logs(course.wanted) - course.aim
    assert course.aim[-1, channel] == pytest.approx(end, abs=1e-3) and lower.min() > 0 and np.ptp(lower[3:]) < 0.02


def test_a_table_that_ends_below_white_wants_no_other_white():
    display = TableDisplay(43, count=10, signed=False)
    problem = ManyPoints(tuple(display.points[:-1]), TARGET, display.table, NOISE, known_of(display))
    t = tune(problem, display, most=200)
    assert mean_error(display, t.done.values) < mean_error(display, display.table)
    assert all(t.done.values[c.path] == display.table[c.path] for c in display.points[-1].controls)
    course = _Course(problem, t.state.attempts)
    assert course.white == pytest.approx(known_of(display)[3][1], rel=0.01)
    assert course.aim == pytest.approx(course._logs(course.wanted))


def test_a_table_in_doubt_is_kept_or_not_by_what_is_read_at_the_end(monkeypatch):
    def ended(change):
        """How it ends, and the checks, where red reads `change` steps higher at the end than it was entered."""
        display = TableDisplay(1, count=10, signed=False)
        problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display))
        state = start(problem)
        while not isinstance(following := propose(state), Done):
            by = change if following.stage == CHECK else 0.0
            values = {p: v + by * p.endswith("Red") for p, v in following.values.items()}
            state = observe(state, following, following.values, [display.read(p, values) for p in following.patches])
        return display, following.values, [a for a in state.attempts if a.stage == CHECK]

    display, sure, checks = ended(0.0)
    assert checks == [] and mean_error(display, sure) < 0.5 * mean_error(display, display.table)
    monkeypatch.setattr(points, "FORESEEN", 1e6)
    _, kept, checks = ended(0.0)
    assert kept == sure and [len(a.patches) for a in checks] == [10]
    # The readings are worse than at the start, whatever the prediction was.
    _, kept, checks = ended(-60.0)
    assert kept == display.table and len(checks) == 1


def test_greys_of_the_right_luminance_and_the_wrong_colour_are_no_gain(monkeypatch):
    display = TableDisplay(3, count=10, tuned=True)
    # Greys are too dark, and neutral.
    display.factors = np.full((10, 3), 0.94)
    display.factors[-1] = 1.0
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display))

    def ended(tint, noise=NOISE):
        state = start(replace(problem, noise=noise))
        following = propose(state)
        read = [display.true(p, display.table) for p in following.patches]
        state = observe(state, following, following.values, read)
        brighter = display.factors
        display.factors = np.array([1 + tint, 1.0, 1 - tint]) * np.ones((10, 1))
        display.factors[-1] = 1.0
        while not isinstance(following := propose(state), Done):
            state = observe(
                state, following, following.values, [display.true(p, display.table) for p in following.patches]
            )
        display.factors = brighter
        # Nothing is refused for a tint that was not read.
        assert "tint them" not in following.reason or state.attempts[-1].stage == CHECK
        return following

    assert "tint them" in ended(0.012).reason and ended(0.012).values == display.table
    assert "tint them" not in ended(0.0).reason
    # A tint alone is reason enough to read all once more.
    monkeypatch.setattr(points, "FORESEEN", 0.0)
    assert "tint them" in ended(0.012).reason
    # Nor for one that such a meter does not tell from noise.
    assert "tint them" not in ended(0.012, Noise(0.02, 0.001)).reason


def test_a_bright_point_that_was_missed_is_set_again_before_the_darker_ones():
    display = TableDisplay(29, count=10, signed=False)
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE, known_of(display))
    t = tune(problem, display, most=200)
    down = [problem.greys.index(a.patches[0]) for a in t.state.attempts if a.stage == "bright to dark"]
    assert down[:2] == [9, 9] and down == sorted(down, reverse=True) and max(map(down.count, down)) == 2
    over = [a for a in t.state.attempts if a.stage == "once over"]
    # With the last reading the darker points, which nobody reads any more, are entered with it.
    last, before = over[-1], t.state.attempts[-2]
    entered = {display.levels[i] for i, p in enumerate(display.points) for c in p.controls
               if last.values[c.path] != before.values[c.path]}  # fmt: skip
    assert "darker" in problem.propose(t.state.attempts[:-1]).why
    assert t.readings == 30 and len(entered) > 1 and max(entered) == max(last.patches[0].rgb)


def test_a_wrong_entry_in_a_table_is_named():
    display = TableDisplay(3, count=10, signed=False)
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE)
    state = start(problem)
    for _ in range(40):
        following = propose(state)
        assert isinstance(following, Proposal)
        if len(state.attempts) == 7:
            i = problem.greys.index(following.patches[0])
            path = display.points[i].controls[1].path
            real = {**following.values, path: following.values[path] + 40}
            wrong = observe(state, following, following.values, [display.read(p, real) for p in following.patches])
            asked = problem.suspect(wrong.attempts)
            assert asked is not None and asked.path == path and abs(asked.seems - real[path]) < 15
            return
        state = observe(
            state, following, following.values, [display.read(p, following.values) for p in following.patches]
        )
        assert problem.suspect(state.attempts) is None


def test_points_mend_luminance_too_where_balance_is_right():
    display = TableDisplay(4, count=10)
    # Every grey is as bright as it should be, or not, in all three channels alike.
    display.factors = np.repeat(1 + 0.02 * np.sin(5 * display.levels)[:, None], 3, axis=1)
    display.factors[-1] = 1.0
    display.rows = TARGET.container.matrix.T * 150.0
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE)
    t = tune(problem, display, most=200)
    assert mean_error(display, t.done.values) < 0.5 * mean_error(display, display.table)


# -- sweeps ---------------------------------------------------------------------------------------------------------


def test_a_sweep_tries_all_and_ties_what_cannot_be_told_apart():
    a, b = Control("A", "slider", 0.0, 2.0, 1.0), Control("B", "choice", choices=("x", "y"))
    cost = {(0, "x"): 3.0, (0, "y"): 1.0, (1, "x"): 1.02, (1, "y"): 5.0, (2, "x"): 9.0, (2, "y"): 1.4}
    problem = Sweep((a, b), (WHITE,), lambda t: float(t.of(WHITE)[1]), 0.05, {"A": 1.0, "B": "x"})
    state, done = carry_out(problem, lambda p, v: [0, cost[v["A"], v["B"]], 0])
    assert len(state.attempts) == 6
    entered = [(t.values["A"], t.values["B"]) for t in state.attempts]
    assert all(sum(x != y for x, y in zip(p, q, strict=True)) == 1 for p, q in pairwise(entered))
    assert [r.place for r in problem.ranking(state.attempts)] == [1, 1, 3, 4, 5, 6]
    assert done.values == {"A": 1.0, "B": "x"} and "1 others" in done.reason


def test_a_figure_that_is_no_number_comes_last():
    a = Control("A", "slider", 0.0, 2.0, 1.0)
    problem = Sweep((a,), (WHITE,), lambda t: float(t.of(WHITE)[1]), 0.1)
    state, _ = carry_out(problem, lambda p, v: [0, np.nan if v["A"] == 0 else v["A"], 0])
    assert [r.values["A"] for r in problem.ranking(state.attempts)] == [1.0, 2.0, 0.0]


def test_the_error_of_colour_alone_does_not_depend_on_luminance():
    white = TARGET.white_XYZ(80.0)
    assert white_error(white, TARGET) == pytest.approx(0, abs=1e-9)
    tinted = white * [1.02, 1.0, 0.95]
    assert white_error(tinted, TARGET) == pytest.approx(float(white_error(tinted * 3, TARGET)), rel=1e-9)
    anchor = Anchor(np.array(150.0), np.array(0.05))
    Y = TARGETS["gamma22"].Y(np.array(LEVELS), anchor)
    attempt = Attempt(stage="", values={}, patches=GREYS, XYZ=np.repeat(Y[:, None], 3, axis=1))
    assert Tone((), TARGETS["gamma22"], {}).figure(attempt) == pytest.approx(0, abs=1e-9)


@given(seed=st.integers(0, 10_000), n=st.integers(2, 40), tight=st.floats(0.01, 2))
def test_least_squares_within_bounds_are_the_best_there_are(seed, n, tight):
    rng = np.random.default_rng(seed)
    A, b = rng.normal(size=(2 * n, n)), 3 * rng.normal(size=2 * n)
    low, high = -tight * rng.uniform(0.01, 1, n), tight * rng.uniform(0.01, 1, n)
    x = bounded(A, b, low, high)
    assert (x >= low).all() and (x <= high).all()
    best = lsq_linear(A, b, (low, high)).x
    assert np.linalg.norm(A @ x - b) <= np.linalg.norm(A @ best - b) * (1 + 1e-6)


# -- six colours ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("mixes", [False, True], ids=["by part", "as mixes"])
def test_six_colours_lose_most_of_their_error_and_none_between_gets_much_worse(mixes):
    gone = []
    for seed in range(6):
        display = SixDisplay(seed, mixes=mixes)
        problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
        t = tune(problem, display)
        before, after = (six_error(display, v, JUDGED).mean() for v in (display.table, t.done.values))
        gone.append((before - after) / before)
        worse = six_error(display, t.done.values, CHECKED) - six_error(display, display.table, CHECKED)
        assert worse.max() < 1.2 and t.readings <= 170
    assert np.median(gone) > 0.6 and min(gone) > -0.02


def test_a_colour_between_that_the_meter_does_not_read_says_nothing():
    d = SixDisplay(3)
    problem = SixColours(tuple(d.axes), TARGET, d.table, NOISE)
    dark = {CHECKED[3], CHECKED[31]}

    def read(patch, values):
        return [np.nan] * 3 if patch in dark else d.read(patch, values)

    _, done = carry_out(problem, read)
    before, after = (six_error(d, v, JUDGED).mean() for v in (d.table, done.values))
    assert after < 0.6 * before and all(np.isfinite(list(done.values.values())))


def test_where_colours_between_would_pay_for_it_the_six_are_left():
    display = SixDisplay(1)

    def read(patch, values):
        XYZ = display.read(patch, values)
        moved = sum(abs(v) for v in values.values())
        # Whatever the controls do for the six, they ruin what lies between.
        return XYZ * [1.0, 1.0, 1 + 0.02 * moved] if patch in CHECKED else XYZ

    problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
    _, done = carry_out(problem, read)
    assert done.values == display.table and done.reason.startswith("Given up")


def test_a_part_of_the_way_is_gone_where_all_of_it_would_cost_too_much():
    display = SixDisplay(1)

    def read(patch, values):
        moved = float(np.mean([abs(v) for v in values.values()])) / 20
        # Colours between get worse with every step that the six are moved.
        return (
            display.read(patch, values) * [1.0, 1.0, 1 + 0.15 * moved]
            if patch in CHECKED
            else display.read(patch, values)
        )

    problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
    state, done = carry_out(problem, read)
    whole = next(a for a in state.attempts if a.stage == "check")
    assert any(a.stage.startswith("less") for a in state.attempts) and done.values != display.table
    way = [abs(done.values[p]) / abs(v) for p, v in whole.values.items() if abs(v) > 8]
    assert 0.15 < np.median(way) < 0.85


def test_what_went_wrong_twice_is_tried_with_more_care():
    display = SixDisplay(23)
    state, done = carry_out(SixColours(tuple(display.axes), TARGET, display.table, NOISE), display.read)
    assert sum(a.stage.startswith("less") for a in state.attempts) == 3
    before, after = (six_error(display, v, JUDGED).mean() for v in (display.table, done.values))
    assert after < 0.8 * before
    assert (six_error(display, done.values, CHECKED) - six_error(display, display.table, CHECKED)).max() < 1


def test_colours_are_judged_beside_the_display_s_own_white():
    """White that is far too blue is white's affair: colours that are right beside it are left alone, and those that are not are
    tuned as if it were not."""
    blue = TARGET.white_XYZ(np.array(1.0)) * [1.04, 1.0, 1.18]
    turned = bradford(TARGET.white_XYZ(np.array(1.0)), blue / blue[1])

    def tuned(display, by):
        problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
        return carry_out(problem, lambda patch, values: by @ display.read(patch, values))

    right = SixDisplay(2)
    right.off = np.zeros((6, 3))
    assert "nothing is to be gained" in tuned(right, turned)[1].reason
    off = SixDisplay(4)
    one, two = (tuned(off, by)[1].values for by in (np.eye(3), turned))
    before, plain, beside = (six_error(off, v, JUDGED).mean() for v in (off.table, one, two))
    assert plain < 0.6 * before and beside < plain + 0.25


def test_colours_that_are_right_are_left_alone():
    display = SixDisplay(2)
    display.off = np.zeros((6, 3))
    state, done = carry_out(SixColours(tuple(display.axes), TARGET, display.table, NOISE), display.read)
    assert done.values == display.table and "nothing is to be gained" in done.reason
    # Nobody probes what is right, nor reads what lies between.
    assert sum(len(a.patches) for a in state.attempts) == 1 + len(JUDGED)


# -- a whole session --------------------------------------------------------------------------------------------------


def whole_menu():
    white = [
        Control(f"White > {n} gain", "slider", 0.0, 100.0, 1.0, default=100.0, role=f"{n.lower()} gain")
        for n in ("Red", "Green", "Blue")
    ]
    light = Control("Light", "slider", 0.0, 100.0, 1.0, default=80.0, role="luminance")
    lock = Control("Saving", "switch", default="off", locks={"on": ("Light",)})
    return Menu((Mode("Film", "sdr", "srgb"),), (light, *white, lock))


def planned(**more):
    menu = whole_menu()
    mode = menu.modes[0]
    values = {**menu.defaults(mode), **more.pop("values", {})}
    return TuningPlan(menu, mode, values, more.pop("goals", FAITHFUL), TARGET, more.pop("luminance", 120.0), NOISE)


def test_how_far_attempts_are_off_is_told_beside_the_newest_white():
    """Greys and colours that were read without white beside them, and what says nothing of its goal."""
    target, half = TARGETS["gamma22"], Patch((0.5, 0.5, 0.5))
    plan = replace(planned(), target=target)
    grey = 0.5**2.2

    def seen(goal, patches, Y):
        """Greys as bright as Y says, colours as they are to be beside a white of Y."""
        shown = [
            target.white_XYZ(y)
            if len(set(p.rgb)) == 1
            else target.XYZ(np.array([p.rgb]), Anchor(np.array(y), np.array(0.0)))[0]
            for p, y in zip(patches, Y, strict=True)
        ]
        return Tried(goal, Attempt(stage="", values={}, patches=tuple(patches), XYZ=np.array(shown)))

    tried = [
        seen("points", [half], [20.0]),
        seen("points", [WHITE, half], [100.0, 100 * grey]),
        seen("points", [half], [80 * grey]),
        seen("points", [WHITE], [80.0]),
        seen("points", [half], [80 * grey]),
        seen("colours", CHECKED, [80.0] * len(CHECKED)),
        seen("colours", JUDGED, [80.0] * len(JUDGED)),
        seen("colours", JUDGED, [60.0] * len(JUDGED)),
    ]
    off = off_by(plan, tried)
    assert np.isnan([off[0], off[5]]).all() and np.array(off)[[1, 3, 4, 6]] == pytest.approx(0, abs=1e-6)
    assert off[2] > 3 and off[7] > 3
    # Once less of the way was tried, all is told by what was read there; what a step does is not told at all.
    faded, off = seen("colours", FADED, [60.0] * 6), off_by(plan, tried)
    assert np.isnan(off_by(plan, [*tried, faded])[-1]) and off_by(plan, [*tried, faded])[7] == off[7]
    less = seen("colours", (*FADED, CHECKED[0]), [70.0] * 7)
    again = off_by(plan, [*tried, faded, less])
    assert 0 < again[-1] < again[7] != off[7] and np.isnan(again[-2]) and again[6] == pytest.approx(0, abs=1e-6)


def test_white_that_costs_light_is_followed_by_luminance_once_more():
    display = Display(0)

    def read(patch, values):
        share = 0.2 + 0.8 * values["Light"] / 100
        own = {f"Picture > White > {n} gain": values[f"White > {n} gain"] for n in ("Red", "Green", "Blue")}
        return share * display.read(patch, {**display.values, **own})

    plan, tried = planned(), []
    for _ in range(40):
        step = following(plan, tried)
        if isinstance(step, Finished):
            break
        XYZ = [read(p, step.values) for p in step.proposal.patches]
        state = observe(start(None), step.proposal, step.proposal.values, XYZ)
        tried.append(Tried(step.goal, state.attempts[0]))
    assert list(dict.fromkeys(t.goal for t in tried)) == ["luminance", "white", "luminance again"]
    at_end = [(o.goal, o.skipped) for o in step.outcomes]
    skipped = {"tone", "points", "colours"}
    assert at_end == [(g, g in skipped) for g in ("tone", "luminance", "white", "points", "colours", "luminance again")]
    white = read(WHITE, step.values)
    assert white[1] == pytest.approx(120, rel=0.02) and white_error(white, TARGET) < 1.2


def test_what_is_locked_or_unknown_is_said_beforehand():
    reasons = possible(planned(values={"Saving": "on"}))
    assert "Light is locked while Saving is on" in reasons["luminance"] and reasons["white"] == ""
    assert "No control" in reasons["tone"] and "No control" in reasons["points"] and "six" in reasons["colours"]
    assert possible(planned(luminance=None))["luminance"] == "No luminance is wanted."


# -- readings that are no numbers -------------------------------------------------------------------------------------


def never(patch, values):
    return [np.nan] * 3


BLUE = Patch((0.0, 0.0, 1.0))


@pytest.mark.parametrize(
    ("problem", "said"),
    [
        (Luminance(Control(LIGHT, "slider"), 100, 0.0), "reads no white, whatever Light is"),
        (
            Tone((Control("T", "choice", choices=("a", "b"), default="a"),), TARGET, {"T": "a"}),
            "the curve stays as it is",
        ),
        (Tone((Control("T", "slider", default=50.0),), TARGET, {"T": 50.0}), "the curve stays as it is"),
        (ManyPoints(tuple(TableDisplay(1).points), TARGET, TableDisplay(1).table), "the points stay as they are"),
        (SixColours(tuple(SixDisplay(1).axes), TARGET, SixDisplay(1).table), "the six colours stay as they are"),
        (TwoPoints(tuple(Display(0).gains), (), TARGET, Display(0).values), "the gains stay as they are"),
    ],
    ids=["luminance", "choice", "slider", "points", "colours", "white"],
)
def test_a_display_under_the_meters_floor_is_left_as_it_was_and_soon(problem, said):
    state, done = carry_out(problem, never, most=4)
    assert said in done.reason and done.unreached and len(state.attempts) <= 2
    start_ = {LIGHT: 0.0} if isinstance(problem, Luminance) else problem.values
    assert {p: start_[p] for p in done.values} == dict(done.values)


def test_a_white_under_the_floor_tells_on_which_side_to_look():
    control = Control(LIGHT, "slider")
    Y = light_of(control, 300, 0.0001, 2.0)
    state, done = carry_out(
        Luminance(control, 100, 0.0), lambda p, v: [0, Y[v[LIGHT]] if Y[v[LIGHT]] > 1 else np.nan, 0]
    )
    assert Y[done.values[LIGHT]] == pytest.approx(100, rel=0.03) and len(state.attempts) <= 8


@pytest.mark.parametrize("kind", ["points", "colours"])
def test_one_primary_under_the_floor_moves_nothing(kind):
    display = TableDisplay(1) if kind == "points" else SixDisplay(1)
    if kind == "points":
        problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE)
    else:
        problem = SixColours(tuple(display.axes), TARGET, display.table, NOISE)
    state, done = carry_out(problem, lambda p, v: [np.nan] * 3 if p == BLUE else display.read(p, v))
    assert done.values == display.table and len(state.attempts) == 1


def test_a_dark_point_is_left_and_the_others_are_mended():
    display = TableDisplay(1)
    dark = Patch((display.levels[0],) * 3)
    problem = ManyPoints(tuple(display.points), TARGET, display.table, NOISE)
    _, done = carry_out(problem, lambda p, v: [np.nan] * 3 if p == dark else display.read(p, v))
    assert all(done.values[c.path] == display.table[c.path] for c in display.points[0].controls)
    assert mean_error(display, done.values) < 0.7 * mean_error(display, display.table)


def test_a_lock_that_keeps_a_goal_from_being_tuned_is_named():
    gains = [
        Control(f"White > {n}", "slider", 0.0, 100.0, 1.0, default=50.0, role=f"{n.lower()} gain")
        for n in ("Red", "Green", "Blue")
    ]
    preset = Control("White > Preset", "choice", choices=("own", "warm"), default="warm",
                     locks={"warm": tuple(g.path for g in gains)})  # fmt: skip
    mode = Mode("Film", "sdr", "srgb")
    menu = Menu((mode,), (preset, *gains))
    why = possible(TuningPlan(menu, mode, menu.defaults(mode), ("white",), TARGETS["srgb"]))
    assert why["white"] == "White > Red is locked while White > Preset is warm."
    free = possible(TuningPlan(menu, mode, {**menu.defaults(mode), preset.path: "own"}, ("white",), TARGETS["srgb"]))
    assert free["white"] == "" and free["points"] == "No control is said to be a point of a white balance table."


@pytest.mark.parametrize(
    ("later", "said"), [(115.0, "Later goals moved white to 115 cd/m²."), (119.9, "")], ids=["changed", "the same"]
)
def test_what_was_claimed_of_light_before_later_goals_is_said_anew(later, said):
    menu = whole_menu()
    plan = TuningPlan(menu, menu.modes[0], menu.defaults(menu.modes[0]), ("luminance", "white"), TARGETS["srgb"], 120.0)
    white = TARGETS["srgb"].white_XYZ(np.array(1.0))

    def seen(goal, Y):
        return Tried(goal, Attempt(stage="", values={}, patches=(WHITE,), XYZ=np.array([Y * white])))

    outcome = Outcome("luminance", "White is at 120 cd/m².")
    found = _corrected(plan, outcome, [seen("luminance", 120.0), seen("white", later)])
    assert found.reason.removeprefix(outcome.reason).strip() == said
    bluer = Tried(
        "points", Attempt(stage="", values={}, patches=(WHITE,), XYZ=np.array([120 * white * [1.0, 1.0, 1.1]]))
    )
    claimed = Outcome("white", "White is dE 0.2 off.")
    assert "After later goals, white is dE" in _corrected(plan, claimed, [seen("white", 120.0), bluer]).reason
    assert _corrected(plan, claimed, [seen("white", 120.0), seen("points", 118.0)]) == claimed


def test_what_goals_say_of_themselves():
    """Luminance, shadows and the curve change how bright a patch is; white and points cost light, and points go by all levels."""

    def those(said):
        return [g.key for g in GOALS.values() if said(g)]

    assert those(lambda g: g.spends) == ["white", "points", "colours"]
    assert those(lambda g: g.bends) == ["tone", "shadows", "luminance", "luminance again"]
    assert those(lambda g: not g.moves_white) == ["tone", "shadows"]
    assert those(lambda g: g.last_counts) == ["points"]
    assert those(lambda g: g.hdr) == ["white"] and those(lambda g: not g.faithful) == ["shadows"]
    assert those(lambda g: not g.chosen) == ["luminance again"]
