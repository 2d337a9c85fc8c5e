"""How samples of a model differ in one mode: read in turn, each against the first, beyond what repeats explain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.experiments.base import Act, Conclusion, Stage, StageRead
from lumenar.core.experiments.promises import in_words
from lumenar.core.experiments.significance import PLACES, TITLES, Baselines, Difference, distances, of_states, tested
from lumenar.core.experiments.visible_effects import short_set
from lumenar.core.menu.controls import Value
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise

TURNS = 4
"""How often the others are read; the first is read once more, before and after each turn."""


@dataclass(frozen=True)
class ComparedSample:
    """A sample: what it is called, its firmware, and its number as a unit."""

    name: str
    firmware: str
    unit: int

    @property
    def words(self) -> str:
        """As a person knows it."""
        return f"sample {self.name}" + (f" (firmware {self.firmware})" if self.firmware else "")


@dataclass(frozen=True)
class Samples:
    """A mode on several samples, with the settings that differ from its defaults."""

    samples: tuple[ComparedSample, ...]
    mode: str
    changes: Mapping[str, Value]
    signal: Signal
    noise: Noise

    @property
    def order(self) -> tuple[ComparedSample, ...]:
        """The first among the others, again and again."""
        first, *others = self.samples
        made = [first]
        for _ in range(TURNS):
            made += [*others, first]
        return tuple(made)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """A sample before the meter, its mode entered, and the short set."""
        return tuple(
            Stage(f"{s.words}, reading {i + 1}", self._acts(s), short_set(self.signal))
            for i, s in enumerate(self.order)
        )

    def _acts(self, s: ComparedSample) -> tuple[Act, ...]:
        sets = [Act("set", p, v) for p, v in self.changes.items()]
        return Act("sample", s.words, float(s.unit)), Act("mode", "", self.mode), *sets

    @property
    def back(self) -> tuple[Act, ...]:
        """The first sample."""
        return self._acts(self.samples[0])

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """What each differs by from the first."""
        first, *others = self.samples
        read = [(s, float(i), r.XYZ) for i, (s, r) in enumerate(zip(self.order, reads, strict=True))]
        by_sample = {s: [(i, x) for o, i, x in read if o == s] for s in self.samples}
        base = Baselines(
            np.stack([x for _, x in by_sample[first]]), np.array([i for i, _ in by_sample[first]]), self.noise
        )
        tests = tested(base, [self._mean(base, by_sample[s]) for s in others])
        said, rows = [], []
        for s, t in zip(others, tests, strict=True):
            firmware = s.firmware != first.firmware
            why = " The firmware differs too, so that nobody can tell which of the two it is." if firmware else ""
            there = [x for x in t.values() if x.measurable]
            if not there:
                said.append(
                    f"{s.words.capitalize()} is the same as {first.words} in {self.mode}, as far as can be measured."
                )
            else:
                said.append(f"Beside {first.words}, {s.words} {in_words(there, 4)} in {self.mode}.{why}")
            rows += [
                (s.words, TITLES[f][0], round(x.amount, 2), f"{x.low:.2f} to {x.high:.2f}", TITLES[f][1], x.size)
                for f, x in t.items()
            ]
        heads = ("Sample", "Figure", "Change", "95 of 100 times within", "Unit", "How large")
        return Conclusion(" ".join(said), heads, tuple(rows))

    def _mean(self, base: Baselines, reads: Sequence[tuple[float, np.ndarray]]) -> Difference:
        """All readings of a sample against the first, as one difference."""
        each = of_states(base, np.stack([x for _, x in reads]), np.array([i for i, _ in reads]))
        n = len(each)
        # Each has its own noise, and all have the baseline's.
        variance = {
            f: sum(d.variance[f] - base.leverage(i, f) for d, (i, _) in zip(each, reads, strict=True)) / n**2
            + float(np.mean([base.leverage(i, f) for i, _ in reads]))
            for f in PLACES
        }
        whole = np.mean([np.nan_to_num(x) for _, x in reads], axis=0)
        dE = {f: float(v) for f, v in distances(whole, base.mean).items()}
        return Difference(np.mean([d.x for d in each], axis=0), variance, dE)
