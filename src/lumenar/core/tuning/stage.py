"""Gains or offsets once: white, or a dark grey, brought to the target's colour by the controls of the channels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lumenar.core.menu.controls import Value
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Target
from lumenar.core.tuning.base import (
    BLACK,
    MODEL_SHARE,
    PRIMARIES,
    WHITE,
    Array,
    Attempt,
    Done,
    Noise,
    Proposal,
    Suspicion,
    white_error,
)
from lumenar.core.tuning.channels import GUESS, MIXED, Channel, Fitted, Primaries, fit, in_grey
from lumenar.core.tuning.entry_errors import Misplaced, misplaced

DARK = Patch((0.2, 0.2, 0.2))
MOST = 10
"""Readings of one stage."""
GOOD, GOOD_DARK = 0.15, 0.5
"""dE2000 of white, and of a dark grey, whose steps are coarser, under which nobody goes on."""
LEAST_GAIN, LEAST_GAIN_DARK = 0.06, 0.2
"""dE2000 by which the next attempt at either has to be better."""
LOSS = 0.012
"""dE2000 of white that one percent of luminance is worth: the luminance control gives it back where it can."""
SPARE, DEAR = 0.12, 0.02
"""Log of luminance beyond which a percent of it is worth more, and how much: a quarter of the light is not given for a
difference that is hardly seen."""
VAIN = 5.0
"""dE2000 that a channel's gain costs for each log of light that it stands above where the channel stops to rise: white stays as
it is, and greys below it are tinted by that."""
UNSEEN, UNSEEN_SHARE = 0.3, 0.2
"""dE2000 that nobody sees: a difference below it counts by this share only, so that no luminance is given up for it."""
FAR_OFFSETS = 1.0
"""dE2000 of a dark grey that it is worth not to move the offsets by a whole range."""
SHARES = np.linspace(1.0, 0.7, 13)
"""Shares of the luminance to be had at which white is looked for: where steps are coarse, some give a better white."""
OFFSET_GUESS = 1.0
NEAR, ROUNDS = 2, 5
"""So many steps about the solution every combination is compared under the model, and so often about the best of these."""
FOLLOWS = 4.0
"""A model that is farther off than so many times the noise does not follow a reading."""
ODD, ODD_DARK, ODD_PAST, CLEARER, AS_CLEAR = 16.0, 25.0, 25.0, 1.5, 0.8
"""A wrong entry that stands is asked about where it explains so much of chi squared, of gains and of offsets, and at least so
large a share of what another would; one that was entered anew since is taken for one where it explains so much, and so many times
as much as any other."""
TRUST, FARTHEST = 0.5, 3.0
"""A step goes at most so far from the best attempt, in whole ranges; offsets by so many times what their usual slope asks for."""


@dataclass(frozen=True, eq=False)
class _Trial:
    """Values that may be proposed, what they are worth and their XYZ (3,); middle: the place of the best, tried or not."""

    worth: float
    values: dict[str, Value]
    XYZ: Array
    middle: tuple[int, ...]


@dataclass(frozen=True)
class ChannelStage:
    """Gains or offsets once. first: the attempt that read the primaries; attempts: those of the stage, of which `earlier` belong
    to an earlier one with the same controls."""

    name: str
    target: Target
    noise: Noise
    channels: tuple[Channel, ...]
    values: Mapping[str, Value]
    first: Attempt | None
    attempts: tuple[Attempt, ...]
    earlier: int = 0

    @property
    def grey(self) -> Patch:
        return DARK if self.name.startswith("offsets") else WHITE

    @cached_property
    def read(self) -> list[Attempt]:
        """The attempts in which the grey was a number. Of the same values entered twice the later counts: what was entered
        wrongly and nobody noticed is found out by entering it again. The first stays, as all is told against it."""
        seen = [a for a in self.attempts if np.isfinite(a.of(self.grey)).all() and a.of(self.grey)[1] > 0]
        last = {(a.stage, *self._own(a.values).values()): i for i, a in enumerate(seen)}
        return [a for i, a in enumerate(seen) if i == 0 or last[a.stage, *self._own(a.values).values()] == i]

    @cached_property
    def XYZ(self) -> Array:
        return np.array([a.of(self.grey) for a in self.read])

    @cached_property
    def errors(self) -> Array:
        return white_error(self.XYZ, self.target)

    @property
    def guess(self) -> float:
        return OFFSET_GUESS if self.name.startswith("offsets") else GUESS

    @cached_property
    def at_start(self) -> Primaries | None:
        """What the channels add to the grey in the stage's first attempt."""
        if self.first is None or not self.read:
            return None
        primaries = np.array([self.first.of(p) for p in PRIMARIES])
        return in_grey(self.XYZ[0], self.first.of(WHITE), primaries, self.first.of(BLACK))

    def x_of(self, values: Mapping[str, Value]) -> Array:
        """Distance (k,) of values from those of the stage's first attempt, in whole ranges."""
        origin = self.read[0].values
        return np.array(
            [(float(values[c.control.path]) - float(origin[c.control.path])) / c.span for c in self.channels]
        )

    @cached_property
    def fitted(self) -> Fitted:
        assert self.at_start is not None
        x = self.x.copy()
        for m in self.slips:
            x[m.first : m.last + 1, m.control] += m.by
        here = x[self.errors.argmin()]
        return fit(
            channels=self.channels,
            x=x,
            shares=self._shares,
            u=self._u,
            start=self.at_start,
            guess=self.guess,
            here=here,
            stops=self.grey is WHITE,
        )

    @cached_property
    def x(self) -> Array:
        """The values (n, k) of the attempts in which the grey was a number, as `x_of`."""
        return np.array([self.x_of(a.values) for a in self.read])

    @property
    def _u(self) -> Array:
        return np.repeat(self.noise.relative(self.XYZ[:, 1])[:, None] * 1.5, 3, axis=1)

    @cached_property
    def doubted(self) -> list[Misplaced]:
        """What wrong entries would explain, the most telling first; none of what somebody has looked at."""
        if len(self.read) < 3 or self.at_start is None:
            return []
        here = self.x[self.errors.argmin()]
        if self.at_start.clamped or (self.at_start.mixed > MIXED and self.at_start.extra is None):
            # What controls do to one another's channels looks the same.
            return []
        found = misplaced(
            channels=self.channels,
            x=self.x,
            shares=self._shares,
            u=self._u,
            start=self.at_start,
            guess=self.guess,
            here=here,
            stops=self.grey is WHITE,
            least=ODD,
        )
        return [m for m in found if not any(a.sure for a in self.read[m.first : m.last + 1])]

    @cached_property
    def slips(self) -> list[Misplaced]:
        """A wrong entry that was noticed when it did not stand any more: it explains what nothing else does."""
        found = self.doubted
        clear = found and found[0].odds >= ODD_PAST and (len(found) == 1 or found[0].odds >= CLEARER * found[1].odds)
        past = clear and found[0].last < len(self.read) - 1 and self._steps(found[0]) >= 2
        return found[:1] if past else []

    @property
    def _odd(self) -> float:
        return ODD_DARK if self.grey is DARK else ODD

    def _steps(self, m: Misplaced) -> float:
        c = self.channels[m.control]
        return abs(m.by) * c.span / c.control.step

    def seems(self, m: Misplaced) -> float:
        """The value that a control seems to have had."""
        c = self.channels[m.control]
        entered = float(self.read[m.first].values[c.control.path])
        return float(c.grid[np.abs(c.grid - entered - m.by * c.span).argmin()])

    @property
    def _shares(self) -> Array:
        """Amounts (n, 3) of the channels. What was read before the other end was moved is carried over by what that did to the
        values that stand."""
        assert self.at_start is not None
        shares = self.at_start.shares(self.XYZ)
        n = self._before
        if 0 < n < len(self.read):
            values = self._own(self.read[n].values)
            same = [i for i in range(n) if self._own(self.read[i].values) == values]
            with np.errstate(divide="ignore", invalid="ignore"):
                moved = shares[n] / shares[same[-1]] if same else np.ones(3)
            shares[:n] *= np.where(np.isfinite(moved) & (moved > 0), moved, 1.0)
        return shares

    def propose(self) -> Proposal | Done:
        if len(self.attempts) == self.earlier:
            first = (WHITE, *PRIMARIES, BLACK) if self.first is None else ()
            # Where no gain is free, the dark grey is what it begins with.
            patches = (*first, *(p for p in (self.grey,) if p not in first))
            return Proposal(self.name, dict(self.values), patches, self._first_words())
        if not self.read:
            return Done(
                self._own(self.values),
                f"The meter reads no {self.grey.code}, so {self._what()} stay as they are.",
                True,
            )
        if self.at_start is None:
            return Done(
                self._own(self.values), f"The primaries cannot be told apart, so {self._what()} stay as they are.", True
            )
        best, worth = self._best
        over, last = len(self.attempts) - self.earlier >= MOST, len(self.read) - 1
        if self._confirmed(best) or (over and self._confirmed(last)):
            # Gone back to and read again: nothing is tried after that, whatever noise makes of it.
            return self._done(best if self._stands(best) else last)
        values, predicted, XYZ = self._candidate()
        good, least = (GOOD_DARK, LEAST_GAIN_DARK) if self.grey is DARK else (GOOD, LEAST_GAIN)
        enough = worth - predicted < max(self._noise_error() / 2, least)
        if enough or self.errors[best] <= good or over:
            return self._done(best) if self._stands(best) else self._again(best)
        u = float(np.sqrt((self.fitted.u(self.x_of(values)) ** 2).mean()))
        why = f"dE {self.errors[best]:.1f} so far; with these dE {self._predicted(XYZ):.1f} is expected."
        return Proposal(self.name, {**self.values, **values}, (self.grey,), why, XYZ[None, :], u)

    def _stands(self, best: int) -> bool:
        """Whether an attempt is how things stand now."""
        return self._own(self.attempts[-1].values) == self._own(self.read[best].values)

    def _confirmed(self, best: int) -> bool:
        """Whether it stands, and was entered and read before."""
        values = self._own(self.read[best].values)
        same = [a for a in self.attempts[self.earlier :] if self._own(a.values) == values]
        return len(same) > 1 and self._stands(best)

    def _again(self, best: int) -> Proposal:
        XYZ = self.XYZ[best]
        why = f"The best so far, dE {self.errors[best]:.1f}, entered and read once more."
        spread = 2 * float(self.noise.relative(XYZ[1])) + MODEL_SHARE
        return Proposal(self.name, dict(self.read[best].values), (self.grey,), why, XYZ[None, :], spread)

    def _first_words(self) -> str:
        if self.first is None:
            beside = "" if self.grey is WHITE else f", and {self.grey.code}"
            return f"As it is now: white, each channel alone, black{beside}."
        return f"{self.grey.code.capitalize()} as it stands now."

    def _what(self) -> str:
        return "the offsets" if self.name.startswith("offsets") else "the gains"

    def _own(self, values: Mapping[str, Value]) -> dict[str, Value]:
        return {c.control.path: values[c.control.path] for c in self.channels}

    def _predicted(self, XYZ: Array) -> float:
        return float(white_error(XYZ, self.target))

    @cached_property
    def _best(self) -> tuple[int, float]:
        """The attempt of this stage that is worth most, and what it is worth: half by what was read of it, half by what all
        readings say, as one reading alone is noise too; but by what was read alone where the model does not follow it."""
        assert self.at_start is not None
        x = self.x
        modelled = self._worth(x, *self._seen(x))
        read = self._worth(x, self.XYZ, self.errors)
        follows = np.abs(modelled - read) <= FOLLOWS * max(self._noise_error(), GOOD)
        modelled = np.where(follows, modelled, read)
        both = (modelled + read) / 2
        # What was read before the other end was moved is not what it is now, nor is it known what a wrong entry was.
        both[: self._before] = np.inf
        for m in self.slips:
            both[m.first : m.last + 1] = np.inf
        best = int(both.argmin())
        return best, float(modelled[best])

    @property
    def _before(self) -> int:
        """How many of the attempts that were numbers belong to the earlier stage."""
        return sum(a.stage != self.name for a in self.read)

    def _seen(self, x: Array) -> tuple[Array, Array]:
        """XYZ (n, 3) and their errors (n,) under the model at x (n, k)."""
        assert self.at_start is not None
        XYZ = self.at_start.XYZ(np.exp(self.fitted.log_shares(x)))
        return XYZ, white_error(XYZ, self.target)

    def _noise_error(self) -> float:
        r = float(self.noise.relative(self.XYZ[-1, 1]))
        white = self.target.white_XYZ(1.0)
        return float(white_error(white * (1 + r * np.array([0.7, 0.0, -0.7])), self.target))

    def _worth(self, x: Array, XYZ: Array, errors: Array) -> Array:
        """What is to be least (n,) at distances x (n, k): colour, the luminance given up against what is to be had, and what
        controls are raised in vain."""
        if self.grey is DARK:
            # All offsets raised alike leave the colour as it is, so the nearest of what is as good is taken.
            return np.asarray(errors + FAR_OFFSETS * np.abs(x).mean(axis=-1), float)
        lost = np.maximum(0, np.log(self._reachable / XYZ[:, 1]))
        seen = np.maximum(errors, UNSEEN) + UNSEEN_SHARE * np.minimum(errors, UNSEEN)
        # Where channels reach into one another, what looks like a stop may be another channel.
        start = self.at_start
        alone = start is not None and (start.mixed <= MIXED or start.extra is not None)
        vain = self.fitted.beyond(x) if alone else 0.0
        light = 100 * (LOSS * np.minimum(lost, SPARE) + DEAR * np.maximum(0, lost - SPARE))
        return np.asarray(seen + light + VAIN * vain, float)

    @cached_property
    def _limits(self) -> tuple[Array, Array]:
        """Least and most amounts (3,) that the controls give, 1 where a channel has none or its control does nothing."""
        low, high = np.ones(3), np.ones(3)
        start = self.read[0].values
        for i, c in enumerate(self.channels):
            if self.fitted.dead[i]:
                continue
            at = float(start[c.control.path])
            reach = (c.grid - at) / c.span
            x = np.zeros((len(reach), len(self.channels)))
            x[:, i] = reach
            shares = np.exp(self.fitted.log_shares(x)[:, c.channel])
            low[c.channel], high[c.channel] = shares.min(), shares.max()
        return low, high

    @cached_property
    def _wanted(self) -> Array:
        """Amounts (3,) for the target's white: at the luminance of the start where the channels reach it, else at the most."""
        assert self.at_start is not None
        t = self.at_start.shares(self.at_start.black + self.target.white_XYZ(self.XYZ[0, 1]))
        low, high = self._limits
        fixed = [ch for ch in range(3) if low[ch] == high[ch]]
        if fixed:
            # What cannot be moved says how much there is of the others.
            return np.asarray(t / np.exp(np.mean([np.log(t[ch]) for ch in fixed])), float)
        return np.asarray(t * min(1.0, float((high / t).min())), float)

    @property
    def _reachable(self) -> float:
        assert self.at_start is not None
        return float(min(self.XYZ[0, 1], self.at_start.XYZ(self._wanted)[1]))

    def _candidate(self) -> tuple[dict[str, Value], float, Array]:
        """The best untried values under the model, what they are worth, and their XYZ (3,): looked for along the line of the
        target's white, then about the best of it, and about the best that was read, until there is none better beside it."""
        found = self._look(self._solved(), 1)
        seen: set[tuple[int, ...]] = set()
        for begin in (found.values, self.read[self._best[0]].values):
            centre = self._places(begin)
            for _ in range(ROUNDS):
                if centre in seen:
                    break
                seen.add(centre)
                there = self._look([centre], NEAR)
                found = min(found, there, key=lambda trial: trial.worth)
                if there.middle == centre:
                    break
                centre = there.middle
        return {**self._own(self.values), **found.values}, found.worth, found.XYZ

    def _look(self, centres: Sequence[tuple[int, ...]], near: int) -> _Trial:
        """The best untried values up to `near` steps about places on the grid."""
        origin = np.array([float(self.read[0].values[c.control.path]) for c in self.channels])
        grid = np.concatenate([self._about(c, near) for c in centres])
        x = (grid - origin) / np.array([c.span for c in self.channels])
        XYZ, errors = self._seen(x)
        worth = self._worth(x, XYZ, errors)
        known = (grid[:, None, :] == self._entered).all(axis=2).any(axis=1)
        new = np.where(known | self._too_far(grid), np.inf, worth)
        k = int(new.argmin())
        # Where it goes on from may be tried; what is proposed may not.
        middle = self._places(self._by_path(grid[worth.argmin()]))
        return _Trial(float(new[k]), self._by_path(grid[k]), XYZ[k], middle)

    @cached_property
    def _entered(self) -> Array:
        """The values (n, k) that were entered in this stage."""
        own = self.attempts[self.earlier :]
        return np.array([[float(a.values[c.control.path]) for c in self.channels] for a in own])

    def _too_far(self, grid: Array) -> NDArray[np.bool_]:
        """Which values (n, k) of offsets lie farther from the best attempt than what is missing asks for, were they to do a third
        of what is usual: in the dark a small misjudged slope leads far away."""
        if self.grey is not DARK:
            return np.zeros(len(grid), bool)
        best = self._best[0]
        now = np.array([float(self.read[best].values[c.control.path]) for c in self.channels])
        missing = np.abs(np.log(np.maximum(self._wanted, 1e-6) / np.maximum(self._shares[best], 1e-6))).max()
        reach = [FARTHEST * missing / self.guess * c.span + NEAR * c.control.step for c in self.channels]
        return np.asarray((np.abs(grid - now) > reach).any(axis=1), bool)

    def _by_path(self, values: Array) -> dict[str, Value]:
        return {c.control.path: float(v) for c, v in zip(self.channels, values, strict=True)}

    def _about(self, centre: tuple[int, ...], near: int) -> Array:
        """All values (n, k) up to `near` steps about a place on the grid."""
        now = self.attempts[-1].values
        each = [
            np.array([float(now[c.control.path])]) if self.fitted.dead[i] else c.grid[max(0, k - near) : k + near + 1]
            for i, (c, k) in enumerate(zip(self.channels, centre, strict=True))
        ]
        return np.stack(np.meshgrid(*each, indexing="ij"), axis=-1).reshape(-1, len(each))

    def _places(self, values: Mapping[str, Value]) -> tuple[int, ...]:
        """Where values stand on the grids of their controls."""
        return tuple(int(np.abs(c.grid - float(values[c.control.path])).argmin()) for c in self.channels)

    def _solved(self) -> list[tuple[int, ...]]:
        """The places on the grid that give the amounts wanted and shares of them, each control after the other, the others as
        they came out."""
        best = self.read[int(self.errors.argmin())].values
        here = self.x_of(best)
        wanted = np.log(np.maximum(self._wanted, 1e-6)) + np.log(SHARES)[:, None]
        x = np.repeat(here[None, :], len(SHARES), axis=0)
        places = np.repeat(np.array(self._places(best))[None, :], len(SHARES), axis=0)
        for _ in range(ROUNDS):
            before = places.copy()
            for i, c in enumerate(self.channels):
                if self.fitted.dead[i]:
                    continue
                reach = (c.grid - float(self.read[0].values[c.control.path])) / c.span
                others = np.repeat(x[:, None, :], len(c.grid), axis=1)
                others[:, :, i] = reach
                known = self.fitted.log_shares(others)[..., c.channel]
                known = np.where(np.abs(reach - here[i]) <= TRUST, known, np.inf)
                places[:, i] = np.abs(known - wanted[:, c.channel, None]).argmin(axis=1)
                x[:, i] = reach[places[:, i]]
            if (places == before).all():
                break
        return list(dict.fromkeys(tuple(map(int, p)) for p in places))

    def _done(self, best: int) -> Done:
        error = float(self.errors[best])
        dead = [c.name for c, d in zip(self.channels, self.fitted.dead, strict=True) if d]
        reason = f"{self.grey.code.capitalize()} is dE {error:.1f} from the target's colour"
        lost = 100 * (1 - self.XYZ[best, 1] / self.XYZ[0, 1])
        if self.grey is WHITE and lost >= 1:
            reason += f", for {lost:.0f} % of its luminance"
        reason += f"; {' and '.join(dead)} {'does' if len(dead) == 1 else 'do'} nothing." if dead else "."
        return Done(self._own(self.read[best].values), reason, unreached=error > 1.0)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        last = len(self.read) - 1
        standing = [m for m in self.doubted if m.last == last and not self.fitted.dead[m.control]]
        if not standing or self.read[-1] is not attempts[-1] or standing[0].odds < self._odd:
            return None
        # What was entered anew since cannot be looked at any more.
        m = standing[0]
        others = max((o.odds for o in self.doubted if o is not m), default=0.0)
        path = self.channels[m.control].control.path
        entered, seems = float(attempts[-1].values[path]), self.seems(m)
        since = next((i for i, a in enumerate(attempts[::-1]) if a.values.get(path, entered) != entered), len(attempts))
        if m.odds < AS_CLEAR * others or self._steps(m) < 2 or seems == entered or since == len(attempts):
            return None
        return Suspicion(path, entered, seems, since)
