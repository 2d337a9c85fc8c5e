"""What tracking of PQ and of HLG have in common: how greys follow absolute light, told in code values of PQ, where equal steps
look about equal."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.colour.difference import de_itp
from lumenar.core.colour.temperature import cct_duv, cct_of_draws
from lumenar.core.colour.transfer import pq_inverse
from lumenar.core.measurements.base import (
    WHITE,
    Array,
    Context,
    Figures,
    MissingPatchError,
    anchor_of,
    balance,
    closest,
    greys,
    one,
    uv_of,
)
from lumenar.core.measurements.charts import Axis, Chart, Note, Series, Shown, Table, around, joined
from lumenar.core.measurements.grey_ramp import select
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Anchor, Target

COARSE, FINE = 5.0, 1.0
DENSE = (60.0, 90.0)
"""Levels in % between which displays reach their end, 240 and 3,900 cd/m2 of PQ, so that the ramp is denser there."""
SHADOWS = 0.155
"""Up to this signal a grey counts as shadow: 15 % of PQ is 0.9 cd/m2."""
LEAST = 5
"""Fewer levels are no ramp."""


def patches(context: Context) -> list[Patch]:
    """Grey from 0 to 100 % of code in 5 % steps, in steps of 1 % where displays reach their end."""
    levels = np.unique(np.concatenate([np.arange(0, 100.1, COARSE), np.arange(DENSE[0], DENSE[1] + 0.1, FINE)]))
    return greys(levels / 100, context)


def ramp_of(readings: Readings) -> tuple[Readings, Anchor]:
    """The greys, darkest first, with the display's own white and black. MissingPatchError without code 100 %, or with fewer
    than five levels."""
    ramp = readings.take(select(readings))
    one(ramp, WHITE, "100 % of code")
    if len(ramp) < LEAST:
        raise MissingPatchError(f"a ramp needs at least {LEAST} levels, these readings have {len(ramp)}")
    return ramp, anchor_of(ramp)


def figures_of(ramp: Readings, anchor: Anchor, target: Target, within: NDArray[np.bool_]) -> Figures:
    """Figures of a ramp (docs/figures.md), lists by level, darkest first. within (..., n): the levels that its summaries
    count."""
    v = ramp.rgb[:, 1]
    target_XYZ = target.XYZ(ramp.rgb, anchor)
    lit = v > RGB_TOLERANCE
    XYZ = np.where(lit[:, None] | ~ramp.below_floor[:, None], closest(ramp, target_XYZ), np.nan)
    Y, want = XYZ[..., 1], np.broadcast_to(target_XYZ[..., 1], XYZ.shape[:-1])
    code = 100 * (pq_inverse(Y) - pq_inverse(want))
    with np.errstate(divide="ignore", invalid="ignore"):
        percent = np.where(want > 0, 100 * (Y / want - 1), np.nan)
    seen = np.where(ramp.dim[:, None], np.nan, ramp.XYZ)
    itp = np.where(lit, de_itp(XYZ, target_XYZ), np.nan)
    xy = spaces.XYZ_to_xy(seen)
    # Of draws the mean alone is asked for.
    cct, duv = cct_duv(xy) if xy.ndim == 2 else (cct_of_draws(xy), np.full(xy.shape[:-1], np.nan))
    channels = balance(seen, target)
    counted = within & lit & np.isfinite(code)
    weight = spacing(v)
    bright = counted & (v >= 0.2) & np.isfinite(channels).all(axis=-1)
    return {
        "levels_percent": 100 * v,
        "luminance_cd_m2": Y,
        "target_cd_m2": want,
        "error_code_percent": code,
        "error_percent": percent,
        "de_itp": itp,
        "uv": uv_of(ramp),
        "cct_by_level_k": cct,
        "duv_by_level": duv,
        "balance_red_percent": channels[..., 0],
        "balance_green_percent": channels[..., 1],
        "balance_blue_percent": channels[..., 2],
        "counted": counted.astype(float),
        "peak_cd_m2": anchor.white,
        "black_cd_m2": anchor.black,
        "code_rms_percent": np.sqrt(mean_of(code**2, counted, weight)),
        "shadow_rms_percent": np.sqrt(mean_of(code**2, counted & (v <= SHADOWS), weight)),
        "shadow_code_percent": mean_of(code, counted & (v <= SHADOWS), weight),
        "middle_code_percent": mean_of(code, counted & (v > SHADOWS), weight),
        "de_itp_mean": mean_of(itp, counted & np.isfinite(itp), weight),
        "de_itp_max": most_of(itp, counted & np.isfinite(itp)),
        "cct_mean_k": mean_of(cct, bright & np.isfinite(cct), weight),
        "balance_spread_percent": most_of(np.ptp(channels, axis=-1), bright),
    }


def spacing(v: Array) -> Array:
    """The share of the signal that each level of a ramp v (n,), rising, stands for: half the distance between its neighbours. The
    ramp is denser where displays reach their end, which must not make that part count for more."""
    ends = np.concatenate([v[:1], (v[1:] + v[:-1]) / 2, v[-1:]])
    return np.asarray(np.diff(ends), float)


def mean_of(values: Array, where: NDArray[np.bool_], weight: Array) -> Array:
    """Mean (...) of values (..., n) that count, by their weight (n,); NaN if none does."""
    share = np.where(where, weight, 0.0)
    total = share.sum(axis=-1)
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (np.where(where, values, 0.0) * share).sum(axis=-1) / total
    return np.asarray(np.where(total > 0, mean, np.nan), float)


def most_of(values: Array, where: NDArray[np.bool_]) -> Array:
    """The largest (...) of values (..., n) where they count; NaN where none does."""
    most = np.where(where, values, -np.inf).max(axis=-1, initial=-np.inf)
    return np.asarray(np.where(where.any(axis=-1), most, np.nan), float)


def error_chart(shown: Sequence[Shown]) -> Chart:
    """Error in code values over the luminance that was wanted."""
    series, values, reach = [], [], []
    for i, s in enumerate(shown):
        want, error = s.figures["target_cd_m2"], s.figures["error_code_percent"]
        use = (s.figures["counted"] > 0) & (want > 0)
        x = np.log10(want[use])
        reach.append(x)
        values.append(error[use])
        series.append(Series(s.name, "measured", joined(x, error[use]), setup=i, marks=True))
    low, high = around(np.concatenate(values), least=(-2, 2))
    f = shown[0].figures
    return Chart(
        key="code_error",
        kind="lines",
        title="Error over luminance",
        note="% of code against the target; above is too bright, grey band is ±1",
        headline=f"rms {' → '.join(_number(s, 'code_rms_percent', 1) for s in shown[:2])} % of code",
        x=Axis("target", "cd/m²", *around(np.concatenate(reach), whole=True), 0, log=True),
        y=Axis("error", "% of code", low, high, 0),
        series=tuple(series),
        bands=((-1.0, 1.0),),
        table=Table(
            ("Signal, %", "cd/m²", "Target, cd/m²", "Error, %", "Error, % of code", "dE ITP"),
            (1, 4, 4, 1, 2, 1),
            Table.rows_of(
                *(
                    f[k]
                    for k in (
                        "levels_percent",
                        "luminance_cd_m2",
                        "target_cd_m2",
                        "error_percent",
                        "error_code_percent",
                        "de_itp",
                    )
                )
            ),
        ),
    )


def light_chart(shown: Sequence[Shown], asked: Array, notes: tuple[Note, ...], headline: str) -> Chart:
    """Luminance by signal on a logarithmic axis, beside what the signal asks for in cd/m2 (n,) at the first setup's levels."""
    f = shown[0].figures
    x = f["levels_percent"]
    lit = x > 0
    series = [Series("the signal", "target", joined(x[lit], np.log10(np.maximum(asked[lit], 1e-4))))]
    lows = []
    for i, s in enumerate(shown):
        Y = s.figures["luminance_cd_m2"]
        use = (s.figures["levels_percent"] > 0) & np.isfinite(Y) & (Y > 0)
        y = np.log10(np.where(use, np.maximum(Y, 1e-5), np.nan)[use])
        lows.append(y)
        series.append(Series(s.name, "measured", joined(s.figures["levels_percent"][use], y), setup=i, marks=True))
    low, high = around(np.append(np.concatenate(lows), np.log10(asked.max())), whole=True)
    return Chart(
        key="light",
        kind="lines",
        title="Luminance by signal",
        note="cd/m², logarithmic, beside what the signal asks for",
        headline=headline,
        x=Axis("signal", "%", 0, 100, 0),
        y=Axis("luminance", "cd/m²", max(low, -3.0), high, 0, log=True),
        series=tuple(series),
        notes=notes,
        table=Table(("Signal, %", "Asked, cd/m²", "cd/m²"), (1, 4, 4), Table.rows_of(x, asked, f["luminance_cd_m2"])),
    )


def itp_chart(shown: Sequence[Shown]) -> Chart:
    """The whole difference by level: dE ITP."""
    series = [
        Series(s.name, "measured", joined(s.figures["levels_percent"], s.figures["de_itp"]), setup=i, marks=True)
        for i, s in enumerate(shown)
    ]
    low, high = around(np.concatenate([s.figures["de_itp"] for s in shown]), least=(0, 5))
    f = shown[0].figures
    return Chart(
        key="itp",
        kind="lines",
        title="Difference by level",
        note="dE ITP (BT.2124), luminance and colour in one; 1 can just be seen",
        headline=f"mean {' → '.join(_number(s, 'de_itp_mean', 1) for s in shown[:2])}",
        x=Axis("signal", "%", 0, 100, 0),
        y=Axis("dE ITP", "", low, high, 0),
        series=tuple(series),
        table=Table(
            ("Signal, %", "dE ITP", "CCT, K", "Duv"),
            (1, 1, 0, 4),
            Table.rows_of(f["levels_percent"], f["de_itp"], f["cct_by_level_k"], f["duv_by_level"]),
        ),
    )


def _number(s: Shown, key: str, decimals: int) -> str:
    value = s.number(key)
    return "none" if value is None else f"{value:.{decimals}f}"
