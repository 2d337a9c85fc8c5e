"""Uniformity: how the screen differs from its centre, at four levels, as a viewer sees it and in percent."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

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
    Option,
    closest,
    direction,
    quantised,
    uv,
)
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.measurements.zones import zone_charts
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Layout, Readings
from lumenar.core.targets import Target

LEVELS: Mapping[str, Mapping[str, float]] = {
    "sdr": {"white": 1.0, "grey": 0.5, "dark": 0.2, "near_black": 0.05},
    "pq": {"white": 0.58, "grey": 0.44, "dark": 0.28, "near_black": 0.15},
    "hlg": {"white": 0.75, "grey": 0.5, "dark": 0.25, "near_black": 0.1},
}
"""Levels by signal. In PQ and HLG white is reference white (Rec. ITU-R BT.2408), since a whole screen of all the light there
is would show how the panel limits its power; below it are about 50, 8 and 1 cd/m2."""
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
    levels = [float(v) for v in quantised(list(LEVELS[context.target.signal].values()), context.bits)]
    return [
        Patch((v, v, v), 1.0, zone=(c, r, columns, rows), repeat=repeat) for (c, r), repeat in stops for v in levels
    ]


def select(readings: Readings) -> NDArray[np.intp]:
    """Readings with a place."""
    return np.flatnonzero(~np.isnan(readings.zone[:, 0]))


@dataclass(frozen=True, eq=False)
class _Level:
    """Where one level was read. index: its readings; middle: those of them at the centre; zones (z, 2) and the first of
    the readings at each (z,); centre (z,): which zone is the centre."""

    index: NDArray[np.intp]
    middle: NDArray[np.bool_]
    zones: Array
    first: NDArray[np.intp]
    centre: NDArray[np.bool_]


def _levels(layout: Layout) -> dict[str, _Level]:
    """The levels of a signal that were read at the centre, by name: of the signal whose levels most readings are."""
    sets = (_of_signal(layout, levels) for levels in LEVELS.values())
    return max(sets, key=lambda found: ("white" in found, sum(len(v.index) for v in found.values())))


def _of_signal(layout: Layout, levels: Mapping[str, float]) -> dict[str, _Level]:
    found = {}
    for name, value in levels.items():
        index = np.flatnonzero(np.abs(layout.rgb[:, 1] - value) < 0.003)
        zone = layout.zone[index]
        middle = (zone[:, 0] == (zone[:, 2] - 1) // 2) & (zone[:, 1] == (zone[:, 3] - 1) // 2)
        if middle.any():
            places, first = np.unique(zone[:, 1] * 100 + zone[:, 0], return_index=True)
            zones = np.stack([places % 100, places // 100], axis=-1)
            found[name] = _Level(index, middle, zones, first, middle[first])
    return found


def _steady(XYZ: Array, time_s: Array, middle: NDArray[np.bool_]) -> Array:
    """XYZ (..., n, 3) with the linear drift of the centre's luminance removed, where it was read more than once."""
    t, Y = time_s[middle], XYZ[..., middle, 1]
    if len(t) < 2 or not np.isfinite(t).all() or np.ptp(t) == 0 or not np.isfinite(Y).all():
        return XYZ
    x = t - t.mean()
    slope = (Y @ x)[..., None] / (x @ x)
    drift = 1 + slope / Y.mean(axis=-1, keepdims=True) * (time_s - t.mean())
    return np.asarray(XYZ / drift[..., None], float)


def _values(readings: Readings, level: _Level) -> tuple[Array, Array]:
    """XYZ (..., z, 3) of the zones of one level, freed of drift, and of its centre (..., 3)."""
    own = readings.take(level.index)
    XYZ = _steady(own.XYZ, own.time_s, level.middle)
    # The centre is read several times; each zone counts once, the centre as the mean of its readings.
    centre = XYZ[..., level.middle, :].mean(axis=-2)
    # A zone under the floor is as near to the centre as it can be; where the centre is under it too, it is undecided.
    values = closest(own.with_XYZ(XYZ), np.broadcast_to(centre[..., None, :], XYZ.shape))[..., level.first, :]
    values[..., level.centre, :] = centre[..., None, :]
    return values, centre


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of uniformity (docs/figures.md); the target plays no part. Raises MissingPatchError without the white
    level at the centre and at five zones.

    CIELAB white is the full-field centre reading of white of the same grid, so dark zones count as they are seen.
    """
    levels = readings.layout.memo("uniformity levels", lambda: _levels(readings.layout))
    # A level whose centre is no number cannot be judged.
    below = readings.below_floor
    levels = {n: v for n, v in levels.items() if not np.take(below, v.index[v.middle]).any()}
    if "white" not in levels or len(levels["white"].zones) < 5:
        raise MissingPatchError("uniformity needs white at the centre and at five or more zones")
    zones = levels["white"].zones
    names = [n for n in levels if len(levels[n].zones) == len(zones)]
    values, centres = zip(*(_values(readings, levels[n]) for n in names), strict=True)
    XYZ, centre = np.stack(values, axis=-3), np.stack(centres, axis=-2)
    white = centre[..., names.index("white"), :]
    figures: Figures = {"grid": readings.zone[0, 2:], "zones": zones, "white_cd_m2": white[..., 1]}
    by_level = _summary(XYZ, centre, white, levels["white"].centre)
    if XYZ.ndim == 3:
        figures |= _by_zone(
            whole=figures,
            names=names,
            XYZ=XYZ,
            centre=centre,
            white=white,
            by_level=by_level,
            floor=readings.meter.limit,
        )
    judged = "p95" if len(zones) >= P95_FROM else "worst"
    if "dark" in names:
        figures["uniformity_dark_de2000_judged"] = by_level[f"de2000_{judged}"][..., names.index("dark")]
    figures["uniformity_de2000_judged"] = by_level[f"de2000_{judged}"][..., names.index("white")]
    del by_level["de2000"]
    return figures | {f"{_prefix(n)}_{k}": v[..., i] for i, n in enumerate(names) for k, v in by_level.items()}


def _prefix(name: str) -> str:
    """White's scalars carry no name, so that `uniformity_de2000_p95` is that of white."""
    return "uniformity" if name == "white" else f"uniformity_{name}"


def _summary(XYZ: Array, centre: Array, white: Array, middle: NDArray[np.bool_]) -> Figures:
    """Scalars by level (..., l), and dE2000 (..., l, z), of XYZ (..., l, z, 3) and centre (..., l, 3)."""
    white = white[..., None, :]
    Lab, Lab_centre = spaces.XYZ_to_Lab(XYZ, white[..., None, :]), spaces.XYZ_to_Lab(centre, white)
    de = difference.de2000(Lab, Lab_centre[..., None, :])
    others = de[..., ~middle]
    undecided = np.asarray(np.isnan(others).all(axis=-1))
    others = np.where(undecided[..., None], 0.0, others)
    nothing = np.where(undecided, np.nan, 0.0)
    figures = {
        "de2000": de,
        "de2000_mean": np.nanmean(others, axis=-1) + nothing,
        "de2000_worst": np.nanmax(others, axis=-1) + nothing,
        "falloff_percent": 100 - 100 * (np.nanmin(XYZ[..., 1], axis=-1) / centre[..., 1]) + nothing,
    }
    if len(middle) >= P95_FROM:
        ordered = np.sort(others, axis=-1)
        known = np.isfinite(ordered).sum(axis=-1)
        at = 0.95 * (known - 1)
        low = np.floor(at).astype(int)
        one, two = (
            np.take_along_axis(ordered, i[..., None], -1)[..., 0] for i in (low, np.minimum(low + 1, known - 1))
        )
        figures["de2000_p95"] = one + (at - low) * (two - one) + nothing
    return figures


def _even(readings: Readings, target: Target) -> Array:
    """Every zone like the centre, level by level."""
    XYZ = readings.XYZ.copy()
    for level in _levels(readings.layout).values():
        middle = XYZ[level.index[level.middle]]
        XYZ[level.index] = np.nanmean(middle, axis=0) if np.isfinite(middle).any() else np.nan
    return XYZ


def _by_zone(
    whole: Figures, names: list[str], XYZ: Array, centre: Array, white: Array, by_level: Figures, floor: float
) -> Figures:
    """What is shown zone by zone, of XYZ (l, z, 3) and centre (l, 3)."""
    zones, de, Y = whole["zones"], by_level["de2000"], centre[:, 1]
    lit = XYZ * (Y[:, None] / np.maximum(XYZ[..., 1], 1e-9))[..., None]
    Lab, Lab_centre = spaces.XYZ_to_Lab(lit, white), spaces.XYZ_to_Lab(centre, white)
    chroma_only = difference.de2000(Lab, Lab_centre[:, None, :])
    duv = np.linalg.norm(uv(XYZ) - uv(centre)[:, None, :], axis=-1)
    duv = np.where(XYZ[..., 1] > 1.5 * floor, duv, np.nan)
    share = 100 * XYZ[..., 1] / Y[:, None]
    figures: Figures = {}
    for i, name in enumerate(names):
        figures |= {
            f"{name}_de2000": de[i],
            f"{name}_de_chroma_only": chroma_only[i],
            f"{name}_luminance_percent": share[i],
            f"{name}_duv": duv[i],
            f"{name}_centre_cd_m2": Y[i],
            f"{_prefix(name)}_worst_zone": zones[int(np.argmax(np.nan_to_num(de[i], nan=-1.0)))],
            f"{_prefix(name)}_coarse": np.array(float(floor / max(float(Y[i]), 1e-9) > COARSE)),
        }
    return figures


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
    return zone_charts(shown, list(LEVELS["sdr"]), worst_place)


MEASUREMENT = Measurement(
    key="uniformity",
    title="Uniformity",
    group="Screen",
    signals=("sdr", "pq", "hlg"),
    columns=(
        Column("uniformity_de2000_worst", "Uniformity", "worst dE", decimals=1, judged_by="uniformity_de2000_judged"),
        Column("uniformity_falloff_percent", "Fall-off", "%", decimals=0, main=False),
        Column(
            "uniformity_dark_de2000_worst",
            "In dark grey",
            "worst dE",
            decimals=1,
            main=False,
            judged_by="uniformity_dark_de2000_judged",
        ),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    ideal=_even,
    extremes=tuple(f"uniformity{level}_falloff_percent" for level in ("", "_grey", "_dark", "_near_black")),
    floors=tuple(f"uniformity{level}_falloff_percent" for level in ("", "_grey", "_dark", "_near_black")),
    options=(Option("grid", "Uniformity in", "zones", choices=(((3, 3), "3x3"), ((5, 5), "5x5"), ((7, 5), "7x5"))),),
    short="Uniformity",
    order=1,
)
