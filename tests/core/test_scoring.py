"""Points, scores, ties and the plain recipe."""

import numpy as np
import pytest

from lumenar.core.analysis import Analysis
from lumenar.core.recipes.first import Candidate, Menu, recommend
from lumenar.core.scoring.rubric import RubricError, Rule, score, tied
from lumenar.service.application import load_rubric

RUBRIC = load_rubric()
GOOD = {
    "grey_ramp": {"de2000_mean": 0.5, "de2000_max": 1.0, "curve_rms_lstar": 0.5},
    "white_black": {"white_de2000": 0.4, "contrast_ratio": 30_000, "cct_k": 6500},
    "gamut": {"coverage_target_uv_percent": 100, "de2000_mean": 0.5, "de2000_max": 1.0},
    "saturation": {"de2000_mean": 0.4},
    "swatches": {"de2000_mean": 0.4, "de2000_worst_tenth": 0.9},
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
    rule = RUBRIC.rules["grey_ramp.de2000_mean"]
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
    worse = score(RUBRIC, "colour_work", analyses(grey_ramp__de2000_mean=3))
    assert worse.value == pytest.approx(100 - 18 * 35 / 100)
    assert sum(line.loss for line in worse.lines) == pytest.approx(100 - worse.value)
    assert worse.lines[0].figure == "grey_ramp.de2000_mean"


def test_leaving_a_weak_measurement_out_cannot_raise_the_score():
    no_core = score(RUBRIC, "colour_work", analyses(gamut__coverage_target_uv_percent=None))
    assert no_core.value is None and "Coverage of the target" in no_core.reason
    left_out = dict.fromkeys(
        (
            "grey_ramp__curve_rms_lstar", "gamut__de2000_mean", "gamut__de2000_max", "swatches__de2000_mean",
            "swatches__de2000_worst_tenth",
        )
    )  # fmt: skip
    thin = score(RUBRIC, "colour_work", analyses(**left_out))
    assert thin.value is None and thin.coverage == pytest.approx(0.67)
    some = score(RUBRIC, "colour_work", analyses(gamut__de2000_max=None))
    assert some.value is not None and some.coverage == pytest.approx(0.97)


def test_at_least_stands_in_for_contrast():
    without = analyses(white_black__contrast_ratio=None, white_black__contrast_at_least=90_000)
    line = next(li for li in score(RUBRIC, "colour_work", without).lines if li.title == "Contrast")
    assert line.points == 100 and line.text.startswith("≥")


def with_draws(value, spread):
    a = analyses(grey_ramp__de2000_mean=value)
    draws = np.random.default_rng(1).normal(value, spread, 400)
    a["grey_ramp"] = Analysis("grey_ramp", "srgb", a["grey_ramp"].figures, draws={"de2000_mean": draws})
    return a


def test_scores_tie_when_their_intervals_overlap():
    near, far = (score(RUBRIC, "colour_work", with_draws(v, 0.2)) for v in (2.0, 4.0))
    assert near.low < near.value < near.high
    assert tied(near, score(RUBRIC, "colour_work", with_draws(2.1, 0.2)))
    assert not tied(near, far)


WHITE_GAINS = [("Picture > White > Red gain", 100), ("Picture > White > Blue gain", 100)]
MENU = Menu("Picture > Mode", "Picture > Light", 1.0, WHITE_GAINS, {})


def ladder(top):
    x = np.linspace(0, 100, 11)
    return Analysis("brightness_ladder", "srgb", {"settings": x, "white_cd_m2": 20 + (top - 20) * x / 100})


def candidate(name, de, top=300):
    a = analyses(grey_ramp__de2000_mean=de) | {"brightness_ladder": ladder(top)}
    return Candidate(name, name, score(RUBRIC, "colour_work", a), a)


def test_the_recipe_names_the_best_mode_its_luminance_and_what_stays():
    recipe = recommend("colour_work", "Colour work", [candidate("Plain", 3), candidate("True", 0.8)], MENU)
    assert recipe.mode == "True"
    kinds = [(s.kind, s.path, s.value) for s in recipe.steps]
    assert kinds[0] == ("set", "Picture > Mode", "True")
    assert kinds[1] == ("set", "Picture > Light", "36")
    assert kinds[2] == ("leave", "Picture > White > Red gain / Blue gain", "100 / 100")
    assert all(s.why for s in recipe.steps) and recipe.steps[1].evidence
    assert dict(recipe.luminance_table)[200.0] == 64
    assert not recipe.replayed and any("sample" in c for c in recipe.caveats)


def test_a_luminance_out_of_reach_is_said():
    recipe = recommend("colour_work", "Colour work", [candidate("Dim", 1, top=90)], MENU)
    assert recipe.steps[1].value == "100" and "out of reach" in recipe.steps[1].why
    assert dict(recipe.luminance_table)[120.0] is None
    assert recommend("colour_work", "Colour work", [], MENU) is None
