"""Behaviour under conditions: automatic features and the light in the room, each combination read with a short set and held
against a baseline that is read again and again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise, product
from typing import Literal

import numpy as np

from lumenar.core.colour.spaces import lightness
from lumenar.core.experiments import promises
from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead, name_of
from lumenar.core.experiments.condition_results import Explained, Interaction, Key, StateResult
from lumenar.core.experiments.patch_sets import WHOLE, PatchSet
from lumenar.core.experiments.promises import Promise
from lumenar.core.experiments.significance import PLACES, Baselines, Difference, beyond_sum, of_states, tested
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.numbers import listed
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise

LEAST_BASELINES = 3


@dataclass(frozen=True)
class LightState:
    """The room's light, or whatever about the display costs a person work: what it is called, and lux at the sensor where
    somebody measured it."""

    label: str
    lux: float | None = None

    @property
    def words(self) -> str:
        """As it is told."""
        return (
            self.label if self.lux is None or f"{self.lux:g} lux" in self.label else f"{self.label} ({self.lux:g} lux)"
        )

    @property
    def named_by_lux(self) -> bool:
        """Whether its name is its illuminance."""
        return self.lux is not None and self.label == f"{self.lux:g} lux"

    @property
    def act(self) -> Act:
        """How it is brought about."""
        return Act("light", self.label, self.label if self.lux is None else float(self.lux))


@dataclass(frozen=True)
class Factor:
    """A control and its values, the first of which stands in the baseline."""

    path: str
    levels: tuple[Value, ...]


def states_of(lights: Sequence[LightState], factors: Sequence[Factor]) -> list[Key]:
    """All combinations of lights and levels but the first of all, which is the baseline."""
    return list(product(range(len(lights)), *(range(len(f.levels)) for f in factors)))[1:]


@dataclass(frozen=True)
class ConditionStep:
    """One thing that is read: the room's light on the screen, the baseline or a state. key: the light's number, then each
    factor's level."""

    kind: Literal["stray", "baseline", "state"]
    key: Key


@dataclass(frozen=True)
class Conditions:
    """Which states are read, in which order. mode: in which mode; state: where every control stands; lights: of which the first
    is the baseline's; chosen: keys of the states that are wanted, all combinations where there are none; baselines: how often
    the baseline is read; look: the patches that are read."""

    mode: str
    signal: Signal
    state: Mapping[str, Value]
    lights: tuple[LightState, ...]
    factors: tuple[Factor, ...]
    noise: Noise
    baselines: int = LEAST_BASELINES
    seed: int = 1
    chosen: tuple[Key, ...] = ()
    promises: tuple[Promise, ...] = ()
    look: PatchSet = WHOLE

    @property
    def base(self) -> Key:
        """The baseline's key."""
        return (0,) * (1 + len(self.factors))

    @cached_property
    def keys(self) -> list[Key]:
        """The states besides the baseline."""
        every = states_of(self.lights, self.factors)
        return [k for k in every if not self.chosen or k in self.chosen]

    @cached_property
    def steps(self) -> tuple[ConditionStep, ...]:
        """In which order: the light, which costs a person most, changes least often; within it, random by seed. The baseline's
        light comes first, in the middle and last, and the baseline is spread over these visits."""
        rng = np.random.default_rng(self.seed)
        by_light = {n: [k for k in self.keys if k[0] == n] for n in range(len(self.lights))}
        for keys in by_light.values():
            rng.shuffle(keys)
        others = [int(n) for n in rng.permutation([n for n in by_light if n and by_light[n]])]
        visits: list[list[int]] = [others[: (len(others) + 1) // 2], others[(len(others) + 1) // 2 :]]
        visits = [v for v in visits if v]
        stops = len(visits) + 1
        own = [list(part) for part in np.array_split(np.arange(len(by_light[0])), stops)]
        counts = [len(part) for part in np.array_split(np.arange(max(self.baselines, stops)), stops)]
        steps: list[ConditionStep] = []
        for stop in range(stops):
            keys = [by_light[0][int(i)] for i in own[stop]]
            ends = (stop == 0, stop == stops - 1)
            if stop == 0 or others:
                steps += self._arrived(0)
            steps += _interleaved(self.base, keys, counts[stop], *ends)
            for light in visits[stop] if stop < len(visits) else []:
                steps += self._arrived(light)
                steps += [ConditionStep("state", k) for k in by_light[light]]
        return tuple(steps)

    def _arrived(self, light: int) -> list[ConditionStep]:
        """What comes first in a light: what of it the screen throws back, where there may be any."""
        state = self.lights[light]
        return [] if state.lux == 0 else [ConditionStep("stray", (light, *self.base[1:]))]

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """The steps as things to do."""
        made: list[Stage] = []
        light, patches = -1, self.look.patches[self.signal]
        # The room's light on the screen while the display is off.
        stray = tuple(Patch((0.0, 0.0, 0.0), repeat=i) for i in range(self.look.strays))
        off = any(s.kind == "stray" for s in self.steps)
        for step in self.steps:
            acts: list[Act] = [] if made else [Act("mode", "", self.mode)]
            if step.key[0] != light:
                light = step.key[0]
                acts.append(self.lights[light].act)
            if step.kind == "stray":
                acts.append(Act("power", "", "off"))
                made.append(
                    Stage(f"{self.lights[light].words}: the room on the screen, display off", tuple(acts), stray)
                )
                continue
            if off:
                # Whatever became of the step before: where its light could not be had, it was not carried through.
                acts.append(Act("power", "", "on"))
            acts += [Act("set", f.path, f.levels[n]) for f, n in zip(self.factors, step.key[1:], strict=True)]
            made.append(Stage(self.title_of(step), tuple(acts), patches))
        return tuple(made)

    @property
    def back(self) -> tuple[Act, ...]:
        """The display on, in the light of the baseline, with the controls where they stood."""
        sets = [Act("set", f.path, f.levels[0]) for f in self.factors]
        return (Act("power", "", "on"), self.lights[0].act, Act("mode", "", self.mode), *sets)

    @property
    def changes_of_light(self) -> int:
        """How often a person has to change the light."""
        lights = [s.key[0] for s in self.steps]
        return sum(a != b for a, b in pairwise(lights))

    def title_of(self, step: ConditionStep) -> str:
        """A step in a list."""
        light = self.lights[step.key[0]].words
        return f"{light}: {'baseline' if step.kind == 'baseline' else self.words_of(step.key)}"

    def words_of(self, key: Key) -> str:
        """The controls of a state as they are set, those that stand as in the baseline left out."""
        said = [f"{name_of(f.path)} {text_of(f.levels[n])}" for f, n in zip(self.factors, key[1:], strict=True) if n]
        return " + ".join(said) or "as in the baseline"

    # -- what follows -------------------------------------------------------------------------------------------------

    def light_of(self, number: int) -> LightState:
        """The light of a step."""
        return self.lights[self.steps[number].key[0]]

    def left_out(self, reads: Sequence[StageRead]) -> bool:
        """Whether the step after those that were read can't be read, as its light could not be had."""
        number = len(reads)
        if number >= len(self.steps):
            return False
        light, label = self.steps[number].key[0], self.light_of(number).label
        # Only of its present visit: the baseline's light may be had later.
        for step, read in zip(reversed(self.steps[:number]), reversed(reads), strict=True):
            if step.key[0] != light:
                return False
            if label in read.refused:
                return True
        return False

    def why_left_out(self, reads: Sequence[StageRead]) -> dict[int, str]:
        """By number of the step, why it can't be used: its light could not be had, or a setting was refused."""
        why: dict[int, str] = {}
        no_light: dict[int, str] = {}
        before = -1
        for i, (step, read) in enumerate(zip(self.steps, reads, strict=False)):
            label = self.lights[step.key[0]].label
            if step.key[0] != before:
                before = step.key[0]
                no_light.pop(before, None)
            if label in read.refused:
                no_light[before] = read.refused[label]
            refused = [v for p, v in read.refused.items() if p != label]
            if before in no_light:
                why[i] = f"{label} could not be had: {no_light[step.key[0]]}"
            elif refused and step.kind != "stray":
                why[i] = f"could not be set: {refused[0]}"
        return why

    def explain(self, reads: Sequence[StageRead]) -> Explained:
        """What the readings so far show. reads: of the first steps; a step that is not there yet plays no part."""
        based, states, out = self._by_kind(reads)
        if len(based) < 2:
            return Explained(
                baselines=len(based),
                states=[],
                interactions=[],
                drift={},
                spread={},
                features={},
                promises=[],
                sentence="The baseline was not read twice, so nothing can be told.",
            )
        base = Baselines(np.stack([x for _, x in based]), np.array([float(i) for i, _ in based]), self.noise, self.look)
        keys = [k for _, k, _, _ in states]
        each = (np.array([s[i] for s in states], float) for i in (2, 0, 3))
        made = of_states(base, *each)
        differences = dict(zip(keys, made, strict=True))
        tests = tested(base, made)
        found = [
            StateResult(k, t, _tone(x, base.mean, self.look)) for (_, k, x, _), t in zip(states, tests, strict=True)
        ]
        results = sorted([*found, *out], key=lambda r: r.key)
        steps = float(len(self.steps) - 1)
        drift = {f: float(np.linalg.norm(base.slope[list(p)]) * steps) for f, p in PLACES.items()}
        spread = {f: float(np.sqrt(np.trace(base.covariance(f)[0]))) for f in self.look.figures}
        together = self._together(base, differences)
        features = self._features(results)
        kept = [promises.judge(p, self, results) for p in self.promises]
        return Explained(
            baselines=len(based),
            states=results,
            interactions=together,
            drift={f: d for f, d in drift.items() if d},
            spread=spread,
            features=features,
            promises=kept,
            sentence=self._sentence(results, features),
        )

    def _by_kind(
        self, reads: Sequence[StageRead]
    ) -> tuple[list[tuple[int, Array]], list[tuple[int, Key, Array, Array]], list[StateResult]]:
        """Baselines (number of the step, XYZ), states (number, key, XYZ, XYZ of the room's stray light), both without stray
        light; and results of states that were left out."""
        why = self.why_left_out(reads)
        stray: dict[int, Array] = {}
        based: list[tuple[int, Array]] = []
        states: list[tuple[int, Key, Array, Array]] = []
        out: list[StateResult] = []
        none = np.zeros(self.look.greys)
        for i, (step, read) in enumerate(zip(self.steps, reads, strict=False)):
            if i in why:
                if step.kind == "state":
                    out.append(StateResult(step.key, {}, none, why[i]))
                continue
            if step.kind == "stray":
                stray[step.key[0]] = np.nan_to_num(read.XYZ).mean(axis=0)
                continue
            room = stray.get(step.key[0], np.zeros(3))
            XYZ = read.XYZ - room
            if step.kind == "baseline":
                based.append((i, XYZ))
            else:
                states.append((i, step.key, XYZ, room))
        return based, states, out

    def _together(self, base: Baselines, every: Mapping[Key, Difference]) -> list[Interaction]:
        """States that differ from the sum of what was done alone."""
        several: list[tuple[Key, Difference]] = []
        for key, difference in every.items():
            alone = _alone(key)
            light = (key[0], *self.base[1:])
            if len(alone) > 1 and all(k in every for k in alone) and (light == self.base or light in every):
                several.append((key, beyond_sum(base, difference, [every[k] for k in alone], every.get(light))))
        tests = tested(base, [d for _, d in several])
        there = [
            Interaction(k, t) for (k, _), ts in zip(several, tests, strict=True) for t in ts.values() if t.measurable
        ]
        # Of three that differ because two of them do, the two are named.
        return [i for i in there if not any(_within(o, i) for o in there)]

    def _features(self, results: Sequence[StateResult]) -> dict[tuple[int, int], str]:
        """By factor and level what it does alone, in which light, as one sentence."""
        return {
            (i, n): promises.in_lights(self, i, n, results)
            for i, f in enumerate(self.factors)
            for n in range(1, len(f.levels))
            if any(r.key[1 + i] == n and not r.left_out and sum(map(bool, r.key[1:])) == 1 for r in results)
        }

    def _sentence(self, results: Sequence[StateResult], features: Mapping[tuple[int, int], str]) -> str:
        active = {
            i
            for (i, n) in features
            if any(r.size != "none" and r.key[1 + i] == n and sum(map(bool, r.key[1:])) == 1 for r in results)
        }
        tried = {i for i, _ in features}
        if not any(not r.left_out for r in results):
            return "Nothing was read beside the baseline."
        quiet = [name_of(self.factors[i].path) for i in sorted(tried - active)]
        said = [features[i, n].rstrip(".") for i in sorted(active) for n in self._telling(i, features, results)]
        parts = [f"{s}." for s in said]
        if quiet:
            parts.append(f"{listed(quiet)}: none measurable.")
        parts += self._of_others(results)
        if self.look is not WHOLE:
            parts.append(f"Only {self.look.in_words} were read, so nothing is known about black and other colours.")
        return " ".join(parts)

    def _of_others(self, results: Sequence[StateResult]) -> list[str]:
        """What light alone does where no control was tried, and what several controls do of which one was not read alone."""
        read = {r.key for r in results if not r.left_out}
        parts = []
        for r in results:
            alone = _alone(r.key)
            told = (len(alone) > 1 and not all(k in read for k in alone)) or not (alone or self.factors)
            if told and not r.left_out:
                where = promises.in_light(self.lights[r.key[0]]) if len(self.lights) > 1 else ""
                what = promises.in_words(list(r.tests.values()), 3)
                said = f"{self.words_of(r.key)} {what} {where}" if alone else f"{where[:1].upper()}{where[1:]}: {what}"
                parts.append(f"{said.strip()}.")
        return parts

    def _telling(self, i: int, features: Mapping[tuple[int, int], str], results: Sequence[StateResult]) -> list[int]:
        """The level of a factor that does most, which stands for it in a few words."""
        levels = [n for (j, n) in features if j == i]
        largest = {n: max((t.dE for r in results if r.key[1 + i] == n for t in r.there), default=0.0) for n in levels}
        return [max(levels, key=lambda n: largest[n])]

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """What is left of `explain` for who has no view of states."""
        return self.concluded(self.explain(reads))

    def concluded(self, e: Explained) -> Conclusion:
        """In one sentence, as a table of states, and for each control what it does."""
        rows = tuple(
            (self.lights[r.key[0]].words, self.words_of(r.key), r.left_out or promises.in_words(list(r.tests.values())))
            for r in e.states
        )
        notes: dict[str, str] = {}
        for (i, _), words in e.features.items():
            path = self.factors[i].path
            notes[path] = f"{notes[path]} {words}" if path in notes else words
        return Conclusion(e.sentence, ("Light", "State", "Against the baseline"), rows, notes)


def _alone(key: Key) -> list[Key]:
    """The states of each control of a state alone, in its light."""
    return [(key[0], *(n if i == j else 0 for j in range(len(key) - 1))) for i, n in enumerate(key[1:]) if n]


def _within(one: Interaction, other: Interaction) -> bool:
    """Whether some of what another sets does the same alone."""
    if one.key == other.key or one.test.figure != other.test.figure or one.key[0] != other.key[0]:
        return False
    return all(n in (0, m) for n, m in zip(one.key[1:], other.key[1:], strict=True))


def _interleaved(base: Key, keys: Sequence[Key], count: int, first: bool, last: bool) -> list[ConditionStep]:
    """States with the baseline so often among them: at the beginning of the first visit and of those in the middle, at the end
    of the last."""
    total = len(keys) + count
    spread = np.linspace(0, total - 1, count) if count > 1 else [total - 1 if last and not first else 0]
    at = {round(float(v)) for v in spread}
    rest = iter(keys)
    return [ConditionStep("baseline", base) if i in at else ConditionStep("state", next(rest)) for i in range(total)]


def _tone(XYZ: Array, base: Array, look: PatchSet) -> Array:
    """L* (n,) of the greys over the baseline's, both in units of its white."""
    count = look.greys
    white = base[count - 1, 1]
    one, two = (lightness(np.maximum(np.nan_to_num(x[:count, 1]), 0), white) for x in (base, XYZ))
    return np.asarray(two - one, float)
