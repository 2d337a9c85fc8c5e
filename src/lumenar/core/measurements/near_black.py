"""Near black: which of the darkest steps can be seen, and how far off they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import (
    WHITE,
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    anchor_of,
    black_XYZ,
    outside_ladder,
    uv,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.readings import Patch, Readings
from lumenar.core.targets import Target

LEVELS = tuple(v / 100 for v in (0, 1, 2, 3, 4, 5, 6, 8, 10))
FINE = tuple(v / 255 for v in range(1, 17))
"""The 8-bit codes 1 to 16, for a closer look."""


def patches(context: Context) -> list[Patch]:
    """The darkest levels, and the white that they are judged against."""
    levels = sorted({*LEVELS, *(FINE if context.fine_black else ())})
    return [*(Patch((v, v, v), context.window) for v in levels), Patch(WHITE, context.window)]


def select(readings: Readings) -> NDArray[np.intp]:
    """The darkest levels and white, plain patches only."""
    return outside_ladder(readings, [*((v, v, v) for v in sorted({*LEVELS, *FINE})), WHITE])


def _u(Y: Array, readings: Readings) -> Array:
    return np.maximum(readings.meter.repeatability * np.abs(Y), readings.meter.floor / 10)


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures near black (docs/figures.md). Raises MissingPatchError without white or under four dark levels.

    A level is crushed where the target stands out of black by more than three standard uncertainties and the reading by
    two at most; it is undecided where the target itself does not stand out.
    """
    anchor = anchor_of(readings)
    index = np.flatnonzero(readings.rgb[:, 1] < 0.5)
    index = index[np.argsort(readings.rgb[index, 1])]
    dark = readings.take(index)
    v = dark.rgb[:, 1]
    if len(v) < 4:
        raise MissingPatchError(f"near black needs at least 4 levels up to 10 %, these readings have {len(v)}")
    below = dark.below_floor
    Y = np.where(below, np.nan, dark.XYZ[..., 1])
    shown = np.where(below, 0.0, dark.XYZ[..., 1])
    K = np.maximum(black_XYZ(readings)[..., 1], 0)[..., None]
    want = np.broadcast_to(target.Y(v, anchor), Y.shape)
    error = target.lightness(Y, anchor.white) - target.lightness(want, anchor.white)
    above = v > 1e-6
    u = np.hypot(_u(shown, readings), _u(K, readings))
    u_want = np.hypot(_u(want, readings), _u(K, readings))
    expected = above & (want - K > 3 * u_want) & (want > readings.meter.floor)
    seen = above & (shown - K > 2 * u) & ~below
    crushed = expected & ~seen
    first = np.where(seen.any(axis=-1), 100 * v[np.argmax(seen, axis=-1)], np.nan)
    lit = np.where((seen & (v >= 0.02))[..., None], dark.XYZ, np.nan)
    tint = np.linalg.norm(uv(lit) - uv(target.white_XYZ()), axis=-1)
    with np.errstate(invalid="ignore"):
        rms = np.sqrt(np.nanmean(np.where(above, error, np.nan) ** 2, axis=-1))
    return {
        "levels_percent": 100 * v,
        "luminance_cd_m2": Y,
        "target_cd_m2": want,
        "error_lstar": error,
        "error_rms_lstar": rms,
        "first_visible_percent": first,
        "crushed": crushed.astype(float),
        "crushed_steps": crushed.sum(axis=-1).astype(float),
        "black_lstar": target.lightness(K, anchor.white)[..., 0],
        "tint_duv": tint,
        "tint_max_duv": np.nanmax(tint, axis=-1) if np.isfinite(tint).any() else np.full(anchor.white.shape, np.nan),
    }


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    lost = int(float(str(f["crushed_steps"])))
    steps = "no step is crushed" if not lost else f"{lost} {'step is' if lost == 1 else 'steps are'} crushed"
    return (
        f"Error {f['error_rms_lstar']:.1f} L* rms over the darkest tenth; the first step seen is "
        f"{f['first_visible_percent']:.0f} %; {steps}."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Luminance of the darkest levels against target, and the error in L*."""
    f = shown[0].figures
    x = f["levels_percent"]
    tops = np.concatenate([np.r_[s.figures["luminance_cd_m2"], s.figures["target_cd_m2"]] for s in shown])
    series = [Series(shown[0].target.title, "target", joined(x, f["target_cd_m2"]))]
    errors = []
    for i, s in enumerate(shown):
        level = s.figures["levels_percent"]
        series.append(Series(s.name, "measured", joined(level, s.figures["luminance_cd_m2"]), i, True))
        errors.append(Series(s.name, "measured", joined(level, s.figures["error_lstar"]), i, True))
    low, high = around(np.concatenate([s.figures["error_lstar"] for s in shown]), least=(-2, 2))
    axis = Axis("signal", "%", 0, 10, 0)
    columns = ("levels_percent", "luminance_cd_m2", "target_cd_m2", "error_lstar", "crushed", "tint_duv")
    table = Table(
        ("Signal, %", "cd/m²", "Target, cd/m²", "Error, L*", "Crushed", "Tint, Δu′v′"),
        (0, 4, 4, 2, 0, 4),
        Table.rows_of(*(f[k] for k in columns)),
    )
    return [
        Chart(
            "near_black", "lines", "Near black", f"cd/m² against {shown[0].target.title}",
            f"first step seen {f['first_visible_percent']:.0f} %", axis, Axis("luminance", "cd/m²", *around(tops, (0, 0.1)), 1),
            tuple(series), table,
        ),
        Chart(
            "near_black_error", "lines", "Error near black", "L*; grey band is ±1", f"rms {f['error_rms_lstar']:.1f} L*",
            axis, Axis("error", "L*", low, high, 0), tuple(errors), table, bands=((-1.0, 1.0),),
        ),
    ]  # fmt: skip


MEASUREMENT = Measurement(
    key="near_black",
    title="Near black",
    group="Tone",
    signals=("sdr",),
    columns=(Column("error_rms_lstar", "Near black", "L* rms", decimals=1),),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    short="Near black",
    order=2,
)
