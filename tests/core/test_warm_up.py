"""How a display warms up, and what that means for what is read meanwhile."""

import numpy as np
import pytest

from lumenar.core.readings.warm_up import BEFORE_FIRST_S, remaining, warmed_up


def readings(depth, tau_min, minutes=40):
    t = np.arange(0, minutes + 1) * 60.0
    return list(zip(5000 + t, 200 * (1 - depth * np.exp(-t / (60 * tau_min))), strict=True))


def test_when_a_display_is_steady_is_told_as_it_is():
    found = warmed_up(readings(0.08, 10))
    assert found.change == pytest.approx(100 * (found.cd_m2[-1] / 184 - 1))
    # It is 1 % off when 8 % times exp(-t / 10) is 1 %, the last reading being 0.15 % short itself.
    assert found.steady_min == pytest.approx(10 * np.log(0.08 / 0.0115), abs=1.1)
    assert found.minutes[0] == 0 and found.percent[-1] == 100
    assert "too low, after" in found.words and found.chart.series[0].points[0][1] == pytest.approx(found.percent[0])


def test_a_display_that_loses_light_reads_too_high_at_first():
    assert "too high" in warmed_up(readings(-0.05, 5)).words


def test_what_nobody_has_to_wait_for_is_said():
    found = warmed_up(readings(0.004, 10))
    assert found.words == "White changed by +0.4 % in 40 minutes of warming up, which nobody has to wait for."
    assert found.steady_min == 0


def test_two_readings_or_none_with_light_are_no_curve():
    assert warmed_up(readings(0.08, 10)[:2]) is None and warmed_up([(0, 0.0), (60, 0.0), (120, 0.0)]) is None


def test_readings_may_come_in_any_order():
    assert warmed_up(readings(0.08, 10)[::-1]) == warmed_up(readings(0.08, 10))


@pytest.mark.parametrize("depth", [-0.03, -0.01, 0.01, 0.03, 0.05])
@pytest.mark.parametrize("noise", [0.001, 0.003])
def test_what_is_still_to_come_is_within_what_is_said(depth, noise):
    """Half an hour of readings, whites an hour later: the truth lies within two uncertainties 9 times of 10 or more."""
    rng, tau_min, minutes = np.random.default_rng(4), 25, 20
    true = readings(depth, tau_min, minutes)
    truth = depth * np.exp(-minutes / tau_min) / (1 - depth * np.exp(-minutes / tau_min))
    off, said = [], []
    for _ in range(60):
        noisy = [(t, Y * (1 + noise * rng.standard_normal())) for t, Y in true]
        found = remaining(noisy, [(true[-1][0] + BEFORE_FIRST_S, noisy[-1][1])], noise)
        off.append((found.share - truth) / found.u)
        said.append(found.share)
    assert np.mean(np.abs(off) <= 2) >= 0.9
    if abs(depth) >= 0.03:
        assert np.sign(np.median(said)) == np.sign(depth)


def test_less_is_to_come_the_later_it_is_read():
    true = readings(0.04, 25, 20)
    soon, late = (remaining(true, [(true[-1][0] + BEFORE_FIRST_S + s, 200.0)], 0.001) for s in (0, 3600))
    assert 0 < late.share < 0.6 * soon.share and late.u < soon.u
    assert remaining(true[:2], [], 0.001) is None
