"""What an experiment about conditions found."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.core.experiments.base import Array
from lumenar.core.experiments.promises import Judged
from lumenar.core.experiments.significance import Test

Key = tuple[int, ...]


@dataclass(frozen=True, eq=False)
class StateResult:
    """A state: its tests, the greys' L* over the baseline's (n,) in units of its white, and why it was left out."""

    key: Key
    tests: Mapping[str, Test]
    tone: Array
    left_out: str = ""

    @property
    def there(self) -> list[Test]:
        """What is measurable of it."""
        return [t for t in self.tests.values() if t.measurable]

    @property
    def size(self) -> str:
        """The largest class among its figures."""
        order = ("none", "slight", "clear", "strong")
        return max((t.size for t in self.tests.values()), key=order.index, default="none")


@dataclass(frozen=True, eq=False)
class Interaction:
    """What several things do beyond the sum of what each does alone."""

    key: Key
    test: Test


@dataclass(frozen=True, eq=False)
class Explained:
    """What an experiment shows. drift: by figure, what the baseline moved over the whole experiment, where that is measurable;
    spread: by figure, one standard deviation of one reading of the baseline; levels: what a control at a value does, in words."""

    baselines: int
    states: list[StateResult]
    interactions: list[Interaction]
    drift: Mapping[str, float]
    spread: Mapping[str, float]
    features: Mapping[tuple[int, int], str]
    promises: list[Judged]
    sentence: str
