"""What differs between states and a baseline that was read several times, by exact tests: Student's t for what is one number,
Hotelling's T2 for colours, Holm over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lumenar.core.colour.difference import de2000
from lumenar.core.colour.spaces import XYZ_to_uv, lightness
from lumenar.core.experiments.base import Array
from lumenar.core.experiments.patch_sets import WHOLE, PatchSet
from lumenar.core.experiments.visible_effects import against, colours_beside, drawn
from lumenar.core.quantiles import fisher_beyond, student_quantile
from lumenar.core.tuning.base import Noise
from lumenar.core.uncertainty import holm

TITLES = {
    "luminance": ("White", "%"),
    "black": ("Black", "L*"),
    "shadows": ("Shadows", "L*"),
    "mid-tones": ("Mid-tones", "L*"),
    "saturation": ("Saturation", "%"),
    "gamut": ("Gamut", "%"),
    "white": ("White's colour", "dE"),
    "greys": ("Greys' colour", "dE"),
}
"""Every figure, what it is called and its unit. Shadows are the greys up to 10 %, mid-tones those from 20 to 80 %, beside each
state's own white."""
PLACES: dict[str, tuple[int, ...]] = {
    "luminance": (0,),
    "black": (1,),
    "shadows": (2,),
    "mid-tones": (3,),
    "saturation": (4,),
    "gamut": (5,),
    "white": (6, 7),
    "greys": (8, 9),
}
LOGARITHMIC = ("luminance", "saturation", "gamut")
SEEN = 0.1
"""dE under which two good meters do not agree: what is less is none, however often it was read."""
LEAST_SPREAD = 0.25
"""Baselines that agree better than this share of the meter's noise do so by chance, or because what was typed is rounded."""
FEW = 60
"""Draws that tell how noisy a state is beside the baseline."""
LEAST_REPEATS = 4
"""Under so many baselines no drift is told from noise."""


def components(XYZ: Array, base: Array, look: PatchSet = WHOLE) -> Array:
    """Figures (..., 10) of the patches of a look read as XYZ (..., n, 3) against a baseline (n, 3), in the order of PLACES: 100
    times ln of ratios, differences of L*, a*, b* of white and of the greys beside it. What is not read does not differ."""
    a, b = np.nan_to_num(base), np.nan_to_num(np.asarray(XYZ, float))
    count = look.greys
    white_a, white_b = (np.maximum(x[..., count - 1, :], 1e-9) for x in (a, b))
    L = [lightness(np.maximum(x[..., :count, 1], 0), w[..., None, 1]) for x, w in ((a, white_a), (b, white_b))]
    dL = L[1] - L[0]
    colours = [colours_beside(x[..., count:, :], w) for x, w in ((a, white_a), (b, white_b))]
    C_a, C_b = (np.maximum(np.hypot(c[..., 1], c[..., 2]), 1e-9) for c in colours)
    same_Y = white_b * (white_a[..., 1] / white_b[..., 1])[..., None]
    tint = against(same_Y, white_a[..., 1]) - against(white_a, white_a[..., 1])
    inner = [colours_beside(x[..., look.inner, :], w) for x, w in ((a, white_a), (b, white_b))]
    grey = (inner[1] - inner[0]).mean(axis=-2)
    none = np.zeros_like(dL[..., 0])
    area = [_area(x[..., count : count + 6 : 2, :]) for x in (a, b)] if look.primaries else [none + 1, none + 1]
    return np.stack(
        [
            100 * np.log(white_b[..., 1] / white_a[..., 1]),
            dL[..., 0] if look.black else none,
            dL[..., look.dark].mean(axis=-1),
            dL[..., look.middle].mean(axis=-1),
            100 * np.median(np.log(C_b / C_a), axis=-1),
            100 * np.log(area[1] / area[0]),
            tint[..., 1],
            tint[..., 2],
            grey[..., 1],
            grey[..., 2],
        ],
        axis=-1,
    )


def _area(XYZ: Array) -> Array:
    """Area (...) of the triangle of red, green and blue (..., 3, 3) in u'v'."""
    uv = XYZ_to_uv(np.maximum(XYZ, 1e-9))
    one, two = uv[..., 1, :] - uv[..., 0, :], uv[..., 2, :] - uv[..., 0, :]
    return np.maximum(np.abs(one[..., 0] * two[..., 1] - one[..., 1] * two[..., 0]) / 2, 1e-9)


def distances(XYZ: Array, base: Array, look: PatchSet = WHOLE) -> dict[str, Array]:
    """How large every figure's change (...) is in dE, for classes: dE2000 for colours, differences of L* for light and tone;
    of the patches of a look read as XYZ (..., n, 3) against a baseline (n, 3)."""
    a, b = np.nan_to_num(base), np.nan_to_num(np.asarray(XYZ, float))
    x = np.abs(components(b, a, look))
    count = look.greys
    white_a, white_b = (np.maximum(v[..., count - 1, :], 1e-9) for v in (a, b))
    colours = de2000(*(colours_beside(v[..., count:, :], w) for v, w in ((a, white_a), (b, white_b)))).mean(axis=-1)
    same_Y = white_b * (white_a[..., 1] / white_b[..., 1])[..., None]
    greys = [colours_beside(v[..., look.inner, :], w) for v, w in ((a, white_a), (b, white_b))]
    # Of the greys' colour: their lightness is the curve's affair.
    level = np.broadcast_to(greys[0][..., :1], greys[1][..., :1].shape)
    tints = [np.concatenate([level, np.broadcast_to(v[..., 1:], greys[1][..., 1:].shape)], axis=-1) for v in greys]
    return {
        "luminance": np.abs(lightness(white_b[..., 1], white_a[..., 1]) - 100),
        "black": x[..., 1],
        "shadows": x[..., 2],
        "mid-tones": x[..., 3],
        "saturation": colours,
        "gamut": colours,
        "white": de2000(against(white_a, white_a[..., 1]), against(same_Y, white_a[..., 1])),
        "greys": de2000(*tints).mean(axis=-1),
    }


@dataclass(frozen=True, eq=False)
class Test:
    """A figure of a state against the baseline: amount with its interval in the figure's unit (of a colour: its distance, and
    what is left of it at the ends), the p value, and whether it stands over all tests that were made. dE: how large it is."""

    figure: str
    amount: float
    low: float
    high: float
    p: float
    measurable: bool
    dE: float

    @property
    def size(self) -> str:
        """none, slight, clear or strong."""
        if not self.measurable:
            return "none"
        return "slight" if self.dE < 2 else "clear" if self.dE < 5 else "strong"


@dataclass(frozen=True, eq=False)
class Baselines:
    """A baseline read n times: XYZ (n, m, 3) of the patches of a look, at (n,) numbers of their steps."""

    XYZ: Array
    at: Array
    noise: Noise
    look: PatchSet = WHOLE

    @cached_property
    def mean(self) -> Array:
        """XYZ (m, 3), what the states are held against."""
        return np.asarray(np.nan_to_num(self.XYZ).mean(axis=0), float)

    @cached_property
    def x(self) -> Array:
        """Figures (n, 10) of each against their mean."""
        return components(self.XYZ, self.mean, self.look)

    @cached_property
    def slope(self) -> Array:
        """Drift (10,) of each figure a step, 0 where it is not told from noise."""
        n, t = len(self.at), self.at - self.at.mean()
        if n < LEAST_REPEATS:
            return np.zeros(self.x.shape[1])
        S = float((t**2).sum())
        b = t @ self.x / S
        left = self.x - self.x.mean(axis=0) - t[:, None] * b
        se = np.sqrt((left**2).sum(axis=0) / (n - 2) / S)
        return np.asarray(np.where(np.abs(b) > student_quantile(0.975, n - 2) * se, b, 0.0), float)

    def _nu(self, places: Sequence[int]) -> int:
        return len(self.at) - (2 if np.any(self.slope[list(places)]) else 1)

    @cached_property
    def of_noise(self) -> Array:
        """Variance (10,) that the meter's noise alone makes of a figure of the baseline."""
        read = drawn(self.mean, self.noise, np.random.default_rng(1))
        return np.asarray(components(read, self.mean, self.look).var(axis=0), float)

    def covariance(self, figure: str) -> tuple[Array, int]:
        """Covariance (p, p) of one reading of a figure, from the baselines, and its degrees of freedom."""
        places = PLACES[figure]
        t = (self.at - self.at.mean())[:, None]
        left = (self.x - self.x.mean(axis=0) - t * self.slope)[:, places]
        nu = self._nu(places)
        least = LEAST_SPREAD**2 * self.of_noise[list(places)]
        S = left.T @ left / nu
        return np.asarray(S + np.diag(np.maximum(0, least - np.diag(S))), float), nu

    def leverage(self, at: float, figure: str) -> float:
        """Share of one reading's variance that the baseline at a step has."""
        n = len(self.at)
        if not np.any(self.slope[list(PLACES[figure])]):
            return 1 / n
        t = self.at - self.at.mean()
        return float(1 / n + (at - self.at.mean()) ** 2 / (t**2).sum())

    def effect(self, XYZ: Array, at: Array) -> Array:
        """Figures (m, 10) of states (m, n, 3) read at steps (m,), beyond the baseline's drift."""
        x = components(XYZ, self.mean, self.look) - self.x.mean(axis=0)
        return np.asarray(x - (at - self.at.mean())[:, None] * self.slope, float)

    @cached_property
    def no_black(self) -> bool:
        """Whether black was under the meter's floor in any of them, so that it is no number to hold others against."""
        return self.look.black and bool(np.isnan(self.XYZ[:, 0, 1]).any())

    def share(self, XYZ: Array, stray: Array) -> Array:
        """How many times the baseline's variance (m, 10) the meter's noise makes of states (m, n, 3), 1 at least. stray (m, 3):
        the room's light, which was read with each and, `look.strays` times, alone."""
        rng = np.random.default_rng(2)
        read = drawn(np.nan_to_num(XYZ) + stray[:, None, :], self.noise, rng, FEW)
        alone = np.broadcast_to(stray[:, None, :], (len(stray), self.look.strays, 3))
        # In the dark nothing is taken out, and so it adds no noise.
        taken = drawn(alone, self.noise, rng, FEW).mean(axis=2) * np.asarray(stray.any(axis=-1))[:, None]
        own = components(read - taken[:, :, None, :], self.mean, self.look).var(axis=0)
        return np.asarray(np.maximum(1.0, own / np.maximum(self.of_noise, 1e-12)), float)


@dataclass(frozen=True, eq=False)
class Difference:
    """A combination of readings (10,) that is 0 where nothing differs, and how many times one reading's variance it has."""

    x: Array
    variance: dict[str, float]
    dE: dict[str, float]


def of_states(base: Baselines, XYZ: Array, at: Array, stray: Array | None = None) -> list[Difference]:
    """States (m, n, 3), read at steps (m,), against the baseline, without the room's light on the screen, stray (m, 3)."""
    if not len(XYZ):
        return []
    share = base.share(XYZ, np.zeros((len(XYZ), 3)) if stray is None else stray)
    x, dE = base.effect(XYZ, at), distances(XYZ, base.mean, base.look)
    no_black = (np.isnan(XYZ[:, 0, 1]) & base.look.black) | base.no_black
    x[no_black, PLACES["black"][0]] = 0.0
    dE["black"] = np.where(no_black, 0.0, dE["black"])
    return [
        Difference(
            x[i],
            {f: float(share[i, list(p)].mean()) + base.leverage(float(at[i]), f) for f, p in PLACES.items()},
            {f: float(v[i]) for f, v in dE.items()},
        )
        for i in range(len(XYZ))
    ]


def beyond_sum(
    base: Baselines, together: Difference, alone: Sequence[Difference], neither: Difference | None
) -> Difference:
    """What a state with several things does beyond the sum of what each does alone in the same light. neither: what that light
    does by itself, None where it is the baseline's."""
    n, more = len(base.at), len(alone) - 1
    variance = {}
    for f in PLACES:
        # Each was held against the same baseline, which cancels but for what stands for it in its light.
        own = sum(d.variance[f] - 1 / n for d in (together, *alone))
        variance[f] = own + more**2 * (1 / n if neither is None else neither.variance[f] - 1 / n)
    x = together.x - np.sum([d.x for d in alone], axis=0)
    if neither is not None:
        x = x + more * neither.x
    return Difference(x, variance, {f: _size(f, x) for f in PLACES})


def _size(figure: str, x: Array) -> float:
    """What a difference (10,) is in dE, roughly: percent of light as L* near white, percent of colour as chroma of 60."""
    amount = float(np.linalg.norm(x[list(PLACES[figure])]))
    per = {"luminance": 0.38, "saturation": 0.16, "gamut": 0.08}
    return amount * per.get(figure, 1.0)


def tested(base: Baselines, differences: Sequence[Difference]) -> list[dict[str, Test]]:
    """Every figure of every difference, tested: family-wise 5 % over all of them."""
    if not differences:
        return []
    x = np.stack([d.x for d in differences])
    figures = base.look.figures
    chances, amounts, halves = (np.zeros((len(differences), len(figures))) for _ in range(3))
    for k, figure in enumerate(figures):
        places = PLACES[figure]
        S, nu = base.covariance(figure)
        own, p = x[:, list(places)], len(places)
        v = np.array([d.variance[figure] for d in differences])
        size = np.linalg.norm(own, axis=1)
        along = np.where(size[:, None] > 0, own / np.maximum(size, 1e-300)[:, None], 1 / np.sqrt(p))
        u = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", along, S, along), 1e-18) * v)
        halves[:, k] = student_quantile(0.975, nu) * u if nu > 0 else np.inf
        amounts[:, k] = own[:, 0] if p == 1 else size
        freedom = nu - p + 1
        T2 = np.einsum("ij,ij->i", own, np.linalg.solve(S + 1e-15 * np.eye(p), own.T).T) / v
        chances[:, k] = fisher_beyond(T2 * freedom / (nu * p), p, freedom) if freedom >= 1 else 1.0
    stands = holm(chances.ravel()).reshape(chances.shape)
    return [
        {
            f: _test(f, float(amounts[i, k]), float(halves[i, k]), float(chances[i, k]), bool(stands[i, k]), d.dE[f])
            for k, f in enumerate(figures)
        }
        for i, d in enumerate(differences)
    ]


def _test(figure: str, amount: float, half: float, chance: float, stands: bool, dE: float) -> Test:
    """A test as it is told: ratios in percent, distances of colours in dE, neither end of which is under nothing."""
    ends = [amount, amount - half, amount + half]
    if figure in LOGARITHMIC:
        ends = [float(100 * np.expm1(np.clip(e, -5e2, 5e2) / 100)) for e in ends]
    elif len(PLACES[figure]) > 1:
        scale = dE / amount if amount > 0 else 1.0
        ends = [max(0.0, e * scale) for e in ends]
    return Test(
        figure=figure, amount=ends[0], low=ends[1], high=ends[2], p=chance, measurable=stands and dE >= SEEN, dE=dE
    )


def least_told(noise: Noise, repeats: int, tests: int, figure: str = "luminance") -> float:
    """The smallest change of a figure of light in % that stands over so many tests with so many baselines, where the meter's
    noise is all there is."""
    nu = repeats - 1
    sigma = 100 * noise.repeatability if figure in LOGARITHMIC else noise.repeatability * 38
    return student_quantile(1 - 0.025 / max(tests, 1), nu) * sigma * float(np.sqrt(1 + 1 / repeats))
