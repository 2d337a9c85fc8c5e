"""Findings: planted faults are found at twice their limit and not at half, and nothing is found where nothing is wrong."""

import re
from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from lumenar.core.analysis import Analysis
from lumenar.core.findings import MOST, MOST_PER_SUBJECT, RULES, findings, for_report
from lumenar.core.findings.base import DisplayEvidence, SetupEvidence, in_modes, least, ranged
from lumenar.core.targets import TARGETS
from lumenar.core.uncertainty import Uncertainty

from ..kit.planted import FAULTS, MEASURED, colour, evidence, setup, tone

NOT_PLANTED = {"light.modulation", "mode.best", "mode.factory", "white.exact", "tone.exact", "colour.exact"}
"""Found from waveforms, from several modes, or where nothing is wrong."""


def faults(*setups):
    return {f.key: f for f in findings(evidence(*setups)) if f.kind != "strength"}


@pytest.mark.parametrize("key", FAULTS)
def test_a_fault_is_found_at_twice_its_limit_and_not_at_half(key):
    measurement, fault = FAULTS[key]
    for seed in (1, 2):
        found = faults(setup(seed, (measurement,), fault, 2.0))
        # A zone that is visibly darker is a high percentage in dark grey too.
        assert set(found) - ({"screen.dark_percent"} if key == "screen.zone" else set()) == {key}
        f = found[key]
        assert f.sentence.endswith(".") and not re.search(r"\bnan\b", f.sentence) and "Only" in f.sentence
        assert f.evidence[0].setup.name == "Only" and f.evidence[0].amount[1] <= f.evidence[0].amount[2]
        assert key not in faults(setup(seed, (measurement,), fault, 0.5))


@pytest.mark.parametrize("seed", range(3))
def test_nothing_is_found_where_nothing_is_wrong(seed):
    sdr = tuple(m for m in MEASURED if m != "pq_tracking")
    assert faults(setup(seed, sdr, noisy=True)) == {}
    assert faults(setup(seed, ("pq_tracking",), noisy=True)) == {}
    good = {f.key for f in findings(evidence(setup(seed, sdr))) if f.kind == "strength"}
    assert good == {"white.exact", "tone.exact", "colour.exact"}


def test_every_rule_is_planted_or_named_here():
    assert set(RULES) == set(FAULTS) | NOT_PLANTED


def made(name, figures, target="srgb", **more):
    """A setup with single figures: value, low and high by measurement and key."""
    analyses = {}
    for m, own in figures.items():
        values = {k: np.asarray(v[0] if np.size(v) == 3 else v, float) for k, v in own.items()}
        u = {k: Uncertainty((v[2] - v[1]) / 4, v[1], v[2]) for k, v in own.items() if np.size(v) == 3}
        analyses[m] = Analysis(m, target, values, u)
    t = TARGETS[target]
    return SetupEvidence(name, name, t.signal, t, more.get("shipped", True), analyses, lambda m: None)


def white(name, de, uv=(0.19, 0.46), **more):
    return made(
        name, {"white_black": {"white_de2000": (de, de - 0.2, de + 0.2), "white_uv": uv, "cct_k": 7500.0}}, **more
    )


def test_the_same_fault_in_several_modes_is_one_finding():
    modes = [white(n, de) for n, de in (("A", 4.0), ("B", 9.0), ("C", 2.0), ("D", 0.1))]
    found = faults(*modes)["white.cool"]
    assert found.sentence == "White is too cool in three of four modes, by dE 2.0 to 9.0; most in B."
    assert [o.setup.name for o in found.evidence] == ["B", "A", "C"] and found.measured == 4


def test_setups_that_were_changed_are_left_out_where_others_ship():
    assert "white.cool" not in faults(white("A", 0.1), white("Mine", 9.0, shipped=False))
    assert "white.cool" in faults(white("Mine", 9.0, shipped=False))


def test_modes_of_another_sample_do_not_count_twice():
    a, b = white("Film", 5.0), replace(white("Film", 9.0), sample="B")
    found = faults(a, b)["white.cool"]
    assert found.measured == 1 and [o.amount[0] for o in found.evidence] == [5.0]


@pytest.mark.parametrize(
    "names, measured, said",
    [
        (["Film"], 1, "in Film"),
        (["Film"], 3, "in Film"),
        (["Film", "Play"], 5, "in Film and Play"),
        (["Film", "Play"], 2, "in both modes"),
        (["A", "B", "C"], 3, "in all three modes"),
        (["A", "B", "C"], 7, "in three of seven modes"),
        (["Film, lamp on"], 3, "in “Film, lamp on”"),
    ],
)
def test_modes_in_words(names, measured, said):
    found = RULES["white.cool"].found([white(n, 5.0) for n in names])
    assert in_modes(found, measured) == said


@pytest.mark.parametrize(
    "found, sign, of_many, wanted",
    [
        ((2.0, 1.5, 2.5), 1, False, 1.5),
        ((2.0, 1.5, 2.5), -1, False, 0.0),
        ((-2.0, -2.5, -1.5), -1, False, 1.5),
        # A value that two half widths don't separate from none, on both sides of that.
        ((2.0, 1.01, 3.0), 1, False, 1.01),
        ((2.0, 0.99, 3.0), 1, False, 0.0),
        # Of many values it takes three.
        ((2.0, 1.35, 2.7), 1, True, 1.35),
        ((2.0, 1.32, 2.7), 1, True, 0.0),
    ],
)
def test_a_figure_counts_only_if_it_is_far_from_none(found, sign, of_many, wanted):
    assert least(found, sign, of_many) == pytest.approx(wanted)


def test_values_of_many_patches_have_intervals_from_their_draws():
    draws = np.array([[1.0, 0.0, np.nan], [3.0, 0.2, np.nan], [2.0, 0.1, np.nan]])
    found = ranged([2.0, 0.1, np.nan], draws)
    sd = np.std([1.0, 3.0, 2.0])
    assert found.low[0] == pytest.approx(2 - 2 * sd) and found.high[0] == pytest.approx(2 + 2 * sd)
    # Draws that are larger on average than the value move its interval down by that.
    biased = ranged([2.0], [[2.5], [3.5], [3.0]])
    assert biased.low[0] == pytest.approx(1 - 2 * np.std([2.5, 3.5, 3.0])) and biased.high[0] == 2.0


def test_a_report_tells_at_most_ten_and_two_on_a_subject():
    one = findings(evidence(white("A", 5.0)))[0]
    many = [replace(one, key=f"{s}.{i}", severity=9 - i) for i in range(4) for s in "abcdefg"]
    kept = for_report(many)
    assert len(kept) == MOST and all(sum(k.subject == s for k in kept) <= MOST_PER_SUBJECT for s in "abcdefg")
    assert kept == many[:MOST], "the most severe"


@pytest.mark.parametrize("others, faults_kept", [(0, 10), (1, 9), (2, 8), (5, 8)])
def test_faults_leave_room_for_what_is_good(others, faults_kept):
    one = findings(evidence(white("A", 5.0)))[0]
    faults_ = [replace(one, key=f"{s}.{i}") for i in range(2) for s in "abcdefg"]
    good = [replace(one, key=f"good{i}.exact", kind="strength") for i in range(others)]
    kept = for_report([*faults_, *good])
    assert [f.kind for f in kept] == ["fault"] * faults_kept + ["strength"] * min(others, 2)
    # Without faults, everything else has room.
    assert for_report(good) == good


@pytest.mark.parametrize("svm, found", [(0.98, False), (1.02, True)])
def test_flicker_is_told_from_the_visible_limit_on(svm, found):
    figures = {"svm": svm, "modulation_percent": 74.0, "frequency_hz": 480.0}
    said = faults(made("Film", {"modulation": figures}))
    assert ("light.modulation" in said) == found
    if found:
        assert "in Film (74 % deep at 480 Hz)" in said["light.modulation"].sentence


def modes_with(*errors):
    return [
        made(n, {"grey_ramp": {"de2000_mean": (e, e - 0.2, e + 0.2)}}) for n, e in zip("ABCD", errors, strict=False)
    ]


@pytest.mark.parametrize(
    "errors, best, factory",
    [
        ((1.0, 4.0, 5.0), ["A"], True),
        ((1.0, 1.3, 5.0), ["A", "B"], False),
        # All alike: none is the best.
        ((1.0, 1.1, 1.2), None, False),
        # The least exact of the tied modes doesn't hide the next one.
        ((1.0, 1.39, 1.5), ["A", "B"], False),
        # The second is not twice as far off.
        ((1.0, 2.5, 5.0), ["A"], False),
        # The first is no adjusted mode.
        ((2.0, 6.0, 7.0), ["A"], False),
    ],
)
def test_modes_are_compared_as_they_ship(errors, best, factory):
    found = faults(*modes_with(*errors))
    assert [o.setup.name for o in found["mode.best"].evidence] == best if best else "mode.best" not in found
    assert ("mode.factory" in found) == factory


def test_colours_count_only_where_all_modes_were_read_for_them():
    a, b, c = modes_with(1.0, 3.0, 5.0)
    colours = made("A", {"saturation": {"de2000_mean": (9.0, 8.9, 9.1)}}).analyses
    mixed = replace(a, analyses={**a.analyses, **colours})
    assert faults(mixed, b, c)["mode.best"].evidence[0].setup.name == "A"


def test_no_setups_no_findings():
    assert findings(DisplayEvidence([])) == []


GAMUT = {"primaries_uv": np.full((3, 2), 0.3), "white_uv": (0.198, 0.468), "area_target_uv_percent": 90.0}


@pytest.mark.parametrize(
    "key, target, measurement, figures, found",
    [
        # The end of the interval that is nearest to no fault decides, on both sides of each limit.
        ("white.cool", "srgb", "white_black", {"white_de2000": (1.3, 1.02, 1.6), "white_uv": (0.19, 0.46)}, True),
        ("white.cool", "srgb", "white_black", {"white_de2000": (1.3, 0.98, 1.6), "white_uv": (0.19, 0.46)}, False),
        ("white.exact", "srgb", "white_black", {"white_de2000": (0.8, 0.6, 0.98)}, True),
        ("white.exact", "srgb", "white_black", {"white_de2000": (0.8, 0.6, 1.02)}, False),
        ("gamut.short", "srgb", "gamut", {**GAMUT, "coverage_target_uv_percent": (94.0, 93.0, 94.9)}, True),
        ("gamut.short", "srgb", "gamut", {**GAMUT, "coverage_target_uv_percent": (94.0, 93.0, 95.1)}, False),
        ("screen.dark_percent", "srgb", "uniformity", {
            "uniformity_dark_falloff_percent": (14.0, 13.0, 15.0), "uniformity_dark_de2000_worst": (1.9, 1.8, 1.98)}, True),
        ("screen.dark_percent", "srgb", "uniformity", {
            "uniformity_dark_falloff_percent": (14.0, 13.0, 15.0), "uniformity_dark_de2000_worst": (1.9, 1.8, 2.02)}, False),
        ("screen.dark_percent", "srgb", "uniformity", {
            "uniformity_dark_falloff_percent": (10.2, 9.9, 10.5), "uniformity_dark_de2000_worst": (1.0, 0.9, 1.1)}, False),
        ("light.area", "srgb", "window_ladder", {"drop_percent": (5.2, 5.01, 5.4)}, True),
        ("light.area", "srgb", "window_ladder", {"drop_percent": (5.2, 4.99, 5.4)}, False),
        ("light.time", "srgb", "hold", {"drift_percent": (3.2, 3.01, 3.4)}, True),
        ("light.time", "srgb", "hold", {"drift_percent": (-3.2, -3.4, -2.99)}, False),
        ("light.min_too_bright", "srgb", "brightness_ladder", {"min_cd_m2": (81.0, 80.1, 82.0)}, True),
        ("light.min_too_bright", "srgb", "brightness_ladder", {"min_cd_m2": (81.0, 79.9, 82.0)}, False),
        ("light.dim", "srgb", "brightness_ladder", {"max_cd_m2": (198.0, 196.0, 199.9)}, True),
        ("light.dim", "srgb", "brightness_ladder", {"max_cd_m2": (198.0, 196.0, 200.1)}, False),
        ("hdr.early_clip", "p3_d65_pq", "pq_tracking", {"clip_cd_m2": (990.0, 980.0, 999.0)}, True),
        ("hdr.early_clip", "p3_d65_pq", "pq_tracking", {"clip_cd_m2": (990.0, 980.0, 1001.0)}, False),
    ],
)  # fmt: skip
def test_the_nearest_end_of_an_interval_decides(key, target, measurement, figures, found):
    shown = {f.key for f in findings(evidence(made("Film", {measurement: figures}, target)))}
    assert (key in shown) == found


def test_a_curve_that_is_off_as_a_whole_is_told_once():
    curve = partial(tone, 0.4, 0.4, 1, 2.0)
    found = faults(setup(1, ("grey_ramp",), curve, 2.0))
    assert set(found) == {"tone.washed"} and min(found["tone.washed"].evidence[0].levels) < 25


def test_more_modes_and_larger_errors_are_more_severe():
    def severity(*errors):
        return faults(*(white(f"M{i}", e) for i, e in enumerate(errors)))["white.cool"].severity

    assert severity(4.0, 4.0, 4.0) > severity(4.0, 4.0, 0.1) > severity(4.0, 0.1, 0.1)
    assert severity(8.0) > severity(4.0) > severity(1.5) > 0


def test_the_best_mode_is_weighed_against_the_next_one():
    (best,) = faults(*modes_with(1.0, 3.0, 9.0))["mode.best"].evidence
    assert best.excess == pytest.approx(2.0)


def test_a_patch_is_not_told_apart_if_its_whole_hue_is_off():
    red = partial(colour, "chroma", 1)
    assert set(faults(setup(1, ("saturation", "swatches"), red, 6.0))) == {"colour.oversaturated"}
    assert set(faults(setup(1, ("swatches",), red, 6.0))) == {"colour.one_bad"}
