"""Displays without faults, with one that is planted in them, and a meter with noise: what findings are tried on.

A fault has a size in units of the limit from which it is reported: 2 must be found, 0.5 must not.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, partial

import numpy as np

from lumenar.core.analysis import analyse
from lumenar.core.colour.adaptation import bradford
from lumenar.core.colour.difference import de2000
from lumenar.core.colour.spaces import Space, XYZ_to_Lab, XYZ_to_uv, uv_to_xy, xy_to_uv, xy_to_XYZ
from lumenar.core.colour.temperature import planck_xy
from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.findings import light, screen
from lumenar.core.findings.base import (
    VISIBLE_COLOUR,
    VISIBLE_SHADOW,
    VISIBLE_STEP,
    VISIBLE_WHITE,
    DisplayEvidence,
    SetupEvidence,
)
from lumenar.core.findings.gamut import TOLERANCE_PERCENT
from lumenar.core.findings.hdr import CODE_PERCENT, MASTERED_CD_M2
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.measurements.additivity import LIMIT_PERCENT
from lumenar.core.measurements.colours import hue_name
from lumenar.core.readings.collecting import arranged, collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS, Anchor, Target
from lumenar.core.uncertainty import noise

LADDER = tuple(range(0, 101, 10))
SDR = ("srgb", "bt709_bt1886", "gamma22", "p3_d65_g22", "display_p3")


@dataclass
class Scene:
    """The light of a random display without faults. A fault changes `XYZ`. The arrays have one entry per patch."""

    target: Target
    white: float
    black: float
    rgb: np.ndarray
    level: np.ndarray
    window: np.ndarray
    zone: np.ndarray
    at_s: np.ndarray
    XYZ: np.ndarray

    @property
    def grey(self) -> np.ndarray:
        """Which patches are grey."""
        return np.ptp(self.rgb, axis=1) < 1e-6

    @property
    def white_XYZ(self) -> np.ndarray:
        """XYZ of white."""
        return self.target.white_XYZ(self.white)

    def Lab(self) -> np.ndarray:
        """CIELAB of all patches against white."""
        return XYZ_to_Lab(self.XYZ, self.white_XYZ)

    def to_XYZ(self, Lab: np.ndarray) -> np.ndarray:
        """XYZ of CIELAB values against white."""
        L, a, b = np.moveaxis(Lab, -1, 0)
        fy = (L + 16) / 116
        f = np.stack([fy + a / 500, fy, fy - b / 200], axis=-1)
        return np.where(f > 6 / 29, f**3, (116 * f - 16) * 27 / 24389) * self.white_XYZ


Fault = Callable[[Scene, float], None]


def solved(error: Callable[[float], np.ndarray], wanted: float, top: float) -> float:
    """Find by bisection the amount from 0 to `top` whose largest error is `wanted`."""
    low, high = 0.0, top
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if float(np.nanmax(error(middle))) < wanted else (low, middle)
    return (low + high) / 2


def white_off(direction: str, s: Scene, size: float) -> None:
    """Everything is tinted as white is."""
    uv = XYZ_to_uv(s.target.white_XYZ())
    along = xy_to_uv(planck_xy(np.array(6800.0))) - xy_to_uv(planck_xy(np.array(6200.0)))
    along /= np.linalg.norm(along)
    green = np.array([along[1], -along[0]]) * np.sign(-along[0])
    way = {"cool": along, "warm": -along, "green": green, "magenta": -green}[direction]

    def tinted(amount: float) -> np.ndarray:
        return xy_to_XYZ(uv_to_xy(uv + amount * way), s.white)

    def error(amount: float) -> np.ndarray:
        return de2000(XYZ_to_Lab(tinted(amount), s.white_XYZ), XYZ_to_Lab(s.white_XYZ, s.white_XYZ))

    amount = solved(error, size * VISIBLE_WHITE, 0.08)
    s.XYZ = s.XYZ @ bradford(s.white_XYZ, tinted(amount)).T


def drift(s: Scene, size: float) -> None:
    """Greys around 40 % are tinted, white is not."""
    v = s.rgb[:, 1]
    weight = np.where(s.grey, np.exp(-(((v - 0.4) / 0.12) ** 2)), 0.0)
    Lab = s.Lab()

    def moved(amount: float) -> np.ndarray:
        return Lab + weight[:, None] * np.array([0.0, amount, amount / 2])

    amount = solved(lambda a: de2000(moved(a), Lab), size * VISIBLE_COLOUR, 40.0)
    s.XYZ = s.to_XYZ(moved(amount))


def tone(at: float, width: float, sign: int, limit: float, s: Scene, size: float) -> None:
    """Make greys around a level too bright or too dark, by `size` times the limit in L*."""
    Lab = s.Lab()
    nearest = s.rgb[np.argmin(np.abs(s.rgb[:, 1] - at) + np.where(s.grey, 0, 9)), 1]
    Lab[:, 0] += sign * size * limit * np.exp(-(((s.rgb[:, 1] - nearest) / width) ** 2)) * s.grey
    s.XYZ = s.to_XYZ(Lab)


def crushed(s: Scene, size: float) -> None:
    """The darkest levels show black, or half of what they should."""
    black = s.target.white_XYZ(s.black)
    dark = s.grey & (s.rgb[:, 1] < 0.04)
    s.XYZ[dark] = black + (0.0 if size > 1 else 0.7) * (s.XYZ[dark] - black)


def clipped(s: Scene, size: float) -> None:
    """The brightest levels show white, or are brighter than they should be."""
    bright = s.grey & (s.rgb[:, 1] > 0.94)
    s.XYZ[bright] = s.white_XYZ + (0.0 if size > 1 else 0.7) * (s.XYZ[bright] - s.white_XYZ)


def colour(part: str, sign: int, s: Scene, size: float) -> None:
    """All colours of one hue are off in one part."""
    Lab = s.Lab()
    C, h = np.hypot(Lab[:, 1], Lab[:, 2]), np.arctan2(Lab[:, 2], Lab[:, 1])
    red = np.array([name == "red" for name in hue_name(Lab)]) & ~s.grey
    share = np.where(red, C / max(float(C[red].max()), 1e-9), 0.0)

    def moved(amount: float) -> np.ndarray:
        L = Lab[:, 0] + (sign * amount * share if part == "lightness" else 0)
        chroma = C + (sign * amount * share if part == "chroma" else 0)
        angle = h + (sign * np.radians(amount) * (share > 0) if part == "hue" else 0)
        return np.stack([L, chroma * np.cos(angle), chroma * np.sin(angle)], axis=-1)

    amount = solved(lambda a: de2000(moved(a), Lab), size * VISIBLE_COLOUR, 60.0)
    s.XYZ = s.to_XYZ(moved(amount))


def one_bad(s: Scene, size: float) -> None:
    """One patch is off in lightness."""
    Lab = s.Lab()
    which = int(np.flatnonzero(~s.grey & (Lab[:, 0] > 40))[0])
    way = np.zeros_like(Lab)
    way[which, 0] = 1.0
    amount = solved(lambda a: de2000(Lab + a * way, Lab), size * 2 * VISIBLE_COLOUR, 60.0)
    s.XYZ = s.to_XYZ(Lab + amount * way)


def gamut(sign: int, s: Scene, size: float) -> None:
    """The primaries lie inside, or outside, of the target's, so that their triangle is smaller or larger."""
    scale = np.sqrt(1 + sign * size * TOLERANCE_PERCENT / 100)
    middle = xy_to_uv(np.asarray(s.target.space.white))
    uv = middle + scale * (xy_to_uv(np.asarray(s.target.space.primaries)) - middle)
    xy = [tuple(map(float, p)) for p in uv_to_xy(uv)]
    other = replace(s.target, space=Space("planted", (xy[0], xy[1], xy[2]), s.target.space.white))
    s.XYZ = other.XYZ(s.rgb, Anchor(np.array(s.white), np.array(s.black)))


def zone(tinted: bool, s: Scene, size: float) -> None:
    """The upper left zone is darker, or tinted."""
    corner = (s.zone[:, 0] == 0) & (s.zone[:, 1] == 0)
    Lab = s.Lab()
    way = np.where(corner[:, None], np.array([0.0, 1.0, 0.5] if tinted else [-1.0, 0.0, 0.0]), 0.0)
    white = corner & (s.rgb[:, 1] > 0.99)
    amount = solved(lambda a: de2000((Lab + a * way)[white], Lab[white]), size * VISIBLE_COLOUR, 40.0)
    s.XYZ = s.to_XYZ(Lab + amount * way)


def dark_zone(s: Scene, size: float) -> None:
    """Make a zone darker in dark grey only, by a share of luminance that is still invisible: at most 1.6 times the limit."""
    corner = (s.zone[:, 0] == 0) & (s.zone[:, 1] == 0) & (s.rgb[:, 1] < 0.25)
    s.XYZ[corner] *= 1 - min(size, 1.6) * screen.DARK_FALL_PERCENT / 100


def area(s: Scene, size: float) -> None:
    """The whole screen is darker than a small window."""
    s.XYZ *= (1 - size * light.AREA_PERCENT / 100 * (s.window - s.window.min()) / np.ptp(s.window))[:, None]


def fading(s: Scene, size: float) -> None:
    """What stands still gets darker."""
    s.XYZ *= (1 - size * VISIBLE_STEP / 100 * (1 - np.exp(-np.nan_to_num(s.at_s) / 40)))[:, None]


def ladder(low: bool, s: Scene, size: float) -> None:
    """The luminance control ends at a value."""
    least = light.DARK_ROOM_CD_M2 * size if low else 20.0
    most = max(400.0, 2 * least) if low else light.DAYLIGHT_CD_M2 / size
    s.XYZ *= ((least + (most - least) * np.nan_to_num(s.level) / 100) / s.white)[:, None]


def boost(sign: int, s: Scene, size: float) -> None:
    """White has more or less light than the sum of its parts."""
    amount = sign * size * LIMIT_PERCENT / 100
    least = s.rgb.min(axis=1) / np.maximum(s.rgb.max(axis=1), 1e-9)
    s.XYZ *= (1 + amount * (least > 0.99))[:, None]


def pq_off(sign: int, s: Scene, size: float) -> None:
    """Shift PQ mid-tones by `size` times the limit in % of the code."""
    Y = s.XYZ[:, 1]
    V = pq_inverse(Y)
    weight = np.clip((V - 0.15) / 0.1, 0, 1) * np.clip((0.62 - V) / 0.06, 0, 1)
    s.XYZ *= (pq(V + sign * weight * size * CODE_PERCENT / 100) / np.maximum(Y, 1e-9))[:, None]


def clip(s: Scene, size: float) -> None:
    """Highlights end at a luminance."""
    Y = s.XYZ[:, 1]
    s.XYZ *= (np.minimum(Y, MASTERED_CD_M2 / size) / np.maximum(Y, 1e-9))[:, None]


FAULTS: dict[str, tuple[str, Fault]] = {
    **{f"white.{d}": ("white_black", partial(white_off, d)) for d in ("cool", "warm", "green", "magenta")},
    "balance.drift": ("grey_ramp", drift),
    "tone.shadow_dip": ("grey_ramp", partial(tone, 0.15, 0.06, -1, VISIBLE_SHADOW)),
    "tone.shadow_lift": ("grey_ramp", partial(tone, 0.15, 0.06, 1, VISIBLE_SHADOW)),
    "tone.washed": ("grey_ramp", partial(tone, 0.5, 0.15, 1, VISIBLE_COLOUR)),
    "tone.dark_mid": ("grey_ramp", partial(tone, 0.5, 0.15, -1, VISIBLE_COLOUR)),
    "tone.crushed": ("near_black", crushed),
    "tone.clipped": ("near_white", clipped),
    "colour.oversaturated": ("saturation", partial(colour, "chroma", 1)),
    "colour.undersaturated": ("saturation", partial(colour, "chroma", -1)),
    "colour.hue": ("saturation", partial(colour, "hue", 1)),
    "colour.lightness": ("saturation", partial(colour, "lightness", 1)),
    "colour.one_bad": ("swatches", one_bad),
    "gamut.short": ("gamut", partial(gamut, -1)),
    "gamut.wide": ("gamut", partial(gamut, 1)),
    "screen.zone": ("uniformity", partial(zone, False)),
    "screen.tint": ("uniformity", partial(zone, True)),
    "screen.dark_percent": ("uniformity", dark_zone),
    "light.area": ("window_ladder", area),
    "light.time": ("hold", fading),
    "light.min_too_bright": ("brightness_ladder", partial(ladder, True)),
    "light.dim": ("brightness_ladder", partial(ladder, False)),
    "sum.short": ("additivity", partial(boost, -1)),
    "sum.long": ("additivity", partial(boost, 1)),
    "hdr.too_bright": ("pq_tracking", partial(pq_off, 1)),
    "hdr.too_dim": ("pq_tracking", partial(pq_off, -1)),
    "hdr.early_clip": ("pq_tracking", clip),
}
"""By key of a finding the measurement that shows the fault, and how it is planted."""
MEASURED = tuple(dict.fromkeys(m for m, _ in FAULTS.values()))


@cache
def _arranged(measurement: str, target: str):
    return arranged(MEASUREMENTS[measurement].patches(Context(target=TARGETS[target], luminance_levels=LADDER)))


USUAL_NOISE, ANY_NOISE = (0.0004, 0.0012), (0.0004, 0.01)
"""Repeatability of meters, from and to. With more noise than usual no fault of twice its limit is certain."""


def setup(
    seed: int, measurements: tuple[str, ...], fault: Fault | None = None, size: float = 0.0, noisy: bool = False
) -> SetupEvidence:
    """Measure a random display with a noisy meter. fault, size: what is planted in it; noisy: allow meters of up to 1 %."""
    rng = np.random.default_rng([seed, 23])
    hdr = any(m == "pq_tracking" for m in measurements)
    target = TARGETS["p3_d65_pq"] if hdr else TARGETS[str(rng.choice(SDR))]
    white = float(rng.uniform(1500, 4000)) if hdr else float(rng.uniform(220, 400))
    black = white / float(10 ** rng.uniform(3, 4.5))
    meter = MeterLimits(float(np.exp(rng.uniform(*np.log(ANY_NOISE if noisy else USUAL_NOISE)))), 0.002, 0.0005)
    readings, analyses = {}, {}
    for m in measurements:
        plan = _arranged(m, target.key)
        layout = plan.layout
        XYZ = target.XYZ(layout.rgb, Anchor(np.array(white), np.array(black)))
        s = Scene(target, white, black, layout.rgb, layout.level, layout.window, layout.zone, layout.at_s, XYZ)
        if m == "brightness_ladder" and fault is None:
            ladder(True, s, 0.25)
        if fault is not None:
            fault(s, size)
        read = s.XYZ + noise(meter, s.XYZ, 1, rng)[0]
        count = len(plan.order)
        every = np.empty((count, 3))
        every[plan.order] = np.repeat(read, np.diff(np.r_[plan.begin, count]), axis=0)
        below = every[:, 1] < meter.floor
        readings[m] = collect(plan, np.where(below[:, None], 0.0, every), below, meter)
        analyses[m] = analyse(m, readings[m], target)
    return SetupEvidence("1", "Only", target.signal, target, True, analyses, readings.get)


def evidence(*setups: SetupEvidence) -> DisplayEvidence:
    """The evidence of a display with these setups."""
    return DisplayEvidence(setups)
