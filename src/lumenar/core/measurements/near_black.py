"""Near black: which of the darkest steps can be seen, and how far off they are: in L*, in PQ and HLG in code values of PQ."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour.transfer import pq_inverse
from lumenar.core.measurements.base import (
    HALF_CODE,
    WHITE,
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    Option,
    anchor_of,
    greys,
    knows_black,
    uv,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.measurements.figure import Figure
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Anchor, Target

LEVELS = tuple(v / 100 for v in (0, 1, 2, 3, 4, 5, 6, 8, 10))
FINE = tuple(v / 255 for v in range(1, 17))
"""The 8-bit codes 1 to 16, for a closer look."""


def patches(context: Context) -> list[Patch]:
    """The darkest levels as the signal's depth codes them, and the white that they are judged against."""
    levels = sorted({*LEVELS, *(FINE if context.fine_black else ())})
    return [*greys(levels, context), Patch(WHITE, context.window)]


def select(readings: Readings) -> NDArray[np.intp]:
    """Plain greys from black to 10 %, darkest first, and white."""
    rgb = readings.rgb
    dark = (rgb[:, 1] >= -RGB_TOLERANCE) & (rgb[:, 1] <= LEVELS[-1] + HALF_CODE)
    index = np.flatnonzero(dark & (np.ptp(rgb, axis=1) <= RGB_TOLERANCE) & readings.plain)
    return np.concatenate([index[np.argsort(rgb[index, 1], kind="stable")], readings.find(WHITE)[:1]]).astype(np.intp)


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures near black (docs/figures.md). Raises MissingPatchError without white or under four dark levels.

    A level is crushed if the target exceeds black by more than three standard uncertainties and the reading exceeds it by two
    at most. A reading under the meter's floor lies anywhere between nothing and the floor, and so does a black under the floor:
    a level that such readings leave open is undecided, neither seen nor crushed. If an undecided level is darker than the first
    visible one, the first visible level is an upper bound: it is given as `first_visible_at_most_percent`. The error of a level
    under the floor is the smallest it can have if its target is above the floor, and unknown otherwise. In PQ and HLG the
    darkest levels of the target may be darker than the display's black: these are counted as hidden by black, not as an error.
    """
    anchor = anchor_of(readings)
    dark, meter = _dark(readings), readings.meter
    v = dark.rgb[:, 1]
    below, above = dark.below_floor, v > 1e-6
    want = np.broadcast_to(target.Y(v, anchor), dark.XYZ.shape[:-1])
    # The least error that a reading under the floor can have; none where its target lies there too.
    Y = np.where(below, np.where(want > meter.limit, meter.limit, np.nan), dark.XYZ[..., 1])
    # The least and the most that each level and black can be.
    shown_least, shown_most = (np.where(below, end, dark.XYZ[..., 1]) for end in (0.0, meter.limit))
    K = anchor.black[..., None]
    K_most = K if knows_black(readings) else np.full(K.shape, meter.limit)
    scale, unit = _scale(target, anchor)
    error = scale(Y) - scale(want)
    u, u_want = (np.hypot(meter.u(a), meter.u(K)) for a in (shown_most, want))
    expected = above & (want - K_most > 3 * u_want) & (want > meter.limit)
    seen = above & (shown_least - K_most > 2 * u) & ~below
    # Between a reading and a black that are both under the floor nothing is known.
    decidable = ~below | knows_black(readings)
    crushed = expected & decidable & (shown_most - K <= 2 * u)
    first = np.where(seen.any(axis=-1), 100 * v[np.argmax(seen, axis=-1)], np.nan)
    lit = np.where((seen & ~dark.dim & (v >= 0.02 - HALF_CODE))[..., None], dark.XYZ, np.nan)
    tint = np.linalg.norm(uv(lit) - uv(target.white_XYZ()), axis=-1)
    nothing = np.full(anchor.white.shape, np.nan)
    judged = np.where(above, error, np.nan)
    known = np.isfinite(judged).any()
    undecided = above & ~seen & ~crushed
    # Of what is absolute, black itself hides what is darker than it.
    hidden = undecided & (want < K) if target.signal != "sdr" else np.zeros(undecided.shape, bool)
    open_below = (undecided & ~hidden & (100 * v < first[..., None])).any(axis=-1)
    return {
        "levels_percent": 100 * v,
        "luminance_cd_m2": np.where(below, np.nan, dark.XYZ[..., 1]),
        "target_cd_m2": want,
        f"error_{unit}": error,
        f"error_rms_{unit}": np.sqrt(np.nanmean(judged**2, axis=-1)) if known else nothing,
        f"shadow_lift_{unit}": np.nanmean(judged, axis=-1) if known else nothing,
        "first_visible_percent": np.where(open_below, np.nan, first),
        "first_visible_at_most_percent": np.where(open_below, first, np.nan),
        "crushed": crushed.astype(float),
        "crushed_steps": crushed.sum(axis=-1).astype(float),
        "undecided": np.broadcast_to(undecided & ~hidden, Y.shape).astype(float),
        "undecided_steps": (undecided & ~hidden).sum(axis=-1).astype(float),
        "under_black_steps": hidden.sum(axis=-1).astype(float),
        f"black_{unit}": scale(K)[..., 0],
        "tint_duv": tint,
        "tint_max_duv": np.nanmax(tint, axis=-1) if np.isfinite(tint).any() else nothing,
    }


def _dark(readings: Readings) -> Readings:
    """The dark levels, darkest first. MissingPatchError if there are under four."""
    index = np.flatnonzero(readings.rgb[:, 1] < 0.5)
    if len(index) < 4:
        raise MissingPatchError(f"near black needs at least 4 levels up to 10 %, these readings have {len(index)}")
    return readings.take(index[np.argsort(readings.rgb[index, 1])])


def _scale(target: Target, anchor: Anchor) -> tuple[Callable[[Array], Array], str]:
    """How luminances (..., n) in cd/m2 are told apart, and the unit in the figures' keys."""
    if target.signal == "sdr":
        return lambda Y: target.lightness(Y, anchor.white), "lstar"
    return lambda Y: 100 * pq_inverse(np.maximum(Y, 0)), "code_percent"


def _unit(f: Mapping[str, object]) -> tuple[str, str]:
    """The unit of a setup's errors: in the figures' keys, and as it is written."""
    return ("code_percent", "% of code") if "error_rms_code_percent" in f else ("lstar", "L*")


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    lost, unknown = (int(float(str(f[k]))) for k in ("crushed_steps", "undecided_steps"))
    steps = "no step is crushed" if not lost else f"{lost} {'step is' if lost == 1 else 'steps are'} crushed"
    steps += f", {unknown} {'is' if unknown == 1 else 'are'} too dark for this meter" if unknown else ""
    hidden = int(float(str(f["under_black_steps"])))
    steps += f", {hidden} {'is' if hidden == 1 else 'are'} darker than its black" if hidden else ""
    key, unit = _unit(f)
    error, first, most = (
        float(str(f[k])) for k in (f"error_rms_{key}", "first_visible_percent", "first_visible_at_most_percent")
    )
    judged = (
        "No level is bright enough for an error"
        if error != error
        else f"Error {error:.1f} {unit} rms over the darkest tenth"
    )
    seen = f"the first step seen is {first:.1f} %"
    if first != first:
        seen = "no step is seen" if most != most else f"the first step seen is {most:.1f} % or darker"
    return f"{judged}; {seen}; {steps}."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Luminance of the darkest levels against target, and the error in L*."""
    f = shown[0].figures
    key, unit = _unit(f)
    x = f["levels_percent"]
    tops = np.concatenate([np.r_[s.figures["luminance_cd_m2"], s.figures["target_cd_m2"]] for s in shown])
    series = [Series(shown[0].target.title, "target", joined(x, f["target_cd_m2"]))]
    errors = []
    for i, s in enumerate(shown):
        level = s.figures["levels_percent"]
        series.append(Series(s.name, "measured", joined(level, s.figures["luminance_cd_m2"]), i, True))
        errors.append(Series(s.name, "measured", joined(level, s.figures[f"error_{key}"]), i, True))
    low, high = around(np.concatenate([s.figures[f"error_{key}"] for s in shown]), least=(-2, 2))
    axis = Axis("signal", "%", 0, 10, 0)
    columns = ("levels_percent", "luminance_cd_m2", "target_cd_m2", f"error_{key}", "tint_duv")
    said = ["crushed" if c else "undecided" if u else "" for c, u in zip(f["crushed"], f["undecided"], strict=True)]
    table = Table(
        ("Signal, %", "cd/m²", "Target, cd/m²", f"Error, {unit}", "Tint, Δu′v′", "Step"),
        (1, 4, 4, 2, 4, None),
        tuple((*row, word) for row, word in zip(Table.rows_of(*(f[k] for k in columns)), said, strict=True)),
    )
    first, most = (shown[0].number(k) for k in ("first_visible_percent", "first_visible_at_most_percent"))
    seen = "no step seen" if first is None else f"first step seen {first:.1f} %"
    if most is not None:
        seen = f"first step seen ≤ {most:.1f} %"
    rms = shown[0].number(f"error_rms_{key}")
    return [
        Chart(
            key="near_black",
            kind="lines",
            title="Near black",
            note=f"cd/m² against {shown[0].target.title}",
            headline=seen,
            x=axis,
            y=Axis("luminance", "cd/m²", *around(tops, (0, 0.1)), 1),
            series=tuple(series),
            table=table,
        ),
        Chart(
            key="near_black_error",
            kind="lines",
            title="Error near black",
            note=f"{unit}; grey band is ±1",
            headline="" if rms is None else f"rms {rms:.1f} {unit}",
            x=axis,
            y=Axis("error", unit, low, high, 0),
            series=tuple(errors),
            table=table,
            bands=((-1.0, 1.0),),
        ),
    ]


LIFT = Figure("near_black", "shadow_lift_lstar", "Shadows", "L*", 2, compared=8)
MEASUREMENT = Measurement(
    key="near_black",
    title="Near black",
    group="Tone",
    signals=("sdr", "pq", "hlg"),
    columns=(
        Column("error_rms_lstar", "Near black", "L* rms", decimals=1, signals=("sdr",)),
        Column("error_rms_code_percent", "Near black", "% code", decimals=1, signals=("pq", "hlg")),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    floors=("error_rms_code_percent",),
    bounded_below=True,
    options=(Option("fine_black", "Near black: also the 8-bit codes 1 to 16", switch=True),),
    short="Near black",
    order=2,
    figures=(LIFT,),
)
