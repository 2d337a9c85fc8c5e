"""How a display warms up, and what that means for what is read meanwhile."""

import numpy as np
import pytest

from lumenar.core.warm_up import warmed_up


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
