"""How a simulated panel's light depends on what else is lit, on time, and on the place on the screen."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.simulated.unit_file import Behaviour, Modulation
from lumenar.core.readings.patches import Patch

Array = NDArray[np.float64]

CENTRE = (0.5, 0.5)
CHECKER_CELL = (3 / 8, 3 / 8)
"""The meter's place on a 4x4 checkerboard: the centre of cell [1, 1]."""


def place(patch: Patch) -> tuple[float, float]:
    """Where on the screen the meter looks, in shares of width and height from the upper left."""
    if patch.zone is not None:
        column, row, columns, rows = patch.zone
        return (column + 0.5) / columns, (row + 0.5) / rows
    return CENTRE if patch.pattern == "window" else CHECKER_CELL


def lit_share(patch: Patch) -> float:
    """Share of the screen that shows the patch's signal rather than the background."""
    return 0.5 if patch.pattern != "window" else patch.window


def shading(b: Behaviour, at: tuple[float, float], level: float) -> Array:
    """Factor (3,) per channel at a place for a grey of relative light `level`, 1 at the centre.

    The edges fall off with the square of the distance from the centre; one corner has a tint; in the dark, clouds of two
    slow waves grow as the level falls.
    """
    x, y = (2 * v - 1 for v in at)
    distance = (x * x + y * y) / 2
    factor = np.full(3, 1 - b.edge_falloff * distance)
    cx, cy = b.tint_corner
    nearness = np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / 0.5) - np.exp(-(cx * cx + cy * cy) / 0.5)
    factor = factor * (1 + max(0.0, nearness) * np.asarray(b.corner_tint))
    clouds = np.sin(2.1 * np.pi * x + 0.7) * np.cos(1.6 * np.pi * y - 0.4) - np.sin(0.7) * np.cos(0.4)
    return np.asarray(factor * (1 + b.dark_clouds * (1 - level) ** 4 * clouds), float)


@dataclass
class History:
    """What the panel remembers: its load, and since when the present picture stands still."""

    load: float = 0.0
    at: float = 0.0
    shown: Patch | None = None
    onset: float = 0.0
    average: float = 0.0


@dataclass
class Panel:
    """The part of a simulated panel's state that changes with time."""

    behaviour: Behaviour
    history: History = field(default_factory=History)

    def show(self, patch: Patch, average: float, now: float) -> None:
        """A picture with an average light 0..1 is shown from `now` on."""
        self._settle(now)
        if self.history.shown is None or patch != self.history.shown:
            self.history.onset = now
        self.history.shown, self.history.average = patch, average

    def _settle(self, now: float) -> None:
        """Bring the load up to `now`: it follows the average light with one time constant, up and down."""
        h, b = self.history, self.behaviour
        share = np.exp(-(now - h.at) / b.load_tau_s) if b.load_tau_s else 0.0
        h.load = h.average + (h.load - h.average) * float(share)
        h.at = now

    def stood_s(self, now: float) -> float:
        """How long the present picture has stood still."""
        return now - self.history.onset

    def factor(self, now: float) -> float:
        """Share of the light that load, warm-up, area limiting and static dimming leave."""
        self._settle(now)
        h, b = self.history, self.behaviour
        factor = 1 - b.load_depth * h.load
        factor *= 1 - b.warm_up_depth * float(np.exp(-now / b.warm_up_tau_s))
        if b.area_limit:
            share, light = zip(*b.area_limit, strict=True)
            factor *= float(np.interp(h.average, share, light))
        if b.static_dim_after_s and self.stood_s(now) > b.static_dim_after_s:
            factor *= b.static_dim_to
        return factor

    def backlight_share(self, patch: Patch, own: float) -> float:
        """Share of full backlight behind the meter's place, for black leakage: all of it without zone dimming, else as
        much as the brightest thing in the zone needs."""
        if not self.behaviour.zone_dimming or patch.pattern != "window":
            return 1.0
        return float(np.clip(max(own, 0.0) ** 0.45, DIMMED_ZONE, 1.0))

    def neighbour_light(self, patch: Patch) -> float:
        """Light that reaches a black place from the white around it, as a share of white.

        The kernel falls off with distance: `bloom` is what a place one cell of the checkerboard away adds; a window's
        edge is farther from its own centre the larger it is, and on black there is nothing around it.
        """
        if patch.pattern == "checker_inverse":
            return self.behaviour.bloom
        if patch.background > 0 and not any(patch.rgb):
            away = np.sqrt(patch.window) / 2 / CHECKER_DISTANCE
            return float(self.behaviour.bloom * patch.background * np.exp(1 - away))
        return 0.0


CHECKER_DISTANCE = 0.25
DIMMED_ZONE = 0.02


def waveform(m: Modulation, level: float, mean: float, seconds: float, rate: float, backlight: float) -> Array:
    """Light (n,) in cd/m2 over `seconds` at `rate` Hz about a mean, at a value of the luminance control."""
    x, y = zip(*m.depth, strict=True)
    depth = float(np.interp(level, x, y))
    phase = np.arange(round(seconds * rate)) * m.frequency_hz / rate + 0.123
    if m.shape == "sine":
        return np.asarray(mean * (1 + depth * np.sin(2 * np.pi * phase)), float)
    duty = float(np.clip(backlight, 0.08, 0.98))
    on = (phase % 1) < duty
    # A pulse of this duty on a floor of 1 - depth, scaled to the mean.
    shape = 1 - depth + depth * on
    return np.asarray(mean * shape / (1 - depth + depth * duty), float)
