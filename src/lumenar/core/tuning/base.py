"""What every solver shares: attempts, proposals, and the state machine. A solver is pure: what it proposes follows from its
problem and the attempts so far, so that a session that was cut off goes on where it stood."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.difference import de2000
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.paths import own_name
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Anchor, Target

Array = NDArray[np.float64]

WHITE, BLACK = Patch((1.0, 1.0, 1.0)), Patch((0.0, 0.0, 0.0))
PRIMARIES = (Patch((1.0, 0.0, 0.0)), Patch((0.0, 1.0, 0.0)), Patch((0.0, 0.0, 1.0)))
MODEL_SHARE = 0.004
"""Relative standard deviation by which a panel's own steps keep light from following any smooth model."""


@dataclass(frozen=True, eq=False)
class Attempt:
    """What stood in the controls of a goal and what was read then. XYZ (n, 3) in cd/m2 of the patches, NaN where the light was
    under the meter's floor; stage: of the solver, as the proposal named it; sure: somebody has looked what stood there."""

    stage: str
    values: Mapping[str, Value]
    patches: tuple[Patch, ...]
    XYZ: Array
    sure: bool = False

    def of(self, patch: Patch) -> Array:
        """XYZ (3,) of one patch, NaN where it was not read."""
        place = self._places.get(patch)
        return np.full(3, np.nan) if place is None else self.XYZ[place]

    @cached_property
    def _places(self) -> dict[Patch, int]:
        return {p: i for i, p in reversed(list(enumerate(self.patches)))}


@dataclass(frozen=True, eq=False)
class Proposal:
    """What to try next. values: of every control of the goal, as they are to stand; patches to read; expected: their XYZ (n, 3)
    in cd/m2, None where nothing is known yet, with its relative standard uncertainty; why: one sentence."""

    stage: str
    values: Mapping[str, Value]
    patches: tuple[Patch, ...]
    why: str
    expected: Array | None = None
    spread: float = 0.0


@dataclass(frozen=True)
class Done:
    """Nothing better is to be had: the best values, and the reason in one sentence. unreached: what was wanted lies beyond
    what the controls can do."""

    values: Mapping[str, Value]
    reason: str
    unreached: bool = False


@dataclass(frozen=True)
class Suspicion:
    """Readings look as if one control stood elsewhere than it should: in the last attempt, and in so many before it as it was not
    entered anew since."""

    path: str
    entered: Value
    seems: Value
    attempts: int = 1

    @property
    def sentence(self) -> str:
        """What to ask the person."""
        name = own_name(self.path)
        what = "This reads" if self.attempts == 1 else f"The last {self.attempts} attempts read"
        return f"{what} as if {name} were {text_of(self.seems)}, not {text_of(self.entered)}."


def answered(attempts: Sequence[Attempt], asked: Suspicion, stood: Value) -> tuple[Attempt, ...]:
    """Attempts after somebody has looked what really stood there, in all that were asked about."""
    first = len(attempts) - asked.attempts
    return (
        *attempts[:first],
        *(replace(a, values={**a.values, asked.path: stood}, sure=True) for a in attempts[first:]),
    )


class Solver(Protocol):
    """A goal on a display: what is wanted, which controls may be moved, and what is known beforehand."""

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """What to try after these attempts."""

    def figure(self, attempt: Attempt) -> float:
        """How far an attempt is from what is wanted, smaller being better; NaN where it does not tell."""

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """Whether the last attempt is rather explained by a wrong entry."""


@dataclass(frozen=True, eq=False)
class State:
    """A problem and the attempts so far."""

    problem: Solver
    attempts: tuple[Attempt, ...] = field(default=())


def start(problem: Solver) -> State:
    """A problem at which nothing was tried."""
    return State(problem)


def propose(state: State) -> Proposal | Done:
    """What to try next, or why there is nothing left to try."""
    return state.problem.propose(state.attempts)


def observe(state: State, proposal: Proposal, values: Mapping[str, Value], XYZ: ArrayLike) -> State:
    """The state after the proposal's patches were read as XYZ (n, 3) in cd/m2 with these values entered. ValueError where the
    readings are not as many as the patches."""
    read = np.asarray(XYZ, float).reshape(-1, 3)
    if len(read) != len(proposal.patches):
        raise ValueError(f"{len(proposal.patches)} patches were to be read, these are {len(read)} readings")
    return replace(
        state,
        attempts=(
            *state.attempts,
            Attempt(stage=proposal.stage, values=dict(values), patches=proposal.patches, XYZ=read),
        ),
    )


@dataclass(frozen=True)
class Noise:
    """What keeps readings from saying the truth: relative repeatability of the meter, absolute part in cd/m2."""

    repeatability: float = 0.002
    absolute: float = 0.0

    def relative(self, Y: ArrayLike) -> Array:
        """Relative standard deviation (...) of readings of Y cd/m2 (...)."""
        bright = np.maximum(np.asarray(Y, float), 1e-9)
        return np.asarray(np.hypot(self.repeatability, self.absolute / bright), float)


USUAL = Noise()
"""That of a meter of which nothing is stated."""


def white_error(XYZ: ArrayLike, target: Target, white_Y: ArrayLike | None = None) -> Array:
    """dE2000 (...) of greys XYZ (..., 3) from the target's white at the luminance that they have: the error of colour alone.
    white_Y (...): luminance of white, of the greys themselves where it is not given."""
    XYZ = np.asarray(XYZ, float)
    Y = XYZ[..., 1]
    scale = Y if white_Y is None else np.asarray(white_Y, float)
    Lab = target.Lab(XYZ[..., None, :], scale)[..., 0, :]
    wanted = target.Lab(target.white_XYZ(Y)[..., None, :], scale)[..., 0, :]
    return de2000(Lab, wanted)


def errors_of(attempt: Attempt, patches: Sequence[Patch], target: Target, white: float, black: float = 0.0) -> Array:
    """dE2000 (n,) of patches as an attempt read them, beside a white and a black in cd/m2, NaN where it did not."""
    XYZ = np.array([attempt.of(p) for p in patches])
    wanted = target.XYZ(np.array([p.rgb for p in patches], float), Anchor(np.array(white), np.array(black)))
    return de2000(target.Lab(XYZ, white), target.Lab(wanted, white))


def steps_of(control: Control) -> Array:
    """All values (n,) a numeric control can take, rising."""
    n = int(np.floor((control.maximum - control.minimum) / control.step + 1e-9))
    values = control.minimum + control.step * np.arange(n + 1)
    return np.round(values if values[-1] >= control.maximum - 1e-9 else np.append(values, control.maximum), 9)


def nearest(values: Array, wanted: float) -> float:
    """The value among values (n,) that lies nearest."""
    return float(values[np.abs(values - wanted).argmin()])


@dataclass(frozen=True)
class _Asked:
    """A question by all that its answer follows from."""

    key: Hashable
    make: Callable[[], Proposal | Done] = field(compare=False)


@lru_cache(maxsize=512)
def _answered(asked: _Asked) -> Proposal | Done:
    return asked.make()


def remembered(
    kind: str,
    controls: Sequence[Control],
    target: Target,
    noise: Noise,
    values: Mapping[str, Value],
    attempts: Sequence[Attempt],
    make: Callable[[], Proposal | Done],
    more: Hashable = None,
) -> Proposal | Done:
    """What `make` gives, computed once for the same controls, target, noise, values and attempts: what goals and stages that are
    over ended with is asked for at every step. more: what else it follows from."""
    key = (
        kind,
        tuple((c.path, c.minimum, c.maximum, c.step, c.choices, c.role) for c in controls),
        target.key,
        noise,
        tuple((c.path, values.get(c.path)) for c in controls),
        tuple((a.stage, tuple(a.values.items()), a.patches, a.XYZ.tobytes()) for a in attempts),
        more,
    )
    return _answered(_Asked(key, make))


def bounded(A: Array, b: Array, low: Array, high: Array, most: int = 40) -> Array:
    """Least squares (k,) of A (n, k) to b (n,) within low and high (k,), by an active set: what comes out beyond a bound is held
    there and the rest solved anew; what is held and would rather come back is let go, the one that pulls most first."""
    H, g = A.T @ A, A.T @ b
    x = np.zeros(len(g))
    held = np.zeros(len(g), bool)
    for _ in range(most):
        free = np.flatnonzero(~held)
        if len(free):
            x[free] = np.linalg.solve(H[np.ix_(free, free)], g[free] - H[np.ix_(free, np.flatnonzero(held))] @ x[held])
        beyond = ~held & ((x < low - 1e-9) | (x > high + 1e-9))
        if beyond.any():
            x[beyond] = np.clip(x[beyond], low[beyond], high[beyond])
            held |= beyond
            continue
        slope = H @ x - g
        # At its low end a value would rise where the slope falls, at its high end the other way.
        pull = np.where(held, np.where(x <= low + 1e-9, -slope, slope), 0.0)
        if pull.max() <= 1e-9 * max(float(np.abs(g).max()), 1e-12):
            break
        held[int(pull.argmax())] = False
    return np.clip(x, low, high)
