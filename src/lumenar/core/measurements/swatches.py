"""Swatches: a lattice of hues, complexion tones, neutrals, and colours spread evenly through the target."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import BLACK, WHITE, Array, Column, Context, Figures, Measurement, quantised
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around
from lumenar.core.measurements.colours import (
    analyse_colours,
    anatomy_chart,
    encode,
    lab_to_linear,
    patch_of,
    plane_chart,
)
from lumenar.core.measurements.figure import Figure
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import TARGETS, Target, candidates

HUES = np.arange(10) * 36.0
LATTICE = ((30.0, 20.0), (50.0, 38.0), (65.0, 22.0), (78.0, 40.0))
"""Lightness and chroma of the four swatches of each hue; chroma gives way where BT.709 ends."""
COMPLEXION = (
    (28, 14, 52),
    (35, 20, 55),
    (43, 24, 58),
    (52, 26, 60),
    (60, 25, 62),
    (68, 22, 63),
    (75, 19, 62),
    (82, 15, 60),
)
"""L*, C*, h of eight complexion tones, spread by individual typology angle."""
NEUTRALS = (12, 24, 36, 48, 60, 72, 84, 94)
EVEN = 96
NEAR = 0.0026
"""Codes of eight bits miss their swatch by so much at the most, and by half a code of limited range."""
_R3 = 1.2207440846


def _polar(L: float, C: float, h: float) -> tuple[float, float, float]:
    return L, C * np.cos(np.radians(h)), C * np.sin(np.radians(h))


def _inside(Lab: Array, target: Target) -> NDArray[np.bool_]:
    linear = lab_to_linear(Lab, target) @ np.linalg.inv(target.to_container).T
    return np.asarray(((linear >= 0) & (linear <= 1)).all(axis=-1))


@cache
def own_set() -> tuple[tuple[float, float, float], ...]:
    """L*, a*, b* of the 56 swatches that are the same for every target, all inside BT.709."""
    bt709 = TARGETS["srgb"]
    swatches = []
    for h in HUES:
        for L, C in LATTICE:
            fits = [c for c in np.arange(C, 0, -1) if _inside(np.array(_polar(L, c, h)), bt709)]
            swatches.append(_polar(L, fits[0], h))
    swatches += [_polar(*c) for c in COMPLEXION]
    swatches += [(float(L), 0.0, 0.0) for L in NEUTRALS]
    return tuple(swatches)


@cache
def even_set(target: Target) -> tuple[tuple[float, float, float], ...]:
    """L*, a*, b* of 96 colours spread evenly through the target's volume: the R3 low-discrepancy sequence over the
    CIELAB box of the target, the first 96 inside."""
    corners = np.stack(np.meshgrid([0, 1], [0, 1], [0, 1]), axis=-1).reshape(-1, 3).astype(float)
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, 11)] * 3), axis=-1).reshape(-1, 3)
    Lab = target.Lab((np.vstack([corners, grid]) @ target.space.matrix.T)[None], np.array(1.0))[0]
    low, high = Lab.min(axis=0), Lab.max(axis=0)
    n = np.arange(1, 2001)[:, None]
    points = low + (high - low) * ((0.5 + n / _R3 ** np.arange(1, 4)) % 1)
    chosen = points[_inside(points, target)][:EVEN]
    return tuple((float(a), float(b), float(c)) for a, b, c in chosen)


def code(Lab: Array) -> list[str]:
    """Our codes by hue, lightness and chroma: H036 L50 C38; neutrals N50."""
    h = np.degrees(np.arctan2(Lab[..., 2], Lab[..., 1])) % 360
    C = np.hypot(Lab[..., 1], Lab[..., 2])
    return [
        f"N{L:02.0f}" if c < 3 else f"H{round(a) % 360:03d} L{L:02.0f} C{c:02.0f}"
        for L, c, a in zip(Lab[..., 0], C, h, strict=True)
    ]


def patches(context: Context) -> list[Patch]:
    """All 152 swatches for the declared target, with white and black. Colours that the target cannot hold are clipped."""
    Lab = np.array([*own_set(), *even_set(context.target)])
    rgb = quantised(encode(lab_to_linear(Lab, context.target), context.target), context.bits)
    ends = [Patch(WHITE, context.window), Patch(BLACK, context.window)]
    return [*dict.fromkeys(patch_of(c, context.window) for c in rgb), *ends]


_CELL = 2 * NEAR
_SHAPE = np.array([1, 400, 160_000])


@lru_cache(maxsize=32)
def _code_cells(made_for: tuple[Target, ...]) -> tuple[NDArray[np.intp], NDArray[np.intp], Array]:
    """Every swatch code of every SDR target by the cell of a fine lattice it lies in: sorted cells, target, code."""
    sets = [(t, np.array([*own_set(), *even_set(t)])) for t in candidates(made_for)]
    codes = np.stack([encode(lab_to_linear(Lab, t), t) for t, Lab in sets])
    which = np.repeat(np.arange(len(sets)), codes.shape[1])
    flat = codes.reshape(-1, 3)
    cells = (np.floor(flat / _CELL) + 1).astype(np.intp) @ _SHAPE
    order = np.argsort(cells, kind="stable")
    return cells[order], which[order], flat[order]


def _near(rgb: Array, made_for: tuple[Target, ...]) -> NDArray[np.bool_]:
    """Whether each signal (n, 3) is a swatch of each SDR target, (n, t). Looked up cell by cell: what lies near a signal
    is in one of the eight cells that its neighbourhood touches."""
    cells, which, codes = _code_cells(made_for)
    near = np.zeros((len(rgb), int(which.max()) + 1), bool)
    rows = np.arange(len(rgb))
    for corner in np.ndindex(2, 2, 2):
        cell = (np.floor((rgb + NEAR * (2 * np.array(corner) - 1)) / _CELL) + 1).astype(np.intp) @ _SHAPE
        first = np.searchsorted(cells, cell)
        # A neutral is a swatch of every target, so a cell may hold a code of each.
        for step in range(near.shape[1]):
            at = np.minimum(first + step, len(cells) - 1)
            hit = (cells[at] == cell) & (np.abs(codes[at] - rgb).max(axis=1) <= NEAR)
            near[rows[hit], which[at[hit]]] = True
    return near


def select(readings: Readings) -> NDArray[np.intp]:
    """Plain patches that are swatches for the target to which most of them belong, with white and black."""
    ends = readings.same_signal(WHITE) | readings.same_signal(BLACK)
    near = _near(readings.rgb, readings.layout.made_for)
    return np.flatnonzero(readings.plain & (near[:, int(np.argmax(near.sum(axis=0)))] | ends))


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the swatches (docs/figures.md); raises MissingPatchError under 24 colours."""
    return analyse_colours(readings, target, 24, "swatches")


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    if "de_itp_mean" in f:
        return f"dE ITP {f['de_itp_mean']:.1f} mean; the worst tenth {f['de_itp_worst_tenth']:.1f}, worst {f['de_itp_max']:.1f}."
    return (
        f"dE2000 {f['de2000_mean']:.1f} mean; the worst tenth {f['de2000_worst_tenth']:.1f}, the rest {f['de2000_rest']:.1f}, "
        f"worst {f['de2000_max']:.1f}."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """The u'v' diagram, how many swatches have which error, and the anatomy of the worst."""
    f = shown[0].figures
    headline = f"dE mean {f['de2000_mean']:.1f}, worst tenth {f['de2000_worst_tenth']:.1f}, worst {f['de2000_max']:.1f}"
    order = np.argsort(-f["de2000"])[:8]
    names = code(f["target_lab"])
    return [
        plane_chart(shown, "swatches_plane", "Swatches", headline, lambda g: code(g["target_lab"])),
        _spread(shown),
        anatomy_chart(shown, "swatches_anatomy", [names[i].replace(" ", "\n") for i in order], order),
    ]


def _spread(shown: Sequence[Shown]) -> Chart:
    """Share of the swatches up to an error."""
    series, last = [], 1.0
    for i, s in enumerate(shown):
        e = np.sort(s.figures["de2000"])
        share = 100 * np.arange(1, len(e) + 1) / len(e)
        last = max(last, float(e[-1]))
        points = tuple((float(a), float(b)) for a, b in zip(e, share, strict=True))
        series.append(Series(s.name, "measured", points, i))
    _, high = around([0.0, last], least=(0, 2))
    quantiles = np.array([10, 25, 50, 75, 90, 95, 100], float)
    return Chart(
        key="swatches_spread",
        kind="lines",
        title="Share of swatches up to an error",
        note="% of the swatches with at most this dE2000",
        headline=f"half up to {np.median(shown[0].figures['de2000']):.1f}",
        x=Axis("dE2000", "", 0, high, 0),
        y=Axis("share", "%", 0, 100, 0),
        series=tuple(series),
        table=Table(
            ("Share, %", *(f"dE2000, {s.name}" for s in shown)),
            (0, *(1 for _ in shown)),
            Table.rows_of(quantiles, *(np.percentile(s.figures["de2000"], quantiles) for s in shown)),
        ),
    )


def prepare() -> None:
    """The codes of every target."""
    _code_cells(())


MEAN = Figure("swatches", "de2000_mean", "Swatches, mean", "dE", 2, -1, compared=9)
MEASUREMENT = Measurement(
    key="swatches",
    title="Swatches",
    group="Colour",
    signals=("sdr", "pq"),
    columns=(
        Column("de2000_mean", "Swatches", "dE mean", decimals=1, judged_by="own_white_de2000_mean", signals=("sdr",)),
        Column("de_itp_mean", "Swatches", "ITP mean", decimals=1, signals=("pq",)),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    prepare=prepare,
    short="Swatches",
    order=3,
    figures=(MEAN,),
)
