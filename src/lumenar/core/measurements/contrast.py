"""Contrast: black beside white at the same time, on a 4x4 checkerboard, and black after white."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import (
    BLACK,
    FLOOR_ASSUMED,
    WHITE,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    at_least,
    black_XYZ,
    floor_assumed,
    knows_black,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around
from lumenar.core.numbers import significant
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

WINDOWS = (0.01, 0.02, 0.1)


def patches(context: Context) -> list[Patch]:
    """The checkerboard and its inverse, white in three windows, and black."""
    boards = [Patch(WHITE, 1.0, pattern="checker"), Patch(WHITE, 1.0, pattern="checker_inverse")]
    windows = dict.fromkeys((*WINDOWS, context.window))
    return [*boards, *(Patch(WHITE, w) for w in windows), Patch(BLACK, context.window)]


def select(readings: Readings) -> NDArray[np.intp]:
    """Checkerboards, white windows and black."""
    ordinary = np.isnan(readings.level) & np.isnan(readings.zone[:, 0]) & np.isnan(readings.at_s)
    ordinary &= readings.layout.of_light & (readings.pattern == "window")
    # Black has no window of its own.
    ends = ordinary & (readings.same_signal(WHITE) | readings.same_signal(BLACK))
    return np.flatnonzero(ends | (readings.pattern != "window"))


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of contrast (docs/figures.md). Raises MissingPatchError without both checkerboards.

    Simultaneous contrast is Y on the meter's cell while it is white over Y there while it is black.
    """
    boards = {p: np.flatnonzero(readings.pattern == p) for p in ("checker", "checker_inverse")}
    for name, index in boards.items():
        if not len(index):
            raise MissingPatchError(f"no reading of the pattern {name}")
    on, off = boards["checker"][0], boards["checker_inverse"][0]
    if readings.below_floor[on]:
        raise MissingPatchError("the white cell of the checkerboard is under the meter's floor")
    white, black = readings.XYZ[..., on, 1], readings.XYZ[..., off, 1]
    K = black_XYZ(readings)[..., 1]
    figures: Figures = {"checker_white_cd_m2": white}
    known, read = knows_black(readings), len(readings.find(BLACK)) > 0
    if readings.below_floor[off]:
        figures |= at_least("checker_contrast", white, readings)
    else:
        with np.errstate(divide="ignore", invalid="ignore"):
            figures |= {
                "checker_black_cd_m2": black,
                "checker_contrast_ratio": np.where(black > 0, white / black, np.inf),
            }
        if read:
            figures |= {"black_raise_cd_m2": black - K, "black_raise_percent_of_white": 100 * (black - K) / white}
    for window in np.unique(readings.window[(readings.pattern == "window") & readings.same_signal(WHITE)]):
        at = np.flatnonzero((readings.window == window) & (readings.pattern == "window") & readings.same_signal(WHITE))[
            0
        ]
        Y = readings.XYZ[..., at, 1]
        name = f"{100 * window:.0f}"
        if known:
            with np.errstate(divide="ignore", invalid="ignore"):
                figures[f"sequential_contrast_{name}"] = np.where(K > 0, Y / K, np.inf)
        elif read:
            bound = at_least("sequential_contrast", Y, readings)
            figures |= {k if k == FLOOR_ASSUMED else f"{k}_{name}": v for k, v in bound.items()}
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    ratio, least = f.get("checker_contrast_ratio"), f.get("checker_contrast_at_least")
    assumed = floor_assumed(f, "checker_contrast")
    if ratio is not None:
        text = f"Checkerboard {significant(float(str(ratio)), 3)} : 1"
    else:
        text = (
            f"On the checkerboard {assumed}"
            if assumed
            else f"Checkerboard at least {significant(float(str(least)), 3)} : 1"
        )
    raised = f.get("black_raise_cd_m2")
    return text + (f"; white beside it raises black by {raised:.3g} cd/m²." if raised is not None else ".")


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Reaches from black to white: on the checkerboard, and one after the other."""
    series, rows = [], []
    lows: list[float] = []
    for i, s in enumerate(shown):
        white = float(s.figures["checker_white_cd_m2"])
        ratio, least = s.number("checker_contrast_ratio"), s.number("checker_contrast_at_least")
        low = s.number("checker_black_cd_m2")
        if low is None:
            low = white / least if least else white
        guess = s.number("checker_contrast_if_floor")
        text = f"{significant(ratio, 3)} : 1" if ratio is not None else f"at least {significant(least or 1, 3)} : 1"
        if guess is not None:
            text = f"≥ {significant(guess, 3)} : 1 if the floor is {white / guess:.3g} cd/m²"
            low = white / guess
        lows += [low, white]
        points = ((low, float(i)), (white, float(i)))
        known = ratio is not None or guess is not None
        series.append(Series(s.name, "measured", points, i, known, labels=(text, f"{white:.3g} cd/m²")))
        after = [s.number(f"sequential_contrast_{100 * w:.0f}") for w in WINDOWS]
        rows.append((s.name, white, s.number("checker_black_cd_m2"), ratio, s.number("black_raise_cd_m2"), *after))
    low, high = around(np.log10(np.maximum(lows, 1e-6)), whole=True)
    heads = ("Setup", "White, cd/m²", "Black, cd/m²", "Checkerboard", "Black raised by, cd/m²")
    return [
        Chart(
            key="checker",
            kind="span",
            title="Checkerboard contrast",
            note="cd/m², logarithmic · open end: black is under the meter's floor",
            headline=series[0].labels[0],
            x=Axis("", "cd/m²", low, high, 0, log=True),
            y=Axis("", "", -0.5, len(shown) - 0.5, 0),
            series=tuple(series),
            table=Table(
                (*heads, *(f"After white in {100 * w:.0f} %" for w in WINDOWS)),
                (None, 1, 4, 0, 4, 0, 0, 0),
                tuple(rows),
            ),
            table_open=True,
        )
    ]


MEASUREMENT = Measurement(
    key="contrast",
    title="Checkerboard contrast",
    group="Light",
    signals=("sdr",),
    columns=(
        Column("checker_contrast_ratio", "Checker", ": 1", significant=3, floor_figure="checker_contrast_at_least"),
    ),
    luminance_alone=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    short="Checker",
    order=5,
    ratios=("checker_contrast", "sequential_contrast"),
)
