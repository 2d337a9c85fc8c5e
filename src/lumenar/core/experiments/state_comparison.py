"""Two states whose menus show the same: are they? And shadows: what several states lift, and what it costs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.colour.spaces import lightness
from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead
from lumenar.core.experiments.visible_effects import HUES, colours_beside, drift_of, effects, in_words, short_set
from lumenar.core.menu.controls import Value
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise


@dataclass(frozen=True)
class ComparedState:
    """A state of the display: its name, its mode, and the values to enter in their order."""

    name: str
    mode: str
    values: Mapping[str, Value]

    @property
    def acts(self) -> tuple[Act, ...]:
        """What brings it about."""
        return (Act("mode", "", self.mode), *(Act("set", p, v) for p, v in self.values.items()))


@dataclass(frozen=True)
class TwoSetups:
    """Two states read with the short set, the first once more at the end."""

    one: ComparedState
    two: ComparedState
    same_values: bool
    noise: Noise
    signal: Signal = "sdr"

    @property
    def stages(self) -> tuple[Stage, ...]:
        """One, the other, the first again."""
        patches = short_set(self.signal)
        return (
            Stage(self.one.name, self.one.acts, patches),
            Stage(self.two.name, self.two.acts, patches),
            Stage(f"{self.one.name} once more", self.one.acts, patches),
        )

    @property
    def back(self) -> tuple[Act, ...]:
        """The first state."""
        return self.one.acts

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """What differs, in words and figures."""
        one, two, again = (r.XYZ for r in reads)
        found = effects(one, two, self.noise, drift_of(one, again))
        rows = tuple(
            (e.key.capitalize(), round(e.amount, 2), e.unit, "there" if e.there else "not to be told from nothing")
            for e in found
        )
        hidden = "though the menu shows the same values" if self.same_values else "with the values of each"
        there = any(e.there for e in found)
        if there:
            said = f"{self.two.name} differs from {self.one.name}, {hidden}: it {in_words(found)}."
        else:
            said = f"{self.one.name} and {self.two.name} are the same as far as can be measured."
        return Conclusion(said, ("", "Change", "Unit", ""), rows)


DARK = (0.0, 0.01, 0.02, 0.03, 0.05, 0.1)
PATCHES = (
    *(Patch((v, v, v)) for v in DARK),
    *(Patch((v, v, v)) for v in (0.2, 0.5, 1.0)),
    *(Patch(rgb) for rgb in HUES.values()),
)


@dataclass(frozen=True)
class ShadowRanking:
    """States ranked by what they lift in the dark; the first stands for "as it is"."""

    states: tuple[ComparedState, ...]
    noise: Noise

    @property
    def stages(self) -> tuple[Stage, ...]:
        """State after state, the first once more at the end."""
        first = self.states[0]
        return (
            *(Stage(s.name, s.acts, PATCHES) for s in self.states),
            Stage(f"{first.name} once more", first.acts, PATCHES),
        )

    @property
    def back(self) -> tuple[Act, ...]:
        """The first state."""
        return self.states[0].acts

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Lightness of the darkest levels by state, most lifted first; places are shared where noise cannot tell them apart."""
        XYZ = np.nan_to_num(np.stack([r.XYZ for r in reads]))
        L, lifted, u = _lifts(XYZ, self.noise)
        drift = float(abs(lifted[-1] - lifted[0]))
        count = len(self.states)
        order = sorted(range(count), key=lambda i: -lifted[i])
        least = max(3 * np.sqrt(2) * u, 2 * drift, 0.1)
        place, leader = 1, order[0]
        rows: list[tuple[str | float | None, ...]] = []
        for n, i in enumerate(order, 1):
            if lifted[leader] - lifted[i] > least:
                place, leader = n, i
            seen = _first_seen(XYZ[i], self.noise)
            change = L[i] - L[0]
            rows.append(
                (
                    float(place),
                    self.states[i].name,
                    *(round(float(v), 1) for v in L[i, 1:6]),
                    seen,
                    _or_zero(change[0], least),
                    _or_zero(change[7], least),
                    _or_zero(_saturation(XYZ[i], XYZ[0]), 1.0),
                )
            )
        best, first = self.states[order[0]].name, self.states[0].name
        gain = lifted[order[0]] - lifted[0]
        said = (
            f"{best} lifts shadows most: by {gain:.1f} L* over {first} from 1 to 10 %."
            if order[0] != 0 and gain > least
            else f"None lifts shadows more than {first}."
        )
        heads = (
            "Place",
            "State",
            "L* at 1 %",
            "2 %",
            "3 %",
            "5 %",
            "10 %",
            "First seen, %",
            "Black, ΔL*",
            "Middle, ΔL*",
            "Saturation, %",
        )
        return Conclusion(said, heads, tuple(rows))


def _lifts(XYZ: Array, noise: Noise) -> tuple[Array, Array, float]:
    """L* (k, 9) of the greys beside each state's own white, its mean from 1 to 10 % (k,), and the standard deviation of that."""
    white = np.maximum(XYZ[:, 8, 1], 1e-9)
    Y = np.maximum(XYZ[:, :9, 1], 0)
    L = lightness(Y, white[:, None])
    u = np.hypot(noise.repeatability * Y[:, 1:6], noise.absolute)
    slope = np.abs(lightness(Y[:, 1:6] + u, white[:, None]) - L[:, 1:6])
    return L, L[:, 1:6].mean(axis=1), float(np.sqrt((slope**2).mean(axis=1).max() / 5))


def _first_seen(XYZ: Array, noise: Noise) -> float | None:
    """The first level in % that stands out of black by two standard deviations of a difference."""
    black = XYZ[0, 1]
    for level, Y in zip(DARK[1:], XYZ[1:6, 1], strict=True):
        if Y - black > 2 * np.hypot(noise.repeatability * np.hypot(Y, black), np.sqrt(2) * noise.absolute):
            return 100 * level
    return None


def _saturation(one: Array, base: Array) -> float:
    """By how many % the corners are more saturated beside their own white."""
    C = [np.hypot(*np.moveaxis(colours_beside(x[9:], np.maximum(x[8], 1e-9))[:, 1:], -1, 0)) for x in (one, base)]
    return float(100 * (np.median(C[0] / np.maximum(C[1], 1e-9)) - 1))


def _or_zero(value: float, least: float) -> float:
    return round(float(value), 1) if abs(value) > least else 0.0
