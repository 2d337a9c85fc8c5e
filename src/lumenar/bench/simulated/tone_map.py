"""What a simulated display makes of a PQ or HLG signal: absolute light, brought within what it can show."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.simulated.unit_file import ToneMap
from lumenar.core.colour import transfer
from lumenar.core.signals import Metadata, Signal

Array = NDArray[np.float64]


def light(V: Array, signal: Signal, tone_map: ToneMap, peak: float, sent: Metadata | None) -> Array:
    """Light per channel (..., 3) in cd/m2 of the container that signals V (..., 3) become. peak: what the electronics believe
    the panel to reach in cd/m2; sent: the signal's metadata, None where none is sent."""
    V = np.clip(V, 0, 1)
    if signal == "hlg":
        return transfer.hlg(V, peak)
    if tone_map.table is not None:
        x, y = zip(*tone_map.table, strict=True)
        V = np.asarray(np.interp(V, np.asarray(x), np.asarray(y)), float)
    asked = transfer.pq(V)
    if tone_map.kind == "rolloff":
        mastered = mastered_for(tone_map, sent)
        if mastered > peak:
            asked = transfer.bt2390_rolloff(np.minimum(asked, mastered), peak, 0.0, mastered, 0.0)
    return np.asarray(np.minimum(asked, peak), float)


def mastered_for(tone_map: ToneMap, sent: Metadata | None) -> float:
    """The peak in cd/m2 that a display rolls off from: what the metadata say where it obeys them, else its own."""
    if tone_map.metadata == "obeyed" and sent is not None:
        return sent.mastering_cd_m2 or tone_map.mastering_cd_m2
    if tone_map.metadata == "maxcll" and sent is not None:
        return sent.max_cll or sent.mastering_cd_m2 or tone_map.mastering_cd_m2
    return tone_map.mastering_cd_m2


def paled(rgb: Array, amount: float, peak: float) -> Array:
    """Light per channel (..., 3) that loses colour towards the peak in cd/m2: from half of it on, `amount` of its chroma at
    the peak."""
    if not amount:
        return rgb
    top = rgb.max(axis=-1, keepdims=True)
    share = amount * np.clip(2 * top / peak - 1, 0, 1)
    return np.asarray(rgb + share * (top - rgb), float)
