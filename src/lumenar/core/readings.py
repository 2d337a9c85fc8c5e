"""Readings as arrays, and the patches they belong to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

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

    @property
    def code(self) -> str:
        """How a person names the patch: grey levels in percent, else the three channels."""
        if self.pattern != "window":
            return "checkerboard, on white" if self.pattern == "checker" else "checkerboard, on black"
        r, g, b = self.rgb
        if r == g == b:
            return {0.0: "black", 1.0: "white"}.get(r, f"grey {100 * r:g} %")
        return "R {:g} G {:g} B {:g}".format(*(round(100 * v, 1) for v in self.rgb))


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


@dataclass(frozen=True)
class MeterLimits:
    """What a meter can do: relative repeatability (one standard deviation, 0.002 is 0.2 %) and floor in cd/m2.

    correction_u: relative standard uncertainty per channel of its correction, shared by all that was read with it;
    correction_key tells corrections apart.
    """

    repeatability: float = 0.002
    floor: float = 0.0
    correction_u: float = 0.0
    correction_key: int = 0


@dataclass(frozen=True)
class Readings:
    """Readings of one setup. rgb (n, 3), XYZ (..., n, 3) corrected and absolute, NaN where there is no number.

    window, level (n,), level NaN outside ladders; zone (n, 4), NaN where the patch has no place; pattern (n,); at_s (n,),
    NaN where time plays no part; time_s (n,) bench time, NaN where unknown; below_floor (n,) marks readings under the
    meter's floor; traces (n) holds what a photodiode or spectroradiometer gave, or is empty where there is nothing such.
    """

    rgb: Array
    XYZ: Array
    window: Array
    level: Array
    zone: Array
    pattern: NDArray[np.str_]
    at_s: Array
    time_s: Array
    below_floor: NDArray[np.bool_]
    traces: tuple[Trace | None, ...]
    meter: MeterLimits

    def __len__(self) -> int:
        return len(self.rgb)

    def take(self, index: NDArray[np.intp] | NDArray[np.bool_]) -> Readings:
        """The readings at an index or mask over n."""
        where = np.flatnonzero(index) if index.dtype == bool else index
        return Readings(
            self.rgb[where],
            self.XYZ[..., where, :],
            self.window[where],
            self.level[where],
            self.zone[where],
            self.pattern[where],
            self.at_s[where],
            self.time_s[where],
            self.below_floor[where],
            tuple(self.traces[i] for i in where.tolist()) if self.traces else (),
            self.meter,
        )

    def with_XYZ(self, XYZ: Array) -> Readings:
        """The same patches with other values (..., n, 3)."""
        return replace(self, XYZ=XYZ)

    @cached_property
    def ordinary(self) -> NDArray[np.bool_]:
        """Mask (n,) of readings of XYZ without level, place, pattern or time, in any window."""
        placeless = np.isnan(self.level) & np.isnan(self.zone[:, 0])
        return np.asarray(placeless & (self.pattern == "window") & np.isnan(self.at_s) & self._of_light, bool)

    @property
    def _of_light(self) -> NDArray[np.bool_]:
        """Mask (n,) of the readings of XYZ."""
        return np.array([t is None for t in self.traces], bool) if self.traces else np.ones(len(self), bool)

    @cached_property
    def plain(self) -> NDArray[np.bool_]:
        """Mask (n,) of the ordinary patches in the setup's usual window, which is the one that most of them have."""
        ordinary = self.ordinary
        if not ordinary.any():
            return ordinary
        windows, counts = np.unique(self.window[ordinary], return_counts=True)
        return np.asarray(ordinary & (self.window == windows[np.argmax(counts)]), bool)

    def same_signal(self, rgb: tuple[float, float, float]) -> NDArray[np.bool_]:
        """Mask (n,) of the readings of one signal, whatever else they are."""
        return np.asarray(np.all(np.abs(self.rgb - np.asarray(rgb)) <= RGB_TOLERANCE, axis=1))

    def find(self, rgb: tuple[float, float, float], levels: bool = False) -> NDArray[np.intp]:
        """Indices of the plain readings of one signal, or of those in ladders."""
        return np.flatnonzero(self.same_signal(rgb) & (self.in_ladder if levels else self.plain))

    @property
    def in_ladder(self) -> NDArray[np.bool_]:
        """Mask (n,) of the readings of XYZ at a value of the luminance control."""
        return np.asarray(~np.isnan(self.level) & self._of_light, bool)


def _medians(values: Array, group: NDArray[np.intp], count: int) -> Array:
    """Median (count, 3) of the finite rows (n, 3) of each group, NaN where none is."""
    merged = np.full((count, 3), np.nan)
    merged[group] = values
    for g in np.flatnonzero(np.bincount(group, minlength=count) > 1):
        rows = values[group == g]
        good = rows[np.isfinite(rows).all(axis=1)]
        merged[g] = np.median(good, axis=0) if len(good) else np.nan
    return merged


def collect(
    patches: Sequence[Patch],
    XYZ: Array,
    below_floor: NDArray[np.bool_],
    meter: MeterLimits,
    time_s: Array | None = None,
    traces: Sequence[Trace | None] | None = None,
) -> Readings:
    """Readings from n patches and their XYZ (n, 3); a patch read more than once becomes its median."""
    n = len(patches)
    rgb = np.array([p.rgb for p in patches], float).reshape(-1, 3)
    level = np.array([np.nan if p.level is None else p.level for p in patches], float)
    window = np.array([p.window for p in patches], float)
    zone = np.array([p.zone or (np.nan,) * 4 for p in patches], float).reshape(-1, 4)
    pattern = np.array([p.pattern for p in patches], np.str_)
    at_s = np.array([np.nan if p.at_s is None else p.at_s for p in patches], float)
    times = np.full(n, np.nan) if time_s is None else np.asarray(time_s, float)
    seen: dict[object, int] = {}
    group = np.array(
        [
            seen.setdefault(
                (*code, p.window, p.background, p.level, p.zone, p.pattern, p.at_s, p.repeat, p.reads), len(seen)
            )
            for p, code in zip(patches, np.round(rgb, 4).tolist(), strict=True)
        ],
        np.intp,
    )
    first = np.zeros(len(seen), np.intp)
    # Written backwards, so that what remains is the first of each group.
    first[group[::-1]] = np.arange(n)[::-1]
    values = _medians(XYZ, group, len(seen)) if len(seen) < n else XYZ
    below = np.ones(len(seen), bool)
    np.logical_and.at(below, group, below_floor)
    given = traces if traces is not None and any(t is not None for t in traces) else None
    held = tuple(given[i] for i in first.tolist()) if given is not None else ()
    return Readings(
        rgb[first], values, window[first], level[first], zone[first], pattern[first], at_s[first], times[first],
        below if n else below_floor, held, meter,
    )  # fmt: skip
