"""Readings at the edge of sense: no sentence says nan, no figure is endless, and what is typed means one thing."""

import re

import numpy as np
import pytest

from lumenar.app.exchange.table_import import read_any
from lumenar.app.rubric_files import load_rubric
from lumenar.core.analysis import analyse
from lumenar.core.experiments.hdr_modes import _groups
from lumenar.core.measurements import MEASUREMENTS, MissingPatchError
from lumenar.core.measurements.charts import Shown
from lumenar.core.readings.typed_readings import Typed, TypedError, numbers, odd, question
from lumenar.core.scoring.score import score
from lumenar.core.targets import TARGETS

from .test_truth import SDR, figures, shown

RUBRIC = load_rubric()
CHANGES = {
    "white as dark as black": lambda p, XYZ: np.array([0.05, 0.05, 0.05]),
    "nothing at all": lambda p, XYZ: XYZ * 0,
    "a checkerboard under the floor": lambda p, XYZ: XYZ * 0 if p.pattern == "checker" else XYZ,
    "a peak of nearly nothing": lambda p, XYZ: np.minimum(XYZ, 0.01),
    "black brighter than white": lambda p, XYZ: XYZ + 200 * (max(p.rgb) == 0),
    "primaries without light": lambda p, XYZ: XYZ * 0.0 if sum(v > 0 for v in p.rgb) == 1 else XYZ,
}


@pytest.mark.parametrize("change", CHANGES)
@pytest.mark.parametrize("measurement", [*SDR])
def test_every_edge_has_a_sentence_without_nan_or_a_reason(measurement, change):
    target = "bt2020_pq" if "sdr" not in MEASUREMENTS[measurement].signals else "gamma22"
    with np.errstate(all="ignore"):
        try:
            a = analyse(measurement, shown(measurement, target, change=CHANGES[change]), TARGETS[target])
        except MissingPatchError as e:
            assert str(e)
            return
        scalars = {k: float(v) for k, v in a.figures.items() if v.ndim == 0}
        words = MEASUREMENTS[measurement].words(scalars)
        assert not re.search(r"\b(nan|inf|None)\b", words), words
        for chart in MEASUREMENTS[measurement].charts([Shown("Film", a.figures, TARGETS[target])]):
            assert not re.search(r"\b(nan|inf|None)\b", chart.headline), chart.headline


def test_a_sum_of_nothing_has_no_boost():
    a = figures("additivity", change=CHANGES["primaries without light"])
    assert a.scalar("white_boost_percent") is None


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("1,234 0.3127 0.3290", [1234.0, 0.3127, 0.3290]),
        ("1,234.5 0.3127 0.3290", [1234.5, 0.3127, 0.3290]),
        ("120,5 0,3127 0,3290", [120.5, 0.3127, 0.3290]),
        ("95.0, 100.0, 108.0", [95.0, 100.0, 108.0]),
    ],
)
def test_a_comma_marks_thousands_beside_a_decimal_point(text, values):
    assert numbers(text) == values


def test_a_comma_that_could_be_either_is_asked_about():
    with pytest.raises(TypedError, match="may be two numbers or one"):
        numbers("120,5 0.3127 0.3290")


def test_two_primaries_that_were_swapped_are_asked_about():
    red, green = Typed((41.0, 21.0, 2.0)), Typed((36.0, 72.0, 12.0))
    assert question((1, 0, 0), red, []) == "" and question((0, 1, 0), green, []) == ""
    assert question((1, 0, 0), green, []) == "That is the colour of green, not of red. Is it so?"
    assert question((0, 1, 0), red, []) == "That is the colour of red, not of green. Is it so?"
    found = odd([((1, 1, 1), (95, 100, 108)), ((1, 0, 0), green.XYZ), ((0, 1, 0), red.XYZ)])
    assert found is not None and found[0] in (1, 2)
    # A luminance alone tells no colour.
    assert question((1, 0, 0), Typed((72.0, 72.0, 72.0)), []) == ""


def test_modes_that_are_each_like_a_third_are_not_called_the_same():
    alike = {"A": {"A", "B"}, "B": {"A", "B", "C"}, "C": {"B", "C"}}
    assert _groups(["A", "B", "C"], alike) == [["A", "B"], ["B", "C"]]
    assert _groups(["A", "B", "C"], {m: {"A", "B", "C"} for m in "ABC"}) == [["A", "B", "C"]]
    assert _groups(["A", "B"], {"A": {"A"}, "B": {"B"}}) == []


def test_what_was_lost_adds_up_to_what_the_score_lacks():
    found = {
        m: figures(m, white=90.0, black=0.3)
        for m in ("white_black", "grey_ramp", "gamut", "saturation", "swatches", "near_black")
    }
    one = score(RUBRIC, "colour_work", found)
    assert one.coverage < 1
    assert sum(li.loss for li in one.lines if li.loss is not None) == pytest.approx(100 - one.value)


def test_a_score_lost_to_cells_that_are_out_of_date_says_so():
    found = {"white_black": figures("white_black")}
    one = score(RUBRIC, "colour_work", found, stale=("grey_ramp", "gamut"))
    assert one.reason.startswith("out of date: ")
    assert {li.text for li in one.lines if li.measurement == "gamut"} == {"out of date"}
    assert score(RUBRIC, "colour_work", found, stale=("gamut",)).reason.startswith("not measured: ")


@pytest.mark.parametrize(("white", "told"), [("100", True), ("99.8", False)])
def test_a_table_with_a_white_of_exactly_100_may_be_relative(white, told):
    text = f"R,G,B,X,Y,Z\n255,255,255,95.05,{white},108.9\n0,0,0,0.1,0.1,0.1\n"
    notes = " ".join(read_any(text, "mine.csv").notes)
    assert ("may be relative to white" in notes) is told
