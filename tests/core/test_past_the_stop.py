"""Gains that are raised past the end of a channel: white reads well, greys below it are ruined. That is not a success."""

import numpy as np
import pytest

from lumenar.core.tuning.base import Noise, white_error
from lumenar.core.tuning.white import CHECK, CHECK_START, NEAR_WHITE, WHITE, TwoPoints

from . import random_units
from .random_units import TARGET, Display, tune


class PastItsStop(Display):
    """A display whose panel ends where white begins: a gain above that moves greys only."""

    def gain_of(self, channel, values):
        d = np.asarray(values, float) - self.default
        factor = 1 + self.slope[channel] * d * (1 + self.bend[channel] * self.slope[channel] * d)
        return np.clip(self.preset[channel] * factor, 0, None)


def outcome(seed, u, monkeypatch, kind=PastItsStop):
    noise = Noise(u, random_units.NOISE.absolute)
    monkeypatch.setattr(random_units, "NOISE", noise)
    display = kind(seed)
    problem = TwoPoints(tuple(display.gains), (), TARGET, display.values, noise)
    t = tune(problem, display)
    ends = (display.values, {**display.values, **t.done.values})
    grey, white = ([float(white_error(display.true(p, v), TARGET)) for v in ends] for p in (NEAR_WHITE, WHITE))
    return grey, white, t


@pytest.mark.parametrize(
    ("u", "seeds"),
    # Those at which white alone led greys astray, and others.
    [(0.001, (1, 7, 13, 49)), (0.003, (49, 5, 11, 47)), (0.01, (1, 47, 58, 50, 3, 9))],
)
def test_greys_are_never_made_worse_by_more_than_the_meter_can_tell(u, seeds, monkeypatch):
    for seed in seeds:
        (before, after), _, t = outcome(seed, u, monkeypatch)
        assert after <= before + max(1.0, 250 * u), (seed, before, after, t.done.reason)


def test_what_cannot_be_had_without_tinting_greys_says_so(monkeypatch):
    (before, after), (was, became), t = outcome(49, 0.003, monkeypatch)
    assert after <= before + 1 and became <= was + 0.3
    assert "tint the greys" in t.done.reason
    assert [a.stage for a in t.state.attempts].count(CHECK_START) == 1


def test_where_gains_have_room_greys_are_looked_at_once(monkeypatch):
    for seed in range(6):
        _, (was, became), t = outcome(seed, 0.001, monkeypatch, Display)
        stages = [a.stage for a in t.state.attempts]
        assert stages.count(CHECK) <= 1 and CHECK_START not in stages and became <= was
