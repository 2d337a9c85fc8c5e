"""White balance at many points: 10, 20 or 22 of them, unevenly spaced if need be. First all greys are read. Then each point is
set and read, from bright to dark, in two passes. The tuning learns meanwhile what a step does to its point and to
neighbouring points. If it is not clear at the end whether greys improved, all are read again to decide."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour.difference import de2000
from lumenar.core.menu.controls import Control, Value
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import (
    BLACK,
    MODEL_SHARE,
    PRIMARIES,
    USUAL,
    WHITE,
    Array,
    Attempt,
    Done,
    Noise,
    Proposal,
    Suspicion,
    bounded,
    errors_of,
    nearest,
    steps_of,
)
from lumenar.core.tuning.channels import Primaries, in_grey
from lumenar.core.tuning.point_response import fit_reach

GUESS, GUESS_U = 0.5, 1.0
"""Log of the light that a point's whole range moves at its own level, where nothing is known, and how unsure that is as a
share."""
SIDE_U, OWN_U = 0.4, 0.2
"""How far a point may reach into the levels beside it, and how much one level may differ from the others, as shares of what a
point does at its own."""
GOOD = 0.3
"""dE2000 under which a point is left alone when all are gone over once more."""
TINTED = 0.5
"""Share of what greys come nearer by that they may be tinted for: the eye takes the mode's white for white and sees the tint."""
FAR_OFF = 1.5
"""dE2000 of a point after it was set from which it is set once more at once."""
PER_POINT = 3
"""On average at most this many readings of each point set the table. Where the end is in doubt, one more of each decides."""
SURE_SHARE = 1.0
"""A step's effect that is known to so much of it is taken as it is."""
FORESEEN = 2.0
"""The gain is in doubt where it is less than this many times the error of what was foreseen for the readings."""
STOPPED = 0.65
"""A channel that rises by less than this share of what the others' steps do has come to its end."""
CERTAIN = 3.0
"""So many standard deviations less, too."""
COST = 0.02
LIGHT = 0.5
"""What the luminance of a level counts beside its balance."""
FEW = 40
"""Draws that tell what noise makes of a tint."""
STAGES = ("read", "bright to dark", "once over")
CHECK = "check"


@dataclass(frozen=True)
class Point:
    """One point of the table: its signal level 0..1 and the controls of red, green and blue, None for one there is not."""

    level: float
    controls: tuple[Control | None, Control | None, Control | None]


@dataclass(frozen=True)
class ManyPoints:
    """Greys at the points are to be the target's. points by rising level; values: where all of their controls stand; primaries
    (5, 3): XYZ of red, green, blue, white and black in cd/m2 as the display shows them, None where they are to be read first."""

    points: tuple[Point, ...]
    target: Target
    values: Mapping[str, Value]
    noise: Noise = USUAL
    primaries: tuple[tuple[float, ...], ...] | None = None

    @cached_property
    def greys(self) -> tuple[Patch, ...]:
        """The grey of each point."""
        return tuple(Patch((p.level,) * 3) for p in self.points)

    @cached_property
    def spans(self) -> list[tuple[Control | None, float]]:
        """Every control of the table with its whole range, point by point."""
        return [(c, 1.0 if c is None else c.maximum - c.minimum) for p in self.points for c in p.controls]

    @cached_property
    def places(self) -> dict[Patch, int]:
        """Which point each grey is of."""
        return {g: i for i, g in enumerate(self.greys)}

    def _known(self, attempts: Sequence[Attempt]) -> Array:
        """XYZ (5, 3) of red, green, blue, white, black."""
        if self.primaries is not None:
            return np.array(self.primaries, float)
        return np.array([attempts[0].of(p) for p in (*PRIMARIES, WHITE, BLACK)])

    def figure(self, attempt: Attempt) -> float:
        """Mean dE2000 of the points that the attempt read."""
        if self.primaries is None and WHITE not in attempt.patches:
            return float("nan")
        (*_, white, black), top = self._known([attempt]), attempt.of(WHITE)
        beside = float((top if np.isfinite(top).all() else white)[1])
        return float(np.nanmean(errors_of(attempt, self.greys, self.target, beside, float(np.nan_to_num(black[1])))))

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """At most three readings a point, and one more of each where the end is in doubt."""
        if not attempts:
            first = (*PRIMARIES, BLACK) if self.primaries is None else ()
            white = (WHITE,) if self.primaries is None and WHITE not in self.greys else ()
            patches = (*self.greys[::-1], *white, *first)
            return Proposal(STAGES[0], dict(self.values), patches, "All points as they stand, from bright to dark.")
        known = self._known(attempts)
        if not np.isfinite(known[:4]).all() or (known[:4, 1] <= 0).any() or abs(np.linalg.det(known[:3])) < 1e-12:
            reason = "The meter does not read white and all three primaries, so the points stay as they are."
            return Done(dict(self.values), reason, unreached=True)
        now, last = _Course(self, attempts), attempts[-1]
        if now.left <= 0 or last.stage == CHECK:
            return self._ended(now, attempts)
        if last.stage == STAGES[1] and sum(a.stage == last.stage and a.patches == last.patches for a in attempts) == 1:
            # What all that is darker is told against is set once more before these.
            following = now.point(last.stage, i := self.places[last.patches[0]])
            if following is not None and now.errors_of(now.logs)[i] > FAR_OFF:
                return following
        for stage in STAGES[1:]:
            visited = {self.places[a.patches[0]] for a in attempts if a.stage == stage}
            # Point by point downwards: what was gone past in this round is not gone back to.
            for i in range(min(visited, default=len(self.points)) - 1, -1, -1):
                following = now.point(stage, i)
                if following is not None:
                    return following
        return self._ended(now, attempts)

    def _ended(self, now: _Course, attempts: Sequence[Attempt]) -> Proposal | Done:
        """Keep the table or go back to the start. A table is never given up for what was only foreseen."""
        last = attempts[-1]
        if last.stage == CHECK or last.values == attempts[0].values or not now.doubtful:
            return now.done()
        why = "It is not clear yet whether the greys improved. All points are read once more to decide."
        return Proposal(CHECK, dict(last.values), self.greys[::-1], why)

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """One value of the last point that, had it been otherwise, would explain a reading which nothing else does."""
        if len(attempts) < MANY or attempts[-1].stage in (STAGES[0], CHECK):
            return None
        return _Course(self, attempts[:-1]).suspect(attempts[-1])


MANY = 4
"""After so many points what a step does is known well enough to doubt an entry."""


class _Course:
    """What the attempts so far say. x (k, n, 3): tables in whole ranges; by_point (n,): the attempts in which each was read;
    kernel (3, n, n): by channel, log of light at each level by each point's whole range; logs (n, 3): of the amounts now."""

    def __init__(self, problem: ManyPoints, attempts: Sequence[Attempt]) -> None:
        self.p, self.attempts = problem, attempts
        self._tables: dict[int, Array] = {}
        self.known = problem._known(attempts)
        *primaries, white, black = self.known
        K = np.nan_to_num(black)
        rows = np.array(primaries) - K
        # Of a display with white light of its own that light is as much as its channels have in common.
        self.parts = in_grey(white, white, np.array(primaries), K) or Primaries(rows, K, 0.0)
        self.x = np.array([self.table(a.values) for a in attempts])
        self.first = self.read(attempts[0])
        self.by_point: list[list[tuple[int, Array]]] = [[] for _ in problem.points]
        for k, a in enumerate(attempts):
            for i, logs in self.logs_of(a):
                if np.isfinite(logs).all():
                    self.by_point[i].append((k, logs))
        self.ceiling = self._ceiling()
        self.kernel = self._kernel()
        # What the steps would make of the channels if none came to an end.
        self.driven = np.array([self._driven(i, seen) for i, seen in enumerate(self.by_point)])
        self.logs = np.minimum(self.driven, self.ceiling)
        self.white, self.wanted = self._wanted_of(self.logs)

    def table(self, values: Mapping[str, Value]) -> Array:
        """Values (n, 3) in whole ranges, 0 where there is no control."""
        return np.array([0.0 if c is None else float(values[c.path]) / span for c, span in self.p.spans]).reshape(-1, 3)

    def read(self, attempt: Attempt) -> Array:
        """Log amounts (n, 3) of the channels at the points, NaN where an attempt did not read one."""
        out = np.full((len(self.p.points), 3), np.nan)
        for i, logs in self.logs_of(attempt):
            out[i] = logs
        return out

    def logs_of(self, attempt: Attempt) -> list[tuple[int, Array]]:
        """The points that an attempt read, each with its log amounts (3,)."""
        own = [(k, self.p.places[p]) for k, p in enumerate(attempt.patches) if p in self.p.places]
        XYZ = attempt.XYZ[[k for k, _ in own]]
        with np.errstate(invalid="ignore"):
            logs = np.where(np.isfinite(XYZ), np.log(np.maximum(self.parts.shares(XYZ), 1e-9)), np.nan)
        return [(i, row) for (_, i), row in zip(own, logs, strict=True)]

    @property
    def _has_white(self) -> bool:
        return self.p.points[-1].level > 0.999

    def _wanted_of(self, logs: Array) -> tuple[float, Array]:
        """Luminance of white with amounts (n, 3), and XYZ (n, 3) that the target wants of the points beside it."""
        white = float(self.known[3, 1])
        if self._has_white and np.isfinite(logs[-1]).all():
            white = float(self.parts.XYZ(np.exp(logs[-1]))[1])
        return white, self._beside(white)

    def _beside(self, white: float) -> Array:
        anchor = Anchor(np.array(white), np.array(float(self.parts.black[1])))
        levels = np.array([p.level for p in self.p.points])
        return self.p.target.XYZ(np.repeat(levels[:, None], 3, axis=1), anchor)

    @cached_property
    def aim(self) -> Array:
        """Log amounts (n, 3) that are wanted: of a white that all three channels reach."""
        wanted = self._logs(self.wanted)
        short = float(np.min(self.ceiling - wanted[-1]))
        # Where the table ends below white, white stays as bright as it is.
        return (
            wanted if short >= 0 or not self._has_white else self._logs(self._beside(self.white * float(np.exp(short))))
        )

    def _logs(self, XYZ: Array) -> Array:
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.log(np.maximum(self.parts.shares(XYZ), 1e-9)), float)

    def after(self, table: Array) -> Array:
        """Log amounts (n, 3) with a table (n, 3)."""
        return np.asarray(np.minimum(self.driven + self._moved(table - self.x[-1]), self.ceiling), float)

    def errors_of(self, logs: Array) -> Array:
        """dE2000 (n,) of amounts (n, 3), beside the white that they make."""
        target, (white, wanted) = self.p.target, self._wanted_of(logs)
        return de2000(target.Lab(self.parts.XYZ(np.exp(logs)), white), target.Lab(wanted, white))

    def balance_of(self, logs: Array, beside: bool = False) -> Array:
        """dE2000 (n,) of amounts (n, 3), were their luminance right. beside: and the brightest of them white, as an eye that is
        used to it sees them."""
        XYZ = self.parts.XYZ(np.exp(logs))
        target = self.p.target
        if beside and np.isfinite(XYZ[-1]).all():
            XYZ = XYZ * (self.wanted[-1] / self.wanted[-1, 1]) / (XYZ[-1] / XYZ[-1, 1])
        right = XYZ * (self.wanted[:, 1:2] / np.maximum(XYZ[:, 1:2], 1e-9))
        return de2000(target.Lab(right, self.white), target.Lab(self.wanted, self.white))

    def _sigma(self, i: int) -> float:
        Y = float(self.parts.XYZ(np.exp(self.by_point[i][-1][1]))[1]) if self.by_point[i] else 1.0
        return 2 * float(self.p.noise.relative(Y)) + MODEL_SHARE

    @cached_property
    def _rises(self) -> tuple[NDArray[np.intp], Array, Array, Array, Array]:
        """Of every reading after the first of its level: the level's place (m,), by what the points were moved since (m, n, 3),
        log amounts (m, 3), by how much they rose (m, 3), and their standard deviations (m,)."""
        seen = [(i, k, first, logs) for i, s in enumerate(self.by_point) for first in s[:1] for k, logs in s[1:]]
        place = np.array([i for i, *_ in seen], int)
        moved = self.x[[k for _, k, *_ in seen]] - self.x[[first[0] for *_, first, _ in seen]]
        logs = np.array([logs for *_, logs in seen]).reshape(-1, 3)
        rose = logs - np.array([first[1] for *_, first, _ in seen]).reshape(-1, 3)
        return place, moved, logs, rose, np.array([self._sigma(i) for i in range(len(self.by_point))])[place]

    def _ceiling(self) -> Array:
        """Log amounts (3,) at which channels come to their end: the most that was read of one, where it was raised and rose by
        less than the steps of the others do; inf where none was."""
        place, moved, logs, rose, sigma = self._rises
        ceiling = np.full(3, np.inf)
        if not len(place):
            return ceiling
        most = np.max([logs for seen in self.by_point for _, logs in seen], axis=0)
        padded, every = np.pad(moved, ((0, 0), (1, 1), (0, 0))), np.arange(len(place))
        # Of every channel, what its point was moved by and those beside it.
        by = np.stack([padded[every, place + 1], padded[every, place] + padded[every, place + 2]], axis=-1)
        high = (by[..., 0] > 0) & (logs > most - 2 * MODEL_SHARE)
        common, unsure = self._common(by[~high], rose[~high], np.repeat(sigma[:, None], 3, axis=1)[~high])
        expected, u = by @ common, np.hypot(np.abs(by) @ unsure, sigma[:, None])
        stopped = high & (rose < STOPPED * expected) & (expected - rose > CERTAIN * u)
        return np.where(stopped.any(axis=0), most, ceiling)

    @cached_property
    def left(self) -> int:
        """How many readings are left to take."""
        taken = sum(p in self.p.places for a in self.attempts for p in a.patches)
        return PER_POINT * len(self.p.points) - taken

    def _at_end(self, logs: Array) -> NDArray[np.bool_]:
        """Which channels (3,) of a reading are at their end."""
        return np.asarray(logs > self.ceiling - 2 * MODEL_SHARE)

    def _driven(self, i: int, seen: list[tuple[int, Array]]) -> Array:
        """Log amounts (3,) that a level would have if no channel came to an end: each from where it was read last below it."""
        driven = np.full(3, np.nan)
        for k, logs in seen:
            then = logs + self._moved(self.x[-1] - self.x[k])[i]
            driven = np.where(self._at_end(logs) & np.isfinite(driven), driven, then)
        return driven

    def _moved(self, by: Array) -> Array:
        """What a change of the table (n, 3) does to log amounts (n, 3)."""
        return np.asarray(np.einsum("cij,jc->ic", self.kernel, by), float)

    def _kernel(self) -> Array:
        """First what all points have in common, then what is peculiar to each level, about that."""
        n, (at, x, logs, rose, sigma) = len(self.p.points), self._rises
        y = np.where(self._at_end(logs) | self._at_end(logs - rose), np.nan, rose)
        # What a level has of its own is noise to what is common.
        u = np.hypot(sigma[:, None], OWN_U * GUESS * np.abs(x[np.arange(len(at)), at]))
        levels = np.array([p.level for p in self.p.points])
        reach = fit_reach(levels=levels, place=at, moved=x, rose=y, u=u, guess=GUESS, guess_u=GUESS * GUESS_U)
        # While little is known a step is taken to do more than it seems to: a first move of one step, lost in noise, would else
        # look as if nothing helped but the whole range.
        amount = abs(reach.amount) + max(0.0, reach.amount_u - SURE_SHARE * abs(reach.amount))
        kernel = amount * reach.shares
        scale = max(amount, 0.05 * GUESS)
        for i in np.unique(at):
            here = at == i
            off = y[here] - np.einsum("cj,kjc->kc", kernel[:, i], x[here])
            near = [j for j in (i, i - 1, i + 1) if 0 <= j < n]
            T = np.stack([x[here][:, j] for j in near], axis=-1)
            known = np.isfinite(off)
            sd = scale * np.array([OWN_U if j == i else SIDE_U / 2 for j in near])
            u_here = np.full(int(known.sum()), self._sigma(int(i)))
            kernel[:, i, near] += _ridge(T[known], off[known], u_here, np.zeros(len(near)), sd)
        return np.asarray(kernel, float)

    def _common(self, by: Array, rose: Array, u: Array) -> tuple[Array, Array]:
        """What a point's whole range does at its own level and at those beside it (2,), by moves (k, 2), rises and their standard
        deviations (k,); and how unsure that is (2,)."""
        # What a level has of its own is noise to what is common.
        u = np.hypot(u, OWN_U * GUESS * np.abs(by[:, 0]))
        return _ridge_with_sd(by, rose, u, np.array([GUESS, 0.0]), GUESS * np.array([GUESS_U, SIDE_U]))

    def solved(self, free: Sequence[int]) -> Array:
        """The table (n, 3) that the model takes for best, where only some points may still be moved."""
        rise = np.nan_to_num(self.aim - self.driven)
        table = np.array(self.x[-1])
        mine = [(i, c) for i in free for c in range(3) if self.p.points[i].controls[c] is not None]
        if not mine:
            return table
        # Log amounts (n, 3) by what each control adds, as balance and luminance of each level: where a range does not reach
        # both, balance is what shows.
        effect = np.zeros((len(mine), *rise.shape))
        for k, (i, c) in enumerate(mine):
            effect[k, :, c] = self.kernel[c, :, i]
        shares = self.parts.rows[:, 1] / self.parts.rows[:, 1].sum()
        parts = np.array([LIGHT * shares, [1.0, -1.0, 0.0], [0.0, -1.0, 1.0]])
        A = np.einsum("knc,pc->pnk", effect, parts).reshape(-1, len(mine))
        b = np.einsum("nc,pc->pn", rise, parts).ravel()
        controls = [c for c in (self.p.points[i].controls[c] for i, c in mine) if c is not None]
        spans = np.array([c.maximum - c.minimum for c in controls])
        now = np.array([table[i, c] for i, c in mine])
        low = np.array([c.minimum for c in controls]) / spans - now
        high = np.array([c.maximum for c in controls]) / spans - now
        # Every move costs a little, so that what changes nothing is left alone.
        A, b = np.vstack([A, COST * np.eye(len(mine))]), np.concatenate([b, np.zeros(len(mine))])
        moved = bounded(A, b, low, high)
        for (i, c), d in zip(mine, moved, strict=True):
            table[i, c] += d
        return table

    def point(self, stage: str, i: int) -> Proposal | None:
        """What to enter at a point in a round, None where nothing is to be gained there."""
        if not self.by_point[i]:
            return None
        free = i + 1 if stage == STAGES[1] else len(self.p.points)
        if free not in self._tables:
            self._tables[free] = self.solved(range(free))
        table = self._tables[free]
        values = dict(self.attempts[-1].values)
        # With the last reading all that is darker is set too, by what is known by then.
        darker = [j for j in range(i) if self.by_point[j] and stage == STAGES[2] and self.left == 1]
        for j in [*darker, i]:
            for share, c in zip(table[j], self.p.points[j].controls, strict=True):
                if c is not None:
                    values[c.path] = nearest(steps_of(c), float(share * (c.maximum - c.minimum)))
        if values == dict(self.attempts[-1].values):
            return None
        after = self.after(self.table(values))
        now, then = self.errors_of(self.logs), self.errors_of(after)
        if stage == STAGES[2]:
            # Neighbours that reach into one another are only right together, so what all points gain counts.
            whole = self.errors_of(self.after(table))
            near = slice(max(0, i - 1), i + 2)
            if np.nanmax(now[near]) <= GOOD or np.nansum(now) - np.nansum(whole) < GOOD / 2:
                return None
        grey = self.p.greys[i]
        why = f"{grey.code.capitalize()}: dE {now[i]:.1f} now, {then[i]:.1f} with these."
        why += " This is the last reading. The darker points are set together with it." if darker else ""
        return Proposal(stage, values, (grey,), why, self.parts.XYZ(np.exp(after[i]))[None, :], 0.1)

    def _unexplained(self) -> float:
        """Mean dE2000 between readings of points and predictions (the previous reading plus the learned effect of steps)."""
        target, off = self.p.target, []
        for i, seen in enumerate(self.by_point):
            for (k, before), (n, after) in pairwise(seen):
                expected = before + self._moved(self.x[n] - self.x[k])[i]
                XYZ = self.parts.XYZ(np.exp(np.array([expected, after])))
                Lab = target.Lab(XYZ, self.white)
                off.append(float(de2000(Lab[0], Lab[1])))
        return float(np.mean(off)) if off else 0.0

    @cached_property
    def gained(self) -> float:
        """Mean dE2000 that the greys have come nearer since the start."""
        return float(np.nanmean(self.errors_of(self.first)) - np.nanmean(self.errors_of(self.logs)))

    @cached_property
    def tinted(self) -> tuple[float, float]:
        """Mean dE2000 by which greys are off in colour at the start and now; beside the target's white or the display's own,
        whichever shows more of a change."""
        ways = [
            [float(np.nanmean(self.balance_of(x, beside))) for x in (self.first, self.logs)] for beside in (False, True)
        ]
        before, after = max(ways, key=lambda way: way[1] - way[0])
        return before, after

    @property
    def _too_tinted(self) -> bool:
        before, after = self.tinted
        return after - before > max(GOOD, TINTED * self.gained)

    @cached_property
    def doubtful(self) -> bool:
        """Whether reading all points again could change the decision to keep these values."""
        return self.gained < FORESEEN * self._unexplained() or self._too_tinted

    def _unsure(self) -> float:
        """Standard deviation that the meter's noise gives the difference of two mean tints, in dE2000."""
        rng = np.random.default_rng(1)
        XYZ = self.parts.XYZ(np.exp(self.logs))
        relative = self.p.noise.relative(XYZ[:, 1])[:, None]
        drawn = [self._logs(XYZ * (1 + relative * rng.standard_normal(XYZ.shape))) for _ in range(FEW)]
        return float(np.sqrt(2) * np.std([np.nanmean(self.balance_of(logs)) for logs in drawn]))

    def done(self) -> Done:
        """The table as it stands, or as it stood at first where that was better."""
        start, end = float(np.nanmean(self.errors_of(self.first))), float(np.nanmean(self.errors_of(self.logs)))
        before, after = self.tinted
        if self.gained > 0 and after - before - CERTAIN * self._unsure() > max(GOOD, TINTED * self.gained):
            # Greys of the right luminance and the wrong colour are no gain to anyone.
            return Done(
                dict(self.attempts[0].values),
                f"The curve is too far off for these points: they would bring greys nearer to it and tint them by dE "
                f"{after:.1f}, which are dE {before:.1f} off in colour as they are. They stay.",
            )
        if self.gained <= 0:
            return Done(
                dict(self.attempts[0].values),
                f"The points are dE {start:.1f} off in the mean; nothing better was reached.",
            )
        return Done(
            dict(self.attempts[-1].values), f"The points are dE {end:.1f} off in the mean, {start:.1f} at the start."
        )

    def suspect(self, last: Attempt) -> Suspicion | None:
        """A wrong entry among the three values of the point that was read last."""
        i = self.p.greys.index(last.patches[0])
        read = self.read(last)[i]
        x = self.table(last.values)
        expected = self.after(x)[i]
        own = float(self.kernel[:, i, i].mean())
        u = 2 * self._sigma(i) + OWN_U * abs(own) * np.abs(x[i] - self.x[-1][i])
        odd = np.flatnonzero(np.abs(read - expected) > 4 * u)
        if len(odd) != 1 or abs(own) < 0.05 * GUESS:
            return None
        c = self.p.points[i].controls[int(odd[0])]
        if c is None:
            return None
        off = float(read[odd[0]] - expected[odd[0]]) / own * (c.maximum - c.minimum)
        entered, grid = float(last.values[c.path]), steps_of(c)
        seems = float(grid[np.abs(grid - entered - off).argmin()])
        return None if seems == entered or abs(off) < 2 * c.step else Suspicion(c.path, entered, seems)


def _ridge_with_sd(A: Array, b: Array, u: Array, prior: Array, sd: Array) -> tuple[Array, Array]:
    """`_ridge`, and the standard deviations (m,) of what it gives."""
    if not len(b):
        return np.array(prior), np.array(sd)
    T = A / u[:, None]
    covariance = np.linalg.inv(np.diag(1 / sd**2) + T.T @ T)
    return np.asarray(covariance @ (prior / sd**2 + T.T @ (b / u)), float), np.sqrt(np.diag(covariance))


def _ridge(A: Array, b: Array, u: Array, prior: Array, sd: Array) -> Array:
    """Least squares (m,) of A (k, m) to b (k,) with standard deviations u (k,), about a prior (m,) with sd (m,)."""
    if not len(b):
        return prior
    T = A / u[:, None]
    return np.asarray(np.linalg.solve(np.diag(1 / sd**2) + T.T @ T, prior / sd**2 + T.T @ (b / u)), float)
