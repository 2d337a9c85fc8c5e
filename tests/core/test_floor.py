"""What lies under a meter's floor or in its noise: undecided steps, bounds, floors that nobody stated, negative components, and
sums that do not decide."""

from dataclasses import replace

import numpy as np
import pytest

from lumenar.app.rubric_files import load_rubric
from lumenar.core.analysis import analyse
from lumenar.core.figures import written
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.measurements.charts import Shown
from lumenar.core.readings.meter_limits import MeterLimits, floor_from
from lumenar.core.readings.readings import implausible
from lumenar.core.scoring.score import score
from lumenar.core.targets import TARGETS, Anchor

from .test_truth import METER, figures, shown

RUBRIC = load_rubric()


def near_black(floor, black=0.0, change=None):
    return figures("near_black", black=black, meter=MeterLimits(0.002, floor, floor / 3), change=change)


@pytest.mark.parametrize("black", [0.0, 0.001, 0.05])
@pytest.mark.parametrize("floor", [0.0005, 0.003, 0.02, 0.1])
def test_a_display_that_crushes_nothing_is_never_said_to(floor, black):
    a = near_black(floor, black)
    assert a.scalar("crushed_steps") == 0


@pytest.mark.parametrize("floor", [0.001, 0.02])
def test_steps_that_are_gone_are_crushed_if_black_is_a_number(floor):
    gone = near_black(floor, 0.05, lambda p, XYZ: XYZ if p.rgb[0] > 0.045 else XYZ / XYZ[1] * 0.05)
    assert gone.scalar("crushed_steps") >= 2
    assert gone.scalar("first_visible_percent") or gone.scalar("first_visible_at_most_percent")


@pytest.mark.parametrize(("by", "said"), [(2.9, "undecided"), (3.1, "crushed")])
def test_a_step_is_expected_if_its_target_is_three_uncertainties_above_black(by, said):
    """One grey reads like black; the noise of the meter is chosen so that its target is `by` uncertainties above."""
    black, level = 0.05, 0.03
    target = TARGETS["gamma22"]
    plain = figures("near_black", black=black, meter=MeterLimits(0.0, 1e-4, 1e-6))
    k = int(np.argmin(np.abs(plain.figures["levels_percent"] / 100 - level)))
    v = plain.figures["levels_percent"][k] / 100
    want = float(target.Y(np.array([v]), Anchor(np.array(120.0), np.array(black)))[0])
    u = (want - black) / by
    meter = MeterLimits(0.0, 1e-4, float(u / np.sqrt(2)))
    a = figures(
        "near_black",
        black=black,
        meter=meter,
        change=lambda p, XYZ: XYZ / XYZ[1] * black if abs(p.rgb[0] - v) < 1e-6 else XYZ,
    )
    assert a.figures["crushed"][k] == (said == "crushed") and a.figures["undecided"][k] == (said == "undecided")


@pytest.mark.parametrize(("by", "crushed"), [(1.9, True), (2.1, False)])
def test_a_step_is_seen_if_it_reads_two_uncertainties_above_black(by, crushed):
    black, meter = 0.05, MeterLimits(0.0, 1e-4, 0.002)
    u = meter.absolute * np.sqrt(2)
    levels = figures("near_black", black=black, meter=meter).figures["levels_percent"]
    k = int(np.argmin(np.abs(levels - 8)))
    a = figures(
        "near_black",
        black=black,
        meter=meter,
        change=lambda p, XYZ: XYZ / XYZ[1] * (black + by * u) if abs(p.rgb[0] - levels[k] / 100) < 1e-6 else XYZ,
    )
    assert bool(a.figures["crushed"][k]) is crushed and not a.figures["undecided"][k]


def test_the_first_visible_step_is_a_bound_above_undecided_ones():
    fine, coarse = near_black(0.0002), near_black(0.02)
    assert coarse.scalar("first_visible_percent") is None
    seen = fine.scalar("first_visible_percent") or fine.scalar("first_visible_at_most_percent")
    assert coarse.scalar("first_visible_at_most_percent") > seen
    f = {k: float(v) for k, v in coarse.figures.items() if v.ndim == 0}
    assert "or darker" in MEASUREMENTS["near_black"].words(f)
    # With black and every step above the floor it is a value.
    known = near_black(0.0001, 0.05)
    lowest = known.figures["undecided"].astype(bool)
    assert lowest.any() or known.scalar("first_visible_percent") is not None


def test_a_worse_floor_widens_a_score_and_never_only_lowers_it():
    """The same display by two meters: the score by the worse one is an interval that holds the other's."""
    by = {}
    for floor in (0.0002, 0.02):
        meter = MeterLimits(0.002, floor, floor / 3)
        needed = RUBRIC.measurements_for(RUBRIC.purposes["dark_games"])
        found = {}
        for m in needed:
            if "sdr" in MEASUREMENTS[m].signals and m not in ("modulation", "blue_light"):
                found[m] = analyse(m, shown(m, black=0.0, meter=meter), TARGETS["gamma22"])
        by[floor] = score(RUBRIC, "dark_games", found)
    fine, coarse = by[0.0002], by[0.02]
    assert coarse.high >= fine.value - 1e-6 and coarse.high - coarse.low > fine.high - fine.low
    line = next(li for li in coarse.lines if li.figure == "near_black.first_visible_percent")
    assert line.text.startswith("≤")


def test_readings_under_the_floor_give_the_error_a_range():
    coarse = near_black(0.1)
    low, high = coarse.range["error_rms_lstar"]
    truth = near_black(0.0002).scalar("error_rms_lstar")
    assert low <= truth <= high


@pytest.mark.parametrize("measurement", ["white_black", "contrast"])
def test_a_floor_that_nobody_stated_gives_no_contrast_and_no_points(measurement):
    key = "contrast_ratio" if measurement == "white_black" else "checker_contrast_ratio"
    dark = lambda p, XYZ: XYZ * 0 if p.rgb == (0, 0, 0) or p.pattern == "checker_inverse" else XYZ  # noqa: E731
    stated, assumed = (
        figures(measurement, black=0.0, change=dark, meter=replace(METER, floor_origin=origin))
        for origin in ("stated", "assumed")
    )
    column = next(c for c in MEASUREMENTS[measurement].columns if c.figure == key)
    assert written(column, stated)[0].startswith("≥ ") and written(column, assumed)[:2] == ("floor?", None)
    f = {k: float(v) for k, v in assumed.figures.items() if v.ndim == 0}
    assert "an assumed floor of 0.003 cd/m²" in MEASUREMENTS[measurement].words(f)
    rule = RUBRIC.rules[f"{measurement}.{key}"]
    weights = {rule.figure: 1.0, "white_black.white_de2000": 9.0}
    purpose = replace(RUBRIC.purposes["colour_work"], weights=weights, core=("white_black.white_de2000",))
    white = figures("white_black", black=0.05)
    found = score(RUBRIC, purpose, {"white_black": white} | {measurement: assumed})
    line = next(li for li in found.lines if li.figure == rule.figure)
    assert (line.text, line.points) == ("meter's floor not stated", None)
    assert found.high - found.low >= 10, "it may be worth nothing or everything"


@pytest.mark.parametrize(
    ("measurement", "black", "origin", "known"),
    [
        ("white_black", 0.05, "stated", True),
        ("white_black", 0.0, "stated", False),
        ("white_black", 0.0, "assumed", True),
        ("contrast", 0.2, "stated", True),
        ("contrast", 0.0, "stated", False),
        ("contrast", 0.0, "assumed", True),
    ],
)
def test_a_span_has_an_open_end_where_black_is_under_the_floor(measurement, black, origin, known):
    """With an assumed floor the end is where that floor lies, and the label says so."""

    def dark(p, XYZ):
        return XYZ * 0 if not black and (p.rgb == (0, 0, 0) or p.pattern == "checker_inverse") else XYZ

    a = figures(measurement, black=black or 0.0, change=dark, meter=replace(METER, floor_origin=origin))
    charts = MEASUREMENTS[measurement].charts([Shown("Film", a.figures, TARGETS["gamma22"])])
    series = next(c for c in charts if c.kind == "span").series[0]
    assert series.marks is known and series.labels[0].startswith("at least") is not known


def test_a_negative_component_of_a_bright_reading_is_no_floor():
    XYZ = np.array([[95.0, 100, 109], [177.0, 82.5, -0.8], [0.05, 0.05, 0.06]])
    absolute, origin = floor_from(XYZ, np.arange(3), 0.002)
    assert origin == "assumed" and absolute < 0.01
    dark = np.vstack([XYZ, [0.001, 0.002, -0.004]])
    assert floor_from(dark, np.arange(4), 0.002) == (0.002, "negatives")


def test_a_saturated_red_with_a_little_less_than_no_blue_is_used():
    def red(z):
        return figures("gamut", change=lambda p, XYZ: np.array([177.0, 82.5, z]) if p.rgb == (1, 0, 0) else XYZ)

    used = red(-0.8)
    assert "implausible" not in used.figures and used.scalar("coverage_target_uv_percent") is not None
    strange = red(-15.0)
    assert strange.figures["implausible"] == 1 and "of a colour that no light has" in strange.remark


def test_what_is_implausible_has_a_coordinate_well_below_nothing():
    inside, outside = [177.0, 82.5, -2.0], [177.0, 82.5, -3.0]
    assert implausible([inside, outside, [np.nan] * 3]).tolist() == [False, True, False]


def noisy(repeatability, boost, seed, floor=0.003, absolute=0.001):
    """Additivity of a display whose sums have more light than their parts, by a meter of some repeatability."""
    rng = np.random.default_rng(seed)

    def change(p, XYZ):
        mixed = sum(v > 0 for v in p.rgb) > 1
        return XYZ * (1 + boost * mixed) * (1 + repeatability * rng.standard_normal())

    return figures("additivity", change=change, meter=MeterLimits(repeatability, floor, absolute), black=0.001)


@pytest.mark.parametrize("repeatability", [0.001, 0.003, 0.0071, 0.01])
def test_additivity_is_decided_by_its_interval(repeatability):
    far = [noisy(repeatability, 0.47, seed) for seed in range(20)]
    assert all(a.figures["additive"] == 0 and a.scalar("sum_error_max_percent") > 40 for a in far)
    near = [noisy(repeatability, 0.0, seed) for seed in range(60)]
    assert sum(a.figures["additive"] == 0 for a in near) <= 2, "a sum that is its parts is not called another"
    if repeatability <= 0.0071:
        assert sum(a.figures["additive"] == 1 for a in near) >= 54


def test_a_meter_too_coarse_for_sums_says_so_and_gives_no_zero():
    a = noisy(0.03, 0.0, 1)
    f = {k: float(v) for k, v in a.figures.items() if v.ndim == 0}
    assert f["additive"] == 2 and a.scalar("sum_error_max_percent") is None
    assert "the meter's noise" in MEASUREMENTS["additivity"].words(f)
    dark = noisy(0.001, 0.0, 1, floor=4.0)
    f = {k: float(v) for k, v in dark.figures.items() if v.ndim == 0}
    assert f["additive"] == 2 and "under the meter's floor" in MEASUREMENTS["additivity"].words(f)
