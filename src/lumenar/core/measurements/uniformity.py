"""Uniformity: how the screen differs from its centre, at four levels, as a viewer sees it and in percent."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import difference, spaces
from lumenar.core.measurements.base import (
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    direction,
    uv,
)
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.measurements.zones import prepare, zone_charts
from lumenar.core.readings import Patch, Readings
from lumenar.core.targets import Target

LEVELS = {"white": 1.0, "grey": 0.5, "dark": 0.2, "near_black": 0.05}
CENTRE_EVERY = 6
P95_FROM = 25
"""From so many zones on the screen is judged by the 95th percentile, under that by the worst zone."""
COARSE = 0.05
"""Where the meter's resolution alone is more than this share of the luminance, the percentages say little."""


def patches(context: Context) -> list[Patch]:
    """Every zone at four levels, to and fro so that the next zone is a neighbour; the centre again every six zones."""
    columns, rows = context.grid
    zones = [(c if r % 2 == 0 else columns - 1 - c, r) for r in range(rows) for c in range(columns)]
    centre = ((columns - 1) // 2, (rows - 1) // 2)
    stops: list[tuple[tuple[int, int], int]] = [(centre, 1)]
    again = 1
    for i, zone in enumerate(zones, 1):
        stops.append((zone, 0))
        if i % CENTRE_EVERY == 0 or i == len(zones):
            again += 1
            stops.append((centre, again))
    return [
        Patch((v, v, v), 1.0, zone=(c, r, columns, rows), repeat=repeat)
        for (c, r), repeat in stops
        for v in LEVELS.values()
    ]


def select(readings: Readings) -> NDArray[np.intp]:
    """Readings with a place."""
    return np.flatnonzero(~np.isnan(readings.zone[:, 0]))


def _centre(zone: Array) -> NDArray[np.bool_]:
    return np.asarray((zone[:, 0] == (zone[:, 2] - 1) // 2) & (zone[:, 1] == (zone[:, 3] - 1) // 2), bool)


def _steady(level: Readings, middle: NDArray[np.bool_]) -> Array:
    """XYZ (..., n, 3) with the linear drift of the centre's luminance removed, where it was read more than once."""
    t, Y = level.time_s[middle], level.XYZ[..., middle, 1]
    if len(t) < 2 or not np.isfinite(t).all() or np.ptp(t) == 0 or not np.isfinite(Y).all():
        return level.XYZ
    x = t - t.mean()
    mean = Y.mean(axis=-1, keepdims=True)
    slope = (Y * x).sum(axis=-1, keepdims=True) / (x * x).sum()
    drift = 1 + slope / mean * (level.time_s - t.mean())
    return np.asarray(level.XYZ / drift[..., None], float)


def _level(readings: Readings, value: float) -> tuple[Array, Array, Array] | None:
    """Zones (z, 2), XYZ (..., z, 3) freed of drift, and the centre's XYZ (..., 3), of one level; None where it is not
    there."""
    own = readings.take(np.abs(readings.rgb[:, 1] - value) < 0.003)
    if not len(own):
        return None
    middle = _centre(own.zone)
    if not middle.any():
        return None
    XYZ = np.where(own.below_floor[:, None], 0.0, _steady(own, middle))
    places, index = np.unique(own.zone[:, 1] * 100 + own.zone[:, 0], return_index=True)
    zones = np.stack([places % 100, places // 100], axis=-1)
    # The centre is read several times; each zone counts once, the centre as the mean of its readings.
    centre = XYZ[..., middle, :].mean(axis=-2)
    values = XYZ[..., index, :].copy()
    values[..., middle[index], :] = centre[..., None, :]
    return zones, values, centre


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of uniformity (docs/figures.md); the target plays no part. Raises MissingPatchError without the white
    level at the centre and at five zones.

    CIELAB white is the full-field 100 % centre reading of the same grid, so dark zones count as they are seen.
    """
    whites = _level(readings, 1.0)
    if whites is None or len(whites[0]) < 5:
        raise MissingPatchError("uniformity needs 100 % white at the centre and at five or more zones")
    white = whites[2]
    grid = readings.zone[0, 2:]
    figures: Figures = {"grid": grid, "zones": whites[0], "white_cd_m2": white[..., 1]}
    for name, value in LEVELS.items():
        found = _level(readings, value)
        if found is not None and len(found[0]) == len(whites[0]):
            figures |= _figures_of(name, found[1], found[2], white, whites[0], grid, readings.meter.floor)
    judged = "p95" if len(whites[0]) >= P95_FROM else "worst"
    figures["uniformity_de2000_judged"] = figures[f"uniformity_de2000_{judged}"]
    if "uniformity_dark_de2000_worst" in figures:
        figures["uniformity_dark_de2000_judged"] = figures[f"uniformity_dark_de2000_{judged}"]
    return figures


def _figures_of(name: str, XYZ: Array, centre: Array, white: Array, zones: Array, grid: Array, floor: float) -> Figures:
    """Figures of one level. White's scalars carry no name, so that `uniformity_de2000_p95` is that of white."""
    Lab = spaces.XYZ_to_Lab(XYZ, white[..., None, :])
    Lab_centre = spaces.XYZ_to_Lab(centre, white)[..., None, :]
    de = difference.de2000(Lab, Lab_centre)
    middle = (zones[:, 0] == (grid[0] - 1) // 2) & (zones[:, 1] == (grid[1] - 1) // 2)
    others = de[..., ~middle]
    with np.errstate(divide="ignore", invalid="ignore"):
        share = 100 * XYZ[..., 1] / centre[..., None, 1]
    lowest = share.min(axis=-1)
    prefix = "uniformity" if name == "white" else f"uniformity_{name}"
    figures: Figures = {
        f"{prefix}_de2000_mean": others.mean(axis=-1),
        f"{prefix}_de2000_worst": others.max(axis=-1),
        f"{prefix}_falloff_percent": 100 - lowest,
    }
    if len(zones) >= P95_FROM:
        figures[f"{prefix}_de2000_p95"] = np.quantile(others, 0.95, axis=-1)
    if XYZ.ndim > 2:
        return figures
    at = int(np.argmax(de))
    lit = XYZ * (centre[..., 1] / np.maximum(XYZ[..., 1], 1e-9))[..., None]
    duv = np.linalg.norm(uv(XYZ) - uv(centre), axis=-1)
    return figures | {
        f"{name}_de2000": de,
        f"{name}_de_chroma_only": difference.de2000(spaces.XYZ_to_Lab(lit, white), Lab_centre),
        f"{name}_luminance_percent": share,
        f"{name}_duv": np.where(XYZ[..., 1] > 3 * floor, duv, np.nan),
        f"{name}_centre_cd_m2": centre[..., 1],
        f"{prefix}_worst_zone": zones[at],
        f"{prefix}_coarse": np.array(float(floor / max(float(centre[1]), 1e-9) > COARSE)),
    }


def worst_place(figures: Mapping[str, object], name: str = "white") -> str:
    """Where the worst zone of a level is, in words."""
    prefix = "uniformity" if name == "white" else f"uniformity_{name}"
    zone, grid = np.asarray(figures[f"{prefix}_worst_zone"]), np.asarray(figures["grid"])
    return direction(((zone[0] + 0.5) / grid[0], (zone[1] + 0.5) / grid[1]))


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    text = (
        f"White differs by dE {f['uniformity_de2000_mean']:.1f} on average from the centre, {f['uniformity_de2000_worst']:.1f} "
        f"at the worst; luminance falls by {f['uniformity_falloff_percent']:.0f} % at most"
    )
    dark, fall = f.get("uniformity_dark_de2000_worst"), f.get("uniformity_dark_falloff_percent")
    if dark is not None:
        text += f". In dark grey the worst zone is dE {dark:.1f}, which is {fall:.0f} % of luminance"
    return text + "."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """The screen at each level of the first setup, zone by zone with contours, then the levels compared."""
    return zone_charts(shown, list(LEVELS), worst_place)


MEASUREMENT = Measurement(
    key="uniformity",
    title="Uniformity",
    group="Screen",
    signals=("sdr",),
    columns=(
        Column("uniformity_de2000_worst", "Uniformity", "worst dE", decimals=1, judged_by="uniformity_de2000_judged"),
        Column("uniformity_falloff_percent", "Fall-off", "%", decimals=0, main=False),
        Column(
            "uniformity_dark_de2000_worst", "In dark grey", "worst dE", decimals=1, main=False,
            judged_by="uniformity_dark_de2000_judged",
        ),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    prepare=prepare,
    short="Uniformity",
    order=1,
)  # fmt: skip
