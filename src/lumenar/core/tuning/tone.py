"""The curve: the choices of a curve control, then of a shadow control, with eleven greys; bisected where a control's values are
numbers and its effect runs one way, every choice of it else."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.paths import own_name
from lumenar.core.menu.roles import role_of
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import USUAL, Array, Attempt, Done, Noise, Proposal, Suspicion, steps_of

LEVELS = (0.0, 0.03, 0.06, 0.1, 0.2, 0.3, 0.45, 0.6, 0.75, 0.9, 1.0)
GREYS = tuple(Patch((v, v, v)) for v in LEVELS)
NEAR_BLACK = 0.1
FEW_STEPS, FEW_CHOICES = 3, 6
"""A slider with no more steps than these, or a list with no more choices, is followed value by value from where it stands; one
with more is bisected between its ends."""
CLOSE, WORTH_SHARE = 0.1, 0.05
"""RMS in L* by which two choices cannot be told apart; a quarter of it, and such a share of the error, another value of a shadow
control must promise to take away."""


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
                name = own_name(control.path)
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

    def _next(self, control: Control, seen: Mapping[Value, Attempt], own: Mapping[Value, Attempt]) -> Value | None:
        """A value not tried that may be better, None where there is none. seen: all that was tried; own: those in which white was
        a number."""
        every = _in_order(control)
        if every is None:
            return next((v for v in control.values if v not in seen), None)
        if len(every) <= (FEW_STEPS if control.numeric else FEW_CHOICES):
            return self._beside(control, every, seen, own)
        for end in (every[0], every[-1]):
            if end not in seen:
                return end
            if end not in own:
                return None
        # By the error where the control's ends differ: where it changes its sign the best lies between.
        at = [i for i, v in enumerate(every) if v in own]
        moves = np.abs(self.errors(own[every[-1]]) - self.errors(own[every[0]]))[1:-1]
        if moves.max() < CLOSE:
            return None
        mean = {i: float(np.average(self.errors(own[every[i]])[1:-1], weights=moves)) for i in at}
        best = min(at, key=lambda i: abs(mean[i]))
        promising = abs(mean[best]) > CLOSE
        if _lifts(control):
            # At best its mean is gone from the dark half of the error.
            figure = self.figure(own[every[best]])
            left = np.sqrt(max(figure**2 - 0.5 * mean[best] ** 2, 0.0))
            promising = bool(figure - left > max(CLOSE / 4, WORTH_SHARE * figure))
        for low, high in pairwise(at):
            if best in (low, high) and mean[low] * mean[high] < 0 and promising and high - low > 1:
                share = abs(mean[low]) / (abs(mean[low]) + abs(mean[high]))
                numbers = np.array([float(v) for v in every[low : high + 1]])
                wanted = numbers[0] + share * (numbers[-1] - numbers[0])
                return every[low + 1 + int(np.abs(numbers[1:-1] - wanted).argmin())]
        return None

    def _beside(
        self, control: Control, every: Sequence[Value], seen: Mapping[Value, Attempt], own: Mapping[Value, Attempt]
    ) -> Value | None:
        """The same of a few values in their order: from where the control stands towards where the error says, as long as the
        next is better; all of them where what was read does not run the way that the order promises."""
        at = [i for i, v in enumerate(every) if v in own]
        left = [i for i, v in enumerate(every) if v not in seen]
        if not at or not left:
            return every[left[0]] if left else None
        mean = {i: self._bent(own[every[i]], control) for i in at}
        rises = np.sign(np.diff([mean[i] for i in at]))
        steps = np.abs(np.diff([mean[i] for i in at]))
        if (rises[steps > CLOSE] > 0).any() and (rises[steps > CLOSE] < 0).any():
            return every[left[0]]
        best = min(at, key=lambda i: self.figure(own[every[i]]))
        # A higher gamma is darker, more of a shadow control lighter, until what was read says otherwise.
        up = rises[steps.argmax()] if len(rises) and steps.max() > CLOSE else (1 if _lifts(control) else -1)
        towards = 1 if mean[best] * up < 0 else -1
        beyond = best + towards
        if beyond in left:
            return every[beyond]
        # What lies the other way would be worse unless what was tried beyond is of no other kind.
        other = best - towards
        tried = beyond in mean and mean[beyond] * mean[best] > 0
        return every[other] if tried and other in left else None

    def _bent(self, attempt: Attempt, control: Control) -> float:
        """Mean error (L*) of the greys that a control is there for: of all, or near black."""
        error = self.errors(attempt)[1:-1]
        return float(error[: LEVELS.index(NEAR_BLACK)].mean() if _lifts(control) else error.mean())

    def _proposal(self, control: Control, values: Mapping[str, Value], why: str) -> Proposal:
        return Proposal(control.path, dict(values), GREYS, why)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """Curves are not predicted, so none is unexpected; the same curve twice is two values that do the same."""
        return None


def _lifts(control: Control) -> bool:
    role = role_of(control.role)
    return role is not None and role.kind == "shadows"


def _in_order(control: Control) -> list[Value] | None:
    """The values of a control in the order of their numbers, None where they are not all numbers."""
    if control.numeric:
        return [float(v) for v in steps_of(control)]
    try:
        return sorted(control.values, key=float)
    except (TypeError, ValueError):
        return None
