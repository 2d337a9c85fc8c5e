"""Reading a few patches one after the other, where there is no plan: attempts of a tuning, the proof of a replay."""

from __future__ import annotations

import threading
from collections.abc import Sequence

from lumenar.app.bench.live_view import LiveView
from lumenar.bench.panel_timing import PanelTiming, settling
from lumenar.bench.ports import BelowFloorError, Bench, Cancel
from lumenar.core.readings.patches import Patch, Trace

READ_MOST_S = 600.0


def read_patches(
    bench: Bench,
    live: LiveView,
    patches: Sequence[Patch],
    habits: PanelTiming,
    place: str,
    setup: str,
    stopping: threading.Event,
    traces: list[Trace | None] | None = None,
) -> list[Sequence[float] | None]:
    """XYZ as read of patches, None under the meter's floor; whoever watches sees them. place: what is said beside the patch;
    traces: takes the spectrum or waveform of each patch, None where there is none. InstrumentError where the meter fails or is
    blinded, EndedError where it is stopped."""
    XYZ: list[Sequence[float] | None] = []
    before: Patch | None = None
    for patch in patches:
        live.shown(patch.code, patch.rgb, place, setup)
        bench.source.show(patch)
        bench.clock.sleep(settling(habits, before, patch) + habits.rest_s)
        before = patch
        try:
            reading = bench.read(patch, Cancel(stopping.is_set, READ_MOST_S))
            XYZ.append(reading.XYZ)
            trace = reading.trace
            live.read(patch.code, "ok", live.corrected(reading.XYZ))
        except BelowFloorError:
            XYZ.append(None)
            trace = None
            live.read(patch.code, "below_floor", None)
        if traces is not None:
            traces.append(trace)
        live.tell(throttled=True)
    return XYZ
