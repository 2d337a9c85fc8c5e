"""Colour volume: the solid of all colours in CIELAB, its share of the target's, and gamut rings. In PQ the colours go up to the
code at which the curve asks for as much light as the display has."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.colour import volume as solids
from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.measurements.base import (
    WHITE,
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    one,
    quantised,
)
from lumenar.core.measurements.charts import Axis, Chart, Mark, Point, Series, Shown, Table, around, joined
from lumenar.core.measurements.colours import decode
from lumenar.core.numbers import grouped, significant
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import TARGETS, Target

STEPS = 10
RINGS = np.arange(10, 101, 10)
_EVERY = 4
"""Rings are kept at every fourth degree: enough to draw them."""
_NEAR = 0.004
"""Codes of so many bits miss tenths by so much at the most."""
_LEAST = 0.3
"""No display's light ends below this code: 10 cd/m2 in PQ."""
RESOLUTION = 2e-4
"""How far the shared volume of a draw may be from that of its own solid, as a share of the target's volume: a solid is known
by its surface points and sectors alone."""


SHORT = 0.97
"""Colours that end at less than this share of the display's light leave some of its volume out, which is said."""


def patches(context: Context) -> list[Patch]:
    """The 602 points of the RGB cube's surface in tenths of the signal that asks for all light there is; in PQ also 100 %, which
    says how much that is."""
    rgb = quantised(solids.cube(STEPS).rgb * context.top, context.bits)
    found = [Patch((float(r), float(g), float(b)), context.window) for r, g, b in rgb]
    return found if context.top >= 1 else [*found, Patch(WHITE, context.window)]


def _keys(rgb: Array, top: float) -> NDArray[np.intp]:
    """A number for each point of the lattice of tenths of `top` on the cube's surface, -1 for other colours."""
    tenths = np.rint(rgb / top * STEPS)
    on = (np.abs(rgb * STEPS - tenths * top) <= _NEAR * STEPS).all(axis=1)
    surface = ((tenths == 0) | (tenths == STEPS)).any(axis=1) & ((tenths >= 0) & (tenths <= STEPS)).all(axis=1)
    key = (tenths @ np.array([121, 11, 1])).astype(np.intp)
    return np.where(on & surface, key, -1)


def _top_of(rgb: Array) -> float:
    """The signal whose tenths most of the signals (n, 3) are, among the greys; the brightest of equals."""
    grey = rgb[(np.ptp(rgb, axis=1) < 1e-6) & (rgb[:, 1] > _LEAST), 1] if len(rgb) else np.zeros(0)
    best, most, whole = 1.0, 0, len(solids.cube(STEPS).rgb)
    for top in np.unique(grey)[::-1].tolist():
        keys = _keys(rgb, top)
        count = np.unique(keys[keys >= 0]).size
        if count > most:
            best, most = top, count
        if most == whole:
            break
    return best


def _chosen(readings: Readings) -> float:
    return readings.layout.memo("volume top", lambda: _top_of(readings.rgb[readings.plain]))


def select(readings: Readings) -> NDArray[np.intp]:
    """Plain patches on the surface lattice, and 100 % white."""
    return np.flatnonzero(
        readings.plain & ((_keys(readings.rgb, _chosen(readings)) >= 0) | readings.same_signal(WHITE))
    )


def _in_order(rgb: Array, top: float) -> NDArray[np.intp]:
    """Index of the signal (n, 3) of each surface point, the nearest where there are several."""
    keys = _keys(rgb, top)
    off = np.abs(rgb * STEPS - np.rint(rgb / top * STEPS) * top).sum(axis=1)
    order = np.lexsort((off, keys))
    found, first = np.unique(keys[order], return_index=True)
    wanted = _keys(solids.cube(STEPS).rgb, 1.0)
    at = np.searchsorted(found, wanted).clip(0, max(len(found) - 1, 0))
    missing = int((found[at] != wanted).sum()) if len(found) else len(wanted)
    if missing:
        raise MissingPatchError(
            f"a colour volume needs all {len(wanted)} points of the colour cube's surface, {missing} are missing"
        )
    return np.asarray(order[first[at]], np.intp)


def target_sectors(target: Target, peak: float) -> tuple[solids.Solid, Array]:
    """The target's own solid, with black at zero, and its sectors; in PQ up to a peak in cd/m2."""
    return _absolute(target, peak) if target.signal == "pq" else _relative(target)


@cache
def _relative(target: Target) -> tuple[solids.Solid, Array]:
    return _solid(decode(solids.cube(STEPS).rgb, target), target)


@lru_cache(maxsize=64)
def _absolute(target: Target, peak: float) -> tuple[solids.Solid, Array]:
    top = float(pq_inverse(peak))
    return _solid(pq(solids.cube(STEPS).rgb * top) / peak, target)


def _solid(light: Array, target: Target) -> tuple[solids.Solid, Array]:
    """Of light (602, 3) of the target's own primaries, white being 1."""
    Lab = spaces.XYZ_to_Lab(light @ target.space.matrix.T, target.white_XYZ())
    found = solids.solid(Lab, solids.cube(STEPS))
    return found, solids.sectors(found)


def prepare() -> None:
    """The solid of every SDR target."""
    for target in TARGETS.values():
        if target.signal == "sdr":
            _relative(target)


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the volume (docs/figures.md); raises MissingPatchError unless all 602 points were read.

    White is the target's white chromaticity at the measured peak, without adaptation. The shared solid is found before
    any ring is drawn. For a batch of draws the volume comes from the mesh, and what is shared from how the surface moves
    within the target.
    """
    top = _chosen(readings)
    index = readings.layout.memo("volume order", lambda: _in_order(readings.rgb, top))
    cube = solids.cube(STEPS)
    peak = one(readings, WHITE, "100 % white")[..., 1]
    XYZ = np.where(readings.below_floor[:, None], 0.0, readings.XYZ)[..., index, :]
    Lab = target.Lab(XYZ, peak)
    own_target, target_area = target_sectors(target, float(np.mean(peak)))
    whole = solids.volume(target_area)
    if XYZ.ndim > 2:
        V = solids.mesh_volume(Lab, cube)
        middle = Lab.mean(axis=0)
        mine = solids.solid(middle, cube)
        # Only where the surface lies within the target does a movement of it change what the two share.
        counts = solids.contains(own_target, middle)[:, None]
        moved = np.tensordot(Lab - middle, solids.mesh_normals(middle, cube) * counts, axes=2)
        shared = solids.volume(solids.shared_sectors(mine, own_target)) + moved
        # What movements along the surface's normals leave out, in draws that are the same every time.
        shared = shared + whole * RESOLUTION * np.random.default_rng(len(V)).standard_normal(len(V))
        return {
            "volume_cubic_lab": V,
            "volume_ratio_percent": 100 * V / whole,
            "volume_percent_of_target": np.minimum(100 * shared / whole, 100.0),
        }
    mine = solids.solid(Lab, cube)
    area, shared = solids.sectors(mine), solids.shared_sectors(mine, own_target)
    rings = {
        k: solids.rings(a, RINGS.astype(float))
        for k, a in (("measured", area), ("target", target_area), ("shared", shared))
    }
    lost = 0.5 * (rings["target"][-1] ** 2 - rings["shared"][-1] ** 2)
    own = solids.volume(area)
    figures = {
        "peak_cd_m2": peak,
        "volume_cubic_lab": np.array(own),
        "volume_target_cubic_lab": np.array(whole),
        "volume_ratio_percent": np.array(100 * own / whole),
        "volume_percent_of_target": np.array(100 * solids.volume(shared) / whole),
        "ring_lightness": RINGS.astype(float),
        "ring_hues_deg": solids.HUES[::_EVERY],
        **{f"rings_{k}": r[:, ::_EVERY] for k, r in rings.items()},
        "lost_area_by_hue": lost[::_EVERY],
        "lost_most_hue_deg": np.array(solids.HUES[int(np.argmax(lost))]),
    }
    if target.signal == "pq":
        figures["top_cd_m2"] = pq(np.array(top))
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    return (
        f"The colours fill {f['volume_percent_of_target']:.1f} % of the target's volume; their own volume is "
        f"{f['volume_ratio_percent']:.0f} % of it. Most is lost near a hue of {f['lost_most_hue_deg']:.0f}°.{_short(f)}"
    )


def _short(f: Mapping[str, object]) -> str:
    """Said where colours were not read as bright as the display gets."""
    if "top_cd_m2" not in f:
        return ""
    top, peak = float(str(f["top_cd_m2"])), float(str(f["peak_cd_m2"]))
    if top >= SHORT * peak:
        return ""
    return f" Colours were read up to {significant(top, 3)} cd/m² only, of {significant(peak, 3)}: what is brighter is missing."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Rings of the first setup on its target with the losses hatched, the others pinned on it; lost area by hue."""
    return [_rings_chart(shown), _lost_chart(shown)]


def _ring(f: Mapping[str, Array], key: str, row: int) -> tuple[Point, ...]:
    h = np.radians(f["ring_hues_deg"])
    r = f[f"rings_{key}"][row]
    points = np.column_stack([r * np.cos(h), r * np.sin(h)])
    ring = np.vstack([points, points[:1]])
    return tuple((a, b) for a, b in np.round(ring, 2).tolist())


def _rings_chart(shown: Sequence[Shown]) -> Chart:
    f = shown[0].figures
    last = len(RINGS) - 1
    lost = (*_ring(f, "target", last), *reversed(_ring(f, "shared", last)))
    marks = [Mark("area", "hatch", lost, hint="lost against the target")]
    for i, L in enumerate(RINGS):
        hint = f"{shown[0].target.title}, up to L* {L}"
        marks.append(Mark("line", "target" if i == last else "faint", _ring(f, "target", i), hint=hint))
        marks.append(
            Mark("line", "setup", _ring(f, "measured", i), hint=f"{shown[0].name}, up to L* {L}", small=i < last)
        )
    for k, s in enumerate(shown[1:], 1):
        marks += [
            Mark(
                "line",
                "setup",
                _ring(s.figures, "measured", i),
                setup=k,
                hint=f"{s.name}, up to L* {RINGS[i]}",
                small=i < last,
            )
            for i in (4, last)
        ]
    reach = max(float(s.figures[k][last].max()) for s in shown for k in ("rings_measured", "rings_target"))
    half = np.ceil(reach / 50) * 50
    for k, s in enumerate(shown):
        at = ((-half + 8, half - (0.042 * k + 0.04) * 2 * half),)
        marks.append(Mark("text", "setup", tuple((float(a), float(b)) for a, b in at), f"{s.name}", setup=k))
    h = f["ring_hues_deg"][::3]
    rows = Table.rows_of(
        h,
        f["rings_target"][last][::3],
        f["rings_measured"][last][::3],
        f["rings_shared"][last][::3],
        f["lost_area_by_hue"][::3],
    )
    return Chart(
        key="rings",
        kind="drawing",
        title="Gamut rings",
        note=f"area within a ring is volume up to L* 10 … 100{_against(f)} · reference {shown[0].target.title} · hatched is lost",
        headline=f"{float(f['volume_percent_of_target']):.1f} % of {shown[0].target.title}",
        x=Axis("a* rss", "", -half, half, 0),
        y=Axis("b* rss", "", -half, half, 0),
        series=(),
        table=Table(("Hue, °", "Target", "Measured", "Shared", "Lost area"), (0, 1, 1, 1, 0), rows),
        marks=tuple(marks),
        aspect=1.0,
    )


def _against(f: Mapping[str, Array]) -> str:
    """What L* 100 is where light is absolute."""
    return f" of {significant(float(f['peak_cd_m2']), 3)} cd/m²" if "top_cd_m2" in f else ""


def _lost_chart(shown: Sequence[Shown]) -> Chart:
    series = []
    values = []
    for i, s in enumerate(shown):
        y = s.figures["lost_area_by_hue"] / 1000
        values.append(y)
        series.append(Series(s.name, "measured", joined(s.figures["ring_hues_deg"], y), i))
    _, high = around(np.concatenate(values), least=(0, 1))
    rows = Table.rows_of(shown[0].figures["ring_hues_deg"][::3], *(v[::3] for v in values))
    volumes = grouped(float(shown[0].figures["volume_cubic_lab"]) / 1000, 0)
    return Chart(
        key="ring_losses",
        kind="lines",
        title="Lost by hue",
        note=f"ring area per degree that the setup lacks of {shown[0].target.title}, in thousands",
        headline=f"volume {volumes} thousand",
        x=Axis("hue", "°", 0, 360, 0),
        y=Axis("lost", "", 0, high, 0),
        series=tuple(series),
        table=Table(("Hue, °", *(s.name for s in shown)), (0, *(2 for _ in shown)), rows),
    )


MEASUREMENT = Measurement(
    key="volume",
    title="Colour volume",
    group="Colour",
    signals=("sdr", "pq"),
    columns=(
        Column("volume_percent_of_target", "Volume", "% target", decimals=1),
        Column("volume_ratio_percent", "Own volume", "% of target", decimals=0, main=False),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    short="Volume",
    order=4,
    draws=40,
    prepare=prepare,
    ratios=("volume",),
)
