"""White and black: luminance, colour of white, black level, sequential contrast."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.colour.difference import de2000
from lumenar.core.colour.temperature import cct_duv, planck_xy
from lumenar.core.measurements.base import (
    BLACK,
    WHITE,
    Column,
    Context,
    Figures,
    Measurement,
    at_least,
    floor_assumed,
    one,
    outside_ladder,
    uv,
    uv_of,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, pairs
from lumenar.core.measurements.figure import Figure, Tolerance
from lumenar.core.numbers import kelvin, signed, significant
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target


def patches(context: Context) -> list[Patch]:
    """100 % white and black in the setup's window."""
    return [Patch(WHITE, context.window), Patch(BLACK, context.window)]


def select(readings: Readings) -> NDArray[np.intp]:
    """White and black outside ladders."""
    return outside_ladder(readings, [WHITE, BLACK])


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of white and black (docs/figures.md); black under the floor gives `contrast_at_least`, not a ratio
    (`contrast_if_floor` if the floor is only assumed)."""
    white = one(readings, WHITE, "100 % white")
    Y = white[..., 1]
    xy = spaces.XYZ_to_xy(white)
    cct, duv = cct_duv(xy)
    # Error of white's colour alone: the target white at the measured luminance.
    own, wanted = (target.Lab(x[..., None, :], Y)[..., 0, :] for x in (white, target.white_XYZ(Y)))
    figures: Figures = {
        "white_cd_m2": Y,
        "white_xy": xy,
        "white_uv": uv(white),
        "cct_k": cct,
        "duv": duv,
        "white_de2000": de2000(own, wanted),
        "white_duv_from_target": np.linalg.norm(uv(white) - uv(target.white_XYZ()), axis=-1),
    }
    if target.luminance is not None:
        figures["white_luminance_error_percent"] = 100 * (Y / target.luminance - 1)
    index = readings.find(BLACK)
    if len(index):
        figures |= _black(readings, int(index[0]), Y)
    return figures


def _black(readings: Readings, index: int, white_Y: NDArray[np.float64]) -> Figures:
    Y, limit = readings.XYZ[..., index, 1], readings.meter.limit
    if readings.below_floor[index]:
        return {"black_below_cd_m2": np.full(white_Y.shape, limit), **at_least("contrast", white_Y, readings)}
    with np.errstate(divide="ignore", invalid="ignore"):
        # A draw of black that noise takes to nothing or less leaves a contrast without bounds.
        return {
            "black_cd_m2": Y,
            "black_uv": uv_of(readings)[..., index, :],
            "contrast_ratio": np.where(Y > 0, white_Y / Y, np.inf),
        }


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    contrast, least, cct = f.get("contrast_ratio"), f.get("contrast_at_least"), float(str(f["cct_k"]))
    ratio = "black was not read"
    if contrast is not None:
        ratio = f"contrast {significant(float(str(contrast)), 3)} : 1"
    elif least is not None:
        ratio = f"black under the meter's floor, contrast at least {significant(float(str(least)), 3)} : 1"
    ratio = floor_assumed(f, "contrast") or ratio
    duv = signed(float(str(f["duv"])), 4)
    off = f.get("white_luminance_error_percent")
    aim = "" if off is None else f" ({signed(float(str(off)), 1)} % from the target's)"
    return f"White {f['white_cd_m2']:.3g} cd/m²{aim}, {'no CCT' if cct != cct else kelvin(cct)}, Duv {duv}; {ratio}."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """White in u'v' beside the Planckian locus, and the reach from black to white on a logarithmic axis."""
    return [_white_chart(shown), _reach_chart(shown)]


def _white_chart(shown: Sequence[Shown]) -> Chart:
    target = shown[0].target
    locus_K = np.array([4000, 4500, 5000, 5500, 6000, 6500, 7000, 7500, 8000, 9000, 10000, 12000])
    locus = spaces.xy_to_uv(planck_xy(locus_K))
    wanted = uv(target.white_XYZ())
    series = [
        Series("Planckian locus", "guide", pairs(locus), labels=tuple(f"{K} K" for K in locus_K)),
        Series(f"{target.title} white", "target", pairs(wanted)),
    ]
    whites = np.array([s.figures["white_uv"] for s in shown])
    for i, s in enumerate(shown):
        series.append(Series(s.name, "measured", pairs(whites[i]), setup=i, whisker=pairs(wanted)))
    near = np.vstack([whites, wanted[None]])
    half = max(0.012, float(np.ptp(near, axis=0).max()) * 0.75)
    x_bounds, y_bounds = (around([c - half, c + half]) for c in near.mean(axis=0))
    rows = tuple(
        (s.name, *(s.number(k) for k in ("cct_k", "duv", "white_de2000")), *(float(v) for v in s.figures["white_uv"]))
        for s in shown
    )
    first = shown[0]
    cct = first.number("cct_k")
    return Chart(
        key="white_point",
        kind="plane",
        title="Colour of white",
        note="u′v′ · cross is target, dot is measured, line is the Planckian locus",
        headline=f"{'no CCT' if cct is None else kelvin(cct)}, Duv {signed(float(str(first.figures['duv'])), 4)}",
        x=Axis("u′", "", *x_bounds, 3),
        y=Axis("v′", "", *y_bounds, 3),
        series=tuple(series),
        table=Table(("Setup", "CCT, K", "Duv", "dE2000", "u′", "v′"), (None, 0, 4, 1, 4, 4), rows),
    )


def _reach_chart(shown: Sequence[Shown]) -> Chart:
    """One line per setup from black to white; black under the floor starts at the floor, marked open."""
    series, rows = [], []
    for i, s in enumerate(shown):
        white = float(s.figures["white_cd_m2"])
        black, limit = s.number("black_cd_m2"), s.number("black_below_cd_m2")
        low = black if black is not None else limit
        ratio, least = s.number("contrast_ratio"), s.number("contrast_at_least")
        guess = s.number("contrast_if_floor")
        text = (
            f"{significant(ratio, 3)} : 1"
            if ratio is not None
            else f"at least {significant(least, 3)} : 1"
            if least
            else f"≥ {significant(guess, 3)} : 1 if the floor is {limit:.3g} cd/m²"
            if guess
            else ""
        )
        points = ((low, float(i)), (white, float(i)))
        known = ratio is not None or not least
        series.append(Series(s.name, "measured", points, i, known, labels=(text, f"{white:.3g} cd/m²")))
        rows.append((s.name, white, black, ratio if ratio is not None else least))
    lows = [p[0] for s in series for p in s.points if p[0]]
    first = series[0].labels[0]
    return Chart(
        key="reach",
        kind="span",
        title="From black to white",
        note="cd/m², logarithmic · open end: black is under the meter's floor",
        headline=first or "black not read",
        x=Axis("", "cd/m²", *around(np.log10(lows), whole=True), 0, log=True),
        y=Axis("", "", -0.5, len(shown) - 0.5, 0),
        series=tuple(series),
        table=Table(("Setup", "White, cd/m²", "Black, cd/m²", "Contrast"), (None, 1, 4, 0), tuple(rows)),
    )


def prepare() -> None:
    """The Planckian locus."""
    cct_duv(spaces.D65_XY)


LUMINANCE = Figure(
    "white_black",
    "white_cd_m2",
    "Luminance",
    "cd/m²",
    1,
    compared=11,
    expected=1,
    promise=Tolerance(1, 0.05, relative=True),
    reported=True,
)
WHITE_ERROR = Figure("white_black", "white_de2000", "White", "dE", 2, -1, compared=4, promise=Tolerance(2, 1.0))
CCT = Figure("white_black", "cct_k", "Colour temperature", "K", 0, expected=2)
CONTRAST = Figure("white_black", "contrast_ratio", "Contrast", ": 1", 0, compared=12)
CONTRAST_AT_LEAST = Figure("white_black", "contrast_at_least", "Contrast at least", ": 1", 0)
BLACK_LEVEL = Figure("white_black", "black_cd_m2", "Black", "cd/m²", 3)
MEASUREMENT = Measurement(
    key="white_black",
    title="White and black",
    group="Light",
    signals=("sdr", "pq", "hlg"),
    columns=(
        Column("white_cd_m2", "White", "cd/m²", significant=3),
        Column("cct_k", "Colour temp.", "K", step=10, judged_by="white_de2000", main=False),
        Column("contrast_ratio", "Contrast", ": 1", significant=3, floor_figure="contrast_at_least"),
    ),
    first_pass=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    prepare=prepare,
    short="White",
    order=1,
    ratios=("contrast_ratio",),
    warms=True,
    figures=(LUMINANCE, WHITE_ERROR, CCT, CONTRAST, CONTRAST_AT_LEAST, BLACK_LEVEL),
)
