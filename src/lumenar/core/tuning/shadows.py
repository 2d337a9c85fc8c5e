"""Lift the shadows: for a purpose in which dark detail has to be seen, not graded as the target has it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.paths import own_name
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import BLACK, USUAL, WHITE, Attempt, Done, Noise, Proposal, Suspicion, steps_of

LEVELS = (0.02, 0.04, 0.06, 0.08, 0.1)
"""The signals whose lightness counts as shadow."""
PATCHES = (BLACK, *(Patch((v, v, v)) for v in LEVELS), WHITE)
WANTED_LIFT = 6.0
"""Mean L* over the target's at which the scoring rules give full points; more would only turn black areas grey."""
FEW_VALUES = 6
"""A control with no more values than this is tried value by value; one with more is bisected."""
CLOSE = 0.2
"""Lifts in L* that are this close count as equal."""
BLACK_RISES, BLACK_LSTAR = 1.1, 0.3
"""A setting whose black has more than this times the original black is refused: it lifts everything, not shadows. If the original
black was under the meter's floor, the new one may have this much L*."""


@dataclass(frozen=True)
class Shadows:
    """Raise shadows by `WANTED_LIFT` over the target's curve, with one control after another. values: where they are set."""

    controls: tuple[Control, ...]
    target: Target
    values: Mapping[str, Value]
    noise: Noise = USUAL

    def lift(self, attempt: Attempt) -> float:
        """Mean difference in L* of the shadows from the target; NaN without white. A level under the meter's floor counts as
        black, so the lift is a lower bound."""
        Y = np.array([attempt.of(p)[1] for p in PATCHES])
        if not np.isfinite(Y[-1]):
            return float("nan")
        Y = np.nan_to_num(Y)
        wanted = self.target.Y(np.array(LEVELS), Anchor(np.array(Y[-1]), np.array(Y[0])))
        return float(np.mean(self.target.lightness(Y[1:-1], Y[-1]) - self.target.lightness(wanted, Y[-1])))

    def figure(self, attempt: Attempt) -> float:
        """What is missing of the wanted lift, in L*."""
        lift = self.lift(attempt)
        return float("nan") if lift != lift else max(WANTED_LIFT - lift, 0.0)

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """The next value to try, one control after the other."""
        if not attempts:
            return self._proposal(self.values, "The shadows before anything is changed.")
        start = attempts[0]
        if self.lift(start) != self.lift(start):
            return Done(dict(self.values), "The meter can't read white, so shadows stay as they are.", unreached=True)
        values, best = dict(self.values), start
        for control in self.controls:
            if self.figure(best) <= CLOSE:
                break
            others = {p: v for p, v in values.items() if p != control.path}
            own = {a.values[control.path]: a for a in attempts if all(a.values.get(p) == v for p, v in others.items())}
            following = self._next(control, own, start)
            if following is not None:
                name = own_name(control.path)
                return self._proposal(
                    {**values, control.path: following}, f"{name} {text_of(following)}: see how much it lifts shadows."
                )
            best = self._best(list(own.values()), start)
            values = {p: best.values[p] for p in values}
        return Done(values, self._sentence(start, best), unreached=self.figure(best) > 1)

    def _allowed(self, attempt: Attempt, start: Attempt) -> bool:
        """Whether black stays where it was, as far as the meter can tell."""
        before, after = (a.of(BLACK)[1] for a in (start, attempt))
        if not np.isfinite(after):
            return True
        if not np.isfinite(before):
            return bool(self.target.lightness(after[None], attempt.of(WHITE)[1])[0] <= BLACK_LSTAR)
        noise = 3 * float(self.noise.relative(before))
        return bool(after <= before * (BLACK_RISES + noise))

    def _best(self, tried: Sequence[Attempt], start: Attempt) -> Attempt:
        """The attempt with the least missing; of those that are close the one tried first."""
        allowed = [a for a in tried if self._allowed(a, start) and np.isfinite(self.figure(a))] or [start]
        least = min(self.figure(a) for a in allowed)
        near = [a for a in allowed if self.figure(a) <= least + CLOSE]
        # Of the settings that reach it, the one that lifts least.
        return min(near, key=self.lift) if least <= 0 else near[0]

    def _next(self, control: Control, own: Mapping[Value, Attempt], start: Attempt) -> Value | None:
        """A value that was not tried and may lift more, None if there is none."""
        every: list[Value] = [float(v) for v in steps_of(control)] if control.numeric else list(control.values)
        if not control.numeric or len(every) <= FEW_VALUES:
            return next((v for v in every if v not in own), None)
        for end in (every[-1], every[0]):
            if end not in own:
                # The upper end lifts as a rule; the lower one is tried only if the upper one doesn't.
                lifts = [self.lift(a) for v, a in own.items() if v != self.values[control.path]]
                if end == every[0] and lifts and max(lifts) > self.lift(own[self.values[control.path]]) + CLOSE:
                    continue
                return end
        ordered = sorted((every.index(v), a) for v, a in own.items())
        places = [i for i, _ in ordered]
        good = [i for i, a in ordered if self._allowed(a, start) and self.figure(a) <= CLOSE]
        if good:
            return self._between(every, places, own, good, start)
        refused = [i for i, a in ordered if not self._allowed(a, start)]
        if not refused:
            return None
        # What lifts enough raises black too: as far as black allows.
        kept = [i for i in places if i not in refused]
        return self._halfway(every, places, max(kept, key=lambda i: self.lift(own[every[i]])), refused)

    def _between(
        self,
        every: Sequence[Value],
        places: Sequence[int],
        own: Mapping[Value, Attempt],
        good: Sequence[int],
        start: Attempt,
    ) -> Value | None:
        """A value between one that lifts enough and its neighbour that does not."""
        least = min(good, key=lambda i: self.lift(own[every[i]]))
        if self.lift(own[every[least]]) <= WANTED_LIFT + CLOSE:
            return None
        short = [i for i in places if i not in good]
        if not short:
            return None
        beside = min(short, key=lambda i: abs(i - least))
        low, high = (self.lift(own[every[i]]) for i in (beside, least))
        share = (WANTED_LIFT - low) / (high - low) if high > low else 0.5
        wanted = beside + round(np.clip(share, 0, 1) * (least - beside))
        inner = [i for i in range(min(beside, least) + 1, max(beside, least)) if i not in places]
        return every[min(inner, key=lambda i: abs(i - wanted))] if inner else None

    @staticmethod
    def _halfway(every: Sequence[Value], places: Sequence[int], kept: int, refused: Sequence[int]) -> Value | None:
        """The value in the middle between the best that is allowed and the nearest that is not."""
        beyond = min(refused, key=lambda i: abs(i - kept))
        inner = [i for i in range(min(kept, beyond) + 1, max(kept, beyond)) if i not in places]
        return every[inner[len(inner) // 2]] if inner else None

    def _sentence(self, start: Attempt, best: Attempt) -> str:
        before, after = self.lift(start), self.lift(best)
        moved = {p: v for p, v in best.values.items() if p in self.values and v != self.values[p]}
        if not moved:
            return f"No setting lifts shadows further. They are {_beside(before)}."
        names = ", ".join(f"{p.split(' > ')[-1]} {text_of(v)}" for p, v in moved.items())
        return f"{names}: shadows go from {_beside(before)} to {_beside(after)}."

    def _proposal(self, values: Mapping[str, Value], why: str) -> Proposal:
        return Proposal("shadows", dict(values), PATCHES, why)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """What a shadow control does isn't predicted, so no reading is unexpected."""
        return None


def _beside(lift: float) -> str:
    """A lift in words."""
    return f"{abs(lift):.1f} L* {'above' if lift >= 0 else 'below'} the target"
