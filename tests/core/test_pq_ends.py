"""Where PQ tracking must not call a display good: curves that fall, light that is off everywhere, and ramps that are dense."""

import numpy as np
import pytest

from lumenar.core.analysis import analyse
from lumenar.core.colour.transfer import pq
from lumenar.core.measurements import MEASUREMENTS

from .test_hdr import PQ, shown
from .test_hdr_colour import USUAL


def told(light, noise=None):
    a = analyse("pq_tracking", shown(light, limits=USUAL, noise=noise), PQ)
    return a, MEASUREMENTS["pq_tracking"].words({k: float(v) for k, v in a.figures.items() if v.ndim == 0})


def test_a_curve_that_falls_is_not_perfect():
    def falls(V):
        return np.where(V > 0.75, 300.0 - 400 * (V - 0.75), np.minimum(pq(V), 983.0))

    a, words = told(falls)
    assert a.figures["falls"] == 1 and a.scalar("code_rms_percent") > 1
    assert words.startswith("Code 100 % is darker than 75 % of code: 200 against 981 cd/m².")
    assert a.scalar("peak_cd_m2") == pytest.approx(200, rel=0.01)


def test_one_misread_white_is_not_perfect_either():
    a, words = told(lambda V: np.where(V > 0.999, 120.0, np.minimum(pq(V), 900.0)))
    assert a.figures["falls"] == 1 and "one of the two was misread" in words


@pytest.mark.parametrize("seed", range(12))
@pytest.mark.parametrize("u", [0.001, 0.005])
def test_noise_alone_is_no_fall(seed, u):
    rng = np.random.default_rng(seed)
    a, words = told(lambda V: np.minimum(pq(V), 900.0) * (1 + u * rng.standard_normal(np.shape(V))))
    assert a.figures["falls"] == 0 and words.startswith("Peak")


def test_a_fall_of_less_than_two_per_cent_is_none_and_one_of_more_is():
    for fall, is_one in ((0.015, 0), (0.03, 1)):
        a, _ = told(lambda V, fall=fall: np.minimum(pq(V), 900.0) * np.where(V > 0.999, 1 - fall, 1.0))
        assert a.figures["falls"] == is_one


@pytest.mark.parametrize("gain", [1.1, 0.88])
def test_light_that_is_off_at_every_level_and_clips_does_not_follow(gain):
    a, words = told(lambda V: np.minimum(gain * pq(V), 800.0))
    assert "; follows the curve and clips" not in words and a.scalar("followed_percent") < 20
    assert "doesn't follow the curve (" in words or "follows the curve nowhere" in words


def test_a_display_that_follows_says_so():
    a, words = told(lambda V: np.minimum(pq(V), 800.0))
    assert "; follows the curve and clips at" in words and a.scalar("followed_percent") > 95


@pytest.mark.parametrize("factor", [1.06, 0.93])
def test_the_same_error_in_code_gives_the_same_rms_whatever_the_peak(factor):
    """Of codes from 60 to 90 % many more are read; they count by how far they are apart."""
    found = []
    for peak in (200.0, 600.0, 1000.0, 3000.0):
        # Shadows are right, the rest is off by a factor.
        a, _ = told(lambda V, peak=peak: np.minimum(np.where(V < 0.3, pq(V), factor * pq(V)), peak))
        codes = a.figures["levels_percent"][a.figures["counted"] > 0]
        even = np.interp(np.arange(5, codes.max(), 1.0), a.figures["levels_percent"], a.figures["error_code_percent"])
        found.append(a.scalar("code_rms_percent") / np.sqrt((even**2).mean()))
    assert np.ptp(found) < 0.08 and np.mean(found) == pytest.approx(1, abs=0.08)
