"""Targets: the white, primaries, transfer curve and black that readings are compared with."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import transfer
from lumenar.core.colour.spaces import BT709, BT2020, OPRGB, P3_D65, Space, XYZ_to_Lab, lightness

Array = NDArray[np.float64]
Signal = Literal["sdr", "pq", "hlg"]
Curve = Literal["srgb", "power", "bt1886", "pq", "hlg"]


REFERENCE_CD_M2 = 203.0
"""Luminance of what is plain white in PQ and HLG (Rep. ITU-R BT.2408, HDR reference white)."""


@dataclass(frozen=True)
class Anchor:
    """What the display itself contributes to a target: its measured white and black.

    white, black: luminance in cd/m2, (...), broadcasting against the batch of readings. For PQ, `white` is the
    luminance of code 1 in the same window and dwell. mastering_peak and mastering_black in cd/m2 are the signal's.
    """

    white: Array
    black: Array
    mastering_peak: float = 10000.0
    mastering_black: float = 0.0


@dataclass(frozen=True)
class Target:
    """One target. `space` is the gamut compared with, `container` the primaries that the code values mean. luminance: what
    white is to have in cd/m2, None where any will do."""

    key: str
    title: str
    signal: Signal
    space: Space
    curve: Curve
    gamma: float = 2.2
    black: Literal["measured", "zero"] = "measured"
    knee: Literal["clip", "rolloff"] = "clip"
    container_space: Space | None = field(default=None)
    luminance: float | None = None

    @property
    def container(self) -> Space:
        """The space whose primaries the signal's code values drive."""
        return self.container_space or self.space

    @property
    def to_container(self) -> Array:
        """Matrix (3, 3) from linear light of the space that is compared with to that of the code values' primaries."""
        if self.container_space is None:
            return np.eye(3)
        return np.asarray(self.container_space.inverse @ self.space.matrix, float)

    def reference_Y(self, white_Y: ArrayLike) -> Array:
        """Luminance in cd/m2 (...) of what colours are seen against: the display's white (...), in PQ and HLG what is plain
        white there."""
        Y = np.asarray(white_Y, float)
        return Y if self.signal == "sdr" else np.full(Y.shape, REFERENCE_CD_M2)

    def with_black(self, black: Literal["measured", "zero"]) -> Target:
        """The same target with the other convention for black."""
        return replace(self, black=black)

    def light(self, rgb: ArrayLike, anchor: Anchor) -> Array:
        """Target-linear light in cd/m2 per channel (..., n, 3) for signals rgb (n, 3)."""
        V = np.asarray(rgb, float)
        Yw, Yk = (np.asarray(v, float)[..., None, None] for v in (anchor.white, anchor.black))
        Yk = np.zeros_like(Yk) if self.black == "zero" else Yk
        if self.curve == "bt1886":
            return transfer.bt1886(V, Yw, Yk)
        if self.curve == "pq":
            return self._pq_light(V, Yw, Yk, anchor)
        if self.curve == "hlg":
            return transfer.hlg(V, Yw[..., 0], Yk[..., 0])
        f = transfer.srgb(V) if self.curve == "srgb" else transfer.power(V, self.gamma)
        return np.asarray(Yk + (Yw - Yk) * f, float)

    def _pq_light(self, V: Array, peak: Array, black: Array, anchor: Anchor) -> Array:
        light = transfer.pq(V)
        if self.knee == "clip":
            return np.minimum(light, peak)
        rolled = transfer.bt2390_rolloff(light, peak, black, anchor.mastering_peak, anchor.mastering_black)
        reaches = (peak >= anchor.mastering_peak) & (black <= anchor.mastering_black)
        return np.asarray(np.where(reaches, light, rolled), float)

    def XYZ(self, rgb: ArrayLike, anchor: Anchor) -> Array:
        """Target XYZ in cd/m2 (..., n, 3) for the quantised signals rgb (n, 3) that were shown."""
        return np.asarray(self.light(rgb, anchor) @ self.container.matrix.T, float)

    def Y(self, grey: ArrayLike, anchor: Anchor) -> Array:
        """Target luminance in cd/m2 (..., n) for grey signals (n,)."""
        return self.XYZ(np.repeat(np.asarray(grey, float)[:, None], 3, axis=1), anchor)[..., 1]

    def white_XYZ(self, Y: ArrayLike = 1.0) -> Array:
        """XYZ (..., 3) of the target's white chromaticity at luminance Y (...)."""
        return np.asarray(np.asarray(Y, float)[..., None] * self.space.white_XYZ, float)

    def Lab(self, XYZ: ArrayLike, white_Y: ArrayLike) -> Array:
        """CIELAB of XYZ (..., n, 3) against the target's white at luminance white_Y (...)."""
        return XYZ_to_Lab(XYZ, self.white_XYZ(white_Y)[..., None, :])

    def lightness(self, Y: ArrayLike, white_Y: ArrayLike) -> Array:
        """L* (..., n) of luminances against white_Y (...)."""
        return lightness(Y, np.asarray(white_Y, float)[..., None])


TARGETS: dict[str, Target] = {
    t.key: t
    for t in (
        Target("srgb", "sRGB", "sdr", BT709, "srgb"),
        Target("bt709_bt1886", "BT.709, BT.1886", "sdr", BT709, "bt1886"),
        Target("gamma22", "BT.709, gamma 2.2", "sdr", BT709, "power", 2.2),
        Target("gamma24", "BT.709, gamma 2.4", "sdr", BT709, "power", 2.4),
        Target("p3_d65_g22", "P3 D65, gamma 2.2", "sdr", P3_D65, "power", 2.2),
        Target("display_p3", "P3 D65, sRGB curve", "sdr", P3_D65, "srgb"),
        Target("oprgb", "opRGB", "sdr", OPRGB, "power", transfer.OPRGB_GAMMA),
        Target("bt2020_pq", "BT.2020, PQ", "pq", BT2020, "pq"),
        Target("p3_d65_pq", "P3 D65 in BT.2020, PQ", "pq", P3_D65, "pq", container_space=BT2020),
        Target("bt2020_hlg", "BT.2020, HLG", "hlg", BT2020, "hlg"),
    )
}

DEFAULT_TARGETS: Mapping[str, str] = {"sdr": "bt709_bt1886", "pq": "bt2020_pq", "hlg": "bt2020_hlg"}
"""What is judged by, by signal, where nobody says."""

CUSTOM = "custom"
"""What the key of a target begins with that somebody defined."""
MOST_TITLE = 60


class TargetError(ValueError):
    """A target is unknown or cannot be; the text says why, `place` which part of it is at fault."""

    def __init__(self, text: str, place: str | None = None) -> None:
        super().__init__(text)
        self.place = place


def custom(
    title: str,
    primaries: tuple[tuple[float, float], ...],
    white: tuple[float, float],
    curve: str,
    gamma: float = 2.2,
    black: str = "measured",
    luminance: float | None = None,
) -> Target:
    """A target of one's own for SDR. primaries: xy of red, green and blue; white: xy; curve: srgb, power (with a gamma) or
    bt1886; luminance of white in cd/m2, None where any will do.

    Its key says all of it, so that whoever has the key has the target: a package, a readings file, another machine. TargetError
    where the primaries span no gamut, white lies outside them, or a value makes no sense.
    """
    title = " ".join(title.split())
    if not title or len(title) > MOST_TITLE or any(c in title for c in "|,"):
        raise TargetError(f"a target needs a title of 1 to {MOST_TITLE} characters without commas and bars", "title")
    if any(title.lower() in (t.title.lower(), t.key) for t in TARGETS.values()):
        raise TargetError(f"{title} is the name of a target that ships with Lumenar; choose another", "title")
    if curve not in ("srgb", "power", "bt1886"):
        raise TargetError(f"the curve is srgb, power or bt1886, not {curve!r}", "curve")
    if black not in ("measured", "zero"):
        raise TargetError(f"black is measured or zero, not {black!r}", "black")
    if curve == "power" and not 1 <= gamma <= 4:
        raise TargetError(f"a gamma lies within 1 and 4, not {gamma:g}", "gamma")
    if luminance is not None and not 1 <= luminance <= 10000:
        raise TargetError(f"white has 1 to 10,000 cd/m2, not {luminance:g}", "luminance")
    _spans(primaries, white)
    red, green, blue = ((round(x, 4), round(y, 4)) for x, y in primaries)
    space = Space(title, (red, green, blue), (round(white[0], 4), round(white[1], 4)))
    shape: Curve = "srgb" if curve == "srgb" else "bt1886" if curve == "bt1886" else "power"
    power = round(gamma, 4) if curve == "power" else 2.2
    dark: Literal["measured", "zero"] = "zero" if black == "zero" else "measured"
    made = Target(
        key="",
        title=title,
        signal="sdr",
        space=space,
        curve=shape,
        gamma=power,
        black=dark,
        luminance=None if luminance is None else round(luminance, 4),
    )
    return replace(made, key=_key(made))


def _spans(primaries: tuple[tuple[float, float], ...], white: tuple[float, float]) -> None:
    named = {"red": primaries[0], "green": primaries[1], "blue": primaries[2], "white": white}
    for name, (x, y) in named.items():
        if not (math.isfinite(x) and math.isfinite(y) and 0 <= x <= 1 and 0 < y <= 1 and x + y <= 1):
            raise TargetError(
                f"{name} at x {x:g}, y {y:g} is no chromaticity: x and y lie within 0 and 1, their sum too", name
            )
    (xr, yr), (xg, yg), (xb, yb) = primaries
    area = (xg - xr) * (yb - yr) - (xb - xr) * (yg - yr)
    if abs(area) < 1e-3:
        raise TargetError("red, green and blue lie almost on one line, so they span no gamut", "red")
    # Shares of red, green and blue that add up to white: all of one sign where it lies between them.
    xw, yw = white
    shares = [
        (xg - xw) * (yb - yw) - (xb - xw) * (yg - yw),
        (xb - xw) * (yr - yw) - (xr - xw) * (yb - yw),
        (xr - xw) * (yg - yw) - (xg - xw) * (yr - yw),
    ]
    if min(s / area for s in shares) < 0.01:
        raise TargetError("white lies outside the triangle of red, green and blue, or on its edge", "white")


def _plain(value: float) -> str:
    return f"{value:.4f}".rstrip("0").rstrip(".")


def _key(t: Target) -> str:
    points = [f"{x:.4f} {y:.4f}" for x, y in (*t.space.primaries, t.space.white)]
    curve = f"power {_plain(t.gamma)}" if t.curve == "power" else t.curve
    return "|".join([CUSTOM, t.title, *points, curve, t.black, "any" if t.luminance is None else _plain(t.luminance)])


@lru_cache(maxsize=256)
def resolve(key: str) -> Target:
    """The target that a key names: one that ships with Lumenar, or one that the key itself defines. TargetError where it is
    neither."""
    if key in TARGETS:
        return TARGETS[key]
    parts = key.split("|")
    if parts[0] != CUSTOM:
        raise TargetError(f"unknown target {key!r}; known are {', '.join(TARGETS)}")
    try:
        _, title, *points, curve, black, luminance = parts
        red, green, blue, white = ((float(x), float(y)) for x, y in (p.split(" ") for p in points))
        shape, _, gamma = curve.partition(" ")
        found = custom(
            title=title,
            primaries=(red, green, blue),
            white=white,
            curve=shape,
            gamma=float(gamma) if gamma else 2.2,
            black=black,
            luminance=None if luminance == "any" else float(luminance),
        )
    except TargetError:
        raise
    except ValueError:
        raise TargetError(f"{key[:200]!r} does not define a target") from None
    if found.key != key:
        raise TargetError(f"{key[:200]!r} is not how the target {found.key!r} is written")
    return found


def of_its_own(target: Target) -> tuple[Target, ...]:
    """What is to be known of a target besides those that ship: itself where it is none of them."""
    return () if target.key in TARGETS else (target,)


def candidates(made_for: tuple[Target, ...]) -> tuple[Target, ...]:
    """The targets for which coloured patches may have been made: those that ship with Lumenar, and what is known besides."""
    shipped = tuple(t for t in TARGETS.values() if t.signal != "hlg")
    return (*shipped, *(t for t in dict.fromkeys(made_for) if t not in shipped))
