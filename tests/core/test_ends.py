"""Where light ends by a control: told from drift, and of values that the menu refuses."""

import numpy as np
import pytest

from lumenar.core.colour.transfer import pq
from lumenar.core.experiments.base import StageRead
from lumenar.core.experiments.clipping_points import WhereItEnds, tried_of
from lumenar.core.experiments.responses import CODES, Responses
from lumenar.core.menu.controls import Control
from lumenar.core.tuning.base import Noise

CLL = Control("Service > MaxCLL", "slider", 0.0, 4000.0, 50.0, default=0.0)
NOISE = Noise(0.001, 0.0003)


def reads(x, end, drift=0.0, refused=()):
    """What a display shows that clips where `end` of a value says, its light falling by `drift` from first to last."""
    rng = np.random.default_rng(7)
    found = []
    for i, v in enumerate(x.order):
        Y = np.minimum(pq(np.array(CODES)), end(v)) * (1 - drift * i / (len(x.order) - 1))
        Y = Y * (1 + 0.001 * rng.standard_normal(len(Y)))
        why = {CLL.path: "it is locked"} if v in refused else {}
        found.append(StageRead(np.column_stack([0.95 * Y, Y, 1.09 * Y]), refused=why))
    return found


def test_peaks_that_content_is_made_for_are_tried_where_a_control_counts_in_cd_m2():
    assert tried_of(CLL, 0.0) == [400.0, 600.0, 1000.0, 2000.0, 4000.0]
    assert tried_of(Control("Boost", "choice", choices=("off", "on")), "off") == ["on"]


def test_ends_follow_the_control_value_by_value():
    x = WhereItEnds(CLL, "Film", 0.0, NOISE)
    end = x.conclude(reads(x, lambda v: min(v or 1000.0, 1000.0)))
    # From 99 % of the light on nothing more comes; values beyond what there is differ in nothing from where it stands.
    assert end.sentence.endswith("990 cd/m² at 0, 396 cd/m² at 400 and 595 cd/m² at 600.")
    ends = {str(r[0]).split(",")[0]: float(str(r[2])) for r in end.rows}
    assert ends["400"] == pytest.approx(400, rel=0.05) and ends["4000"] == pytest.approx(1000, rel=0.05)
    # What cannot be told apart is drawn alike, and only that.
    styles = {s.name: (s.setup, s.marks) for s in end.charts[0].series if s.role == "measured"}
    usual, low, middle = (0, False), (1, False), (2, False)
    assert styles == {"0": usual, "1000": usual, "2000": usual, "4000": usual, "400": low, "600": middle}


def test_a_fourth_response_has_a_style_that_no_other_has():
    x = WhereItEnds(CLL, "Film", 0.0, NOISE)
    chart = x.conclude(reads(x, lambda v: v or 800.0)).charts[0]
    styles = [(s.setup, s.marks) for s in chart.series if s.role == "measured"]
    assert len(set(styles)) == len(styles) == 6


def test_a_light_that_drifts_is_no_response():
    """Read there and back, three per cent of drift cancel."""
    x = WhereItEnds(CLL, "Film", 0.0, NOISE)
    end = x.conclude(reads(x, lambda v: 800.0, drift=0.03))
    assert end.sentence.startswith("MaxCLL changes nothing in Film")


def test_values_that_are_refused_are_told_and_the_others_judged():
    x = WhereItEnds(CLL, "Film", 0.0, NOISE)
    end = x.conclude(reads(x, lambda v: min(v or 1000.0, 1000.0), refused=(600.0,)))
    assert any("600: refused, it is locked" in str(r[0]) for r in end.rows) and end.sentence.endswith(
        "396 cd/m² at 400."
    )
    alone = x.conclude(reads(x, lambda v: 800.0, refused=(400.0, 600.0, 1000.0, 2000.0, 4000.0)))
    assert alone.sentence == "MaxCLL could not be set in Film."


@pytest.mark.parametrize(("share", "apart"), [(0.004, False), (0.03, True)])
def test_responses_that_differ_by_less_than_anybody_sees_are_the_same(share, apart):
    """However sure the meter is of it."""
    Y = pq(np.array(CODES))
    rng = np.random.default_rng(3)

    def twice(f):
        return f * Y * (1 + 0.0002 * rng.standard_normal((3, len(Y))))

    read = Responses({"one": twice(1), "other": twice(1 + share)}, Noise(0.0003, 0.0))
    assert read.differ("one", "other") == apart and len(read.groups) == 1 + apart
