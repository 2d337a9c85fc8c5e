"""Window ladder: luminance of white against the lit share of the screen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import WHITE, Array, Column, Context, Figures, Measurement, MissingPatchError
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target
from lumenar.core.uncertainty import pooled

WINDOWS = (0.01, 0.02, 0.05, 0.1, 0.18, 0.25, 0.5, 0.75, 1.0)


def patches(context: Context) -> list[Patch]:
    """White in nine windows on black."""
    return [Patch(WHITE, w) for w in WINDOWS]


def select(readings: Readings) -> NDArray[np.intp]:
    """White windows without level, place, pattern or time, smallest first."""
    ordinary = np.isnan(readings.level) & np.isnan(readings.zone[:, 0]) & (readings.pattern == "window")
    ordinary &= readings.layout.of_light & ~readings.below_floor
    index = np.flatnonzero(ordinary & np.isnan(readings.at_s) & readings.same_signal(WHITE))
    return index[np.argsort(readings.window[index], kind="stable")]


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the ladder (docs/figures.md); the target plays no part. Raises MissingPatchError under 3 windows.

    Steadiness is 100 x integral of Y d ln a / (Ymax ln(a_max / a_min)) by trapezoid over the logarithm of the area.
    """
    a, Y = readings.window, readings.XYZ[..., 1]
    if len(np.unique(a)) < 3:
        raise MissingPatchError(f"a window ladder needs white in 3 or more windows, here are {len(np.unique(a))}")
    top, lowest = Y.max(axis=-1), Y.min(axis=-1)
    area = (0.5 * (Y[..., 1:] + Y[..., :-1]) * np.diff(np.log(a))).sum(axis=-1)
    return {
        "windows_percent": 100 * a,
        "luminance_cd_m2": Y,
        "max_cd_m2": top,
        "full_screen_cd_m2": Y[..., -1],
        "drop_percent": 100 * (1 - lowest / top),
        "steadiness_percent": 100 * area / (top * np.log(a[-1] / a[0])),
    }


def _even(readings: Readings, target: Target) -> Array:
    """As bright in every window as in the brightest."""
    bright = readings.XYZ[int(np.argmax(readings.XYZ[:, 1]))]
    return np.repeat(bright[None], len(readings), axis=0)


def _alike(readings: Readings) -> Array:
    """Windows next to one another as bright as their mean, where noise can not tell them apart."""
    group = pooled(readings.XYZ[:, 1], readings.meter.u(readings.XYZ)[:, 1])
    return np.stack([readings.XYZ[group == g].mean(axis=0) for g in group])


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    return (
        f"Highest {f['max_cd_m2']:.3g} cd/m², whole screen {f['full_screen_cd_m2']:.3g}; drops by {f['drop_percent']:.1f} %, "
        f"steadiness {f['steadiness_percent']:.0f} %."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Luminance against the logarithm of the lit area."""
    series = tuple(
        Series(
            s.name, "measured", joined(np.log10(s.figures["windows_percent"]), s.figures["luminance_cd_m2"]), i, True
        )
        for i, s in enumerate(shown)
    )
    _, high = around(np.concatenate([s.figures["luminance_cd_m2"] for s in shown]), least=(0, 10))
    f = shown[0].figures
    return [
        Chart(
            key="windows",
            kind="lines",
            title="Luminance by lit area",
            note="white in cd/m²; area in % of the screen, logarithmic",
            headline=f"drop {f['drop_percent']:.1f} %",
            x=Axis("area", "%", 0, 2, 0, log=True),
            y=Axis("white", "cd/m²", 0, high, 0),
            series=series,
            table=Table(("Area, %", "cd/m²"), (0, 1), Table.rows_of(f["windows_percent"], f["luminance_cd_m2"])),
        )
    ]


MEASUREMENT = Measurement(
    key="window_ladder",
    title="Window size",
    group="Light",
    signals=("sdr",),
    columns=(Column("drop_percent", "Window", "drop %", decimals=1),),
    luminance_alone=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    ideal=_even,
    alike=_alike,
    picked=("drop_percent", "max_cd_m2", "steadiness_percent"),
    floors=("drop_percent",),
    short="Window",
    order=3,
)
