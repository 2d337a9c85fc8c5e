"""Typed readings that nothing led to expect: asked about on one side of each limit, believed on the other."""

import numpy as np
import pytest

from lumenar.core.readings.patches import Patch
from lumenar.core.readings.typed_readings import DARK_SHARE, SUM, odd
from lumenar.core.tuning.base import WHITE, Attempt, Noise, Proposal
from lumenar.core.tuning.unexpected_readings import LEAST, MOVED, MOVES, SAME, SPREADS, surprise

NOISE = Noise(0.002, 0.0)
GREY = Patch((0.2, 0.2, 0.2))
BEFORE = Attempt(stage="gains", values={"White > Red": 50.0}, patches=(WHITE,), XYZ=np.array([[95.0, 100.0, 109.0]]))


def asked(XYZ, expected=None, spread=0.0, earlier=(BEFORE,), patch=WHITE, red=40.0, stage="gains", steady=True):
    expected = None if expected is None else np.array([expected], float)
    proposal = Proposal(stage, {"White > Red": red}, (patch,), "", expected, spread)
    return surprise(proposal, [(np.nan,) * 3 if XYZ is None else XYZ], earlier, NOISE, steady)


@pytest.mark.parametrize("c", [0, 1, 2])
@pytest.mark.parametrize("spread, limit", [(0.01, LEAST), (0.05, SPREADS * 0.05)])
def test_a_component_that_is_off_from_what_was_expected_is_asked_about(c, spread, limit):
    expected = [85.0, 98.0, 109.0]
    for share, surprising in (
        (limit - 0.01, False),
        (limit + 0.01, True),
        (-limit - 0.01, True),
        (-limit + 0.01, False),
    ):
        read = list(expected)
        read[c] *= float(np.exp(share))
        found = asked(read, expected, spread)
        assert (found is not None) == surprising
        assert found is None or (found[1].startswith(f"{'XYZ'[c]} of about ") and found[0] == 0)


def test_without_an_expectation_only_a_jump_is_asked_about_and_not_where_controls_make_one():
    for share, surprising in ((MOVES - 0.02, False), (MOVES + 0.02, True), (-MOVES - 0.02, True)):
        found = asked((np.array([95.0, 100.0, 109.0]) * np.exp(share)).tolist())
        assert (found is not None) == surprising
        assert asked((np.array([95.0, 100.0, 109.0]) * np.exp(share)).tolist(), steady=False) is None
    assert asked([10.0, 10.0, 10.0], earlier=()) is None and asked([10.0, 10.0, 10.0], patch=GREY) is None


def test_a_white_that_did_not_move_with_its_control_is_asked_about():
    expected = [60.0, 70.0, 80.0]
    u = SAME * 0.002 * 100
    for Y, surprising in ((100 + 0.9 * u, True), (100 - 0.9 * u, True), (100 + 1.1 * u, False)):
        found = asked([95.0, Y, 109.0], expected, 0.5)
        assert (found is not None and "Red went from 50 to 40" in found[1]) == surprising
    assert asked([95.0, 100.0, 109.0], expected, 0.5, red=50.0) is None, "nothing was to change"
    near = 100 * (1 + 0.9 * MOVED)
    assert asked([95.0, 100.0, 109.0], [95.0, near, 109.0], 0.5) is None, "hardly anything was expected to change"


def test_a_jump_in_the_dark_is_asked_about_too():
    dark = Attempt(stage="gains", values={"White > Red": 50.0}, patches=(GREY,), XYZ=np.array([[0.38, 0.4, 0.44]]))
    for times, surprising in ((1.5, False), (1.8, True), (0.5, True)):
        found = asked([0.38 * times, 0.4 * times, 0.44 * times], earlier=(dark,), patch=GREY)
        assert (found == (0, "It had 0.400 cd/m² before. Is it so?")) == surprising
    none = Attempt(stage="gains", values={}, patches=(GREY,), XYZ=np.array([[0.0, 0.0, 0.0]]))
    assert asked([0.4, 0.4, 0.4], earlier=(none,), patch=GREY) is None, "nothing is no light to compare with"


def test_readings_under_the_floor_are_no_surprise():
    assert asked(None, [60.0, 70.0, 80.0], 0.01) is None


# -- white as the sum of its primaries --------------------------------------------------------------------------------


def five(**changed):
    """White, red, green, blue and black of a usual display, some of them changed."""
    read = {
        "white": (95.0, 100.0, 108.9), "red": (41.3, 21.3, 2.0), "green": (35.8, 71.5, 12.0), "blue": (18.1, 7.3, 95.1),
        "black": (0.09, 0.1, 0.11),
    }  # fmt: skip
    rgb = {"white": (1, 1, 1), "red": (1, 0, 0), "green": (0, 1, 0), "blue": (0, 0, 1), "black": (0, 0, 0)}
    return [(tuple(float(v) for v in rgb[k]), changed.get(k, XYZ)) for k, XYZ in read.items()]


PLACES = ("white", "red", "green", "blue", "black")


@pytest.mark.parametrize(
    "name, XYZ",
    [
        ("white", (950.0, 100.0, 108.9)),
        ("red", (413.0, 21.3, 2.0)),
        ("red", (41.3, 21.3, 200.0)),
        ("green", (35.8, 7.15, 12.0)),
        ("blue", (18.1, 7.3, 9.51)),
        ("black", (0.09, 10.1, 0.11)),
    ],
)
def test_a_lost_point_among_white_primaries_and_black_is_asked_about_where_it_is(name, XYZ):
    assert odd(five()) is None
    found = odd(five(**{name: XYZ}))
    assert found is not None and PLACES[found[0]] == name, found


def test_a_sum_that_is_a_little_off_is_believed():
    for share, surprising in ((SUM - 0.02, False), (SUM + 0.02, True), (-SUM + 0.02, False), (-SUM - 0.02, True)):
        white = tuple(v / (1 + share) for v in (95.2, 100.1, 109.1))
        assert (odd(five(white=white)) is not None) == surprising
    for share, surprising in ((DARK_SHARE - 0.005, False), (DARK_SHARE + 0.005, True)):
        black = tuple(v * share for v in (95.0, 100.0, 108.9))
        # Primaries have the black too.
        more = {k: tuple(a + b for a, b in zip(dict(zip(PLACES, (r for _, r in five()), strict=True))[k], black, strict=True))
                for k in ("red", "green", "blue")}  # fmt: skip
        assert (odd(five(black=black, **more)) is not None) == surprising
