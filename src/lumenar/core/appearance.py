"""How pictures look in a mode against how they were meant: a model of the display from its readings, and scenes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import difference, spaces, transfer
from lumenar.core.measurements.base import MissingPatchError, black_XYZ, one
from lumenar.core.readings.patches import RGB_TOLERANCE
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Anchor, Target

Array = NDArray[np.float64]
FINE = 2
"""How many pixels of a scene stand for one of its design, across and down: enough for the width that a view gives it."""
SIZE = (416 * FINE, 234 * FINE)


@dataclass(frozen=True)
class DisplayModel:
    """An additive display with a curve for each channel: levels (n,), curves (n, 3) of channel amounts, primaries (3, 3)
    as rows of XYZ above black, black (3,)."""

    levels: Array
    curves: Array
    primaries: Array
    black: Array

    def XYZ(self, rgb: ArrayLike) -> Array:
        """Absolute XYZ (..., 3) that the display shows for signals (..., 3)."""
        V = np.asarray(rgb, float)
        amounts = np.stack([np.interp(V[..., c], self.levels, self.curves[:, c]) for c in range(3)], axis=-1)
        return np.asarray(self.black + amounts @ self.primaries, float)

    @property
    def anchor(self) -> Anchor:
        """White and black of the display as a target's anchor."""
        return Anchor(np.array(self.XYZ(np.ones(3))[1]), np.array(max(float(self.black[1]), 0.0)))


def model_of(grey: Readings, gamut: Readings) -> DisplayModel:
    """The model from the readings of a grey ramp and of the primaries: each grey is taken apart into the primaries.

    Raises MissingPatchError without R, G, B or with fewer than five greys.
    """
    K = black_XYZ(gamut)
    primaries = np.stack([one(gamut, tuple(e), "a primary") for e in np.eye(3)]) - K
    use = np.flatnonzero((np.ptp(grey.rgb, axis=1) <= RGB_TOLERANCE) & grey.plain)
    use = use[np.argsort(grey.rgb[use, 1])]
    if len(use) < 5:
        raise MissingPatchError(f"a model of the display needs at least 5 greys, these readings have {len(use)}")
    XYZ = np.where(np.isfinite(grey.XYZ[use]), grey.XYZ[use], K)
    amounts = np.maximum((XYZ - K) @ np.linalg.inv(primaries), 0)
    return DisplayModel(grey.rgb[use, 1], np.maximum.accumulate(amounts, axis=0), primaries, K)


@dataclass(frozen=True)
class SceneFigures:
    """The share of a scene's pixels in % that an sRGB display can't show, and the mean and 95th percentile of dE2000 between what
    was meant and what is shown, before exaggeration."""

    outside_percent: float
    de_mean: float
    de_p95: float


def to_codes(Lab: Array) -> tuple[NDArray[np.uint8], float]:
    """sRGB codes of 8 bits of CIELAB (D65) colours, and the share in % that sRGB cannot hold."""
    linear = _linear(Lab)
    codes = np.rint(255 * transfer.srgb_inverse(np.clip(linear, 0, 1))).astype(np.uint8)
    return codes, 100 * float(_beyond(linear).mean())


def outside(Lab: Array) -> NDArray[np.bool_]:
    """Which CIELAB (D65) colours (..., 3) sRGB cannot hold (...)."""
    return _beyond(_linear(Lab))


def _beyond(linear: Array) -> NDArray[np.bool_]:
    return np.asarray(((linear < -0.004) | (linear > 1.004)).any(axis=-1))


def _linear(Lab: Array) -> Array:
    """Linear sRGB (..., 3) of CIELAB (D65) colours (..., 3)."""
    fy = (Lab[..., 0] + 16) / 116
    f = np.stack([fy + Lab[..., 1] / 500, fy, fy - Lab[..., 2] / 200], axis=-1)
    t = np.where(f > 6 / 29, f**3, (116 * f - 16) * 27 / 24389)
    return np.asarray((t * spaces.xy_to_XYZ(np.array(spaces.D65_XY))) @ np.linalg.inv(spaces.BT709.matrix).T, float)


def both_Lab(model: DisplayModel, rgb: ArrayLike, target: Target) -> tuple[Array, Array]:
    """CIELAB of what was meant and of what is shown (..., 3), both beside the target's white at the measured peak."""
    anchor = model.anchor
    flat = np.asarray(rgb, float).reshape(-1, 3)
    meant = target.Lab(target.XYZ(flat, anchor), anchor.white)
    shown = target.Lab(model.XYZ(flat), anchor.white)
    shape = np.shape(rgb)
    return meant.reshape(shape), shown.reshape(shape)


def scene_figures(model: DisplayModel, rgb: Array, target: Target, factor: float) -> SceneFigures:
    """The figures of a scene (h, w, 3) of signals, shown with its error exaggerated by a factor."""
    wanted, got = both_Lab(model, rgb, target)
    de = difference.de2000(got, wanted)
    share = 100 * float(outside(wanted + factor * (got - wanted)).mean())
    return SceneFigures(share, float(de.mean()), float(np.quantile(de, 0.95)))


def pixels(model: DisplayModel, rgb: Array, target: Target, factor: float, meant: bool) -> NDArray[np.uint8]:
    """sRGB codes (h, w, 3) of 8 bits of a scene of signals: as it was meant, or as it is shown with its error exaggerated by a
    factor."""
    flat, white = rgb.reshape(-1, 3), model.anchor.white
    if meant:
        Lab = target.Lab(target.XYZ(flat, model.anchor), white)
    elif factor == 1:
        Lab = target.Lab(model.XYZ(flat), white)
    else:
        wanted, got = both_Lab(model, flat, target)
        Lab = wanted + factor * (got - wanted)
    return to_codes(Lab)[0].reshape(rgb.shape)


def _noise(rng: np.random.Generator, width: int, height: int, grain: int) -> Array:
    """Smooth noise 0..1 (height, width) with features of about `grain` pixels."""
    coarse = rng.uniform(0, 1, (height // grain + 3, width // grain + 3))
    y, x = np.arange(height) / grain, np.arange(width) / grain
    j, i = y.astype(int), x.astype(int)
    fy, fx = (v * v * (3 - 2 * v) for v in (y - j, x - i))
    top = coarse[j][:, i] * (1 - fx) + coarse[j][:, i + 1] * fx
    low = coarse[j + 1][:, i] * (1 - fx) + coarse[j + 1][:, i + 1] * fx
    return np.asarray(top * (1 - fy[:, None]) + low * fy[:, None], float)


def _mix(a: ArrayLike, b: ArrayLike, share: Array) -> Array:
    return np.asarray(np.asarray(a) * (1 - share[..., None]) + np.asarray(b) * share[..., None], float)


def _gradients() -> Array:
    """Seven ramps from black: grey, then six hues; the last third of each goes on to white."""
    w, h = SIZE
    x = np.linspace(0, 1, w)
    hues = [(1, 1, 1), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)]
    rows = []
    for hue in hues:
        up = np.clip(x * 1.5, 0, 1)[:, None] * np.array(hue)
        rows.append(up + np.clip(3 * x - 2, 0, 1)[:, None] * (1 - np.array(hue)))
    rows[0] = np.repeat(x[:, None], 3, axis=1)
    band = np.minimum(np.arange(h) * len(hues) // h, len(hues) - 1)
    return np.stack(rows)[band]


def _skin() -> Array:
    """Rounded forms in eight skin-like tones, lit from one side."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w]
    tones = (
        np.array(
            [
                (247, 219, 199),
                (235, 196, 166),
                (222, 172, 134),
                (199, 144, 106),
                (168, 114, 79),
                (133, 85, 57),
                (96, 60, 42),
                (64, 41, 31),
            ]
        )
        / 255
    )
    picture = _mix((0.30, 0.31, 0.33), (0.17, 0.18, 0.20), y / h)
    for k, tone in enumerate(tones):
        cx, cy = w * (0.125 + 0.25 * (k % 4)), h * (0.28 if k < 4 else 0.74)
        u, v = (x - cx) / (w * 0.1), (y - cy) / (h * 0.21)
        r2 = u * u + v * v
        z = np.sqrt(np.clip(1 - r2, 0, 1))
        light = np.clip(0.28 + 0.72 * (-0.5 * u - 0.45 * v + 0.74 * z), 0.12, 1.06)
        warm = np.clip(0.25 - np.abs(z - 0.35), 0, 0.25)
        colour = np.clip(tone * light[..., None] + warm[..., None] * np.array([0.16, 0.0, -0.02]), 0, 1)
        picture = np.where((r2 < 1)[..., None], colour, picture)
    return np.asarray(picture, float)


def _foliage() -> Array:
    """Leaves in many greens under a blue sky, with a few red berries."""
    w, h = SIZE
    rng = np.random.default_rng(7)
    y, x = np.mgrid[0:h, 0:w]
    picture = _mix((0.36, 0.56, 0.83), (0.77, 0.86, 0.93), np.clip(y / (0.55 * h), 0, 1))
    canopy = (
        _noise(rng, w, h, 60 * FINE) * 0.5 + _noise(rng, w, h, 22 * FINE) * 0.35 + _noise(rng, w, h, 7 * FINE) * 0.15
    )
    edge = 0.30 * h + 0.35 * h * (canopy - 0.5)
    shade = _noise(rng, w, h, 11 * FINE) * 0.6 + _noise(rng, w, h, 4 * FINE) * 0.4
    greens = _mix(
        _mix((0.06, 0.17, 0.06), (0.31, 0.48, 0.13), shade), (0.68, 0.74, 0.27), np.clip(2.4 * shade - 1.5, 0, 1)
    )
    picture = np.where((y > edge)[..., None], greens, picture)
    berry = 5.5 * FINE
    for cx, cy in rng.uniform([0.05, 0.5], [0.95, 0.95], (26, 2)):
        r2 = ((x - cx * w) / berry) ** 2 + ((y - cy * h) / berry) ** 2
        light = np.clip(1.05 - 0.6 * r2 - 0.1 * (x - cx * w) / berry, 0.2, 1)
        picture = np.where((r2 < 1)[..., None], light[..., None] * np.array([0.80, 0.09, 0.10]), picture)
    return np.asarray(picture, float)


def _night() -> Array:
    """A street at night: dark walls, lit windows, lamps with halos, wet ground."""
    w, h = SIZE
    rng = np.random.default_rng(11)
    y, x = np.mgrid[0:h, 0:w]
    picture = _mix((0.02, 0.025, 0.05), (0.07, 0.07, 0.11), np.clip(y / (0.6 * h), 0, 1))
    left = 0
    while left < w:
        wide, top = FINE * int(rng.integers(44, 80)), float(rng.uniform(0.12, 0.42)) * h
        house = (x >= left) & (x < left + wide) & (y > top) & (y < 0.74 * h)
        picture = np.where(house[..., None], float(rng.uniform(0.025, 0.075)) * np.array([1.0, 0.95, 0.9]), picture)
        for row in range(int(top) + 12 * FINE, int(0.7 * h), 20 * FINE):
            for column in range(left + 7 * FINE, left + wide - 9 * FINE, 15 * FINE):
                lit = rng.uniform() < 0.3
                colour = (
                    np.array([0.95, 0.72, 0.36]) * rng.uniform(0.35, 1) if lit else np.full(3, rng.uniform(0.015, 0.05))
                )
                picture[row : row + 10 * FINE, column : min(column + 8 * FINE, w)] = colour
        left += wide
    ground = y >= 0.74 * h
    mirror = np.clip((1.48 * h - y).astype(int), 0, h - 1)
    picture = np.where(ground[..., None], 0.35 * picture[mirror, x] + 0.015, picture)
    halo_px = 46 * FINE
    for cx in (0.15, 0.48, 0.83):
        r2 = ((x - cx * w) / halo_px) ** 2 + ((y - 0.36 * h) / halo_px) ** 2
        halo = np.exp(-3 * r2) + 4 * np.exp(-240 * r2)
        picture = picture + halo[..., None] * np.array([0.55, 0.42, 0.24])
    return np.asarray(np.clip(picture, 0, 1), float)


SCENES: dict[str, str] = {
    "gradients": "Gradients",
    "skin": "Skin-like tones",
    "foliage": "Foliage",
    "night": "Night street",
}


@cache
def scene(key: str) -> Array:
    """A synthetic scene as signals (468, 832, 3); KeyError for an unknown one."""
    return {"gradients": _gradients, "skin": _skin, "foliage": _foliage, "night": _night}[key]()


def prepare() -> None:
    """Make the scenes now rather than when they are first looked at."""
    for key in SCENES:
        scene(key)
