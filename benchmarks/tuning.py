"""How near solvers come to the best there is, in how many readings: random displays whose truth is known.

python -m benchmarks.tuning [UNITS]
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from lumenar.core.menu.controls import Control
from lumenar.core.readings.patches import Patch
from lumenar.core.tuning.base import Done, observe, propose, start, steps_of, white_error
from lumenar.core.tuning.colours import CHECKED, JUDGED, SixColours
from lumenar.core.tuning.luminance import WHITE, Luminance
from lumenar.core.tuning.points import ManyPoints
from lumenar.core.tuning.tone import Tone
from lumenar.core.tuning.white import TwoPoints
from tests.core.random_units import (
    NOISE,
    TARGET,
    Display,
    SixDisplay,
    TableDisplay,
    best_white,
    mean_error,
    six_best,
    six_error,
    tune,
)

UNITS = 50
PRIMARIES = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (1.0, 1.0, 1.0), (0.0, 0.0, 0.0))


def say(*columns: object) -> None:
    """A line of the table."""
    sys.stdout.write("".join(f"{c!s:<{w}}" for c, w in zip(columns, (64, 22, 40, 34), strict=False)).rstrip() + "\n")


def spread(values: Sequence[float], digits: int = 2) -> str:
    """Median, 95th percentile and worst."""
    v = np.asarray(values, float)
    return f"{np.median(v):.{digits}f}, {np.percentile(v, 95):.{digits}f}, {v.max():.{digits}f}"


class Slowest:
    """The longest time that a problem took to propose or to observe, in ms."""

    def __init__(self) -> None:
        self.ms = 0.0

    def of(self, problem: Any) -> Any:
        """The problem, timed."""
        whole, self_ = problem.propose, self

        def timed(attempts: Any) -> Any:
            begun = time.perf_counter()
            answer = whole(attempts)
            self_.ms = max(self_.ms, 1000 * (time.perf_counter() - begun))
            return answer

        object.__setattr__(problem, "propose", timed)
        return problem


def white(units: int, what: str, offsets: bool = False, errs: float = 0.0, **kinds: Any) -> None:
    """White by gains, and offsets, against the best white on the grid at any luminance, and at no less than was reached."""
    over, as_bright, worse, whites, made, noticed, vain, slow = [], [], [], [], 0, 0, 0, Slowest()
    wronged = left = 0
    for seed in range(units):
        d = Display(seed, **kinds)
        problem = slow.of(TwoPoints(tuple(d.gains), tuple(d.offsets) if offsets else (), TARGET, d.values, NOISE))
        t = tune(problem, d, errs)
        end = float(white_error(d.true(WHITE, {**d.values, **t.done.values}), TARGET))
        over.append(end - best_white(d, 2_000_000))
        bright = float(d.true(WHITE, {**d.values, **t.done.values})[1])
        as_bright.append(end - best_white(d, 2_000_000, 0.98 * bright))
        worse.append(end - float(white_error(d.true(WHITE, d.values), TARGET)))
        whites.append(t.whites)
        made, noticed, vain = made + t.errors_made, noticed + t.noticed, vain + t.in_vain
        wronged, left = wronged + t.wronged, left + bool(t.left)
    slips = f"; {noticed} of {made} slips named, {wronged} right entries doubted, {left} left standing" if errs else ""
    slips += f"; asked in vain {vain} times in {sum(whites)}" if vain else ""
    say(
        what,
        spread(whites, 0),
        f"{spread(over)} over the best",
        f"{spread(as_bright)} over the best as bright; "
        f"worse than the start: {sum(w > 0.3 for w in worse)}{slips}; {slow.ms:.0f} ms",
    )


SLIPS, SESSIONS = 1 / 15, 22
"""The share of typed numbers that are mistyped, and how many sessions a reviewer has in a month or so."""
NOTICED_DE = 0.5
"""By this much dE2000 white is measurably worse than without slips."""


def typed(units: int) -> None:
    """White by hand with mistyped numbers, against the same without: with the questions that are asked, and without them."""
    for what, quiet in (("typed, one number in 15 mistyped", False), ("the same without being asked", True)):
        worse, vain, readings = [], 0, 0
        for seed in range(units):
            for offsets in (False, True):
                d = Display(seed)
                problem = TwoPoints(tuple(d.gains), tuple(d.offsets) if offsets else (), TARGET, d.values, NOISE)
                ends = []
                for typos in (0.0, SLIPS):
                    t = tune(problem, d, typos=typos, quiet=quiet)
                    ends.append(float(white_error(d.true(WHITE, {**d.values, **t.done.values}), TARGET)))
                vain, readings = vain + t.in_vain, readings + t.readings
                worse.append(ends[1] - ends[0])
        share = SESSIONS * float((np.array(worse) > NOTICED_DE).mean())
        say(
            what,
            readings,
            f"worse by over {NOTICED_DE}: {share:.1f} of {SESSIONS} sessions",
            f"asked in vain {vain} times",
        )


def light(control: Control, rng: np.random.Generator, falls: bool) -> dict[float, float]:
    """Luminance by value of a control."""
    grid = steps_of(control)
    t = np.linspace(0, 1, len(grid))
    share = rng.uniform(0.02, 0.5)
    Y = rng.uniform(150, 900) * (share + (1 - share) * t ** rng.uniform(0.6, 2.4))
    return dict(zip(grid.tolist(), Y[::-1] if falls else Y, strict=True))


def luminance(units: int, ladder: bool) -> None:
    """White to a luminance, with a ladder and without."""
    readings, steps = [], []
    for seed in range(units):
        rng = np.random.default_rng([seed, 5])
        low, high, step = ((0, 100, 1), (0, 10, 1), (0, 50, 1), (50, 100, 5), (0, 255, 1))[seed % 5]
        control = Control("Light", "notches" if seed % 7 == 3 else "slider", low, high, step)
        Y = light(control, rng, seed % 11 == 5)
        wanted = float(np.exp(rng.uniform(np.log(min(Y.values()) * 1.02), np.log(max(Y.values()) * 0.98))))
        every = list(Y)
        known = tuple(
            (every[i], Y[every[i]] * 1.06) for i in np.linspace(0, len(every) - 1, min(11, len(every))).astype(int)
        )
        problem = Luminance(control, wanted, float(rng.choice(every)), NOISE, known if ladder else ())
        state = start(problem)
        while not isinstance(following := propose(state), Done):
            at = Y[following.values["Light"]] * (1 + 0.001 * rng.standard_normal())
            state = observe(state, following, following.values, [[0, at, 0]])
        best = min(every, key=lambda v: abs(np.log(Y[v] / wanted)))
        got = following.values["Light"]
        near = abs(Y[got] / wanted - 1) <= 0.0105
        steps.append(0.0 if near else abs(every.index(got) - every.index(best)))
        readings.append(len(state.attempts))
    say(f"luminance, {'with a' if ladder else 'no'} ladder", spread(readings, 0), f"steps off: {spread(steps, 0)}", "")


def tone(units: int) -> None:
    """The curve by a choice of four, and by a slider that is bisected."""
    for name, numeric in (("curve, four choices", False), ("curve, a slider of 61 steps", True)):
        off, readings = [], []
        for seed in range(units):
            rng = np.random.default_rng([seed, 8])
            own = float(rng.uniform(0.95, 1.05))
            if numeric:
                control = Control("Tone", "slider", 1.8, 3.0, 0.02, default=2.0)
            else:
                control = Control("Tone", "choice", choices=("1.8", "2.0", "2.2", "2.4"), default="2.0")

            def read(patch: Patch, values: Any, own: float = own, rng: np.random.Generator = rng) -> list[float]:
                Y = 0.02 + 150 * patch.rgb[0] ** (own * float(values["Tone"]))
                return [Y * (1 + 0.001 * rng.standard_normal())] * 3

            problem = Tone((control,), TARGET, {"Tone": control.default or 0.0}, NOISE)
            state = start(problem)
            while not isinstance(following := propose(state), Done):
                state = observe(
                    state, following, following.values, [read(p, following.values) for p in following.patches]
                )
            every = steps_of(control).tolist() if numeric else list(control.choices)
            best = min(every, key=lambda v: _curve_error(own * float(v)))
            off.append(_curve_error(own * float(following.values["Tone"])) - _curve_error(own * float(best)))
            readings.append(sum(len(a.patches) for a in state.attempts))
        say(name, spread(readings, 0), f"{spread(off)} L* over the best", "")


def _curve_error(gamma: float) -> float:
    from lumenar.core.tuning.base import Attempt
    from lumenar.core.tuning.tone import GREYS, LEVELS

    Y = 0.02 + 150 * np.array(LEVELS) ** gamma
    return Tone((), TARGET, {}, NOISE).figure(
        Attempt(stage="", values={}, patches=GREYS, XYZ=np.repeat(Y[:, None], 3, axis=1))
    )


def points(units: int, count: int, tuned: bool = False, beside: bool = False) -> None:
    """Greys by a table of points, against what coordinate descent without noise reaches from there. tuned: of displays whose
    white was tuned before, as in a whole tuning; beside: whose points work beside the signal's level."""
    over, readings, gain, slow = [], [], [], Slowest()
    for seed in range(units):
        d = TableDisplay(seed, count=count, signed=seed % 2 == 0, tuned=tuned, beside=beside)
        known = tuple(tuple(d.read(Patch(c), d.table)) for c in PRIMARIES)
        problem = slow.of(ManyPoints(tuple(d.points), TARGET, d.table, NOISE, known))
        t = tune(problem, d, most=300)
        end = mean_error(d, t.done.values)
        over.append(end - _reached(d, dict(t.done.values)))
        gain.append(mean_error(d, d.table) - end)
        readings.append(t.readings)
    say(
        f"{count} points{', white tuned before' if tuned else ''}{', which work beside their levels' if beside else ''}",
        spread(readings, 0),
        f"{spread(over)} over what they reach",
        f"{(np.array(over) <= 0.3).mean():.0%} within 0.3; mean gain dE {np.mean(gain):.1f}; {slow.ms:.0f} ms",
    )


def _reached(d: TableDisplay, values: dict[str, float]) -> float:
    best = mean_error(d, values)
    for step in (4, 1):
        for _ in range(3):
            before = best
            for point in d.points[::-1]:
                for c in point.controls:
                    for s in (-step, step):
                        tried = {**values, c.path: values[c.path] + s}
                        if c.minimum <= tried[c.path] <= c.maximum and (e := mean_error(d, tried)) < best - 1e-6:
                            best, values = e, tried
            if before - best < 0.01:
                break
    return best


def colours(units: int, mixes: bool) -> None:
    """Six colours: the share of the reducible error that is gone, and the worst of the colours between."""
    gone, worst, readings, slow = [], [], [], Slowest()
    for seed in range(units):
        d = SixDisplay(seed, mixes=mixes)
        problem = slow.of(SixColours(tuple(d.axes), TARGET, d.table, NOISE))
        t = tune(problem, d)
        before, after = (float(six_error(d, v, JUDGED).mean()) for v in (d.table, t.done.values))
        gone.append((before - after) / max(before - six_best(d, dict(t.done.values)), 1e-6))
        worst.append(float((six_error(d, t.done.values, CHECKED) - six_error(d, d.table, CHECKED)).max()))
        readings.append(t.readings)
    v = np.array(gone)
    say(
        f"six colours, {'mixes' if mixes else 'hue, saturation, lightness'}", spread(readings, 0),
        f"gone: median {np.median(v):.0%}, under half: {(v < 0.5).mean():.0%}",
        f"worst between: {spread(worst)}; {slow.ms:.0f} ms",
    )  # fmt: skip


def main() -> None:
    """Print the table."""
    units = int(sys.argv[1]) if len(sys.argv) > 1 else UNITS
    say(f"{units} random displays each", "readings", "dE2000 of the truth at the end", "")
    say("", "(median, 95 %, most)", "(median, 95 %, most)", "")
    tables: list[Callable[[], None]] = [
        lambda: luminance(units, False),
        lambda: luminance(units, True),
        lambda: tone(units),
        lambda: white(units, "white, three gains (whites counted)"),
        lambda: white(units, "white, two gains", free=2),
        lambda: white(units, "white, one gain", free=1),
        lambda: white(units, "white, three gains, not additive", additive=False),
        lambda: white(units, "white, one of three gains does nothing", dead=True),
        lambda: white(units, "white, gains and offsets", offsets=True),
        lambda: white(units, "white, gamut held in before the gains", clamped=True),
        lambda: white(units, "the same, gains and offsets", offsets=True, clamped=True),
        lambda: white(units, "white, one entry in ten is wrong", errs=0.1),
        lambda: white(units, "the same, gains and offsets", offsets=True, errs=0.1),
        lambda: typed(units),
        lambda: points(units, 10),
        lambda: points(units, 10, tuned=True),
        lambda: points(units, 10, tuned=True, beside=True),
        lambda: points(max(4, units // 5), 22),
        lambda: colours(max(4, units // 3), False),
        lambda: colours(max(4, units // 3), True),
    ]
    for table in tables:
        table()


if __name__ == "__main__":
    main()
