"""Near white: whether the brightest steps can be told apart, and their tint."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import (
    HALF_CODE,
    WHITE,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    anchor_of,
    greys,
    one,
    uv,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

LEVELS = tuple(v / 100 for v in range(90, 101))
OVER = tuple(v / 100 for v in range(101, 110))
"""Codes above white that limited range has, up to 109 %."""
LOST_UNDER = 0.25
"""Share of its target's rise under which a step is as good as gone."""
UNDER = (-0.06, -0.04, -0.02)
"""Codes below black that limited range has."""


def patches(context: Context) -> list[Patch]:
    """Grey from 90 to 100 % in steps of one; in limited range the codes above white and below black too, with black."""
    beyond = (*OVER, *UNDER, 0.0) if context.limited else ()
    return greys((*LEVELS, *beyond), context)


def select(readings: Readings) -> NDArray[np.intp]:
    """The brightest levels and what lies beyond both ends, plain patches only."""
    rgb = readings.rgb
    v = rgb[:, 1]
    ends = (v >= LEVELS[0] - HALF_CODE) | (v < -RGB_TOLERANCE) | (np.abs(v) <= RGB_TOLERANCE)
    index = np.flatnonzero(ends & (np.ptp(rgb, axis=1) <= RGB_TOLERANCE) & readings.plain)
    return index[np.argsort(v[index], kind="stable")]


def _beyond(readings: Readings) -> Figures:
    """Steps above white that still rise, and codes below black that are darker than black; none where not read."""
    v, Y, meter = readings.rgb[:, 1], readings.XYZ[..., 1], readings.meter
    over = np.flatnonzero(v > 0.9999)
    figures: Figures = {}
    if len(over) > 2:
        over = over[np.argsort(v[over])]
        rise = np.diff(Y[..., over], axis=-1)
        u = np.hypot(meter.u(Y[..., over[:-1]]), meter.u(Y[..., over[1:]]))
        figures["above_white_steps"] = (rise > 3 * u).sum(axis=-1).astype(float)
        figures["headroom_percent"] = 100 * (Y[..., over[-1]] / Y[..., over[0]] - 1)
    under, black = np.flatnonzero(v < -1e-6), np.flatnonzero(np.abs(v) <= 1e-6)
    if len(under) and len(black) and not readings.below_floor[black[0]]:
        dark = np.where(readings.below_floor[under], 0.0, Y[..., under])
        u = np.sqrt(2) * meter.u(Y[..., black[0]])
        figures["below_black_steps"] = (dark < Y[..., black[0], None] - 3 * u[..., None]).sum(axis=-1).astype(float)
    return figures


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures near white (docs/figures.md). Raises MissingPatchError without white or under four levels.

    A step is lost where the target rises by more than three standard uncertainties of the difference, and the reading by
    two of them or a quarter of the target's rise at most.
    """
    anchor = anchor_of(readings)
    beyond = _beyond(readings)
    white = one(readings, WHITE, "100 % white")
    signal = readings.rgb[:, 1]
    index = np.flatnonzero((signal > 0.85) & (signal < 1.0001))
    readings = readings.take(index[np.argsort(signal[index])])
    v = readings.rgb[:, 1]
    if len(v) < 4:
        raise MissingPatchError(f"near white needs at least 4 levels from 90 %, these readings have {len(v)}")
    Y = readings.XYZ[..., 1]
    want = np.broadcast_to(target.Y(v, anchor), Y.shape)
    u = np.hypot(readings.meter.u(Y[..., 1:]), readings.meter.u(Y[..., :-1]))
    decidable = np.diff(want, axis=-1) > 3 * u
    kept = np.maximum(2 * u, LOST_UNDER * np.diff(want, axis=-1))
    lost = decidable & (np.diff(Y, axis=-1) <= kept)
    return beyond | {
        "levels_percent": 100 * v,
        "luminance_cd_m2": Y,
        "target_cd_m2": want,
        "relative": Y / anchor.white[..., None],
        "target_relative": want / anchor.white[..., None],
        "step_lost": np.concatenate([np.zeros((*Y.shape[:-1], 1)), lost], axis=-1),
        "lost_steps": lost.sum(axis=-1).astype(float),
        "undecided_steps": (~decidable).sum(axis=-1).astype(float),
        "tint_duv": np.linalg.norm(uv(readings.XYZ) - uv(white)[..., None, :], axis=-1),
    }


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    lost, unknown = int(float(str(f["lost_steps"]))), int(float(str(f["undecided_steps"])))
    text = "Every step up to white can be told apart" if not lost else f"{lost} of the brightest steps are lost"
    text += f"; {unknown} are too close for this meter." if unknown else "."
    above, below = f.get("above_white_steps"), f.get("below_black_steps")
    if above is not None:
        kept = f"{above:.0f} steps above white are kept" if above else "What lies above white is cut"
        text += f" {kept}" + ("; codes below black are darker than black." if below else ".")
    if lost:
        text += " Lower the contrast until every step is back."
    return text


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """The brightest levels in % of white against target."""
    f = shown[0].figures
    x = f["levels_percent"]
    series = [Series(shown[0].target.title, "target", joined(x, 100 * f["target_relative"]))]
    for i, s in enumerate(shown):
        series.append(
            Series(s.name, "measured", joined(s.figures["levels_percent"], 100 * s.figures["relative"]), i, True)
        )
    values = np.concatenate([np.r_[s.figures["relative"], s.figures["target_relative"]] for s in shown])
    low, high = around(100 * values, least=(80, 100))
    columns = ("levels_percent", "luminance_cd_m2", "target_cd_m2", "step_lost", "tint_duv")
    lost = int(f["lost_steps"])
    return [
        Chart(
            key="near_white",
            kind="lines",
            title="Near white",
            note="% of white",
            headline="every step kept" if not lost else f"{lost} steps lost",
            x=Axis("signal", "%", 90, 100, 0),
            y=Axis("luminance", "%", low, high, 0),
            series=tuple(series),
            table=Table(
                ("Signal, %", "cd/m²", "Target, cd/m²", "Step lost", "Tint, Δu′v′"),
                (0, 1, 1, 0, 4),
                Table.rows_of(*(f[k] for k in columns)),
            ),
        )
    ]


MEASUREMENT = Measurement(
    key="near_white",
    title="Near white",
    group="Tone",
    signals=("sdr",),
    columns=(Column("lost_steps", "Near white", "steps lost", decimals=0),),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    short="Near white",
    order=3,
)
