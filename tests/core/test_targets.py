"""Targets of one's own: their key says all of them, and what cannot be a target is refused."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.analysis import analyse
from lumenar.core.colour.spaces import XYZ_to_xy
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS, Anchor, TargetError, candidates, custom, of_its_own, resolve

P3 = ((0.68, 0.32), (0.265, 0.69), (0.15, 0.06))
DCI_WHITE = (0.314, 0.351)
METER = MeterLimits(0.002, 0.003, 0.001)

points = (
    st.tuples(st.floats(0.55, 0.69), st.floats(0.28, 0.31)),
    st.tuples(st.floats(0.15, 0.32), st.floats(0.55, 0.68)),
)
blues, whites = (
    st.tuples(st.floats(0.12, 0.17), st.floats(0.03, 0.1)),
    st.tuples(st.floats(0.29, 0.34), st.floats(0.3, 0.36)),
)


@given(
    red=points[0], green=points[1], blue=blues, white=whites, curve=st.sampled_from(["srgb", "power", "bt1886"]),
    gamma=st.floats(1, 4), black=st.sampled_from(["measured", "zero"]), luminance=st.none() | st.floats(1, 10_000),
)  # fmt: skip
def test_the_key_gives_the_target_back(red, green, blue, white, curve, gamma, black, luminance):
    made = custom("Studio", (red, green, blue), white, curve, gamma, black, luminance)
    resolve.cache_clear()
    assert resolve(made.key) == made
    assert np.allclose(XYZ_to_xy(made.white_XYZ()), np.round(white, 4), atol=1e-12)


def test_a_target_like_one_that_ships_aims_at_the_same():
    shipped = TARGETS["p3_d65_g22"]
    mine = custom("Mine", P3, shipped.space.white, "power", 2.2)
    rgb, anchor = np.linspace(0, 1, 15).reshape(5, 3), Anchor(np.array(120.0), np.array(0.1))
    assert np.allclose(mine.XYZ(rgb, anchor), shipped.XYZ(rgb, anchor), rtol=1e-12)
    zero = custom("Mine", P3, shipped.space.white, "power", 2.2, "zero")
    assert np.all(zero.Y(np.array([0.0]), anchor) == 0) and shipped.Y(np.array([0.0]), anchor)[0] == pytest.approx(0.1)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"title": " "}, "title"), ({"title": "a|b"}, "title"), ({"title": "sRGB"}, "ships with"), ({"curve": "pq"}, "curve"),
        ({"gamma": 5.0}, "gamma"), ({"luminance": 0.5}, "cd/m2"), ({"black": "grey"}, "black"), ({"white": (0.6, 0.6)}, "white"),
        ({"white": (0.3, 0.0)}, "white"), ({"white": (0.7, 0.29)}, "white lies outside"),
        ({"primaries": ((0.64, 0.33), (0.4, 0.33), (0.15, 0.33))}, "one line"),
        ({"primaries": ((0.64, 0.33), (float("nan"), 0.6), (0.15, 0.06))}, "green"),
    ],
)  # fmt: skip
def test_what_cannot_be_a_target_is_said(change, said):
    known = {"title": "Mine", "primaries": P3, "white": (0.3127, 0.329), "curve": "power", "gamma": 2.2}
    with pytest.raises(TargetError, match=said):
        custom(**(known | change))


@pytest.mark.parametrize("key", ["", "rec", "custom|", "custom|A|1 2|x|", custom("A", P3, DCI_WHITE, "srgb").key + "0"])
def test_a_key_that_is_none_is_refused(key):
    with pytest.raises(TargetError):
        resolve(key)


@pytest.mark.parametrize("measurement", ["saturation", "swatches", "grey_ramp", "gamut", "white_black"])
def test_a_display_that_is_its_target_has_no_error_and_its_patches_are_known_again(measurement):
    mine = custom("Projection 48", P3, DCI_WHITE, "power", 2.6, luminance=48)
    m, context = MEASUREMENTS[measurement], Context(target=mine, bits=10)
    patches = m.patches(context)
    XYZ = mine.XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(60.0), np.array(0.01)))
    read = collect(patches, XYZ, np.zeros(len(patches), bool), METER, made_for=of_its_own(mine))
    assert len(m.select(read)) == len(read)
    if measurement in ("saturation", "swatches"):
        forgotten = replace(read, layout=replace(read.layout, made_for=(), _kept={}))
        assert len(m.select(forgotten)) < len(read), "no target that ships has these codes"
    own = analyse(measurement, read, mine, uncertain=False)
    errors = {k: own.scalar(k) for k in ("de2000_mean", "de2000_max", "white_de2000") if own.scalar(k) is not None}
    assert errors and max(errors.values()) < 0.02
    if measurement == "white_black":
        assert own.scalar("white_luminance_error_percent") == pytest.approx(25.0)
    if measurement == "saturation":
        assert own.scalar("saturation_error_mean_percent") == pytest.approx(0, abs=0.2)
        other = analyse(measurement, read, TARGETS["srgb"], uncertain=False)
        assert other.scalar("saturation_error_red_percent") is not None, "named by what they were made for"


def test_what_ships_is_a_candidate_once():
    mine = custom("Mine", P3, DCI_WHITE, "srgb")
    assert of_its_own(TARGETS["srgb"]) == () and len(candidates((mine, mine))) == len(candidates(())) + 1
