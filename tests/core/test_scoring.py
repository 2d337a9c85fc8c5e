"""Points, scores and ties."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.app.rubric_files import load_rubric
from lumenar.core.analysis import Analysis
from lumenar.core.scoring.rubric import RubricError, Rule
from lumenar.core.scoring.score import (
    LEAST_KNOWN,
    LEAST_POINTS,
    gain,
    gain_of_known,
    interval_of,
    rank,
    score,
    tied,
    worth_it,
)

RUBRIC = load_rubric()
GOOD = {
    "grey_ramp": {
        "own_white_de2000_mean": 0.5,
        "own_white_de2000_max": 1.0,
        "de2000_mean": 0.5,
        "curve_rms_lstar": 0.5,
    },
    "white_black": {"white_de2000": 0.4, "contrast_ratio": 30_000, "cct_k": 6500},
    "gamut": {"coverage_target_uv_percent": 100, "own_white_de2000_mean": 0.5, "own_white_de2000_max": 1.0},
    "saturation": {"own_white_de2000_mean": 0.4},
    "swatches": {"own_white_de2000_mean": 0.4, "own_white_de2000_worst_tenth": 0.9},
    "uniformity": {"uniformity_de2000_judged": 0.9},
}


def analyses(**changed):
    figures = {m: dict(f) for m, f in GOOD.items()}
    for key, value in changed.items():
        measurement, figure = key.split("__")
        figures[measurement][figure] = value
    return {
        m: Analysis(m, "srgb", {k: np.array(float(v)) for k, v in f.items() if v is not None})
        for m, f in figures.items()
    }


def test_points_follow_the_knots():
    rule = RUBRIC.rules["grey_ramp.own_white_de2000_mean"]
    assert rule.points([0.2, 0.5, 1.5, 10, 40]) == pytest.approx([100, 100, 87.5, 0, 0])
    log = RUBRIC.rules["white_black.contrast_ratio"]
    assert log.points(np.sqrt(300 * 700)) == pytest.approx(37.5)
    for rule in RUBRIC.rules.values():
        x = np.linspace(rule.knots[0][0], rule.knots[-1][0], 500)
        steps = np.diff(rule.points(x))
        assert np.all(steps <= 1e-9) or np.all(steps >= -1e-9)


@pytest.mark.parametrize(
    "knots", [((1, 50), (1, 20)), ((2, 50), (1, 20)), ((0, 50), (1, 20), (2, 30)), ((0, 120), (1, 0))]
)
def test_a_rule_that_is_not_monotone_is_refused(knots):
    with pytest.raises(RubricError, match=r"grey_ramp\.gamma"):
        Rule("grey_ramp.gamma", "Gamma", "", 1, knots)


def test_the_score_is_the_weighted_mean_and_the_losses_add_up():
    perfect = score(RUBRIC, "colour_work", analyses())
    assert perfect.value == pytest.approx(100) and perfect.coverage == 1
    worse = score(RUBRIC, "colour_work", analyses(grey_ramp__own_white_de2000_mean=3))
    assert worse.value == pytest.approx(100 - 16 * 35 / 100)
    assert sum(line.loss for line in worse.lines) == pytest.approx(100 - worse.value)
    assert worse.lines[0].figure == "grey_ramp.own_white_de2000_mean"


def test_leaving_a_weak_measurement_out_cannot_raise_the_score():
    no_core = score(RUBRIC, "colour_work", analyses(gamut__coverage_target_uv_percent=None))
    assert no_core.value is None and "Coverage of the target" in no_core.reason
    left_out = dict.fromkeys(
        (
            "grey_ramp__curve_rms_lstar", "gamut__own_white_de2000_mean", "gamut__own_white_de2000_max",
            "swatches__own_white_de2000_mean", "swatches__own_white_de2000_worst_tenth",
        )
    )  # fmt: skip
    thin = score(RUBRIC, "colour_work", analyses(**left_out))
    assert thin.value is None and thin.coverage == pytest.approx(0.68)
    some = score(RUBRIC, "colour_work", analyses(gamut__own_white_de2000_max=None))
    assert some.value is not None and some.coverage == pytest.approx(0.97)


def test_at_least_stands_in_for_contrast():
    without = analyses(white_black__contrast_ratio=None, white_black__contrast_at_least=90_000)
    line = next(li for li in score(RUBRIC, "colour_work", without).lines if li.title == "Contrast")
    assert line.points == 100 and line.text.startswith("≥")


def with_draws(value, spread):
    a = analyses(grey_ramp__own_white_de2000_mean=value)
    draws = np.random.default_rng(round(100 * value)).normal(value, spread, 400)
    a["grey_ramp"] = Analysis("grey_ramp", "srgb", a["grey_ramp"].figures, draws={"own_white_de2000_mean": draws})
    return a


def test_scores_tie_when_the_interval_of_their_difference_holds_nothing():
    near, far = (score(RUBRIC, "colour_work", with_draws(v, 0.2)) for v in (2.0, 4.0))
    assert near.low < near.value < near.high
    assert tied(near, score(RUBRIC, "colour_work", with_draws(2.1, 0.2)))
    assert not tied(near, far)


@given(st.sets(st.sampled_from(sorted(f"{m}__{k}" for m, f in GOOD.items() for k in f)), max_size=6), st.floats(0.3, 9))
def test_leaving_something_out_never_raises_what_scores_are_ranked_by(left_out, de):
    whole = analyses(grey_ramp__own_white_de2000_mean=de, swatches__own_white_de2000_mean=de)
    figures = {m: {k: float(v) for k, v in a.figures.items()} for m, a in whole.items()}
    for key in left_out:
        measurement, figure = key.split("__")
        figures[measurement].pop(figure)
    less = {m: Analysis(m, "srgb", {k: np.array(v) for k, v in f.items()}) for m, f in figures.items()}
    before, after = (score(RUBRIC, "colour_work", a) for a in (whole, less))
    assert rank(after) <= rank(before) + 1e-9
    if after.value is not None:
        assert after.low <= before.value <= after.high + 1e-9, "what was left out is within what is left open"
    assert after.value is None or not left_out or tied(after, before)


def test_a_lower_bound_leaves_the_interval_open_upwards():
    bound = score(RUBRIC, "colour_work", analyses(white_black__contrast_ratio=None, white_black__contrast_at_least=900))
    known = score(RUBRIC, "colour_work", analyses(white_black__contrast_ratio=900))
    assert bound.value == pytest.approx(known.value) and bound.low == pytest.approx(known.low)
    assert known.high == pytest.approx(known.value) and bound.high == pytest.approx(100)


def test_different_numbers_of_draws_do_not_clash():
    a = with_draws(2.0, 0.2)
    a["gamut"] = Analysis(
        "gamut",
        "srgb",
        a["gamut"].figures,
        draws={"own_white_de2000_mean": np.random.default_rng(2).normal(0.5, 0.1, 60)},
    )
    found = score(RUBRIC, "colour_work", a)
    assert len(found.spread) == 60 and found.low < found.value
    assert tied(found, score(RUBRIC, "colour_work", with_draws(2.0, 0.2)))


def test_what_two_setups_share_cancels_in_a_tie():
    """Two intervals overlap widely, yet the better one is better in every draw."""
    shared = np.random.default_rng(3).normal(0, 0.5, 200)

    def scored(value):
        a = analyses(grey_ramp__own_white_de2000_mean=value)
        draws = {"own_white_de2000_mean": value + shared}
        a["grey_ramp"] = Analysis("grey_ramp", "srgb", a["grey_ramp"].figures, draws=draws)
        return score(RUBRIC, "colour_work", a)

    one, two = scored(2.0), scored(2.4)
    assert one.low < two.high and not tied(one, two)


def test_what_is_worth_the_trouble_is_sure_and_enough():
    def scored(value, spread=0.01):
        return score(RUBRIC, "colour_work", with_draws(value, spread))

    assert worth_it(scored(2.0), scored(3.0))
    small, base = scored(2.0), scored(2.1)
    found = gain(small, base)
    assert 0 < found[1] < found[0] < LEAST_POINTS and not worth_it(small, base), "sure, and less than anyone would see"
    unsure = scored(2.0, 1.5), scored(3.0, 1.5)
    assert gain(*unsure)[0] >= LEAST_POINTS and gain(*unsure)[1] < 0 and not worth_it(*unsure)
    none = score(RUBRIC, "colour_work", {})
    assert gain(none, base) is None and not worth_it(none, base) and not worth_it(base, none)


def test_two_lower_bounds_tell_nothing_of_a_difference_and_one_leaves_it_open():
    def scored(contrast, bound, dE=1.0):
        key = "contrast_at_least" if bound else "contrast_ratio"
        more = {f"white_black__{key}": contrast, "grey_ramp__own_white_de2000_mean": dE}
        return score(RUBRIC, "colour_work", analyses(**({"white_black__contrast_ratio": None} | more)))

    assert gain(scored(4000, True), scored(900, True)) == pytest.approx((0, 0, 0))
    better = gain(scored(4000, True, 1.0), scored(900, True, 3.0))
    assert better == pytest.approx(gain(scored(900, False, 1.0), scored(900, False, 3.0)))
    value, low, high = gain(scored(900, True), scored(900, False))
    assert value == pytest.approx(0) and low == pytest.approx(0) and high > 2, "it may have the contrast of an OLED"
    value, low, high = gain(scored(900, False), scored(900, True))
    assert high == pytest.approx(0) and low < -2
    value, low, _ = gain(scored(4000, False), scored(900, False))
    assert value == pytest.approx(low) and value > 0


def test_a_gain_in_what_both_know_needs_no_score():
    purpose = RUBRIC.purposes["evening_film"]
    few = ("grey_ramp", "white_black")

    def known(dE, *measurements):
        return {m: a for m, a in with_draws(dE, 0.05).items() if m in measurements}

    good, bad = (known(dE, *few) for dE in (1.0, 3.0))
    assert score(RUBRIC, "evening_film", good).value is None
    value, low, high = gain_of_known(RUBRIC, purpose, good, bad)
    rule = RUBRIC.rules["grey_ramp.own_white_de2000_mean"]
    weight = purpose.weights["grey_ramp.own_white_de2000_mean"] / sum(purpose.weights.values())
    assert value == pytest.approx(weight * float(rule.points(1.0) - rule.points(3.0)))
    assert low < value < high and high - low < 2
    assert gain_of_known(RUBRIC, purpose, bad, good)[0] == pytest.approx(-value)
    # What only one of them has plays no part, unless the purpose needs it.
    assert gain_of_known(RUBRIC, purpose, {**good, **known(1.0, "swatches")}, bad)[0] == pytest.approx(value)
    assert gain_of_known(RUBRIC, purpose, good, known(3.0, "grey_ramp", "swatches")) is None
    share = sum(w for f, w in purpose.weights.items() if f.startswith("grey_ramp")) / sum(purpose.weights.values())
    assert (
        share < LEAST_KNOWN and gain_of_known(RUBRIC, purpose, known(1.0, "swatches"), known(2.0, "swatches")) is None
    )


def test_a_purpose_judges_by_its_target_where_that_is_for_the_signal():
    desktop = RUBRIC.purposes["desktop"]
    assert desktop.judges_by("display_p3") == "srgb" and desktop.judges_by("bt2020_pq") == "bt2020_pq"
    assert RUBRIC.purposes["play"].judges_by("display_p3") == "display_p3"


@given(st.lists(st.floats(0, 5), min_size=60, max_size=200), st.floats(-3, 3))
def test_an_interval_takes_out_what_noise_shifts(values, shift):
    """Draws about a shift give their quantiles less twice that shift: once for the readings, once for the draws."""
    even = np.concatenate([values, -np.array(values)])
    low, high = np.quantile(even, [0.025, 0.975])
    found = interval_of(even + shift, 500.0)
    assert found == pytest.approx((min(low - shift, 0), max(high - shift, 0)), abs=1e-6)


def test_a_gain_without_scores_is_open_where_one_of_two_figures_is_a_lower_bound():
    purpose = RUBRIC.purposes["evening_film"]

    def known(contrast, bound):
        key = "contrast_at_least" if bound else "contrast_ratio"
        more = {"white_black__contrast_ratio": None, f"white_black__{key}": contrast}
        return {m: a for m, a in analyses(**more).items() if m in ("grey_ramp", "white_black")}

    value, low, high = gain_of_known(RUBRIC, purpose, known(900, True), known(900, False))
    assert (value, low) == pytest.approx((0, 0)) and high > 2
    value, low, high = gain_of_known(RUBRIC, purpose, known(900, False), known(900, True))
    assert (value, high) == pytest.approx((0, 0)) and low < -2
    assert gain_of_known(RUBRIC, purpose, known(9000, True), known(900, True)) == pytest.approx((0, 0, 0))


def test_what_an_unknown_correction_may_make_of_a_score_widens_its_interval():
    """The truth may be one of the draws then, and it may be what is left once the shift is taken out: the interval holds both."""
    moved = np.random.default_rng(5).gamma(2.0, 2.0, 4000)
    low, high = interval_of(moved, 60.0, systematic=True)
    by_noise = interval_of(moved, 60.0)
    assert high == pytest.approx(np.quantile(moved, 0.975)) and by_noise[1] < high - 2 and low == by_noise[0] < 0

    def scored(systematic):
        a = with_draws(3.0, 0.8)
        a["grey_ramp"] = replace(a["grey_ramp"], systematic=systematic)
        return score(RUBRIC, "colour_work", a)

    unsure, known = scored(True), scored(False)
    assert unsure.systematic and not known.systematic and unsure.value == known.value
    assert (unsure.low, unsure.high) != (known.low, known.high)
    other = score(RUBRIC, "colour_work", with_draws(4.0, 0.8))
    assert gain(unsure, other)[1:] != gain(known, other)[1:]


def test_a_white_that_is_off_counts_once():
    """A display perfect but for a white of 7270 K loses 8 to 12 points, by the line of white alone."""
    from lumenar.core.analysis import analyse
    from lumenar.core.colour.spaces import xy_to_XYZ
    from lumenar.core.targets import TARGETS

    from .test_measurements import display

    gains = xy_to_XYZ((0.3018, 0.3180)) / xy_to_XYZ((0.3127, 0.3290))

    def cool(XYZ):
        from lumenar.core.colour.adaptation import bradford

        return XYZ @ bradford(xy_to_XYZ((0.3127, 0.3290)), xy_to_XYZ((0.3018, 0.3180))).T

    assert gains[2] > 1
    lost = []
    for change in (lambda XYZ: XYZ, cool):
        readings = display("srgb", black=0.001, change=change)
        found = {
            m: analyse(m, readings, TARGETS["srgb"], uncertain=False) for m in ("grey_ramp", "gamut", "white_black")
        }
        known = score(RUBRIC, "colour_work", found)
        # Of all that the purpose weighs, measured or not.
        lost.append({line.figure: line.loss * known.coverage for line in known.lines if line.loss is not None})
    more = {k: lost[1][k] - lost[0][k] for k in lost[0]}
    assert 8 < more["white_black.white_de2000"] < 12
    assert max(abs(v) for k, v in more.items() if "own_white" in k) < 0.05


def test_what_black_leaves_open_lowers_the_score_and_widens_it_downwards():
    known = analyses()
    open_ = {**known, "grey_ramp": replace(known["grey_ramp"], range={"own_white_de2000_mean": (0.5, 3.0)}, judged={})}
    one, two = score(RUBRIC, "colour_work", known), score(RUBRIC, "colour_work", open_)
    assert two.value == one.value and two.high == one.high
    assert two.open_low == pytest.approx(-16 * 35 / 100) and two.low == pytest.approx(one.low - 16 * 35 / 100)
    assert rank(two) < rank(one)


@pytest.mark.parametrize(
    "stale, said",
    [
        (("grey_ramp", "gamut"), "out of date"),
        (("grey_ramp",), "not measured"),
        (("gamut",), "not measured"),
        ((), "not measured"),
    ],
)
def test_core_figures_are_out_of_date_only_if_all_of_them_are(stale, said):
    lacking = {m: a for m, a in analyses().items() if m not in ("grey_ramp", "gamut")}
    assert score(RUBRIC, "colour_work", lacking, stale=stale).reason.startswith(f"{said}: ")
