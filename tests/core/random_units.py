"""Random displays for tuning: simple physics of their own, so that no solver is tested with the model it assumes. Each can say
what it really shows, without noise, at any values of its controls."""

from dataclasses import dataclass, field

import numpy as np

from lumenar.core.colour.difference import de2000
from lumenar.core.colour.spaces import xy_to_XYZ
from lumenar.core.menu.controls import Control
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.typed_readings import odd
from lumenar.core.targets import TARGETS, Anchor
from lumenar.core.tuning.base import Done, Noise, State, answered, observe, propose, start, white_error
from lumenar.core.tuning.channels import Channel
from lumenar.core.tuning.colours import AXES, JUDGED, AxisControl
from lumenar.core.tuning.points import Point
from lumenar.core.tuning.unexpected_readings import surprise

NAMES = ("Red", "Green", "Blue")
TARGET = TARGETS["srgb"]
NOISE = Noise(0.001, 0.0003)
RANGES = (
    (0.0, 100.0, 100.0),
    (-50.0, 50.0, 0.0),
    (0.0, 100.0, 50.0),
    (0.0, 20.0, 20.0),
    (-10.0, 10.0, 0.0),
    (0.0, 63.0, 32.0),
)
"""Lowest, highest and shipped value of a gain: those that only cut, signed ones, and coarse ones."""


@dataclass
class Display:
    """A display with gains and offsets. clamped: a matrix before them holds the panel's gamut in to that of the target."""

    seed: int
    free: int = 3
    additive: bool = True
    dead: bool = False
    clamped: bool = False
    gains: list[Channel] = field(init=False)
    offsets: list[Channel] = field(init=False)

    def __post_init__(self):
        rng = self.rng = np.random.default_rng([self.seed, 4711])
        xy = np.array([[0.64, 0.33], [0.30, 0.62], [0.15, 0.06]]) + rng.uniform(-0.02, 0.02, (3, 2))
        peak = float(np.exp(rng.uniform(np.log(90), np.log(600))))
        white = np.array([0.3127, 0.3290]) + rng.uniform(-0.025, 0.025, 2)
        if self.clamped:
            xy = np.array([[0.68, 0.32], [0.265, 0.69], [0.15, 0.055]]) + rng.uniform(-0.01, 0.01, (3, 2))
        rows = np.array([xy_to_XYZ(c, 1.0) for c in xy])
        amounts = np.linalg.solve(rows.T, xy_to_XYZ(white, peak))
        self.rows = rows * amounts[:, None]
        self.matrix = np.eye(3)
        if self.clamped:
            # Red, green and blue of the target, in the amounts that make up the panel's white.
            amounts = np.linalg.solve(TARGET.container.matrix, self.rows.sum(axis=0))
            self.matrix = np.linalg.solve(self.rows.T, TARGET.container.matrix * amounts).T
        self.black = 0.0004 * self.rows.sum(axis=0) * rng.uniform(0.2, 3)
        self.mixed = 0.0 if self.additive else float(rng.uniform(0.1, 0.6))
        low, high, default = RANGES[self.seed % len(RANGES)]
        self.default = default
        self.slope = rng.uniform(0.3, 0.9, 3) / (high - low)
        self.bend = rng.uniform(-0.3, 0.3, 3)
        # Signed gains have headroom in some channels and none in others.
        self.preset = np.where(rng.random(3) < 0.5, 1.0, rng.uniform(0.88, 1.0, 3))
        self.bits = int(rng.choice([10, 12]))
        self.lift = rng.uniform(-0.006, 0.006, 3)
        self.offset_step = rng.uniform(0.0005, 0.002)
        channels = sorted(rng.permutation(3)[: self.free].tolist())
        self.gains = [
            Channel(Control(f"Picture > White > {NAMES[c]} gain", "slider", low, high, 1.0, default=default), c)
            for c in channels
        ]
        self.offsets = [
            Channel(Control(f"Picture > White > {NAMES[c]} offset", "slider", -50.0, 50.0, 1.0, default=0.0), c)
            for c in channels
        ]
        self.does_nothing = channels[0] if self.dead else -1
        self.values = {c.control.path: float(c.control.default) for c in (*self.gains, *self.offsets)}

    def gain_of(self, channel, values):
        """Factor (n,) on a channel's drive at values (n,) of its gain."""
        d = np.asarray(values, float) - self.default
        if channel == self.does_nothing:
            d = 0 * d
        factor = 1 + self.slope[channel] * d * (1 + self.bend[channel] * self.slope[channel] * d)
        return np.clip(self.preset[channel] * factor, 0, 1.0)

    def light(self, drive):
        """XYZ (n, 3) of drives (n, 3)."""
        top = 2**self.bits - 1
        amounts = (np.round(np.clip(drive, 0, 1) * top) / top) ** 2.2
        white = amounts.min(axis=-1, keepdims=True) * self.mixed
        return self.black + (amounts + white) @ self.rows

    def whites(self, grids):
        """XYZ (n, 3) of white at gains grids (n, k) in the order of `gains`."""
        drive = np.repeat(self.preset[None, :], len(grids), axis=0)
        for i, c in enumerate(self.gains):
            drive[:, c.channel] = self.gain_of(c.channel, grids[:, i])
        return self.light(drive)

    def true(self, patch, values):
        """What a patch really is, (3,)."""
        V = np.array(patch.rgb, float)
        factor, offset = self.preset.copy(), self.lift.copy()
        for c in self.gains:
            factor[c.channel] = float(self.gain_of(c.channel, values[c.control.path]))
        for c in self.offsets:
            offset[c.channel] += self.offset_step * values[c.control.path]
        # The matrix works on light, gains and offsets on what the panel is driven with.
        V = np.clip(V**2.2 @ self.matrix, 0, 1) ** (1 / 2.2)
        drive = np.where(V > 0, V * factor + offset * (1 - V), 0.0)
        return self.light(drive[None, :])[0]

    def read(self, patch, values):
        """What a meter reads of it, NaN under its floor."""
        XYZ = self.true(patch, values)
        common = NOISE.repeatability * np.sqrt(0.5)
        XYZ = XYZ * (1 + common * self.rng.standard_normal() + common * self.rng.standard_normal(3))
        XYZ = XYZ + NOISE.absolute * self.rng.standard_normal(3)
        return XYZ if XYZ[1] > 0.002 else np.full(3, np.nan)


@dataclass
class Course:
    """How a tuning went: the attempts, what was done at the end, and how often a wrong entry was noticed."""

    state: object
    done: Done
    whites: int
    readings: int
    errors_made: int = 0
    noticed: int = 0
    in_vain: int = 0
    left: dict = field(default_factory=dict)
    """What still stands otherwise than the person thinks."""
    wronged: int = 0
    slips: list = field(default_factory=list)
    """Right entries that were taken for wrong ones."""


def mistyped(text, rng):
    """A number as a person mistypes it: a digit too many or too few, another digit, two swapped, a point that was lost."""
    digits = [i for i, c in enumerate(text) if c.isdigit()]
    i = int(rng.choice(digits))
    kind = int(rng.integers(5))
    if kind == 0:
        return text[:i] + text[i] + text[i:]
    if kind == 1 and len(digits) > 1:
        return text[:i] + text[i + 1 :]
    if kind == 2 and i + 1 in digits:
        return text[:i] + text[i + 1] + text[i] + text[i + 2 :]
    if kind == 3 and "." in text:
        return text.replace(".", "")
    return text[:i] + str((int(text[i]) + int(rng.integers(1, 10))) % 10) + text[i + 1 :]


def typed(XYZ, rng, typos):
    """Readings (n, 3) as a person types them: four digits, and a share of rows (typos, 0 to 1) with a mistyped number."""
    texts = [[f"{v:.4g}" for v in row] for row in XYZ.tolist()]
    for row in texts:
        for c in range(3):
            if rng.random() < typos / 3:
                row[c] = mistyped(row[c], rng)
    return np.array([[float(t) if t not in ("", ".", "-") else 0.0 for t in row] for row in texts])


def tune(problem, display, errs=0.0, most=60, typos=0.0, quiet=False):
    """Carry a problem out on a display; errs: the share of entries in which a person enters one value wrongly. What was entered
    wrongly stands until it is entered anew: only what changes is."""
    state, readings, whites, made, noticed, in_vain = start(problem), 0, 0, 0, 0, 0
    rng = np.random.default_rng([display.seed, 99])
    off, slips = {}, []
    for _ in range(most):
        following = propose(state)
        if isinstance(following, Done):
            late = [(place, s.path) for place, s in problem.doubts(state.attempts)] if errs else []
            right = len({d for d in late if d in slips})
            return Course(
                state, following, whites, readings, made, noticed + right, in_vain, off, len(late) - right, slips
            )
        last = state.attempts[-1].values if state.attempts else {}
        off = {p: v for p, v in off.items() if following.values[p] == last.get(p)}
        real = {**following.values, **off}
        slipped = False
        entered = [p for p, v in following.values.items() if v != last.get(p)]
        # Where nothing is entered nothing is entered wrongly.
        if errs and state.attempts and rng.random() < errs and entered:
            path = str(rng.choice(sorted(entered)))
            control = next(c.control for c in (*display.gains, *display.offsets) if c.control.path == path)
            real[path] = float(np.clip(real[path] + rng.choice([-7, -4, 4, 7]), control.minimum, control.maximum))
            slipped = real[path] != following.values[path] and path not in off
            made += slipped
            if slipped:
                slips.append((len(state.attempts), path))
            off = {p: v for p, v in real.items() if v != following.values[p]}
        XYZ = np.array([display.read(p, real) for p in following.patches])
        if typos:
            right, shown = typed(XYZ, rng, 0), typed(XYZ, rng, typos)
            # A row that was asked about is looked at again, and typed as it is on the meter.
            for _ in XYZ:
                read = list(zip([p.rgb for p in following.patches], shown.tolist(), strict=True))
                found = odd(read) or surprise(following, shown.tolist(), state.attempts, NOISE, steady=True)
                found = None if quiet else found
                if found is None or (shown[found[0]] == right[found[0]]).all():
                    in_vain += found is not None
                    break
                shown[found[0]] = right[found[0]]
            XYZ = shown
        readings += len(XYZ)
        whites += Patch((1.0, 1.0, 1.0)) in following.patches
        after = observe(state, following, following.values, XYZ)
        suspicion = problem.suspect(after.attempts)
        if suspicion is not None:
            # Asked, the person looks at the menu and says what stands there.
            right = suspicion.path in off
            noticed += right
            in_vain += not right
            after = State(problem, answered(after.attempts, suspicion, off.pop(suspicion.path, suspicion.entered)))
        state = after
    raise AssertionError(f"no end after {most} attempts")


@dataclass
class TableDisplay(Display):
    """A display whose greys are off level by level, with a table of points for red, green and blue. reach: how far a point
    works, in distances to its neighbours: above 1 the neighbours' levels are moved too; tuned: white was tuned before; beside:
    channels are driven beside the signal's level, and that is where the points work."""

    count: int = 10
    signed: bool = True
    tuned: bool = False
    beside: bool = False
    points: list[Point] = field(init=False)

    def __post_init__(self):
        super().__post_init__()
        rng = np.random.default_rng([self.seed, 12])
        levels = np.linspace(1 / self.count, 1, self.count)
        if self.count == 22:
            levels = np.concatenate([[0.023, 0.05], np.linspace(0.1, 1, 20)])
        self.levels = levels
        self.reach = float(rng.uniform(0.9, 1.7))
        self.point_step = float(rng.uniform(0.0006, 0.003))
        low, high = (-50.0, 50.0) if self.signed else (0.0, 255.0)
        middle = 0.0 if self.signed else 128.0
        self.points = [
            Point(float(v), tuple(Control(f"White > Points > {100 * v:.4g} % > {n}", "slider", low, high, 1.0, default=middle)
                                  for n in NAMES))
            for v in levels
        ]  # fmt: skip
        self.middle = middle
        self.factors = (
            1 + rng.normal(0, 0.015, (len(levels), 3)) + 0.03 * np.sin(3 * levels[:, None] + rng.uniform(0, 6, 3))
        )
        self.table = {c.path: middle for p in self.points for c in p.controls}
        self.preset = np.full(3, 0.93)
        if self.tuned:
            self.rows *= np.linalg.solve(self.rows.T, TARGET.white_XYZ(self.rows[:, 1].sum()))[:, None]
            self.factors[-1] = 1.0

        bend, scale = rng.uniform(0.95, 1.05), rng.uniform(0.93, 1.0, 3)
        self.driven = np.array([levels ** (bend if self.beside else 1) * (s if self.beside else 1) for s in scale])

    def drives(self, values):
        """Drive (n, 3) at the points' levels."""
        x = np.array([[values[c.path] - self.middle for c in p.controls] for p in self.points])
        spacing = np.gradient(self.levels)
        apart = np.abs(self.driven[:, :, None] - self.levels) / (self.reach * spacing)
        moved = np.einsum("cij,jc->ic", np.clip(1 - apart, 0, 1), x) * self.point_step
        return self.levels[:, None] * self.preset * self.factors * (1 + moved)

    def greys(self, values):
        """XYZ (n, 3) of the points' greys."""
        return self.light(self.drives(values))

    def true(self, patch, values):
        """What a patch really is, (3,); primaries are what the top point makes of them."""
        level = max(patch.rgb)
        if len(set(patch.rgb)) == 1 and level > 0:
            i = int(np.abs(self.levels - level).argmin())
            return self.greys(values)[i]
        return self.light(self.drives(values)[-1:] * np.array(patch.rgb))[0]


def best_white(display, most=60_000, least_Y=0.0):
    """dE2000 of the best white on the grid of the gains, found by trying it without noise: all of it, or so many places spread
    over it; of those with least_Y cd/m2 or more."""
    grids = [c.grid for c in display.gains]
    every = np.array(np.meshgrid(*grids, indexing="ij")).reshape(len(grids), -1).T
    parts = np.array_split(every[:: 1 + len(every) // most], max(1, min(most, len(every)) // 20_000))
    found = (display.whites(part) for part in parts)
    return float(min(white_error(w, TARGET)[w[:, 1] >= least_Y].min(initial=np.inf) for w in found))


def mean_error(display, values):
    """Mean dE2000 of the greys of a display with a table, without noise."""
    XYZ = display.greys(values)
    anchor = Anchor(np.array(XYZ[-1, 1]), np.array(float(display.black[1])))
    wanted = TARGET.XYZ(np.repeat(display.levels[:, None], 3, axis=1), anchor)
    return float(de2000(TARGET.Lab(XYZ, XYZ[-1, 1]), TARGET.Lab(wanted, XYZ[-1, 1])).mean())


@dataclass
class SixDisplay(Display):
    """A display whose six colours are off in hue, saturation and lightness, with controls for them: by part, or as mixes."""

    mixes: bool = False
    axes: list[AxisControl] = field(init=False)

    def __post_init__(self):
        super().__post_init__()
        rng = np.random.default_rng([self.seed, 31])
        self.off = rng.normal(0, 1, (6, 3)) * [0.10, 0.06, 0.05]
        self.step = rng.uniform(0.5, 1.5, (6, 3)) * (0.0035 if self.mixes else 0.004)
        parts = ("red", "green", "blue") if self.mixes else ("hue", "saturation", "lightness")
        self.axes = [
            AxisControl(a, part, Control(f"Colours > {a} > {part}", "slider", -50.0, 50.0, 1.0, default=0.0))
            for a in AXES
            for part in parts
        ]
        self.table = {c.control.path: 0.0 for c in self.axes}

    def true(self, patch, values):
        """What a patch really is, (3,): a colour wheel of its own, whose six reach over into one another a little."""
        linear = np.array(patch.rgb, float) ** 2.2
        top, low = linear.max(), linear.min()
        chroma = top - low
        x = np.array([values[c.control.path] for c in self.axes]).reshape(6, 3) * self.step
        if chroma > 1e-9:
            r, g, b = linear
            hue = (np.angle((r - g / 2 - b / 2) + 1j * np.sqrt(0.75) * (g - b)) * 3 / np.pi) % 6
            apart = np.abs((hue - np.arange(6) + 3) % 6 - 3)
            weight = np.cos(np.pi / 2 * np.clip(apart / 1.15, 0, 1)) ** 2
            turn, more, lighter = weight @ self.off + (0 if self.mixes else weight @ x)
            grey = linear @ [0.21, 0.72, 0.07]
            around = (linear - grey) * (1 + more)
            axis = np.ones(3) / np.sqrt(3)
            angle = turn * np.pi / 3 * 0.5
            turned = (
                around * np.cos(angle)
                + np.cross(axis, around) * np.sin(angle)
                + axis * (axis @ around) * (1 - np.cos(angle))
            )
            linear = (grey + turned) * (1 + lighter * chroma)
            if self.mixes:
                linear = linear + weight @ x * chroma
        return self.black + np.clip(linear, 0, None) @ self.rows_of_target

    @property
    def rows_of_target(self):
        """Its primaries are the target's: what is off is off by hue."""
        return TARGET.container.matrix.T * 150.0


def six_error(display, values, patches):
    """dE2000 (n,) of patches without noise."""
    white = display.true(Patch((1.0, 1.0, 1.0)), values)[1]
    XYZ = np.array([display.true(p, values) for p in patches])
    wanted = TARGET.XYZ(np.array([p.rgb for p in patches], float), Anchor(np.array(white), np.array(0.0)))
    return de2000(TARGET.Lab(XYZ, white), TARGET.Lab(wanted, white))


def six_best(display, values):
    """Mean dE2000 of the judged colours that the controls can reach, by trying step after step without noise."""
    best, now = float(six_error(display, values, JUDGED).mean()), dict(values)
    for step in (8, 3, 1):
        for _ in range(3):
            before = best
            for c in display.axes:
                for s in (-step, step):
                    tried = {**now, c.control.path: now[c.control.path] + s}
                    if (
                        abs(tried[c.control.path]) <= 50
                        and (e := float(six_error(display, tried, JUDGED).mean())) < best - 1e-6
                    ):
                        best, now = e, tried
            if before - best < 0.01:
                break
    return best
