"""What a PQ ramp becomes under one thing after another: light over codes by name, each read there and back."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

import numpy as np

from lumenar.core.colour.transfer import pq
from lumenar.core.experiments.base import Array, StageRead
from lumenar.core.measurements.charts import Axis, Chart, Series, Table, joined
from lumenar.core.measurements.pq_tracking import clip_percent
from lumenar.core.quantiles import student_beyond
from lumenar.core.readings.patches import Patch
from lumenar.core.tuning.base import Noise
from lumenar.core.uncertainty import holm

CODES = (0.3, 0.4, 0.5, 0.55, 0.58, 0.61, 0.64, 0.67, 0.7, 0.73, 0.76, 0.79, 0.82, 0.86, 0.9, 0.95, 1.0)
RAMP = tuple(Patch((v, v, v)) for v in CODES)
"""What is read of each."""
LEAST = 0.01
"""A share of light by which two responses have to differ."""
ALIKE = "What cannot be told apart is drawn alike."


@dataclass(frozen=True, eq=False)
class Responses:
    """Light (k, n) of k readings of RAMP by name, in cd/m2."""

    Y: Mapping[str, Array]
    noise: Noise

    @cached_property
    def log(self) -> dict[str, Array]:
        """Logarithms of the light."""
        return {n: np.log(np.maximum(y, 1e-6)) for n, y in self.Y.items()}

    @cached_property
    def _differ(self) -> dict[frozenset[str], bool]:
        """By pair of names whether they differ: each a difference of two means, with what repeats scatter by (Student), Holm
        over all codes of all pairs."""
        pairs = list(combinations(self.Y, 2))
        if not pairs:
            return {}
        nu = sum(len(v) - 1 for v in self.log.values()) * len(CODES)
        s2 = sum(float(((v - v.mean(axis=0)) ** 2).sum()) for v in self.log.values()) / nu
        # Typed with few digits, both may be the same.
        s = float(np.sqrt(max(s2, (self.noise.repeatability / 2) ** 2)))
        every = np.stack([self.log[b].mean(axis=0) - self.log[a].mean(axis=0) for a, b in pairs])
        p = 2 * student_beyond(np.abs(every) / s, nu)
        stands = holm(p.ravel()).reshape(every.shape) & (np.abs(every) > LEAST)
        return {frozenset(pair): bool(np.any(row)) for pair, row in zip(pairs, stands, strict=True)}

    def differ(self, a: str, b: str) -> bool:
        """Whether the responses to a and b can be told apart."""
        return self._differ[frozenset((a, b))]

    @property
    def groups(self) -> list[list[str]]:
        """The names, each with those before it whose first it cannot be told apart from."""
        groups: list[list[str]] = []
        for name in self.Y:
            same = next((g for g in groups if not self.differ(g[0], name)), None)
            if same is None:
                groups.append([name])
            else:
                same.append(name)
        return groups

    def peak(self, name: str) -> float:
        """Light of code 100 % in cd/m2."""
        return round(float(self.Y[name][:, -1].mean()), 1)

    def end(self, name: str) -> float:
        """Luminance in cd/m2 that is asked for from where nothing more comes."""
        mean = self.Y[name].mean(axis=0)
        return round(float(pq(clip_percent(np.array(CODES), mean, np.asarray(mean[-1])) / 100)), 1)

    def chart(self, key: str, title: str, note: str, short: Callable[[str], str], words: Callable[[str], str]) -> Chart:
        """The responses over one another on logarithmic axes, from where they may part; in the same style those that cannot
        be told apart."""
        asked = pq(np.array(CODES))
        x = np.log10(asked)
        seen = x >= 2
        means = {n: y.mean(axis=0) for n, y in self.Y.items()}
        series = tuple(
            Series(
                short(n),
                "measured",
                joined(x[seen], np.log10(np.maximum(means[n], 1e-3))[seen]),
                setup=i % 3,
                marks=i > 2,
            )
            for i, group in enumerate(self.groups)
            for n in group
        )
        top = float(np.ceil(max(float(np.log10(y.max())) for y in self.Y.values()) * 4) / 4)
        low = min(2.0, *(float(np.log10(max(y[seen].min(), 1.0))) for y in means.values()))
        target = Series("target", "target", joined(np.array([2.0, top]), np.array([2.0, top])))
        rows = Table.rows_of(asked, *means.values())
        return Chart(
            key=key,
            kind="lines",
            title=title,
            note=f"{note} {ALIKE}",
            headline="",
            x=Axis("asked", "cd/m²", 2.0, 4.0, 0, log=True),
            y=Axis("shown", "cd/m²", low, top, 0, log=True),
            series=(target, *series),
            table=Table(("cd/m² asked", *(words(n) for n in means)), (1, *(1 for _ in means)), rows),
        )


def there_and_back(order: Sequence[str], reads: Sequence[StageRead], noise: Noise) -> Responses:
    """The responses of stages that read RAMP, `order` naming each."""
    Y = {
        n: np.stack([np.nan_to_num(r.XYZ[:, 1]) for m, r in zip(order, reads, strict=True) if m == n])
        for n in dict.fromkeys(order)
    }
    return Responses(Y, noise)
