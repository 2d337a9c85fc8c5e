"""Targets: the white, primaries, transfer curve and black that readings are compared with."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import transfer
from lumenar.core.colour.spaces import BT709, BT2020, OPRGB, P3_D65, Space, XYZ_to_Lab, lightness

Array = NDArray[np.float64]
Signal = Literal["sdr", "pq", "hlg"]
Curve = Literal["srgb", "power", "bt1886", "pq", "hlg"]


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
    """One target. `space` is the gamut compared with, `container` the primaries that the code values mean."""

    key: str
    title: str
    signal: Signal
    space: Space
    curve: Curve
    gamma: float = 2.2
    black: Literal["measured", "zero"] = "measured"
    knee: Literal["clip", "rolloff"] = "clip"
    container_space: Space | None = field(default=None)

    @property
    def container(self) -> Space:
        """The space whose primaries the signal's code values drive."""
        return self.container_space or self.space

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
            return transfer.hlg(V, float(np.squeeze(Yw)), float(np.squeeze(Yk)))
        f = transfer.srgb(V) if self.curve == "srgb" else transfer.power(V, self.gamma)
        return np.asarray(Yk + (Yw - Yk) * f, float)

    def _pq_light(self, V: Array, peak: Array, black: Array, anchor: Anchor) -> Array:
        light = transfer.pq(V)
        if self.knee == "clip":
            return np.minimum(light, peak)
        Lp, Lk = float(np.squeeze(peak)), float(np.squeeze(black))
        if Lp >= anchor.mastering_peak and Lk <= anchor.mastering_black:
            return light
        return transfer.bt2390_rolloff(light, Lp, Lk, anchor.mastering_peak, anchor.mastering_black)

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
