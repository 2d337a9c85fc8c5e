"""Patches, and what a meter reads of them besides XYZ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


Outcome = Literal["ok", "below_floor", "saturated"]


Pattern = Literal["window", "checker", "checker_inverse"]


Reads = Literal["XYZ", "waveform", "spectrum"]


RGB_TOLERANCE = 1e-4
"""Two signals closer than this per channel are the same patch."""


@dataclass(frozen=True)
class Patch:
    """One colour to show: signal rgb 0..1, window as a share of the screen's area, background 0..1 grey signal.

    level: value of the luminance control for ladders; zone: column, row, columns, rows for uniformity; pattern: a
    window, or the 4x4 checkerboard with the meter on a cell that is white (`checker`) or black (`checker_inverse`);
    at_s: how long after its onset it is read, where that matters; repeat: counts the times it is read again on purpose;
    reads: what is read of it, which decides the instrument.
    """

    rgb: tuple[float, float, float]
    window: float = 0.1
    background: float = 0.0
    level: float | None = None
    zone: tuple[int, int, int, int] | None = None
    pattern: Pattern = "window"
    at_s: float | None = None
    repeat: int = 0
    reads: Reads = "XYZ"

    @cached_property
    def _hash(self) -> int:
        own = (
            self.rgb,
            self.window,
            self.background,
            self.level,
            self.zone,
            self.pattern,
            self.at_s,
            self.repeat,
            self.reads,
        )
        return hash(own)

    def __hash__(self) -> int:
        """Kept, as a patch is looked up for every reading and every measurement that it serves."""
        return self._hash

    @property
    def code(self) -> str:
        """How a person names the patch: grey levels in percent, else the three channels."""
        return code_of(self.rgb, self.pattern)


def code_of(rgb: Sequence[float], pattern: str = "window") -> str:
    """How a person names a signal: grey levels in percent, else the three channels."""
    if pattern != "window":
        return "checkerboard, on white" if pattern == "checker" else "checkerboard, on black"
    r, g, b = rgb
    if r == g == b:
        return {0.0: "black", 1.0: "white"}.get(float(r), f"grey {round(100 * r, 2):g} %")
    return "R {:g} G {:g} B {:g}".format(*(round(100 * float(v), 1) for v in rgb))


@dataclass(frozen=True, eq=False)
class Waveform:
    """Light over time: samples (n,) in cd/m2, dark subtracted, `rate_hz` a second."""

    rate_hz: float
    samples: Array


@dataclass(frozen=True, eq=False)
class Spectrum:
    """Spectral radiance (n,) in W/(sr m2 nm) from `start_nm` in steps of `step_nm`."""

    start_nm: float
    step_nm: float
    radiance: Array


Trace = Waveform | Spectrum
