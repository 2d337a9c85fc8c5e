"""Readings as arrays, and the patches they belong to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
T = TypeVar("T")

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
            return {0.0: "black", 1.0: "white"}.get(r, f"grey {round(100 * r, 2):g} %")
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


@dataclass(frozen=True, eq=False)
class Layout:
    """What n patches are, whatever is read of them. rgb (n, 3); window, level (n,), level NaN outside ladders; zone
    (n, 4), NaN where the patch has no place; pattern (n,); at_s (n,), NaN where time plays no part; reads (n,).

    Setups that were measured by the same plan share one layout, and with it all that follows from the patches alone:
    `memo` keeps that.
    """

    rgb: Array
    window: Array
    level: Array
    zone: Array
    pattern: NDArray[np.str_]
    at_s: Array
    reads: NDArray[np.str_]
    _kept: dict[object, Any] = field(default_factory=dict, repr=False)

    def __len__(self) -> int:
        return len(self.rgb)

    def memo(self, key: object, find: Callable[[], T]) -> T:
        """What `find` gives for `key`, found once. The arrays in it are shared: they are not to be written to."""
        if key not in self._kept:
            self._kept[key] = find()
        kept: T = self._kept[key]
        return kept

    def take(self, where: NDArray[np.intp]) -> Layout:
        """The patches at an index; the same index gives the same layout."""

        def taken() -> Layout:
            names = ("rgb", "window", "level", "zone", "pattern", "at_s", "reads")
            return Layout(*(getattr(self, name)[where] for name in names))

        return self.memo(("take", where.tobytes()), taken)

    @cached_property
    def of_light(self) -> NDArray[np.bool_]:
        """Mask (n,) of the patches of which XYZ is read."""
        return np.asarray(self.reads == "XYZ", bool)

    @cached_property
    def ordinary(self) -> NDArray[np.bool_]:
        """Mask (n,) of patches of XYZ without level, place, pattern or time, in any window."""
        placeless = np.isnan(self.level) & np.isnan(self.zone[:, 0])
        return np.asarray(placeless & (self.pattern == "window") & np.isnan(self.at_s) & self.of_light, bool)

    @cached_property
    def plain(self) -> NDArray[np.bool_]:
        """Mask (n,) of the ordinary patches in the setup's usual window, which is the one that most of them have."""
        ordinary = self.ordinary
        if not ordinary.any():
            return ordinary
        windows, counts = np.unique(self.window[ordinary], return_counts=True)
        return np.asarray(ordinary & (self.window == windows[np.argmax(counts)]), bool)

    @cached_property
    def in_ladder(self) -> NDArray[np.bool_]:
        """Mask (n,) of the patches of XYZ at a value of the luminance control."""
        return np.asarray(~np.isnan(self.level) & self.of_light, bool)

    def same_signal(self, rgb: tuple[float, float, float]) -> NDArray[np.bool_]:
        """Mask (n,) of the patches of one signal, whatever else they are."""

        def same() -> NDArray[np.bool_]:
            return np.asarray(np.all(np.abs(self.rgb - np.asarray(rgb)) <= RGB_TOLERANCE, axis=1))

        return self.memo(("same", rgb), same)

    def find(self, rgb: tuple[float, float, float], levels: bool = False) -> NDArray[np.intp]:
        """Indices of the plain patches of one signal, or of those in ladders."""

        def found() -> NDArray[np.intp]:
            return np.flatnonzero(self.same_signal(rgb) & (self.in_ladder if levels else self.plain))

        return self.memo(("find", rgb, levels), found)


@dataclass(frozen=True, eq=False)
class Readings:
    """Readings of one setup. layout: what its n patches are; XYZ (..., n, 3) corrected and absolute, NaN where there is
    no number; time_s (n,) bench time, NaN where unknown; below_floor (n,) marks readings under the meter's floor; traces
    (n) holds what a photodiode or spectroradiometer gave, or is empty where there is nothing such.
    """

    layout: Layout
    XYZ: Array
    time_s: Array
    below_floor: NDArray[np.bool_]
    traces: NDArray[np.object_]
    meter: MeterLimits

    def __len__(self) -> int:
        return len(self.layout)

    @property
    def rgb(self) -> Array:
        """Signals (n, 3)."""
        return self.layout.rgb

    @property
    def window(self) -> Array:
        """Share of the screen's area (n,)."""
        return self.layout.window

    @property
    def level(self) -> Array:
        """Value of the luminance control (n,), NaN outside ladders."""
        return self.layout.level

    @property
    def zone(self) -> Array:
        """Column, row, columns and rows (n, 4), NaN where the patch has no place."""
        return self.layout.zone

    @property
    def pattern(self) -> NDArray[np.str_]:
        """Pattern (n,)."""
        return self.layout.pattern

    @property
    def at_s(self) -> Array:
        """Time after the onset (n,), NaN where it plays no part."""
        return self.layout.at_s

    def take(self, index: NDArray[np.intp] | NDArray[np.bool_]) -> Readings:
        """The readings at an index or mask over n."""
        where: NDArray[np.intp] = np.flatnonzero(index) if index.dtype == bool else index.astype(np.intp, copy=False)
        return Readings(
            self.layout.take(where),
            self.XYZ[..., where, :],
            self.time_s[where],
            self.below_floor[where],
            self.traces[where] if len(self.traces) else self.traces,
            self.meter,
        )

    def with_XYZ(self, XYZ: Array) -> Readings:
        """The same patches with other values (..., n, 3)."""
        return replace(self, XYZ=XYZ)

    @property
    def ordinary(self) -> NDArray[np.bool_]:
        """`Layout.ordinary`."""
        return self.layout.ordinary

    @property
    def plain(self) -> NDArray[np.bool_]:
        """`Layout.plain`."""
        return self.layout.plain

    @property
    def in_ladder(self) -> NDArray[np.bool_]:
        """`Layout.in_ladder`."""
        return self.layout.in_ladder

    def same_signal(self, rgb: tuple[float, float, float]) -> NDArray[np.bool_]:
        """`Layout.same_signal`."""
        return self.layout.same_signal(rgb)

    def find(self, rgb: tuple[float, float, float], levels: bool = False) -> NDArray[np.intp]:
        """`Layout.find`."""
        return self.layout.find(rgb, levels)


NO_TRACES: NDArray[np.object_] = np.empty(0, object)


def trace_array(traces: Sequence[Trace | None]) -> NDArray[np.object_]:
    """Traces as an array (n,)."""
    held = np.empty(len(traces), object)
    held[:] = traces
    return held


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
    reads = np.array([p.reads for p in patches], np.str_)
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
    given = traces if traces is not None and any(t is not None for t in traces) else ()
    held = trace_array(given)[first] if given else NO_TRACES
    layout = Layout(rgb[first], window[first], level[first], zone[first], pattern[first], at_s[first], reads[first])
    return Readings(layout, values, times[first], below if n else below_floor, held, meter)
