"""The luminance control by room and purpose: which value gives which luminance of white."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.brightness_ladder import settings_for
from lumenar.core.menu.controls import Control
from lumenar.core.numbers import grouped

ROOMS: Mapping[float, str] = {80.0: "dark room", 120.0: "dim room", 160.0: "lit room", 200.0: "bright room"}
"""The luminances in cd/m2 that every recipe gives, with the room that each suits."""
COARSE = 0.03
"""If the nearest step gives a luminance that differs by more than this share, the recipe says what it gives."""


@dataclass(frozen=True)
class RoomSetting:
    """One luminance of white. wanted_cd_m2, and for which rooms or purposes; setting: the nearest value of the control, at its
    end if the luminance is out of reach; gives_cd_m2: what the display shows there; words: all of it as a reader sees it."""

    wanted_cd_m2: float
    wanted_for: tuple[str, ...]
    setting: float
    gives_cd_m2: float
    in_reach: bool
    words: str


Array = NDArray[np.float64]


def room_settings(
    control: Control, settings: Array, luminance: Array, wanted: Mapping[float, tuple[str, ...]]
) -> tuple[RoomSetting, ...]:
    """The nearest step of a control for each wanted luminance in cd/m2, the darkest first.

    settings (n,) increasing, with the luminance (n,) in cd/m2 that they give; wanted: by luminance what it is for.
    """
    levels = sorted(wanted)
    raw = settings_for(settings, luminance, levels)
    rises = luminance[-1] >= luminance[0]
    found = []
    for L, value in zip(levels, raw.tolist(), strict=True):
        reached = not np.isnan(value)
        if not reached:
            value = float(settings[-1] if (luminance.max() < L) == rises else settings[0])
        step = _stepped(control, value)
        gives = float(np.interp(step, settings, luminance))
        found.append(
            RoomSetting(L, wanted[L], step, gives, reached, _words(control, L, wanted[L], step, gives, reached))
        )
    return tuple(found)


def _stepped(control: Control, value: float) -> float:
    """The step of the control that is nearest to a value. Steps count from its lowest value."""
    step = control.minimum + round((value - control.minimum) / control.step) * control.step
    # A step such as 0.05 leaves 0.15000000000000002 otherwise.
    return round(float(np.clip(step, control.minimum, control.maximum)), 9)


def _words(control: Control, wanted: float, names: tuple[str, ...], setting: float, gives: float, reached: bool) -> str:
    head = f"{grouped(wanted, 0 if wanted == round(wanted) else 1)} cd/m²"
    head += f" ({', '.join(names)})" if names else ""
    light = f"{grouped(gives, 0 if gives >= 20 else 1)} cd/m²"
    said = control.said(setting)
    if not reached:
        end = "most" if gives < wanted else "least"
        return f"{head} is out of reach: {said} gives {light}, the {end} that was measured"
    return f"{head}: {said}" + (f", which gives {light}" if abs(gives / wanted - 1) > COARSE else "")
