"""Setting the luminance of white: from a ladder where there is one, else by the secant on log luminance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumenar.core.menu.controls import Control
from lumenar.core.menu.paths import own_name
from lumenar.core.monotone import pchip
from lumenar.core.tuning.base import (
    MODEL_SHARE,
    USUAL,
    WHITE,
    Array,
    Attempt,
    Done,
    Noise,
    Proposal,
    Suspicion,
    nearest,
    steps_of,
)

CLOSE = 0.01
"""Within so much of the luminance wanted, as a share, it is reached."""
MOST = 12
SHOULD_MOVE = 0.1
"""If the ladder promises luminances that differ by more than this share, readings that don't are no answer yet."""
DARK = 1e-3
"""cd/m2 that stands for a white under the meter's floor: it is no number, but tells on which side what is wanted lies."""
FLOOR_SHARE, FLOOR_U = 0.1, 1.0
"""Where nothing is known, a luminance control is taken to leave so much of its full light at its lower end, and the standard
deviation of that one's logarithm."""
BENT_U, SHAPE_U = 0.45, 0.03
"""How much its light may bend over its range, as the logarithm of a power, and how far it is from such a curve, as a share."""
FLOORS, POWERS = np.geomspace(0.01, 0.7, 18), np.geomspace(0.45, 2.6, 18)


@dataclass(frozen=True)
class Luminance:
    """White is to have `wanted` cd/m2, by one control. ladder: values of the control with the luminance they gave, as a run read
    them, of which the shape counts; start: where the control stands."""

    control: Control
    wanted: float
    start: float
    noise: Noise = USUAL
    ladder: tuple[tuple[float, float], ...] = ()

    def figure(self, attempt: Attempt) -> float:
        """Distance from the luminance wanted in percent of it."""
        return float(100 * abs(attempt.of(WHITE)[1] / self.wanted - 1))

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """The value to try next; Done within 1 %, or where a step further is no nearer."""
        grid, name = steps_of(self.control), own_name(self.control.path)
        x, y = self._read(attempts)
        if not len(x):
            value = self.start
            if len(self.ladder) >= 2:
                value = nearest(grid, float(grid[np.abs(self._curve(grid, x, y) - np.log(self.wanted)).argmin()]))
                expected = float(np.exp(np.interp(value, grid, self._curve(grid, x, y))))
                return self._proposal(value, f"The ladder gives {self.wanted:g} cd/m² here.", expected, 0.02)
            return self._proposal(value, f"How bright white is with {name} as it stands.", None, 0.0)
        if y.max() <= np.log(DARK):
            return self._in_the_dark(grid, x, name)
        off = np.abs(y - np.log(self.wanted))
        best = float(x[off.argmin()])
        if off.min() <= np.log1p(CLOSE):
            return Done(
                {self.control.path: best}, f"{np.exp(y[off.argmin()]):.3g} cd/m² are within 1 % of {self.wanted:g}."
            )
        last = [float(a.values[self.control.path]) for a in attempts]
        return self._further(grid, x, y, best, name, last)

    def _further(
        self, grid: Array, x: Array, y: Array, best: float, name: str, last: Sequence[float]
    ) -> Proposal | Done:
        """After readings that are not near enough."""
        off = np.abs(y - np.log(self.wanted))
        rises = self._rises(x, y)
        below = x[(y < np.log(self.wanted)) == rises]
        above = x[(y < np.log(self.wanted)) != rises]
        low = below.max() if len(below) else -np.inf
        high = above.min() if len(above) else np.inf
        left = grid[(grid > low) & (grid < high) & ~np.isin(grid, x)]
        if (
            len(x) >= 2
            and np.ptp(y) < 4 * self._u(y)
            and (not len(left) or np.ptp(x) > 0.2 * np.ptp(grid) or self._should_move(grid, x))
        ):
            return self._still(grid, x, name, last)
        if len(x) == 1 and not len(left):
            # It stands at its end, and may run the other way.
            middle = nearest(grid, (grid[0] + grid[-1]) / 2)
            return self._proposal(
                middle, f"{name} stands at its end and is not right there; which way does it run?", None, 0.0
            )
        reached = np.exp(y[off.argmin()])
        if not len(left) or len(x) >= MOST:
            if len(below) and len(above):
                reason = f"{reached:.3g} cd/m² is the nearest that whole steps of {name} give to {self.wanted:g}."
                return Done({self.control.path: best}, reason)
            most = "most" if reached < self.wanted else "least"
            reason = f"{reached:.3g} cd/m² is the {most} that {name} gives; {self.wanted:g} is out of its reach."
            return Done({self.control.path: best}, reason, unreached=True)
        # What was no number bounds where to look, and bends no curve.
        number = y > np.log(DARK)
        curve = self._curve(grid, x[number], y[number])
        value = float(left[np.abs(np.interp(left, grid, curve) - np.log(self.wanted)).argmin()])
        known = len(self.ladder) >= 2 or high - low <= 3 * self.control.step
        beside = np.interp([best - self.control.step, best + self.control.step], grid, curve)
        half = abs(float(beside[1] - beside[0])) / 4
        if known and (off.min() <= half or abs(np.interp(value, grid, curve) - np.log(self.wanted)) >= off.min()):
            # No step that is left is predicted to be nearer.
            return Done({self.control.path: best}, f"{reached:.3g} cd/m² is within half a step of {self.wanted:g}.")
        if len(x) >= 2 and len(self.ladder) < 2:
            value = self._hurried(value, left, x, y, last)
        expected = float(np.exp(np.interp(value, grid, curve)))
        spread = 0.5 if len(x) == 1 else max(0.01, 0.25 * abs(float(np.log(expected)) - float(y[off.argmin()])))
        why = f"{reached:.3g} cd/m² so far; this should give about {expected:.3g}."
        return self._proposal(value, why, expected, spread)

    def _in_the_dark(self, grid: Array, x: Array, name: str) -> Proposal | Done:
        """Where nothing was a number yet, the brighter end is tried, then the other."""
        ends = [
            float(e) for e in ((grid[-1], grid[0]) if self._rises(x[:0], x[:0]) else (grid[0], grid[-1])) if e not in x
        ]
        if ends:
            return self._proposal(ends[0], f"The meter reads no white yet; {name} at its end.", None, 0.0)
        return Done({self.control.path: self.start}, f"The meter reads no white, whatever {name} is.", unreached=True)

    def _should_move(self, grid: Array, x: Array) -> bool:
        """Whether the ladder promises another luminance at the values that were tried."""
        if len(self.ladder) < 2:
            return False
        shape = self._curve(grid, np.zeros(0), np.zeros(0))
        return bool(np.ptp(np.interp(x, grid, shape)) > SHOULD_MOVE)

    def _still(self, grid: Array, x: Array, name: str, tried: Sequence[float]) -> Proposal | Done:
        """Propose a control that has done nothing so far at both ends, then one end a second time, before giving it up."""
        ends = [float(e) for e in (grid[0], grid[-1]) if e not in x]
        if ends:
            return self._proposal(ends[-1], f"{name} has changed nothing so far; its end tells.", None, 0.0)
        twice = next((v for v in (float(grid[0]), float(grid[-1])) if v != tried[-1]), float(grid[0]))
        if len(tried) == len(set(tried)):
            why = f"{name} seems to do nothing. Enter it again, and check that the display accepts it and shows the right input."
            return self._proposal(twice, why, None, 0.0)
        reason = (
            f"{name} changes nothing that can be measured: it was entered twice. Is the display on the right input?"
        )
        return Done({self.control.path: self.start}, reason, unreached=True)

    def _hurried(self, value: float, left: Array, x: Array, y: Array, last: Sequence[float]) -> float:
        """The value to try, moved on where the last readings all lay on one side: a bent curve would else be crept along."""
        off = dict(zip(x.tolist(), (y - np.log(self.wanted)).tolist(), strict=True))
        sides = [off[v] > 0 for v in last if v in off]
        same = len(sides) - next((i for i in range(len(sides) - 1, -1, -1) if sides[i] != sides[-1]), -1) - 1
        if same < 2:
            return value
        at = last[-1]
        other = [v for v in off if (off[v] > 0) != sides[-1]]
        if not other:
            # Twice as far each time, until what is wanted lies between.
            least = 2 * abs(at - last[-2])
            return nearest(left, at + np.sign(value - at) * max(abs(value - at), least))
        far = min(other, key=lambda v: abs(v - at))
        by_rule = at + (far - at) * abs(off[at]) / (abs(off[at]) + abs(off[far]))
        return nearest(left, by_rule if abs(by_rule - at) > abs(value - at) else value)

    def _u(self, y: Array) -> float:
        return float(self.noise.relative(np.exp(y)).max())

    def _read(self, attempts: Sequence[Attempt]) -> tuple[Array, Array]:
        """Values tried (n,) and log luminance (n,), that of `DARK` where the meter read no number; the last reading of a value
        counts."""
        read: dict[float, float] = {}
        for a in attempts:
            value, Y = float(a.values[self.control.path]), float(a.of(WHITE)[1])
            before = read.get(value, float("nan"))
            if abs(Y / before - 1) > SHOULD_MOVE:
                # The display reacts to the control from here on. Earlier readings were taken before it did.
                read.clear()
            read[value] = Y
        kept = {v: max(float(Y), DARK) if np.isfinite(Y) else DARK for v, Y in read.items()}
        x = np.array(sorted(kept), float)
        return x, np.log([kept[v] for v in sorted(kept)])

    def _rises(self, x: Array, y: Array) -> bool:
        """Whether light rises with the control: as read, else as the ladder has it."""
        if len(x) >= 2 and np.ptp(y) > 4 * self._u(y):
            return bool(y[-1] > y[0])
        if len(self.ladder) >= 2:
            ordered = sorted(self.ladder)
            return ordered[-1][1] > ordered[0][1]
        return True

    def _curve(self, grid: Array, x: Array, y: Array) -> Array:
        """Log luminance (n,) over the grid: the shape known beforehand, moved onto what was read."""
        if len(self.ladder) >= 2:
            known = np.array(sorted(self.ladder), float)
            x_known, y_known = known[:, 0], np.log(np.maximum(known[:, 1], 1e-6))
            shape = pchip(x_known, y_known, np.clip(grid, x_known[0], x_known[-1]))
            # Beyond the ladder it goes on as between its two last values: flat, any value there would seem as good.
            for side, i, j in ((grid < x_known[0], 0, 1), (grid > x_known[-1], -1, -2)):
                slope = (y_known[i] - y_known[j]) / (x_known[i] - x_known[j])
                shape = np.where(side, y_known[i] + slope * (grid - x_known[i]), shape)
        else:
            share = (grid - grid[0]) / np.ptp(grid)
            shape = _likely(share if self._rises(x, y) else 1 - share, np.searchsorted(grid, x), y)
        if not len(x):
            return np.asarray(shape, float)
        off = y - np.interp(x, grid, shape)
        moved = np.interp(grid, x, off)
        if len(x) >= 2:
            # Beyond what was read it goes on as between the two last.
            for side, i, j in ((grid < x[0], 0, 1), (grid > x[-1], -1, -2)):
                slope = (off[i] - off[j]) / (x[i] - x[j])
                moved[side] = off[i] + slope * (grid[side] - x[i])
        curve = shape + moved
        return np.asarray(np.maximum.accumulate(curve) if self._rises(x, y) else np.minimum.accumulate(curve), float)

    def nearest_to(self, value: float, Y: float) -> float:
        """The value that should be nearest to what is wanted, by the shape that is known and white's luminance Y at a value."""
        grid = steps_of(self.control)
        curve = self._curve(grid, np.array([value]), np.log([Y]))
        return float(grid[np.abs(curve - np.log(self.wanted)).argmin()])

    def _proposal(self, value: float, why: str, expected: float | None, spread: float) -> Proposal:
        XYZ = None if expected is None else np.array([[np.nan, expected, np.nan]])
        return Proposal("luminance", {self.control.path: value}, (WHITE,), why, XYZ, spread)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """A value that explains the last luminance where the one entered does not: asked only where two readings about it, or a
        ladder confirmed by one, say what it should have been."""
        x, y = self._read(attempts[:-1])
        if not attempts or len(x) < (1 if len(self.ladder) >= 2 else 2):
            return None
        entered, Y = float(attempts[-1].values[self.control.path]), attempts[-1].of(WHITE)[1]
        if not np.isfinite(Y) or Y <= 0 or not (len(self.ladder) >= 2 or x.min() <= entered <= x.max()):
            return None
        grid = steps_of(self.control)
        curve = self._curve(grid, x, y)
        step = np.abs(np.gradient(curve)).max() if len(grid) > 1 else 0.0
        if len(self.ladder) < 2 and np.ptp(np.interp(_about(x, entered), grid, curve)) > 0.3:
            return None
        between = 0.0 if len(self.ladder) >= 2 else 0.6 * float(np.ptp(np.interp(_about(x, entered), grid, curve)))
        off = abs(np.log(Y) - np.interp(entered, grid, curve))
        if off <= max(4 * np.hypot(self._u(np.log([Y])), MODEL_SHARE) + between, 2 * step):
            return None
        seems = float(grid[np.abs(curve - np.log(Y)).argmin()])
        if seems == entered or abs(np.interp(seems, grid, curve) - np.log(Y)) > max(step, 0.02):
            return None
        return Suspicion(self.control.path, entered, seems)


def _likely(share: Array, at: NDArray[np.intp], y: Array) -> Array:
    """Log luminance (n,), but for its level, over shares (n,) of a control's range from dark to bright: of curves that leave some
    light at the lower end and bend, the likeliest after readings y (k,) at places (k,)."""
    floor, power = (v.ravel() for v in np.meshgrid(FLOORS, POWERS))
    curves = np.log(floor[:, None] + (1 - floor[:, None]) * share ** power[:, None])
    off = y - curves[:, at]
    missed = ((off - off.mean(axis=1, keepdims=True)) ** 2).sum(axis=1) / SHAPE_U**2 if len(at) > 1 else 0.0
    unlikely = (np.log(floor / FLOOR_SHARE) / FLOOR_U) ** 2 + (np.log(power) / BENT_U) ** 2
    return np.asarray(curves[np.argmin(missed + unlikely)], float)


def _about(x: Array, value: float) -> Array:
    """The two values of x (n,) on both sides of a value, or its nearest twice."""
    low, high = x[x <= value], x[x >= value]
    return np.array([low.max() if len(low) else high.min(), high.min() if len(high) else low.max()])
