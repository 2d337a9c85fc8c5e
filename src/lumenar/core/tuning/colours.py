"""Six colours: hue, saturation and lightness, or mixes of red, green and blue, of each. One step of each kind of control is read,
then Gauss-Newton within the controls' ranges; judged on the corners, on less saturated ones, and on colours between them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lumenar.core.colour.difference import de2000
from lumenar.core.measurements.base import adapted
from lumenar.core.menu.controls import Control, Value
from lumenar.core.menu.roles import CHANNELS
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target
from lumenar.core.tuning.base import (
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
    white_error,
)
from lumenar.core.tuning.intermediate_colours import attributed, chroma, followed, held_back, nearness

AXES: dict[str, tuple[float, float, float]] = {
    "red": (1, 0, 0),
    "yellow": (1, 1, 0),
    "green": (0, 1, 0),
    "cyan": (0, 1, 1),
    "blue": (0, 0, 1),
    "magenta": (1, 0, 1),
}
LESS = 0.75
"""Share of full saturation of the second colour that each axis is judged by."""


def _faded(rgb: Sequence[float], share: float, value: float = 1.0) -> Patch:
    """A signal of a hue with a share of its saturation and a value."""
    r, g, b = (round(value * (1 - share * (1 - v)), 4) for v in rgb)
    return Patch((r, g, b))


CORNERS = tuple(_faded(rgb, 1.0) for rgb in AXES.values())
FADED = tuple(_faded(rgb, LESS) for rgb in AXES.values())
JUDGED = (*CORNERS, *FADED)
BETWEEN = tuple(
    _faded(rgb, share, value)
    for rgb in ((1, 0.5, 0), (0.5, 1, 0), (0, 1, 0.5), (0, 0.5, 1), (0.5, 0, 1), (1, 0, 0.5))
    for share, value in ((0.95, 1.0), (0.6, 0.9), (0.4, 0.75), (0.7, 0.5))
)
"""24 colours between the six, of several saturations and lightnesses."""
COMPLEXION = tuple(
    Patch((r, g, b))
    for r, g, b in (
        (0.96, 0.82, 0.74),
        (0.91, 0.73, 0.62),
        (0.85, 0.65, 0.53),
        (0.76, 0.56, 0.44),
        (0.66, 0.46, 0.35),
        (0.55, 0.37, 0.28),
        (0.44, 0.29, 0.22),
        (0.33, 0.21, 0.16),
    )
)
CHECKED = (*BETWEEN, *COMPLEXION)
PROBE = 0.2
"""A step of each kind of control is so much of its half range, enough to be told from noise."""
ROUNDS = 2
WORTH, WORTH_SHARE, WORSE = 0.15, 0.15, 1.0
"""Mean dE2000 of the judged colours that another round must promise, and that in shares of what is left: where a colour lies
beyond what the display can do no round brings it nearer; by how much one of the checked may get worse."""
GOOD = 0.5
"""Mean dE2000 of the judged colours that nobody would see."""
AS_THEY_STAND = "between"
STAGES = ("read", "set", "check", "check all", "less", "less again")
SAFE = 0.75
"""What goes less far is to leave every checked colour worse by no more than so much."""
BACKS = 3
"""So often less of the way is tried."""
LEAST_WAY = 0.1
"""Where the six may go no further in the mean they stay."""
CORNER = 0.6
"""A corner, which is cut off where the display ends, moves by so much of what its faded colour does."""
GROUPS = (*(tuple(range(4 * i, 4 * i + 4)) for i in range(6)), tuple(range(24, 28)), tuple(range(28, 32)))
"""The checked colours that lie beside one another: of a hue, of light and of dark complexion. The one of each that is expected to
get worst is read after the six were set."""
WATCHED, WORST = len(GROUPS), 4
"""So many are read then, and so many of those that got worst where a part of the way is tried."""
SURPRISE = 0.5
"""Where it got worse by so much more dE2000 than was expected, the others of its group are read too."""
BETWEEN_WEIGHT = 0.3
"""What the colours between weigh beside the judged ones, for what is known of them: that they follow the six about them."""
CAUTION = 1e-3
WHITE_IS_RIGHT = 2.0
"""White counts as on target within this many standard deviations of one reading."""


@dataclass(frozen=True)
class AxisControl:
    """A control of one of the six colours; part: what of it, equal for all six: hue, saturation, lightness, or the channel that
    is mixed in."""

    axis: str
    part: str
    control: Control


@dataclass(frozen=True)
class SixColours:
    """Colours are to be the target's. controls of the six; values: where they stand."""

    controls: tuple[AxisControl, ...]
    target: Target
    values: Mapping[str, Value]
    noise: Noise = USUAL

    @cached_property
    def parts(self) -> tuple[str, ...]:
        """The kinds of controls, each probed at a time on all six colours."""
        return tuple(dict.fromkeys(c.part for c in self.controls))

    def figure(self, attempt: Attempt) -> float:
        """Mean dE2000 of the judged colours that were read beside white; NaN where white was not."""
        if WHITE not in attempt.patches:
            return float("nan")
        white = attempt.of(WHITE)
        return float(
            np.nanmean(self.errors(beside_white(attempt, white, self.target, self.noise), JUDGED, float(white[1])))
        )

    def errors(self, attempt: Attempt, patches: Sequence[Patch], white: float) -> Array:
        """dE2000 (n,) of patches as an attempt read them, NaN where it did not."""
        return errors_of(attempt, patches, self.target, white)

    def _wanted(self, patches: Sequence[Patch], white: float) -> Array:
        anchor = Anchor(np.array(white), np.array(0.0))
        return self.target.XYZ(np.array([p.rgb for p in patches], float), anchor)

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """Read, probe each kind, set and set again, check what lies between."""
        if not attempts:
            why = "The six colours and less saturated ones, as they stand."
            return Proposal(STAGES[0], dict(self.values), (WHITE, *JUDGED), why)
        for a in attempts:
            if missing := [p for p in (WHITE, *JUDGED) if p in a.patches and not np.isfinite(a.of(p)).all()]:
                reason = f"The meter does not read {missing[0].code}, so the six colours stay as they are."
                return Done(dict(self.values), reason, unreached=True)
        white = attempts[0].of(WHITE)
        now = _Course(self, [beside_white(a, white, self.target, self.noise) for a in attempts])
        if (mean := now.mean(now.attempts[0])) <= GOOD:
            reason = f"The colours are dE {mean:.1f} off in the mean; nothing is to be gained that anyone would see."
            return Done(dict(self.values), reason)
        if len(attempts) == 1:
            why = f"The six are dE {mean:.1f} off in the mean. Colours between them, as they stand."
            return Proposal(AS_THEY_STAND, dict(self.values), CHECKED, why)
        for part in self.parts:
            if not any(a.stage == part for a in attempts):
                why = f"What a step of {part} does, on all six at a time."
                return Proposal(part, now.probed(part), FADED, why)
        return now.following()

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """With eighteen values entered at a time no single one can be named."""
        return None


def beside_white(attempt: Attempt, white: Array, target: Target, noise: Noise) -> Attempt:
    """An attempt with XYZ adapted from the display's own white (3,) to the target's, as the scores judge colours.

    Unchanged where that white is no number, or is the target's within the meter's noise: adapting to one noisy reading would
    move all colours by its error.
    """
    if not np.isfinite(white).all():
        return attempt
    r = WHITE_IS_RIGHT * float(noise.relative(white[1]))
    seen = white_error(target.white_XYZ(1.0) * (1 + r * np.array([0.7, 0.0, -0.7])), target)
    return attempt if white_error(white, target) <= seen else replace(attempt, XYZ=adapted(attempt.XYZ, white, target))


class _Course:
    """What the attempts so far say, each beside its white."""

    def __init__(self, problem: SixColours, attempts: Sequence[Attempt]) -> None:
        self.p, self.attempts = problem, attempts
        self.between = next((a for a in attempts if a.stage == AS_THEY_STAND), attempts[0])
        self.white = float(attempts[0].of(WHITE)[1])
        self.wanted = problem.target.Lab(problem._wanted(JUDGED, self.white), self.white)

    def _x(self, values: Mapping[str, Value]) -> Array:
        """Values (k,) in half ranges."""
        return np.array([float(values[c.control.path]) / _half(c.control) for c in self.p.controls])

    def _Lab(self, attempt: Attempt, patches: Sequence[Patch]) -> Array:
        return self.p.target.Lab(np.array([attempt.of(q) for q in patches]), self.white)

    def _residual(self, attempt: Attempt) -> Array:
        """Weighted Lab differences (12, 3) of the judged colours from what is wanted."""
        return _weighted(self._Lab(attempt, JUDGED) - self.wanted, self.wanted)

    def probed(self, part: str) -> dict[str, Value]:
        """The start with one kind of control moved on all six, towards where there is more room."""
        values = dict(self.p.values)
        for c in self.p.controls:
            if c.part == part:
                at, k = float(values[c.control.path]), c.control
                up = k.maximum - at >= at - k.minimum
                values[k.path] = nearest(steps_of(k), at + (1 if up else -1) * PROBE * _half(k))
        return values

    def _jacobian(self, upto: Sequence[Attempt]) -> Array:
        """Change of the residuals (36, k) by each control's half range: of the faded colours from the probes, of the corners a
        share of it; corrected by what the rounds showed."""
        n = len(CORNERS)
        start = self._residual(self.attempts[0])[n:]
        J = np.zeros((len(JUDGED), 3, len(self.p.controls)))
        x0 = self._x(self.attempts[0].values)
        for part in self.p.parts:
            probe = next(a for a in upto if a.stage == part)
            moved = self._x(probe.values) - x0
            change = self._residual(probe)[n:] - start
            for k, c in enumerate(self.p.controls):
                if c.part == part and abs(moved[k]) > 0:
                    # Each control is taken to move its own colour: the six lie too far apart to reach one another.
                    i = list(AXES).index(c.axis)
                    J[n + i, :, k] = change[i] / moved[k]
                    J[i, :, k] = CORNER * J[n + i, :, k]
        flat = J.reshape(-1, len(self.p.controls))
        before = self.attempts[0]
        for a in upto:
            if a.stage == STAGES[1]:
                dx = self._x(a.values) - self._x(before.values)
                own = np.abs(flat) > 0
                off = (self._residual(a) - self._residual(before)).ravel() - flat @ dx
                # Broyden's rule, within what each control can move at all.
                scale = (own * dx**2).sum(axis=1)
                flat = flat + own * np.outer(np.where(scale > 1e-9, off / np.maximum(scale, 1e-9), 0.0), dx)
                before = a
        return np.asarray(flat, float)

    @cached_property
    def _carried(self) -> Array:
        """Change of Lab (32, 3, k) of the checked colours by each control's half range, as far as a colour follows the two of the
        six about it, by how near it lies to each and how much colour it has. What is mixed in adds light; hue, saturation and
        lightness turn and scale what is there."""
        start, own = self.attempts[0], np.array([self.between.of(q) for q in CHECKED])
        before, near = self.p.target.Lab(own, self.white), nearness(CHECKED, self.p.target)
        colour = chroma(CHECKED, self.p.target)[:, None] / chroma(FADED, self.p.target)
        J = np.zeros((len(CHECKED), 3, len(self.p.controls)))
        x0 = self._x(start.values)
        for part in self.p.parts:
            probe = next(a for a in self.attempts if a.stage == part)
            moved = self._x(probe.values) - x0
            faded, there = self._Lab(start, FADED), self._Lab(probe, FADED)
            for k, c in enumerate(self.p.controls):
                if c.part != part or not abs(moved[k]) > 0:
                    continue
                i = list(AXES).index(c.axis)
                if part in CHANNELS:
                    light = probe.of(FADED[i]) - start.of(FADED[i])
                    after = self.p.target.Lab(np.maximum(own + (near * colour)[:, i, None] * light, 0.0), self.white)
                else:
                    after = followed(before, faded[i], there[i], near[:, i])
                J[:, :, k] = (after - before) / moved[k]
        return J

    def _expected(self, values: Mapping[str, Value]) -> Array:
        """By how much dE2000 (32,) the checked colours are expected to be worse with some values than at the start; -inf for
        those that were no number."""
        wanted = self.p.target.Lab(self.p._wanted(CHECKED, self.white), self.white)
        before = self._Lab(self.between, CHECKED)
        after = before + self._carried @ (self._x(values) - self._x(self.attempts[0].values))
        more = de2000(after, wanted) - de2000(before, wanted)
        return np.where(np.isfinite(more), more, -np.inf)

    def mean(self, a: Attempt, of: Sequence[Patch] = JUDGED) -> float:
        """Mean dE2000 of judged colours of an attempt."""
        return float(np.nanmean(self.p.errors(a, of, self.white)))

    def following(self) -> Proposal | Done:
        """What comes after the probes."""
        rounds = [a for a in self.attempts if a.stage == STAGES[1]]
        best = min([self.attempts[0], *rounds], key=self.mean)
        later = [a for a in self.attempts if a.stage in STAGES[2:]]
        if not later and len(rounds) < ROUNDS and np.isfinite(self.mean(best)):
            values, expected = self._solved(best)
            worth = max(WORTH, WORTH_SHARE * self.mean(best))
            if values != dict(best.values) and self.mean(best) - expected > worth:
                why = f"Mean dE {self.mean(best):.1f} of the six and their faded ones; {expected:.1f} is expected."
                return Proposal(STAGES[1], values, JUDGED, why)
        if best is self.attempts[0]:
            return Done(
                dict(best.values),
                f"The colours are dE {self.mean(best):.1f} off in the mean; nothing better was reached.",
            )
        if not later:
            more = self._expected(best.values)
            watched = tuple(CHECKED[max(g, key=lambda i: more[i])] for g in GROUPS)
            why = "Whether the colours between have stayed in order: those that are most at risk."
            return Proposal(STAGES[2], dict(best.values), watched, why)
        return self._judged(later)

    def _judged(self, later: Sequence[Attempt]) -> Proposal | Done:
        """After the colours between were checked: kept, gone back on a part of the way, or given up."""
        start = self.attempts[0]
        last = later[-1]
        read = [q for q in CHECKED if any(q in a.patches for a in later if a.values == last.values)]
        worse = self._errors_of(read, last) - self.p.errors(self.between, read, self.white)
        # Of what goes less far the corners, which the display's own end holds back, are not read.
        judged = next(a for a in self.attempts[::-1] if a.values == last.values and set(FADED) <= set(a.patches))
        of = JUDGED if set(JUDGED) <= set(judged.patches) else FADED
        begun, end = self.mean(start, of), self.mean(judged, of)
        if last.stage == STAGES[2]:
            more = self._expected(last.values)
            odd = {CHECKED.index(q) for q, w in zip(read, worse, strict=True) if w - more[CHECKED.index(q)] > SURPRISE}
            left = [CHECKED[i] for g in GROUPS if odd & set(g) for i in g if i not in odd]
            if left:
                why = "Some got worse than was to be expected, so those beside them are read too."
                return Proposal(STAGES[3], dict(last.values), tuple(left), why)
        if np.nanmax(worse) <= WORSE and np.nanmean(worse) <= begun - end:
            reason = f"The six colours are dE {end:.1f} off in the mean, {begun:.1f} at the start."
            return Done(dict(last.values), reason)
        patch = read[int(np.nanargmax(worse))]
        said = f"{patch.code} got worse by dE {np.nanmax(worse):.1f}"
        backs = [a for a in later if a.stage in STAGES[4:]]
        if len(backs) < BACKS:
            stage = STAGES[5] if backs else STAGES[4]
            shares, watched = self._shares(SAFE if len(backs) < BACKS - 1 else SAFE / 2)
            values = self._part_way(shares)
            if shares.mean() > LEAST_WAY and values != dict(last.values):
                less = [f"{axis} {100 * s:.0f} %" for axis, s in zip(AXES, shares, strict=True) if s < 1]
                why = f"{said}; less of the way is tried: {', '.join(less)}."
                return Proposal(stage, values, (*FADED, *watched), why)
        return Done(dict(start.values), f"Given up: {said}, more than the six colours gained.")

    def _last_XYZ(self, read: Sequence[Patch], last: Attempt) -> Array:
        """XYZ (n, 3) of checked colours with the values of an attempt, whichever attempt with these read them."""
        same = [a for a in self.attempts if a.values == last.values and a.stage in STAGES[2:]]
        return np.array([next(a for a in same if q in a.patches).of(q) for q in read])

    def _errors_of(self, read: Sequence[Patch], last: Attempt) -> Array:
        wanted = self.p.target.Lab(self.p._wanted(read, self.white), self.white)
        return de2000(self.p.target.Lab(self._last_XYZ(read, last), self.white), wanted)

    @cached_property
    def _whole(self) -> Attempt:
        """The attempt that went all of the way, with the colours between."""
        return next(a for a in self.attempts if a.stage == STAGES[2])

    @cached_property
    def _parts(self) -> Array:
        """By how much Lab (6, 32, 3) each of the six moves the checked colours on the whole way, as read, else foreseen."""
        dx = self._x(self._whole.values) - self._x(self.attempts[0].values)
        own = np.array([[c.axis == axis for c in self.p.controls] for axis in AXES])
        expected = np.einsum("nik,ak->ani", self._carried, own * dx)
        later = [a for a in self.attempts if a.stage in STAGES[2:]]
        changes = np.array([self._Lab(a, CHECKED) for a in later]) - self._Lab(self.between, CHECKED)
        return attributed(
            changes, np.array([self._tried(a) for a in later]), expected, nearness(CHECKED, self.p.target)
        )

    def _shares(self, most: float) -> tuple[Array, tuple[Patch, ...]]:
        """How far (6,) each of the six goes of the whole way for no checked colour to get worse by more than most dE2000,
        and those that would get worst there."""
        wanted = self.p.target.Lab(self.p._wanted(CHECKED, self.white), self.white)
        whole = next(a for a in self.attempts[::-1] if a.values == self._whole.values and set(FADED) <= set(a.patches))
        judged = [
            np.stack([Lab[: len(CORNERS)], Lab[len(CORNERS) :]], axis=1)
            for Lab in (self._Lab(self.attempts[0], JUDGED), self._Lab(whole, JUDGED), self.wanted)
        ]
        shares, worse = held_back(self._Lab(self.between, CHECKED), self._parts, wanted, most, judged)
        return shares, tuple(CHECKED[i] for i in np.argsort(-np.nan_to_num(worse, nan=-np.inf))[:WORST])

    def _tried(self, last: Attempt) -> Array:
        """How far (6,) each of the six went of the whole way."""
        x, x0, whole = (self._x(a.values) for a in (last, self.attempts[0], self._whole))
        shares = np.ones(len(AXES))
        for a, axis in enumerate(AXES):
            own = np.array([c.axis == axis for c in self.p.controls])
            if (way := np.abs(whole - x0)[own]).any():
                shares[a] = float(np.abs(x - x0)[own].sum() / way.sum())
        return shares

    def _part_way(self, shares: Array) -> dict[str, Value]:
        """Values with each of the six on its share (6,) of the whole way."""
        values, part = dict(self.p.values), dict(zip(AXES, shares, strict=True))
        for c in self.p.controls:
            at, there = float(values[c.control.path]), float(self._whole.values[c.control.path])
            values[c.control.path] = nearest(steps_of(c.control), at + float(part[c.axis]) * (there - at))
        return values

    def _solved(self, best: Attempt) -> tuple[dict[str, Value], float]:
        """The values that the model takes for best from an attempt on, and the mean dE2000 it expects, roughly."""
        J, r, x = self._jacobian(self.attempts), self._residual(best), self._x(best.values)
        low = np.array([c.control.minimum / _half(c.control) for c in self.p.controls]) - x
        high = np.array([c.control.maximum / _half(c.control) for c in self.p.controls]) - x
        wanted = self.p.target.Lab(self.p._wanted(CHECKED, self.white), self.white)
        so_far = self._carried @ (x - self._x(self.attempts[0].values))
        between = _weighted(self._Lab(self.between, CHECKED) + so_far - wanted, wanted)
        turned = np.stack([_weighted(self._carried[:, :, k], wanted) for k in range(len(x))], axis=-1)
        A = np.vstack(
            [J, np.sqrt(CAUTION) * np.abs(J).max() * np.eye(len(x)), BETWEEN_WEIGHT * turned.reshape(-1, len(x))]
        )
        b = np.concatenate([-r.ravel(), np.zeros(len(x)), -BETWEEN_WEIGHT * between.ravel()])
        # What the meter did not read says nothing.
        known = np.isfinite(A).all(axis=1) & np.isfinite(b)
        A, b = A[known], b[known]
        moved = bounded(A, b, low, high)
        values = dict(best.values)
        for c, v in zip(self.p.controls, x + moved, strict=True):
            values[c.control.path] = nearest(steps_of(c.control), float(v) * _half(c.control))
        after = r + (J @ (self._x(values) - x)).reshape(r.shape)
        share = float(np.linalg.norm(after)) / max(float(np.linalg.norm(r)), 1e-9)
        return values, self.mean(best) * share


def _half(c: Control) -> float:
    return (c.maximum - c.minimum) / 2


def _weighted(d: Array, wanted: Array) -> Array:
    """Lab differences (n, 3) from wanted Lab (n, 3) as lightness, chroma and hue, weighed as dE2000 does, roughly."""
    C = np.hypot(wanted[:, 1], wanted[:, 2])
    along = wanted[:, 1:] / np.maximum(C, 1e-6)[:, None]
    towards = d[:, 1] * along[:, 0] + d[:, 2] * along[:, 1]
    across = -d[:, 1] * along[:, 1] + d[:, 2] * along[:, 0]
    return np.column_stack([d[:, 0], towards / (1 + 0.045 * C), across / (1 + 0.015 * C)])
