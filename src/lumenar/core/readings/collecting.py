"""Readings from patches and their light."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.correction import corrected
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Array, Patch, Trace
from lumenar.core.readings.readings import NO_TRACES, Layout, Readings, judged, trace_array
from lumenar.core.targets import Target


@dataclass(frozen=True)
class Arranged:
    """Patches (n) as they were read, by what they are: layout of those that differ; order (n,) brings readings of the same
    patch together, and `begin` says where each patch begins in it."""

    layout: Layout
    order: NDArray[np.intp]
    begin: NDArray[np.intp]


def arranged(patches: Sequence[Patch], made_for: tuple[Target, ...] = ()) -> Arranged:
    """Patches arranged for `collect`. Setups that were read by the same list can share it, and with it all that follows from
    the patches alone. made_for: targets of one's own that the patches may be made for."""
    rgb = np.array([p.rgb for p in patches], float).reshape(-1, 3)
    level = np.array([np.nan if p.level is None else p.level for p in patches], float)
    window = np.array([p.window for p in patches], float)
    zone = np.array([p.zone or (np.nan,) * 4 for p in patches], float).reshape(-1, 4)
    pattern = np.array([p.pattern for p in patches], np.str_)
    at_s = np.array([np.nan if p.at_s is None else p.at_s for p in patches], float)
    reads = np.array([p.reads for p in patches], np.str_)
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
    order = np.argsort(group, kind="stable")
    begin = np.flatnonzero(np.diff(group[order], prepend=-1))
    first = order[begin]
    layout = Layout(
        rgb=rgb[first],
        window=window[first],
        level=level[first],
        zone=zone[first],
        pattern=pattern[first],
        at_s=at_s[first],
        reads=reads[first],
        made_for=made_for,
    )
    return Arranged(layout, order, begin)


def collect(
    patches: Sequence[Patch] | Arranged,
    XYZ: Array,
    below_floor: NDArray[np.bool_],
    meter: MeterLimits,
    time_s: Array | None = None,
    traces: Sequence[Trace | None] | None = None,
    matrices: Sequence[ArrayLike | None] | None = None,
    cold: float = 0.0,
    made_for: tuple[Target, ...] = (),
    to_come: float = 0.0,
) -> Readings:
    """Readings from n patches, as they are or arranged before, and their XYZ (n, 3) as read; a patch read more than once
    becomes its median.

    below_floor (n,): the meter said that the light was under its floor. matrices: the correction (3, 3) of each, None where
    there is none; they apply before anything is judged. made_for: targets of one's own that the patches may be made for.
    """
    a = patches if isinstance(patches, Arranged) else arranged(patches, made_for)
    layout, order, begin = a.layout, a.order, a.begin
    first = order[begin]
    times = np.full(len(order), np.nan) if time_s is None else np.asarray(time_s, float)
    values = np.array(XYZ, float).reshape(-1, 3)
    for matrix in {id(m): m for m in matrices or () if m is not None}.values():
        by = np.array([m is matrix for m in matrices or ()])
        values[by] = corrected(values[by], matrix)
    merged, below, dim = judged(values[order], begin, np.asarray(below_floor, bool)[order], layout.of_light, meter)
    given = traces if traces is not None and any(t is not None for t in traces) else ()
    held = trace_array(given)[first] if given else NO_TRACES
    return Readings(
        layout=layout,
        XYZ=merged,
        time_s=times[first],
        below_floor=below,
        traces=held,
        meter=meter,
        dim=dim,
        drift=None,
        cold=cold,
        shared_drift=None,
        to_come=to_come,
    )
