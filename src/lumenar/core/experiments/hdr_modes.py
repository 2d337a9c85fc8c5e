"""What HDR modes have to do with others: whether an SDR mode that was left active shows in HDR, and which HDR modes are the same
under different names."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.colour.difference import de_itp
from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead
from lumenar.core.experiments.promises import in_words
from lumenar.core.experiments.significance import PLACES, Baselines, components, of_states, tested
from lumenar.core.experiments.visible_effects import GREYS, short_set
from lumenar.core.numbers import listed
from lumenar.core.quantiles import fisher_beyond
from lumenar.core.signals import WORDS, Signal
from lumenar.core.tuning.base import Noise
from lumenar.core.uncertainty import holm

BASELINES = 5
"""How often the first SDR mode is gone through, as what the others are held against."""
REPEATS = 3
"""How often each HDR mode is read, in turn."""
SAME = 0.5
"""dE ITP under which nobody tells two modes apart: what is less is the same, measurable or not."""


@dataclass(frozen=True)
class CarryOver:
    """Every SDR mode is entered, then HDR, and an HDR mode is read with a short set. modes: the SDR modes; mode: the HDR mode of
    a signal."""

    modes: tuple[str, ...]
    mode: str
    signal: Signal
    noise: Noise

    @property
    def order(self) -> tuple[str, ...]:
        """The SDR modes in the order in which they are left for HDR: the first again and again among the others."""
        first, *others = self.modes
        parts = np.array_split(np.array(others, dtype=object), BASELINES - 1)
        made = [first]
        for part in parts:
            made += [*map(str, part), first]
        return tuple(made)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Each SDR mode left for the HDR mode."""
        return tuple(
            Stage(
                f"{self.mode} after {name}",
                (
                    Act("signal", "", "sdr"),
                    Act("mode", "", name),
                    Act("signal", "", self.signal),
                    Act("mode", "", self.mode),
                ),
                short_set(self.signal),
            )
            for name in self.order
        )

    @property
    def back(self) -> tuple[Act, ...]:
        """The first SDR mode, then the HDR mode."""
        return self.stages[0].acts

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Which SDR mode shows in HDR, if any."""
        first = self.modes[0]
        based = [(i, r.XYZ) for i, (m, r) in enumerate(zip(self.order, reads, strict=True)) if m == first]
        base = Baselines(np.stack([x for _, x in based]), np.array([float(i) for i, _ in based]), self.noise)
        numbered = list(enumerate(zip(self.order, reads, strict=True)))
        steps = [i for i, (m, _) in numbered if m != first]
        others = [self.order[i] for i in steps]
        tests = tested(base, of_states(base, np.stack([reads[i].XYZ for i in steps]), np.array(steps, float)))
        words = {m: in_words(list(t.values()), 3) for m, t in zip(others, tests, strict=True)}
        differ = [m for m, t in zip(others, tests, strict=True) if any(x.measurable for x in t.values())]
        rows = ((first, f"read {len(based)} times, what the others are held against"), *words.items())
        heads = (f"{WORDS['sdr']} mode left active", f"{self.mode}, against after {first}")
        if not differ:
            return Conclusion(f"{self.mode} is the same whichever SDR mode was left active.", heads, rows)
        if len(differ) == len(others) > 1:
            # All others differ from it: it is the one that shows.
            other = f"after any other SDR mode HDR is different ({words[differ[0]]})"
            said = f"{first} shows in {self.mode} when it was left active: {other}."
            return Conclusion(said, heads, rows, workaround=self._workaround(others[0], [first]))
        each = "; ".join(f"after {m} it {words[m]}" for m in differ)
        said = f"{listed(differ)} {'shows' if len(differ) == 1 else 'show'} in {self.mode} when left active: {each}."
        clean = next(m for m in self.modes if m not in differ)
        return Conclusion(said, heads, rows, workaround=self._workaround(clean, differ))

    def _workaround(self, clean: str, leaky: Sequence[str]) -> str:
        return f"Enter the SDR mode {clean} before HDR begins: {listed(leaky)} left active would show in {self.mode}."


@dataclass(frozen=True)
class SameModes:
    """HDR modes, each read several times in turn with a short set."""

    modes: tuple[str, ...]
    signal: Signal
    noise: Noise

    @property
    def stages(self) -> tuple[Stage, ...]:
        """All modes once, then again, every other time in the opposite order so that drift is no difference."""
        rounds = [self.modes if i % 2 == 0 else self.modes[::-1] for i in range(REPEATS)]
        return tuple(
            Stage(f"{m}, {i + 1} of {REPEATS}", (Act("mode", "", m),), short_set(self.signal))
            for i, order in enumerate(rounds)
            for m in order
        )

    @property
    def back(self) -> tuple[Act, ...]:
        """The first mode."""
        return (Act("mode", "", self.modes[0]),)

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Which modes can't be told apart, and which has most peak."""
        names = [str(s.acts[0].value) for s in self.stages]
        XYZ = np.nan_to_num(np.stack([r.XYZ for r in reads]))
        by_mode = {m: XYZ[[i for i, n in enumerate(names) if n == m]] for m in self.modes}
        means = {m: x.mean(axis=0) for m, x in by_mode.items()}
        pairs = [(a, b) for i, a in enumerate(self.modes) for b in self.modes[i + 1 :]]
        apart = _apart([(by_mode[a], by_mode[b]) for a, b in pairs], list(by_mode.values()))
        distance = [_distance(means[a], means[b]) for a, b in pairs]
        # Every pair is compared: two modes that are both like a third one can still differ from each other.
        alike = {m: {m} for m in self.modes}
        for (a, b), differ, d in zip(pairs, apart, distance, strict=True):
            if not differ or d < SAME:
                alike[a].add(b)
                alike[b].add(a)
        peak = {m: float(x[len(GREYS) - 1, 1]) for m, x in means.items()}
        heads = ("Mode", "Peak, 10 % window, cd/m²", "The same as")
        rows = tuple(
            (m, round(peak[m], 1), ", ".join(o for o in self.modes if o in alike[m] and o != m) or "no other")
            for m in self.modes
        )
        same = _groups(self.modes, alike)
        most = max(peak, key=lambda m: peak[m])
        too = [m for m in self.modes if m in alike[most] and m != most]
        said = [f"{listed([m for m in self.modes if m in g])} are the same." for g in same]
        said = said or ["No two of these modes are the same."]
        beside = f" (and {listed(too)}, which {'is' if len(too) == 1 else 'are'} the same)" if too else ""
        said.append(f"{most}{beside} has most peak: {peak[most]:.0f} cd/m² in a 10 % window.")
        return Conclusion(" ".join(said), heads, rows)


def _groups(modes: Sequence[str], alike: Mapping[str, Collection[str]]) -> list[list[str]]:
    """Groups of two modes or more in which each is like every other, the largest first; a mode may be in several."""
    found: list[list[str]] = []
    for first in modes:
        group = [first]
        for m in modes:
            if m != first and all(m in alike[o] for o in group):
                group.append(m)
        if len(group) > 1 and not any(set(group) <= set(g) for g in found):
            found = [g for g in found if not set(g) <= set(group)] + [sorted(group, key=list(modes).index)]
    return sorted(found, key=lambda g: (-len(g), list(modes).index(g[0])))


def _distance(one: Array, two: Array) -> float:
    """The largest dE ITP (Rec. ITU-R BT.2124) over patches (n, 3)."""
    return float(de_itp(one, two).max())


def _apart(pairs: Sequence[tuple[Array, Array]], every: Sequence[Array]) -> Array:
    """Whether the two of each pair (r, n, 3) differ: Hotelling's T2 for each figure, its covariance pooled over the repeats of
    all modes, Holm over all figures of all pairs."""
    left = [components(x, x.mean(axis=0)) for x in every]
    nu = sum(len(x) - 1 for x in every)
    # Each against its own mean, so that only what repeats differ by is left.
    residual = np.concatenate([x - x.mean(axis=0) for x in left])
    p_values = []
    for a, b in pairs:
        d = components(b, a.mean(axis=0)).mean(axis=0) - components(a, a.mean(axis=0)).mean(axis=0)
        v = 1 / len(a) + 1 / len(b)
        for places in PLACES.values():
            at = list(places)
            S = residual[:, at].T @ residual[:, at] / nu + 1e-12 * np.eye(len(at))
            T2 = float(d[at] @ np.linalg.solve(S, d[at])) / v
            p = len(at)
            p_values.append(float(fisher_beyond(T2 * (nu - p + 1) / (nu * p), p, nu - p + 1)))
    found = holm(np.array(p_values)).reshape(len(pairs), len(PLACES))
    return np.asarray(found.any(axis=1))
