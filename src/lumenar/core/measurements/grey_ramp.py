"""Grey ramp: how the curve, the balance and the colour of grey run from black to white."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.colour.temperature import cct_duv, planck_xy
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
    balance,
    closest,
    colour_errors,
    greys,
    one,
    own_white_errors,
    summary,
    uv,
    uv_of,
)
from lumenar.core.measurements.charts import Axis, Chart, Note, Series, Shown, Table, around, joined, pairs
from lumenar.core.measurements.figure import Figure, Tolerance
from lumenar.core.numbers import grouped, kelvin, signed
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Anchor, Target


def patches(context: Context) -> list[Patch]:
    """Grey from 0 to 100 %, in 5 % steps unless the context says otherwise, each the nearest code of the signal's depth."""
    levels = np.unique(np.append(np.arange(0, 100, context.grey_step), 100.0)) / 100
    return greys(levels, context)


def select(readings: Readings) -> NDArray[np.intp]:
    """Every neutral signal from black to white outside ladders, darkest first; what lies beyond is no level of a ramp."""
    rgb = readings.rgb
    within = (rgb[:, 1] >= -RGB_TOLERANCE) & (rgb[:, 1] <= 1 + RGB_TOLERANCE)
    grey = (np.ptp(rgb, axis=1) <= RGB_TOLERANCE) & readings.plain & within
    index = np.flatnonzero(grey)
    return index[np.argsort(rgb[index, 1], kind="stable")]


def gamma(v: Array, y: Array) -> Array:
    """Gamma as the slope of ln y over ln v through white, over 10..90 %: sum(ln v ln y) / sum(ln^2 v).

    v (n,) signal, y (..., n) relative luminance (Y-K)/(Yw-K); levels with y <= 0 are left out. NaN with none left.
    """
    use = (v > 0.0999) & (v < 0.9001)
    x, t = np.log(v[use]), y[..., use]
    good = t > 0
    lny = np.log(np.where(good, t, 1.0))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray((x * lny).sum(-1) / (x * x * good).sum(-1), float)


def _curve(XYZ: Array, anchor: Anchor, target: Target, v: Array) -> Figures:
    Yw, Yk = anchor.white[..., None], anchor.black[..., None]
    Y = XYZ[..., 1]
    want = np.broadcast_to(target.Y(v, anchor), Y.shape)
    y, y_want = (Y - Yk) / (Yw - Yk), (want - Yk) / (Yw - Yk)
    error = target.lightness(Y, anchor.white) - target.lightness(want, anchor.white)
    inner = (v > RGB_TOLERANCE) & (v < 1 - RGB_TOLERANCE)
    known = np.isfinite(error[..., inner]).any()
    with np.errstate(divide="ignore", invalid="ignore"):
        point = np.where((y > 0) & inner, np.log(y) / np.log(v), np.nan)
        percent = np.where(want > 0, 100 * (Y / want - 1), np.nan)
    return {
        "luminance_cd_m2": Y,
        "target_cd_m2": want,
        "relative": Y / Yw,
        "target_relative": want / Yw,
        "point_gamma": point,
        "error_percent": percent,
        "error_lstar": error,
        "gamma": gamma(v, y),
        "target_gamma": gamma(v, y_want),
        "curve_rms_lstar": np.sqrt(np.nanmean(error[..., inner] ** 2, axis=-1)) if known else Yw[..., 0] * np.nan,
    }


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the grey ramp (docs/figures.md), lists by level, darkest first.

    Raises MissingPatchError without 100 % white or with fewer than five levels.
    """
    ramp = readings.take(select(readings))
    v = ramp.rgb[:, 1]
    one(ramp, WHITE, "100 % white")
    if len(v) < 5:
        raise MissingPatchError(f"a grey ramp needs at least 5 levels, these readings have {len(v)}")
    anchor = anchor_of(ramp)
    target_XYZ = target.XYZ(ramp.rgb, anchor)
    lit = v > RGB_TOLERANCE
    # Black under the floor is no number; it counts as the target's own black.
    XYZ = np.where(lit[:, None] | ~ramp.below_floor[:, None], closest(ramp, target_XYZ), np.nan)
    figures = _curve(XYZ, anchor, target, v)
    errors = colour_errors(XYZ, target_XYZ, target, anchor.white)
    lit_XYZ = np.where(ramp.dim[:, None], np.nan, ramp.XYZ)
    cct, duv = cct_duv(spaces.XYZ_to_xy(lit_XYZ))
    rgb_balance = balance(lit_XYZ, target)
    bright = v >= 0.2 - HALF_CODE
    spread = np.ptp(rgb_balance[..., bright, :], axis=-1)
    own = own_white_errors(ramp, one(ramp, WHITE, "100 % white"), target_XYZ, target)
    figures |= {"levels_percent": 100 * v, **errors, "de2000_own_white": np.where(lit, own, np.nan)}
    whole, index = summary(np.where(lit, errors["de2000"], np.nan))
    figures |= whole | summary(figures["de2000_own_white"], "own_white_de2000")[0]
    figures |= {
        "de2000_max_level_percent": 100 * v[index.astype(int)] if np.isfinite(index).all() else index,
        "uv": uv_of(ramp),
        "cct_by_level_k": cct,
        "duv_by_level": duv,
        "cct_mean_k": np.nanmean(cct[..., bright], axis=-1) if np.isfinite(cct[..., bright]).any() else index * np.nan,
        "balance_red_percent": rgb_balance[..., 0],
        "balance_green_percent": rgb_balance[..., 1],
        "balance_blue_percent": rgb_balance[..., 2],
        "balance_spread_percent": np.nanmax(spread, axis=-1) if np.isfinite(spread).any() else index * np.nan,
        "white_cd_m2": anchor.white,
        "black_cd_m2": anchor.black,
    }
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    return (
        f"Gamma {f['gamma']:.2f} where the target has {f['target_gamma']:.2f}; "
        f"curve error {f['curve_rms_lstar']:.1f} L* rms; dE2000 mean {f['de2000_mean']:.1f}, "
        f"worst {f['de2000_max']:.1f} at {f['de2000_max_level_percent']:.0f} %."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Curve, curve error by level, channel balance, the anatomy of the error, CCT by level, and the track of grey."""
    return [
        _curve_chart(shown),
        _error_chart(shown),
        balance_chart(shown),
        _anatomy_chart(shown),
        cct_chart(shown),
        track_chart(shown),
    ]


_LEVEL_AXIS = Axis("signal", "%", 0, 100, 0)


def _change(shown: Sequence[Shown], key: str, form: str) -> str:
    """A figure of the first setup, and of the second beside it."""
    values = [s.number(key) for s in shown[:2]]
    return " → ".join("none" if v is None else format(v, form) for v in values)


def _curve_chart(shown: Sequence[Shown]) -> Chart:
    series: list[Series] = []
    for i, s in enumerate(shown):
        x = s.figures["levels_percent"]
        if i == 0:
            series.append(Series(s.target.title, "target", joined(x, 100 * s.figures["target_relative"])))
        series.append(Series(s.name, "measured", joined(x, 100 * s.figures["relative"]), setup=i, marks=True))
    f = shown[0].figures
    columns = ("levels_percent", "luminance_cd_m2", "target_cd_m2", "error_percent", "error_lstar", "point_gamma")
    return Chart(
        key="curve",
        kind="lines",
        title="Curve",
        note=f"luminance in % of white against {shown[0].target.title}",
        headline=f"gamma {_change(shown, 'gamma', '.2f')}, target {grouped(float(f['target_gamma']), 2)}",
        x=_LEVEL_AXIS,
        y=Axis("luminance", "%", 0, 100, 0),
        series=tuple(series),
        table=Table(
            ("Signal, %", "cd/m²", "Target, cd/m²", "Error, %", "Error, L*", "Point gamma"),
            (0, 4, 4, 1, 2, 2),
            Table.rows_of(*(f[k] for k in columns)),
        ),
    )


def _error_chart(shown: Sequence[Shown]) -> Chart:
    f = shown[0].figures
    series = [
        Series(s.name, "measured", joined(s.figures["levels_percent"], s.figures["error_lstar"]), setup=i, marks=True)
        for i, s in enumerate(shown)
    ]
    values = np.concatenate([s.figures["error_lstar"] for s in shown])
    worst_at = int(np.nanargmax(np.abs(f["error_lstar"])))
    worst_value = float(f["error_lstar"][worst_at])
    level = float(f["levels_percent"][worst_at])
    text = f"{signed(worst_value, 1)} L* at {level:.0f} %"
    notes = (Note(level, worst_value, text, "left" if level > 50 else "right"),) if abs(worst_value) > 1 else ()
    low, high = around(values, least=(-2, 2))
    return Chart(
        key="curve_error",
        kind="lines",
        title="Curve error by level",
        note=f"L* against {shown[0].target.title}; grey band is ±1",
        headline=f"rms {_change(shown, 'curve_rms_lstar', '.1f')} L*",
        x=_LEVEL_AXIS,
        y=Axis("error", "L*", low, high, 0),
        series=tuple(series),
        bands=((-1.0, 1.0),),
        notes=notes,
        table=Table(
            ("Signal, %", *(f"{s.name}, L*" for s in shown)),
            (0, *(2 for _ in shown)),
            Table.rows_of(f["levels_percent"], *(s.figures["error_lstar"] for s in shown)),
        ),
    )


def balance_chart(shown: Sequence[Shown]) -> Chart:
    """Balance of the channels by level."""
    series: list[Series] = []
    values: list[Array] = []
    for i, s in enumerate(shown):
        lit = s.figures["levels_percent"] >= 4.5
        for channel in ("red", "green", "blue"):
            y = np.where(lit, s.figures[f"balance_{channel}_percent"], np.nan)
            series.append(
                Series(channel if i == 0 else s.name, channel, joined(s.figures["levels_percent"], y), setup=i)
            )
            values.append(y)
    low, high = around(np.concatenate(values), least=(96, 104))
    f = shown[0].figures
    return Chart(
        key="balance",
        kind="lines",
        title="Channel balance",
        note="% of neutral, luminance cancelled",
        headline=f"spread {_change(shown, 'balance_spread_percent', '.1f')} %",
        x=_LEVEL_AXIS,
        y=Axis("balance", "%", low, high, 0),
        series=tuple(series),
        bands=((99.0, 101.0),),
        table=Table(
            ("Signal, %", "Red, %", "Green, %", "Blue, %"),
            (0, 1, 1, 1),
            Table.rows_of(f["levels_percent"], *(f[f"balance_{c}_percent"] for c in ("red", "green", "blue"))),
        ),
    )


def cct_chart(shown: Sequence[Shown]) -> Chart:
    """Colour temperature by level."""
    series: list[Series] = []
    values: list[Array] = []
    wanted, _ = cct_duv(np.asarray(shown[0].target.space.white))
    for i, s in enumerate(shown):
        y = np.where(s.figures["levels_percent"] >= 9.5, s.figures["cct_by_level_k"], np.nan)
        values.append(y)
        series.append(Series(s.name, "measured", joined(s.figures["levels_percent"], y), setup=i, marks=True))
    target_line = joined(np.array([0.0, 100.0]), np.full(2, float(wanted)))
    low, high = around(np.concatenate(values), least=(6000, 7000))
    f = shown[0].figures
    return Chart(
        key="cct",
        kind="lines",
        title="Colour temperature by level",
        note="CCT in K from 10 % on; the table has Duv",
        headline="mean "
        + " → ".join("none" if (k := s.number("cct_mean_k")) is None else kelvin(k) for s in shown[:2]),
        x=_LEVEL_AXIS,
        y=Axis("CCT", "K", low, high, 0),
        series=(Series("target", "target", target_line), *series),
        table=Table(
            ("Signal, %", "CCT, K", "Duv", "u′", "v′"),
            (0, 0, 4, 4, 4),
            Table.rows_of(f["levels_percent"], f["cct_by_level_k"], f["duv_by_level"], f["uv"][:, 0], f["uv"][:, 1]),
        ),
    )


TRACK_FROM = 20.0
"""Below this level in % the track of grey is mostly noise."""


def track_chart(shown: Sequence[Shown]) -> Chart:
    """Where grey wanders in u'v' from dark to bright, beside the Planckian locus."""
    target = shown[0].target
    locus = spaces.xy_to_uv(planck_xy(np.array([5000, 5500, 6000, 6500, 7000, 7500, 8000, 9000, 10_000])))
    wanted = uv(target.white_XYZ())
    series = [
        Series("Planckian locus", "guide", pairs(locus)),
        Series(f"{target.title} white", "target", pairs(wanted)),
    ]
    tracks = []
    for i, s in enumerate(shown):
        bright = s.figures["levels_percent"] >= TRACK_FROM - 0.5
        track = s.figures["uv"][bright]
        tracks.append(track)
        series.append(Series(s.name, "outline", pairs(track), setup=i))
        series.append(Series("", "measured", pairs(track[-1:]), setup=i))
    near = np.vstack([*tracks, wanted[None]])
    near = near[np.isfinite(near).all(axis=1)]
    half = max(0.008, float(np.ptp(near, axis=0).max()) * 0.7)
    middle = (near.max(axis=0) + near.min(axis=0)) / 2
    x_bounds, y_bounds = (around([c - half, c + half]) for c in middle)
    f = shown[0].figures
    span = float(np.linalg.norm(np.ptp(tracks[0][np.isfinite(tracks[0]).all(axis=1)], axis=0)))
    return Chart(
        key="grey_track",
        kind="plane",
        title="Track of grey",
        note=f"u′v′ from {TRACK_FROM:.0f} % to white, the dot; cross is the target",
        headline=f"wanders {span:.4f}",
        x=Axis("u′", "", *x_bounds, 3),
        y=Axis("v′", "", *y_bounds, 3),
        series=tuple(series),
        table=Table(
            ("Signal, %", "u′", "v′", "Duv"),
            (0, 4, 4, 4),
            Table.rows_of(f["levels_percent"], f["uv"][:, 0], f["uv"][:, 1], f["duv_by_level"]),
        ),
    )


def _anatomy_chart(shown: Sequence[Shown]) -> Chart:
    f = shown[0].figures
    x = f["levels_percent"]
    lit = x > 0
    parts = ("lightness", "chroma", "hue")
    series = tuple(Series(p, "part", joined(x[lit], f[f"de_{p}"][lit])) for p in parts)
    low, high = around(np.concatenate([f[f"de_{p}"][lit] for p in parts]), least=(-2, 2))
    return Chart(
        key="anatomy",
        kind="anatomy",
        title="Error anatomy",
        note="dE2000 terms by level, signed: lightness, chroma, hue",
        headline=f"mean {f['de2000_mean']:.1f}, worst {f['de2000_max']:.1f} at {f['de2000_max_level_percent']:.0f} %",
        x=_LEVEL_AXIS,
        y=Axis("dE2000", "", low, high, 0),
        series=series,
        table=Table(
            ("Signal, %", "dE2000", "Lightness", "Chroma", "Hue", "Without luminance", "Own white"),
            (0, 1, 1, 1, 1, 1, 1),
            Table.rows_of(
                x,
                *(
                    f[k]
                    for k in ("de2000", "de_lightness", "de_chroma", "de_hue", "de_chroma_only", "de2000_own_white")
                ),
            ),
        ),
    )


MEAN = Figure("grey_ramp", "de2000_mean", "Greys, mean", "dE", 2, -1, compared=1, expected=3, promise=Tolerance(3, 0.7))
LARGEST = Figure("grey_ramp", "de2000_max", "Greys, largest", "dE", 1, -1)
BESIDE_OWN_WHITE = Figure("grey_ramp", "own_white_de2000_mean", "Greys beside the own white, mean", "dE", 1, -1)
CURVE = Figure("grey_ramp", "curve_rms_lstar", "Curve", "L*", 2, -1, compared=7, promise=Tolerance(4, 1.0))
GAMMA = Figure("grey_ramp", "gamma", "Gamma", "", 2, expected=4)
MEASUREMENT = Measurement(
    bounded_below=True,
    key="grey_ramp",
    title="Grey ramp",
    group="Tone",
    signals=("sdr",),
    columns=(
        Column("de2000_mean", "Grey", "dE mean", decimals=1, judged_by="own_white_de2000_mean"),
        Column("curve_rms_lstar", "Curve", "L* rms", decimals=1, main=False),
        Column("gamma", "Gamma", "10..90 %", decimals=2, main=False),
    ),
    first_pass=True,
    greys=MEAN,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    extremes=("balance_spread_percent",),
    from_one=("own_white_de2000_mean", "own_white_de2000_rest"),
    options=(
        Option(
            "grey_step", "Grey ramp in steps of", choices=((10.0, "10 %"), (5.0, "5 %"), (2.0, "2 %"), (1.0, "1 %"))
        ),
    ),
    short="Grey",
    order=1,
    figures=(MEAN, LARGEST, BESIDE_OWN_WHITE, CURVE, GAMMA),
)
