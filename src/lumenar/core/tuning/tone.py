"""The curve: every choice of a curve control, then of a shadow control, with eleven greys; bisected where a control has numbers
and its effect runs one way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.menu import Control, Value, text_of
from lumenar.core.readings import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import USUAL, Array, Attempt, Done, Noise, Proposal, Suspicion, nearest, steps_of

LEVELS = (0.0, 0.03, 0.06, 0.1, 0.2, 0.3, 0.45, 0.6, 0.75, 0.9, 1.0)
GREYS = tuple(Patch((v, v, v)) for v in LEVELS)
NEAR_BLACK = 0.1
MOST_VALUES = 5
"""A control with more values than these is bisected, one with fewer is tried whole."""
CLOSE = 0.1
"""RMS in L* by which two choices cannot be told apart."""


@dataclass(frozen=True)
class Tone:
    """Greys are to follow the target's curve. controls: those that bend it, in the order in which they are tried: curve before
    shadows; values: where they stand."""

    controls: tuple[Control, ...]
    target: Target
    values: Mapping[str, Value]
    noise: Noise = USUAL

    def errors(self, attempt: Attempt) -> Array:
        """Signed error (n,) in L* of the greys from the target's curve between the black and the white that were read."""
        Y = np.array([attempt.of(p)[1] for p in GREYS])
        black = Y[0] if np.isfinite(Y[0]) else 0.0
        Y = np.where(np.isfinite(Y), Y, 0.0)
        anchor = Anchor(np.array(Y[-1]), np.array(black))
        wanted = self.target.Y(np.array(LEVELS), anchor)
        return np.asarray(self.target.lightness(Y, Y[-1]) - self.target.lightness(wanted, Y[-1]), float)

    def figure(self, attempt: Attempt) -> float:
        """RMS in L* of the curve's error: half over the greys from 10 % on, half near black, where it may be crushed."""
        error = self.errors(attempt)
        inner = np.array([NEAR_BLACK <= v < 1 for v in LEVELS])
        dark = np.array([0 < v <= NEAR_BLACK for v in LEVELS])
        return float(np.sqrt(0.5 * (error[inner] ** 2).mean() + 0.5 * (error[dark] ** 2).mean()))

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """Control after control, each at the best of those before."""
        if not attempts:
            return self._proposal(self.controls[0], self.values, "Eleven greys with the curve as it stands.")
        if not any(np.isfinite(a.of(GREYS[-1])[1]) for a in attempts):
            return Done(dict(self.values), "The meter reads no white, so the curve stays as it is.", unreached=True)
        values = dict(self.values)
        for control in self.controls:
            others = {p: v for p, v in values.items() if p != control.path}
            tried = {
                a.values[control.path]: a for a in attempts if all(a.values.get(p) == v for p, v in others.items())
            }
            own = {v: a for v, a in tried.items() if np.isfinite(a.of(GREYS[-1])[1])}
            following = self._next(control, tried, own)
            if following is not None:
                name = control.path.split(" > ")[-1]
                said = f"{name} {text_of(following)}: its curve, from black to white."
                return self._proposal(control, {**values, control.path: following}, said)
            if own:
                stands = self.values[control.path]
                ranked = {v: (round(self.figure(a) / CLOSE), v != stands) for v, a in own.items()}
                values[control.path] = min(ranked, key=lambda v: ranked[v])
        read = [a for a in attempts if np.isfinite(a.of(GREYS[-1])[1])]
        best = min((a for a in read if dict(a.values) == values), key=self.figure, default=read[0])
        error = self.figure(best)
        chosen = ", ".join(f"{c.path.split(' > ')[-1]} {text_of(values[c.path])}" for c in self.controls)
        return Done(values, f"{chosen}: the curve is {error:.1f} L* from the target's.", unreached=error > 4)

    def _next(
        self, control: Control, seen: Mapping[Value, Attempt], own: Mapping[Value, Attempt]
    ) -> Value | None:  # fmt: skip
        """A value not tried that may be better, None where there is none. seen: all that was tried; own: those in which white was
        a number."""
        if not control.numeric:
            return next((v for v in control.values if v not in seen), None)
        grid = steps_of(control)
        if len(grid) <= MOST_VALUES:
            return next((float(v) for v in grid if float(v) not in seen), None)
        for end in (grid[0], grid[-1]):
            if float(end) not in seen:
                return float(end)
            if float(end) not in own:
                return None
        # By the error where the control's ends differ: where it changes its sign the best lies between.
        tried = sorted(float(v) for v in own)
        moves = np.abs(self.errors(own[float(grid[-1])]) - self.errors(own[float(grid[0])]))[1:-1]
        if moves.max() < CLOSE:
            return None
        mean = [float(np.average(self.errors(own[v])[1:-1], weights=moves)) for v in tried]
        best = min(range(len(tried)), key=lambda i: abs(mean[i]))
        for i in (best - 1, best):
            if 0 <= i < len(tried) - 1 and mean[i] * mean[i + 1] < 0 and abs(mean[best]) > CLOSE:
                share = abs(mean[i]) / (abs(mean[i]) + abs(mean[i + 1]))
                left = grid[(grid > tried[i]) & (grid < tried[i + 1])]
                if len(left):
                    return nearest(left, tried[i] + share * (tried[i + 1] - tried[i]))
        return None

    def _proposal(self, control: Control, values: Mapping[str, Value], why: str) -> Proposal:
        return Proposal(control.path, dict(values), GREYS, why)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """Curves are not predicted, so none is unexpected; the same curve twice is two values that do the same."""
        return None
