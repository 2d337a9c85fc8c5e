"""What of a change can be seen: effects on light, tone, white and colours between two states, each with what the meter's noise
makes of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from lumenar.core.colour.adaptation import bradford
from lumenar.core.colour.difference import de2000
from lumenar.core.colour.spaces import XYZ_to_Lab, XYZ_to_uv, XYZ_to_xy, lightness, xy_to_XYZ
from lumenar.core.colour.temperature import cct_duv
from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.experiments.base import Array
from lumenar.core.numbers import listed
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise

GREYS = (0.0, 0.02, 0.04, 0.07, 0.1, 0.2, 0.4, 0.6, 0.8, 1.0)
DARK, MIDDLE = slice(1, 5), slice(5, 9)
HUES = {
    "red": (1.0, 0.0, 0.0),
    "yellow": (1.0, 1.0, 0.0),
    "green": (0.0, 1.0, 0.0),
    "cyan": (0.0, 1.0, 1.0),
    "blue": (0.0, 0.0, 1.0),
    "magenta": (1.0, 0.0, 1.0),
}
D65 = (0.3127, 0.3290)


def paler(rgb: Sequence[float]) -> tuple[float, float, float]:
    """A colour half as saturated."""
    r, g, b = (max(v, 0.5) for v in rgb)
    return r, g, b


SET = (
    *(Patch((v, v, v)) for v in GREYS),
    *(Patch(rgb) for rgb in HUES.values()),
    *(Patch(paler(rgb)) for rgb in HUES.values()),
)
"""What a short look reads: ten greys, six corners, and the same half as saturated."""
PQ_GREYS = (0.0, 0.1, 0.15, 0.2, 0.26, 0.35, 0.45, 0.58, 0.7, 1.0)
PQ_COLOUR = 0.58
SIGNATURE = (Patch((1.0, 1.0, 1.0)), Patch((0.3, 0.3, 0.3)), Patch((1.0, 0.0, 0.0)), Patch((0.0, 0.0, 1.0)))
"""What tells whether anything changed at all."""
DRAWS = 200
BEYOND = 1.2
"""By so much an effect must be more than the most that noise made in all draws."""
SURE = 3.0
"""So many standard deviations stand for something that is there."""

LEAST = {
    "luminance": 1.0,
    "black": 0.3,
    "shadows": 0.4,
    "mid-tones": 0.4,
    "white": 0.5,
    "greys": 0.5,
    "saturation": 1.0,
    "one saturation": 2.0,
    "lightness": 1.0,
    "hue": 1.0,
    "blue": 0.5,
}
"""Less than this nobody would see or care for: luminance, saturation and blue in %, black, shadows and mid-tones in L*, white and
greys in dE2000, hue in degrees, lightness of colours in L*."""


def short_set(signal: Signal) -> tuple[Patch, ...]:
    """What is read of each state: ten greys, six corners, the same half as saturated. In PQ and HLG the greys are even in code,
    and the colours are of 203 cd/m2 as white would be."""
    if signal == "sdr":
        return SET
    at = np.array(list(HUES.values())) * PQ_COLOUR
    colours = [(float(r), float(g), float(b)) for r, g, b in at]
    half = [tuple(PQ_COLOUR * v for v in paler(rgb)) for rgb in HUES.values()]
    return (
        *(Patch((v, v, v)) for v in PQ_GREYS),
        *(Patch(rgb) for rgb in colours),
        *(Patch((r, g, b)) for r, g, b in half),
    )


@dataclass(frozen=True)
class Effect:
    """One thing that changed: how much, in which unit, its standard deviation, and in words. there: whether it stands out of
    noise and is enough to be seen."""

    key: str
    amount: float
    unit: str
    u: float
    words: str
    there: bool


def changed(one: ArrayLike, two: ArrayLike, noise: Noise, drift: float = 0.0) -> float:
    """By how much two readings (n, 3) of the same patches differ: the largest dE2000 over the patches that stands out of the
    meter's noise and of drift (dE2000), 0 where none does. The brightest of the first is white."""
    a, b = (np.nan_to_num(np.asarray(x, float)) for x in (one, two))
    white = xy_to_XYZ(D65, max(float(a[:, 1].max()), 1e-6))
    d = de2000(XYZ_to_Lab(a, white), XYZ_to_Lab(b, white))
    rng = np.random.default_rng(1)
    base = XYZ_to_Lab(a, white)
    moved = de2000(XYZ_to_Lab(drawn(a, noise, rng), white), base[None])
    # Two readings, each with its own noise.
    least = np.maximum(LEAST["white"], np.maximum(SURE * np.sqrt(2 * np.mean(moved**2, axis=0)), 2 * drift))
    return float(np.where(d > least, d, 0.0).max())


def distance(one: ArrayLike, two: ArrayLike) -> float:
    """The largest dE2000 between two readings (n, 3) of the same patches, noise or not."""
    a, b = (np.nan_to_num(np.asarray(x, float)) for x in (one, two))
    white = xy_to_XYZ(D65, max(float(a[:, 1].max()), 1e-6))
    return float(de2000(XYZ_to_Lab(a, white), XYZ_to_Lab(b, white)).max())


def drawn(XYZ: Array, noise: Noise, rng: np.random.Generator, draws: int = DRAWS) -> Array:
    """Readings (draws, ..., 3) as they might have come out: half of the relative noise is common to X, Y and Z."""
    shape = (draws, *XYZ.shape)
    relative = np.sqrt(0.5) * noise.repeatability * (rng.standard_normal((*shape[:-1], 1)) + rng.standard_normal(shape))
    return np.asarray(XYZ * (1 + relative) + noise.absolute * rng.standard_normal(shape), float)


def effects(one: ArrayLike, two: ArrayLike, noise: Noise, drift: Mapping[str, float] | None = None) -> list[Effect]:
    """What became of SET, read as `one` (n, 3) and then as `two`. drift: amounts by effect that came of doing nothing."""
    rng = np.random.default_rng(1)
    a, b = (np.nan_to_num(np.asarray(x, float)) for x in (one, two))
    now = _amounts(a, b)
    # What would be seen of a change where there is none: of distances and of the largest of many, noise alone makes some.
    nothing = _amounts(drawn(a, noise, rng), drawn(a, noise, rng))
    made = []
    for key, amount in now.items():
        value, by_noise = float(amount), np.abs(nothing[key])
        u = float(np.sqrt(np.mean(by_noise**2)))
        least = max(LEAST[key], BEYOND * float(by_noise.max()), 2 * abs((drift or {}).get(key, 0.0)))
        made.append(Effect(key, value, UNITS[key], u, _words(key, value, a, b), abs(value) > least))
    return made


def drift_of(one: ArrayLike, again: ArrayLike) -> dict[str, float]:
    """The amounts of every effect between two readings of one state."""
    a, b = (np.nan_to_num(np.asarray(x, float)) for x in (one, again))
    return {k: float(v) for k, v in _amounts(a, b).items()}


UNITS = {
    "luminance": "%",
    "black": "L*",
    "shadows": "L*",
    "mid-tones": "L*",
    "white": "dE",
    "greys": "dE",
    "saturation": "%",
    "one saturation": "%",
    "lightness": "L*",
    "hue": "°",
    "blue": "%",
}


def _amounts(a: Array, b: Array) -> dict[str, Array]:
    """Every effect's amount (...) from SET read as a and b (..., n, 3). Tone and colours are judged beside each state's own
    white, so that they do not count what the light did."""
    count = len(GREYS)
    grey_a, grey_b = a[..., :count, :], b[..., :count, :]
    white_a, white_b = (np.maximum(g[..., -1, :], 1e-9) for g in (grey_a, grey_b))
    # Noise makes less than no light of black now and then.
    L_a, L_b = (lightness(np.maximum(g[..., 1], 0), w[..., None, 1]) for g, w in ((grey_a, white_a), (grey_b, white_b)))
    L = L_b - L_a
    same_Y = white_b * (white_a[..., 1] / white_b[..., 1])[..., None]
    colours_a, colours_b = (colours_beside(x[..., count:, :], w) for x, w in ((a, white_a), (b, white_b)))
    C_a, C_b = (np.hypot(c[..., 1], c[..., 2]) for c in (colours_a, colours_b))
    h_a, h_b = (np.degrees(np.arctan2(c[..., 2], c[..., 1])) for c in (colours_a, colours_b))
    turned = (h_b - h_a + 180) % 360 - 180
    inner_a, inner_b = (colours_beside(g[..., 4:-1, :], w) for g, w in ((grey_a, white_a), (grey_b, white_b)))
    # Of the greys' colour: their lightness is the curve's affair.
    level = inner_a[..., :1]
    tints = de2000(
        np.concatenate([level, inner_a[..., 1:]], axis=-1), np.concatenate([level, inner_b[..., 1:]], axis=-1)
    )
    blue_a, blue_b = (w[..., 2] / w.sum(axis=-1) for w in (white_a, white_b))
    return {
        "luminance": 100 * (white_b[..., 1] / white_a[..., 1] - 1),
        "black": L[..., 0],
        "shadows": L[..., DARK].mean(axis=-1),
        "mid-tones": L[..., MIDDLE].mean(axis=-1),
        "white": de2000(against(white_a, white_a[..., 1]), against(same_Y, white_a[..., 1])),
        "greys": tints.mean(axis=-1),
        "saturation": 100 * (np.median(C_b / np.maximum(C_a, 1e-9), axis=-1) - 1),
        "one saturation": _largest(_by_hue(100 * (C_b / np.maximum(C_a, 1e-9) - 1))),
        "lightness": _largest(_by_hue(colours_b[..., 0] - colours_a[..., 0])),
        "hue": _largest(turned[..., :6]),
        "blue": 100 * (blue_b / blue_a - 1),
    }


def _largest(values: Array) -> Array:
    """That of the last axis which is farthest from 0, with its sign."""
    at = np.abs(values).argmax(axis=-1)[..., None]
    return np.asarray(np.take_along_axis(values, at, axis=-1)[..., 0], float)


def _by_hue(values: Array) -> Array:
    """What each of six hues (..., 6) does beyond what all do, of values (..., 12): corners, then half as saturated."""
    own = (values[..., :6] + values[..., 6:]) / 2
    return np.asarray(own - np.median(own, axis=-1)[..., None], float)


def against(XYZ: Array, Y: Array) -> Array:
    """Lab (..., 3) against D65 of luminance Y (...)."""
    return XYZ_to_Lab(XYZ, xy_to_XYZ(D65, 1.0) * np.asarray(Y)[..., None])


def colours_beside(XYZ: Array, white: Array) -> Array:
    """Lab (..., n, 3) after adaptation to the white (..., 3) of the state."""
    d65 = xy_to_XYZ(D65, 1.0)
    relative = XYZ / white[..., None, 1:2]
    own = white / white[..., 1:2]
    return XYZ_to_Lab(relative @ np.swapaxes(bradford(own, d65), -1, -2), d65)


def _words(key: str, v: float, a: Array, b: Array) -> str:
    up = v > 0
    if key == "white":
        return white_words(a[len(GREYS) - 1], b[len(GREYS) - 1], v)
    if key in ("hue", "one saturation", "lightness"):
        Lab_a, Lab_b = (colours_beside(x[len(GREYS) :], np.maximum(x[len(GREYS) - 1], 1e-9)) for x in (a, b))
        if key == "hue":
            h = [np.degrees(np.arctan2(c[:6, 2], c[:6, 1])) for c in (Lab_a, Lab_b)]
            each = (h[1] - h[0] + 180) % 360 - 180
            return f"turns {list(HUES)[int(np.abs(each).argmax())]} by {abs(v):.1f}°"
        if key == "lightness":
            each = _by_hue(Lab_b[:, 0] - Lab_a[:, 0])
            return f"makes {list(HUES)[int(np.abs(each).argmax())]} {'lighter' if up else 'darker'} by {abs(v):.1f} L*"
        C = [np.hypot(c[:, 1], c[:, 2]) for c in (Lab_a, Lab_b)]
        each = _by_hue(100 * (C[1] / np.maximum(C[0], 1e-9) - 1))
        return (
            f"{'raises' if up else 'lowers'} saturation of {list(HUES)[int(np.abs(each).argmax())]} by {abs(v):.0f} %"
        )
    return {
        "luminance": f"{'brightens' if up else 'dims'} white by {abs(v):.{0 if abs(v) >= 3 else 1}f} %",
        "black": f"{'raises' if up else 'lowers'} black by {abs(v):.1f} L*",
        "shadows": f"{'lifts' if up else 'darkens'} shadows by {abs(v):.1f} L*",
        "mid-tones": f"{'lifts' if up else 'darkens'} mid-tones by {abs(v):.1f} L*",
        "greys": f"tints greys beside white by dE {abs(v):.1f}",
        "saturation": f"{'raises' if up else 'lowers'} saturation by {abs(v):.0f} %",
        "blue": f"{'more' if up else 'less'} blue in white by {abs(v):.1f} %",
    }[key]


def white_words(a: Array, b: Array, v: float) -> str:
    """A change of white by v dE in words, from XYZ (3,) to XYZ (3,): warmer or cooler, greener or pinker, else how far."""
    (cct_a, duv_a), (cct_b, duv_b) = (cct_duv(XYZ_to_xy(x)) for x in (a, b))
    if np.isfinite(cct_a) and np.isfinite(cct_b) and abs(float(cct_b - cct_a)) > 100:
        way = "cooler" if cct_b > cct_a else "warmer"
        return f"makes white {way} by {abs(float(cct_b - cct_a)):.0f} K (dE {v:.1f})"
    if np.isfinite(duv_a) and np.isfinite(duv_b) and abs(float(duv_b - duv_a)) > 0.0005:
        return f"makes white {'greener' if duv_b > duv_a else 'pinker'} (dE {v:.1f})"
    uv = XYZ_to_uv(np.stack([a, b]))
    return f"moves white by dE {v:.1f} (Δu′v′ {float(np.linalg.norm(uv[1] - uv[0])):.4f})"


def in_words(found: Sequence[Effect]) -> str:
    """Effects that are there as one clause, the blue in white left out where its colour says it."""
    keys = {e.key for e in found if e.there}
    said = [e.words for e in found if e.there and not (e.key == "blue" and "white" in keys)]
    return listed(said, "nothing measurable")


FOLLOWED = 0.8
"""Greys up to this share of the light of the brightest are judged by PQ: beyond it a display may have to roll off."""


def pq_error(XYZ: ArrayLike) -> float:
    """By how much greys of the short set for PQ, read as XYZ (n, 3), are off in % of code, rms; black plays no part."""
    codes = np.array([p.rgb[0] for p in short_set("pq")[: len(GREYS)]])
    Y = np.nan_to_num(np.asarray(XYZ, float)[: len(GREYS), 1])
    used = (codes > 0) & (pq(codes) <= FOLLOWED * Y[-1])
    off = 100 * (pq_inverse(np.maximum(Y[used], 0)) - codes[used])
    return round(float(np.sqrt(np.mean(off**2))), 2) if used.any() else 0.0
