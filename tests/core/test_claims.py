"""Claims: understood from a maker's words, and tested on both sides of their numbers."""

from math import nan

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.analysis import Analysis
from lumenar.core.claims.claim import Claim, checked, figures, understood
from lumenar.core.claims.outcome import ClaimEvidence, outcome_of
from lumenar.core.measurements import gamut, modulation, peak, swatches, white_black
from lumenar.core.uncertainty import Uncertainty

SRGB, P3 = gamut.OF_SRGB.name, gamut.OF_P3.name


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        ("99 % sRGB", [(SRGB, "at_least", 99, 0)]),
        ("Covers 100 % of sRGB and 98 % of P3", [(SRGB, "at_least", 100, 0), (P3, "at_least", 98, 0)]),
        ("covers 99,5 % of BT.709", [(SRGB, "at_least", 99.5, 1)]),
        ("Covers all of P3", [(P3, "at_least", 100, 0)]),
        ("95% Display P3", [(P3, "at_least", 95, 0)]),
        ("1000 nits in 10 %", [(peak.BURST_10.name, "at_least", 1000, 0)]),
        ("peak brightness of 1,500 cd/m²", [(peak.HIGHEST.name, "at_least", 1500, 0)]),
        ("1000 nits peak", [(peak.HIGHEST.name, "at_least", 1000, 0)]),
        ("500 nits", [(white_black.LUMINANCE.name, "at_least", 500, 0)]),
        ("Contrast 1.000.000:1", [(white_black.CONTRAST.name, "at_least", 1e6, 0)]),
        ("dE < 2 factory calibrated", [(swatches.MEAN.name, "at_most", 2, 0)]),
        ("dE below 2 from the factory", [(swatches.MEAN.name, "at_most", 2, 0)]),
        ("ΔE2000 ≤ 1.5", [(swatches.MEAN.name, "at_most", 1.5, 1)]),
        ("Flicker-free", [(modulation.DEPTH.name, "at_most", 5, 0)]),
        ("1000 zones, no blooming", [("", "at_least", 0, 0)]),
        ("True BT.709 in Film", [("", "at_least", 0, 0)]),
    ],
)
def test_common_forms_are_understood(words, wanted):
    found = understood(words)
    assert [(c.figure, c.comparison, c.number, c.decimals) for c in found] == wanted
    assert all(c.words == " ".join(words.split()) and not checked(c) for c in found)


@given(st.text(max_size=300))
def test_whatever_a_maker_writes_gives_a_claim_that_can_be_kept(words):
    assert all(not checked(c) for c in understood(words))


def test_the_longest_words_are_read_at_once():
    import time

    begun = time.perf_counter()
    for words in ("9" * 2000, "peak " * 400, "1 " * 1000, "dE " * 600, "9," * 1000 + "%"):
        understood(words)
    assert time.perf_counter() - begun < 5


def test_a_claim_about_no_figure_or_with_no_number_is_refused():
    assert "no figure" in checked(Claim(words="a", figure="gamut.beauty"))
    for wrong in (nan, -1.0, 2e9):
        assert "a number" in checked(Claim(words="a", figure=SRGB, number=wrong))
    assert not checked(Claim(words="a", figure=SRGB, number=1e9)) and not checked(Claim(words="a", figure=SRGB))


def test_every_figure_offered_has_a_title_and_only_one_name():
    found = figures()
    assert len({f.name for f in found}) == len(found) > 40 and all(f.title for f in found)


def setup(name, value, half=0.2, shipped=True, figure=SRGB, **more):
    measurement, _, key = figure.partition(".")
    values = {key: np.array(value)} | {k: np.array(v) for k, v in more.items()}
    analysis = Analysis(measurement, "srgb", values, {key: Uncertainty(half / 2, value - half, value + half)})
    return ClaimEvidence(name=name, shipped=shipped, analyses={measurement: analysis})


AT_LEAST_99 = Claim(words="99 %", figure=SRGB, comparison="at_least", number=99.0)
AT_MOST_2 = Claim(words="dE < 2", figure=SRGB, comparison="at_most", number=2.0)


@pytest.mark.parametrize(
    ("claim", "value", "verdict"),
    [
        # Half widths of 0.2; 99 % is claimed to the last digit, so 98.5 is enough.
        (AT_LEAST_99, 98.71, "holds"),
        (AT_LEAST_99, 98.69, "open"),
        (AT_LEAST_99, 98.31, "open"),
        (AT_LEAST_99, 98.29, "fails"),
        (AT_MOST_2, 1.79, "holds"),
        (AT_MOST_2, 1.81, "open"),
        (AT_MOST_2, 2.19, "open"),
        (AT_MOST_2, 2.21, "fails"),
    ],
)
def test_the_interval_decides(claim, value, verdict):
    assert outcome_of(claim, [setup("Film", value)]).verdict == verdict


def test_decimals_say_how_closely_a_number_is_claimed():
    exact = Claim(words="99.5 %", figure=SRGB, comparison="at_least", number=99.5, decimals=1)
    assert outcome_of(exact, [setup("Film", 99.46, 0.005)]).verdict == "holds"
    assert outcome_of(exact, [setup("Film", 99.44, 0.005)]).verdict == "fails"


@pytest.mark.parametrize(
    ("setups", "verdict", "said"),
    [
        ([setup("A", 99.5), setup("B", 99.8)], "holds", "holds"),
        ([setup("A", 99.5), setup("B", 80.0)], "holds in some", "holds only in A"),
        ([setup("A", 99.5), setup("B", 98.5)], "holds in some", "holds only in A"),
        (
            [setup("A", 80.0), setup("B", 99.5, shipped=False)],
            "holds with settings",
            "holds only with our settings, in B",
        ),
        ([setup("A", 99.5), setup("B", 80.0, shipped=False)], "holds", "holds"),
        ([setup("A", 80.0), setup("B", 70.0)], "fails", "fails"),
        ([setup("A", 80.0), setup("B", 98.5)], "open", "within uncertainty"),
        ([], "not tested", "not tested"),
        ([setup(n, 99.5) for n in "ABCDE"] + [setup("F", 10.0)], "holds in some", "holds only in A, B, C and two more"),
    ],
)
def test_where_a_claim_holds(setups, verdict, said):
    found = outcome_of(AT_LEAST_99, setups)
    assert (found.verdict, found.said) == (verdict, said)


def test_the_sentence_names_the_best_mode_and_the_range_of_the_others():
    found = outcome_of(AT_LEAST_99, [setup("A", 80.0), setup("B", 99.46), setup("C", 70.0)])
    assert found.sentence == "99.5 ± 0.2 % in B, 70.0 to 80.0 in the two others."
    assert outcome_of(AT_LEAST_99, [setup("B", 99.46)]).sentence == "99.5 ± 0.2 % in B."
    assert outcome_of(AT_MOST_2, [setup("A", 3.0), setup("B", 2.5)]).sentence == "2.5 ± 0.2 % in B, 3.00 in the other."
    large = Claim(words="1000", figure=SRGB, number=1000.0)
    assert outcome_of(large, [setup("B", 940.0, 9.0)]).sentence == "940 ± 9 % in B."


def test_what_nothing_tests_or_nobody_measured_is_not_tested():
    assert outcome_of(Claim(words="Gorgeous"), [setup("A", 1.0)]).sentence == "No figure tests it."
    assert outcome_of(AT_LEAST_99, []).sentence == "It was not measured."
    empty = ClaimEvidence(name="A", shipped=True, analyses={"gamut": Analysis("gamut", "srgb", {})})
    assert outcome_of(AT_LEAST_99, [empty]).verdict == "not tested"


@pytest.mark.parametrize(("least", "verdict"), [(1.1e6, "holds"), (0.9e6, "open")])
def test_a_lower_bound_can_show_that_a_claim_holds_and_nothing_else(least, verdict):
    claim = Claim(words="1,000,000:1", figure=white_black.CONTRAST.name, comparison="at_least", number=1e6)
    analysis = Analysis("white_black", "srgb", {white_black.CONTRAST_AT_LEAST.key: np.array(least)})
    setups = [ClaimEvidence(name="Film", shipped=True, analyses={"white_black": analysis})]
    found = outcome_of(claim, setups)
    assert found.verdict == verdict and found.sentence.startswith("At least ")
    at_most = Claim(words="at most", figure=white_black.CONTRAST.name, comparison="at_most", number=2e6)
    assert outcome_of(at_most, setups).verdict == "open"


def test_what_lies_under_the_meters_floor_leaves_a_claim_open():
    key = white_black.CONTRAST.key
    claim = Claim(words="1000:1", figure=white_black.CONTRAST.name, number=1000.0)
    for low, verdict in ((900.0, "open"), (1000.0, "holds")):
        analysis = Analysis("white_black", "srgb", {key: np.array(1200.0)}, range={key: (low, 5000.0)})
        setups = [ClaimEvidence(name="Film", shipped=True, analyses={"white_black": analysis})]
        assert outcome_of(claim, setups).verdict == verdict


def test_the_sentence_of_an_open_claim_names_a_mode_that_leaves_it_open():
    found = outcome_of(AT_LEAST_99, [setup("A", 98.2, 0.05), setup("B", 98.1, 0.6)])
    assert found.verdict == "open" and found.sentence.startswith("98.1 ± 0.6 % in B")


@pytest.mark.parametrize(
    ("value", "half", "shown"),
    [
        (128_443, 12_197, "130\u2009000 ± 10\u2009000"),
        (940.2, 9.0, "940 ± 9"),
        (97.32, 0.09, "97.32 ± 0.09"),
        (1.0, 0, "1.00"),
    ],
)
def test_a_value_is_as_long_as_its_interval_allows(value, half, shown):
    assert outcome_of(AT_LEAST_99, [setup("A", value, half)]).sentence == f"{shown} % in A."


def test_what_a_claim_is_tested_by_is_said():
    assert outcome_of(AT_LEAST_99, []).test.endswith("at least 99 %") and outcome_of(AT_MOST_2, []).test.endswith("2 %")
    assert outcome_of(Claim(words="Gorgeous"), []).test == ""
