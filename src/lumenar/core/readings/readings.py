"""Readings as arrays, and the patches they belong to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import RGB_TOLERANCE, Array, Trace, code_of
from lumenar.core.targets import Target

T = TypeVar("T")


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
    made_for: tuple[Target, ...] = ()
    """Targets of one's own for which the patches may have been made, beside those that ship with Lumenar."""
    _kept: dict[object, Any] = field(default_factory=dict, repr=False)

    def __len__(self) -> int:
        return len(self.rgb)

    def code(self, i: int) -> str:
        """How a person names a patch."""
        return code_of(self.rgb[i], str(self.pattern[i]))

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
            return replace(self, **{name: getattr(self, name)[where] for name in names}, _kept={})

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
            same = self.same_signal(rgb)
            if levels:
                return np.flatnonzero(same & self.in_ladder)
            usual = np.flatnonzero(same & self.plain)
            # Black has no window of its own, so that of another is as good.
            return usual if len(usual) or any(rgb) else np.flatnonzero(same & self.ordinary)

        return self.memo(("find", rgb, levels), found)


@dataclass(frozen=True, eq=False)
class Readings:
    """Readings of one setup. layout: what its n patches are; XYZ (..., n, 3) corrected and absolute, NaN where there is
    no number; time_s (n,) bench time, NaN where unknown; below_floor (n,) marks readings under the meter's floor, dim (n,)
    those too dark for a chromaticity; traces (n) holds what a photodiode or spectroradiometer gave, or is empty where there
    is nothing such. drift (n,): by how much the display's light may have wandered from that of a rested panel when each was
    read, one relative standard deviation, or none, and shared_drift (n,) the part of it that moves all of them alike; that, and
    the drift of zones, is negative where it makes them dimmer; cold: by how much all of it may be off since the display was
    not known to be warm.
    """

    layout: Layout
    XYZ: Array
    time_s: Array
    below_floor: NDArray[np.bool_]
    traces: NDArray[np.object_]
    meter: MeterLimits
    dim: NDArray[np.bool_]
    drift: Array | None = None
    cold: float = 0.0
    shared_drift: Array | None = None
    to_come: float = 0.0
    """The share of a warm display's light that was most likely still to come; `cold` is its uncertainty then."""

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
            layout=self.layout.take(where),
            XYZ=self.XYZ[..., where, :],
            time_s=self.time_s[where],
            below_floor=self.below_floor[where],
            traces=self.traces[where] if len(self.traces) else self.traces,
            meter=self.meter,
            dim=self.dim[where],
            drift=None if self.drift is None else self.drift[where],
            cold=self.cold,
            shared_drift=None if self.shared_drift is None else self.shared_drift[where],
            to_come=self.to_come,
        )

    def lost(self, index: NDArray[np.intp] | NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Mask of those readings at an index that are no number though they should be one: saturated, not under the
        floor."""
        finite = np.isfinite(self.XYZ[..., index, 1])
        known = finite if finite.ndim == 1 else finite.any(axis=tuple(range(finite.ndim - 1)))
        return np.asarray(~known & ~self.below_floor[index])

    def watched(self, rested_Y: float | None, whites: Sequence[tuple[float, float]]) -> Readings:
        """These readings with the drift that the display's white shows: rested_Y its luminance after a rest, whites the bench
        time and luminance of others, all as read.

        Each reading may be off by as much as the whites before and after it are, less what noise makes of them: by their
        square, that of the nearer one counting for more, for plain patches, among which the bench rests the panel; by the
        larger one for those that light more of the screen, or that stand at a value of the luminance control; by the one before
        for those that are held.
        Of that, what the whites on both sides have in common is common to all readings: it makes them dimmer, and bends no
        curve. That part keeps its sign, and so does what
        zones may be off by, which are read one soon after the other.
        """
        if rested_Y is None or rested_Y <= 0 or not len(whites):
            return self
        t, Y, variance = _gathered(sorted(whites))
        # What noise makes of the square of a difference, taken out of it.
        noise = self.meter.repeatability**2 * (variance + MEDIAN_OF_THREE)
        off = Y / rested_Y - 1
        time_s = np.where(np.isfinite(self.time_s), self.time_s, t[-1])
        at = np.searchsorted(t, time_s)
        sides = np.stack([np.clip(at - 1, 0, len(t) - 1), np.clip(at, 0, len(t) - 1)])
        squares = (off**2 - noise)[sides]
        # Cut off at nothing last, so that noise is taken out of what is added up rather than left in it.
        usual = np.maximum(np.interp(time_s, t, off**2 - noise), 0)
        total = np.where(self.plain, usual, np.maximum(usual, squares.max(axis=0) / 2))
        # Windows are compared with one another alone: what is no more than noise must not make them wander.
        # Told by the usual window itself: which one most patches have depends on what else is at hand.
        windows = self.ordinary & (np.abs(self.window - USUAL_WINDOW) > 1e-9)
        total = np.where(windows, np.maximum(total - 2 * np.interp(time_s, t, noise), 0), total)
        # White is dimmer after a picture was held since it was held, which is no error of its readings: only what came before is.
        before = np.where(at > 0, np.maximum(squares[0], 0), 0.0)
        total = np.where(np.isfinite(self.at_s), before, total)
        alike = off[sides[0]] * off[sides[1]] > 0
        common = np.where(alike, np.clip(squares.min(axis=0), 0, total), 0)
        way = np.sign(off)[np.where(squares[0] >= squares[1], *sides)]
        placed = ~np.isnan(self.layout.zone[:, 0])
        alone = np.sqrt(total - common) * np.where(placed, way, 1.0)
        return replace(self, drift=alone, shared_drift=np.sqrt(common) * way)

    def with_XYZ(self, XYZ: Array) -> Readings:
        """The same patches with other values (..., n, 3)."""
        return replace(self, XYZ=XYZ)

    def with_black(self, XYZ: Array) -> Readings:
        """These readings (n, 3) and one of black (3,) in the usual window, where none was made."""
        usual = np.flatnonzero(self.plain)
        like = int(usual[0]) if len(usual) else 0
        add = Layout(
            rgb=np.zeros((1, 3)),
            window=self.window[[like]],
            level=np.array([np.nan]),
            zone=np.full((1, 4), np.nan),
            pattern=np.array(["window"]),
            at_s=np.array([np.nan]),
            reads=np.array(["XYZ"]),
        )

        def joined(name: str) -> Any:
            return np.concatenate([getattr(self.layout, name), getattr(add, name)])

        layout = Layout(
            rgb=joined("rgb"),
            window=joined("window"),
            level=joined("level"),
            zone=joined("zone"),
            pattern=joined("pattern"),
            at_s=joined("at_s"),
            reads=joined("reads"),
        )
        no = np.array([False])
        return Readings(
            layout=layout,
            XYZ=np.concatenate([self.XYZ, XYZ[None]]),
            time_s=np.append(self.time_s, np.nan),
            below_floor=np.concatenate([self.below_floor, no]),
            traces=self.traces if not len(self.traces) else trace_array([*self.traces, None]),
            meter=self.meter,
            dim=np.concatenate([self.dim, no]),
            drift=None if self.drift is None else np.append(self.drift, 0.0),
            cold=self.cold,
            shared_drift=None if self.shared_drift is None else np.append(self.shared_drift, 0.0),
            to_come=self.to_come,
        )

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


USUAL_WINDOW = 0.1
"""Share of the screen's area that patches have where nothing else is said."""
MEDIAN_OF_THREE = 0.449
"""Variance of the median of three readings in that of one (order statistics of the normal distribution); the rested white is
such."""
ONE_WHITE_S = 15.0
"""Whites read within so many seconds count as one, their median."""


def _gathered(whites: Sequence[tuple[float, float]]) -> tuple[Array, Array, Array]:
    """Bench time and median luminance (k,) of whites (time, luminance) in order of time, those read in a row as one, and the
    variance of each in that of a single reading. A median, since a single one of them may be odd."""
    t, Y = np.array(whites, float).T
    group = np.zeros(len(t), np.intp)
    start = t[0]
    for i in range(1, len(t)):
        new = t[i] - start > ONE_WHITE_S
        group[i] = group[i - 1] + new
        start = t[i] if new else start
    count = np.bincount(group)
    ends = np.cumsum(count)
    middle = np.array([np.median(Y[e - c : e]) for c, e in zip(count, ends, strict=True)])
    return np.bincount(group, t) / count, middle, np.where(count < 3, 1 / count, 3 * MEDIAN_OF_THREE / count)


COLD = 0.015
"""How far the light of a display may be from that of a warm one while nobody knows it to be warm: most start 1 to 3 % off, and
are read some minutes later. One relative standard deviation."""
BRIGHT = 50
"""So many times its noise a reading is far from black."""


def judged(
    XYZ: Array, begin: NDArray[np.intp], flagged: NDArray[np.bool_], of_light: NDArray[np.bool_], meter: MeterLimits
) -> tuple[Array, NDArray[np.bool_], NDArray[np.bool_]]:
    """XYZ (n, 3), `Readings.below_floor` and `Readings.dim` (n,) of n patches from corrected readings (m, 3), m >= n, that
    stand patch by patch: begin (n,) is where each patch's begin; flagged (m,): the meter said that they are under its floor;
    of_light (n,): whether XYZ is read of the patch.

    A patch read more than once counts as its median. A reading is under the floor where the meter said so or its luminance
    is less than `MeterLimits.limit`; it has a chromaticity where X, Y and Z are positive and Y is three times its noise. Of a
    bright reading a component may be negative: the filters of a meter, or its correction, can leave a saturated colour a little
    less than nothing of Z. `implausible` tells which readings are beyond that.
    """
    values, below = XYZ[begin], flagged[begin].copy()
    ends = np.append(begin[1:], len(XYZ))
    sizes = ends - begin
    for size in np.unique(sizes[sizes > 1]).tolist():
        where = np.flatnonzero(sizes == size)
        index = begin[where][:, None] + np.arange(size)
        rows = XYZ[index]
        # The middle one or two of those that are numbers; what is none is sorted behind them.
        ordered = np.sort(np.where(np.asarray(np.isfinite(rows).all(axis=2))[..., None], rows, np.inf), axis=1)
        known = np.asarray(np.isfinite(ordered[..., 0]).sum(axis=1), np.intp)
        pick = np.stack([np.maximum(known - 1, 0) // 2, np.minimum(known // 2, size - 1)])
        low, high = (np.take_along_axis(ordered, k[:, None, None], axis=1)[:, 0] for k in pick)
        values[where] = np.where((known > 0)[:, None], (low + high) / 2, np.nan)
        below[where] = flagged[index].all(axis=1)
    with np.errstate(invalid="ignore"):
        below |= of_light & (values[:, 1] < meter.limit)
        Y, u = values[:, 1], meter.u(values[:, 1])
        bright = (values.sum(axis=1) > 0) & (BRIGHT * u <= Y)
        positive = (values > 0).all(axis=1) | bright
        dim = of_light & ~(positive & (3 * u <= Y))
    values[below] = np.nan
    return values, below, dim | below


IMPLAUSIBLE = 0.01
"""A chromaticity coordinate x, y or z may be this far below nothing before the reading is flagged."""


def implausible(XYZ: ArrayLike) -> NDArray[np.bool_]:
    """Mask (...) of readings XYZ (..., 3) of a chromaticity that no light has: one of x, y and z is below -0.01. A meter's
    filters and correction leave saturated colours within a few thousandths of nothing. NaN is not flagged."""
    values = np.asarray(XYZ, float)
    total = values.sum(axis=-1)
    return np.asarray((total > 0) & (values.min(axis=-1) < -IMPLAUSIBLE * total), bool)
