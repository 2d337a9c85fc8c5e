"""One or two controls tried value by value, and ranked; what readings cannot tell apart ties."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.readings.patches import Patch
from lumenar.core.tuning.base import Attempt, Done, Proposal, Suspicion, steps_of

MOST_VALUES = 25
"""A sweep tries at most so many values of one control, evenly spread."""


@dataclass(frozen=True)
class Ranked:
    """An attempt's place: 1 is best; attempts whose figures differ by less than the noise share a place."""

    place: int
    values: Mapping[str, Value]
    figure: float


@dataclass(frozen=True)
class Sweep:
    """Every value of one or two controls is tried. judge: an attempt's figure, smaller being better; noise: standard deviation of
    a figure; values: where the controls stand."""

    controls: tuple[Control, ...]
    patches: tuple[Patch, ...]
    judge: Callable[[Attempt], float]
    noise: float
    values: Mapping[str, Value] = field(default_factory=dict)

    def tried(self) -> list[dict[str, Value]]:
        """All combinations in the order in which they are entered: the last control moves most, back and forth."""
        rows: list[dict[str, Value]] = []
        every = [self._values(c) for c in self.controls]
        for n, first in enumerate(itertools.product(*every[:-1])):
            last = every[-1] if n % 2 == 0 else every[-1][::-1]
            rows += [dict(zip((c.path for c in self.controls), (*first, v), strict=True)) for v in last]
        return rows

    def _values(self, control: Control) -> list[Value]:
        if not control.numeric:
            return list(control.values)
        grid = steps_of(control)
        if len(grid) > MOST_VALUES:
            grid = grid[np.unique(np.round(np.linspace(0, len(grid) - 1, MOST_VALUES)).astype(int))]
        return [float(v) for v in grid]

    def figure(self, attempt: Attempt) -> float:
        """What the sweep ranks by."""
        return self.judge(attempt)

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """The next combination; Done with the best, and in a tie with that which stands there."""
        done = [{c.path: a.values[c.path] for c in self.controls} for a in attempts]
        for n, values in enumerate(every := self.tried(), 1):
            if values not in done:
                words = ", ".join(f"{p.split(' > ')[-1]} {text_of(v)}" for p, v in values.items())
                return Proposal("sweep", {**self.values, **values}, self.patches, f"{n} of {len(every)}: {words}.")
        ranked = self.ranking(attempts)
        first = [r for r in ranked if r.place == 1]
        standing = [r for r in first if all(self.values.get(p) == v for p, v in r.values.items())]
        best = (standing or first)[0]
        tie = f", which {len(first) - 1} others cannot be told from" if len(first) > 1 else ""
        return Done(dict(best.values), f"{best.figure:.3g} is the least of {len(ranked)}{tie}.")

    def ranking(self, attempts: Sequence[Attempt]) -> list[Ranked]:
        """All attempts by their figure. A place is shared by those that lie within two standard deviations of a difference from
        the first that has it."""
        rows = sorted(((self.judge(a), a) for a in attempts), key=lambda r: (np.isnan(r[0]), r[0]))
        ranked: list[Ranked] = []
        place, leader = 1, rows[0][0] if rows else 0.0
        for n, (figure, a) in enumerate(rows, 1):
            if not figure - leader <= 2 * np.sqrt(2) * self.noise:
                place, leader = n, figure
            ranked.append(Ranked(place, {c.path: a.values[c.path] for c in self.controls}, figure))
        return ranked

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """Nothing is expected of a sweep."""
        return None
