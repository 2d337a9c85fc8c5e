"""Gamut: the corners of the colour cube, and what they cover of four standard spaces."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import gamut as plane
from lumenar.core.colour import spaces
from lumenar.core.measurements.base import (
    BLACK,
    DEPTHS,
    WHITE,
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    anchor_of,
    black_XYZ,
    colour_errors,
    one,
    outside_ladder,
    own_white_errors,
    quantised,
    summary,
    uv,
)
from lumenar.core.measurements.charts import (
    Axis,
    Chart,
    Series,
    Shown,
    Table,
    Value,
    around,
    joined,
    pairs,
    spectrum_locus,
)
from lumenar.core.measurements.colours import STIMULUS, decode, encode
from lumenar.core.measurements.figure import Figure, Tolerance
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target, candidates

CORNERS: dict[str, tuple[float, float, float]] = {
    "red": (1.0, 0.0, 0.0),
    "green": (0.0, 1.0, 0.0),
    "blue": (0.0, 0.0, 1.0),
    "cyan": (0.0, 1.0, 1.0),
    "magenta": (1.0, 0.0, 1.0),
    "yellow": (1.0, 1.0, 0.0),
}
REFERENCES = {"srgb": spaces.BT709, "p3": spaces.P3_D65, "bt2020": spaces.BT2020, "oprgb": spaces.OPRGB}


def codes(target: Target) -> dict[str, tuple[float, float, float]]:
    """Signals of R G B C M Y: at 100 %, in PQ the corners of the space that is compared with at half the codes."""
    if target.curve != "pq":
        return CORNERS
    linear = np.array(list(CORNERS.values())) * float(decode(STIMULUS["pq"], target))
    rgb = encode(np.maximum(linear @ target.to_container.T, 0), target)
    return {n: (float(r), float(g), float(b)) for n, (r, g, b) in zip(CORNERS, rgb, strict=True)}


@cache
def _shown(target: Target, bits: int) -> dict[str, tuple[float, float, float]]:
    """The same as codes of so many bits hold them."""
    rgb = quantised(list(codes(target).values()), bits)
    return {n: (float(r), float(g), float(b)) for n, (r, g, b) in zip(CORNERS, rgb, strict=True)}


def patches(context: Context) -> list[Patch]:
    """R G B C M Y, with the white and black they are judged against."""
    return [Patch(c, context.window) for c in (*_shown(context.target, context.bits).values(), WHITE, BLACK)]


def corners_of(readings: Readings, target: Target) -> dict[str, tuple[float, float, float]]:
    """The signals of the corners as they were shown: of a target for PQ they tell of which and in how many bits, since they are
    made for the one that a setup declares, whatever it is judged against."""
    if target.curve != "pq":
        return CORNERS

    def found() -> dict[str, tuple[float, float, float]]:
        every = [_shown(t, b) for t in (target, *candidates(())) if t.curve == "pq" for b in DEPTHS]
        return max(every, key=lambda c: sum(len(readings.find(rgb)) > 0 for rgb in c.values()))

    return readings.layout.memo(("corners", target.key), found)


def select(readings: Readings) -> NDArray[np.intp]:
    """Corners, white and black, outside ladders."""
    pq = [rgb for t in candidates(()) if t.curve == "pq" for b in DEPTHS for rgb in _shown(t, b).values()]
    return np.unique(outside_ladder(readings, [*CORNERS.values(), *dict.fromkeys(pq), WHITE, BLACK]))


def _coverage(primaries_XYZ: Array, target: Target) -> Figures:
    """Coverage and area of each reference, in u'v' (main) and xy, from XYZ of R, G, B (..., 3, 3)."""
    names = [*REFERENCES, "target"]
    xy = np.array([s.primaries for s in (*REFERENCES.values(), target.space)])
    planes = {"uv": (uv(primaries_XYZ), spaces.xy_to_uv(xy))}
    # Only the main figures, coverage in u'v', carry an uncertainty, so only they are computed for draws.
    if primaries_XYZ.ndim == 2:
        planes["xy"] = (spaces.XYZ_to_xy(primaries_XYZ), xy)
    triangles = np.stack([measured for measured, _ in planes.values()], axis=-3)[..., :, None, :, :]
    references = np.stack([reference for _, reference in planes.values()])
    coverage, area = plane.coverage_percent(triangles, references), plane.area_percent(triangles, references)
    figures: Figures = {}
    for p, plane_name in enumerate(planes):
        for i, name in enumerate(names):
            figures[f"coverage_{name}_{plane_name}_percent"] = coverage[..., p, i]
            figures[f"area_{name}_{plane_name}_percent"] = area[..., p, i]
    return figures


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the gamut (docs/figures.md); raises MissingPatchError without R, G, B and white."""
    white = one(readings, WHITE, "100 % white")
    K = np.maximum(black_XYZ(readings), 0)
    shown = corners_of(readings, target)
    full = "100 % " if target.signal == "sdr" else ""
    RGB = np.stack([one(readings, shown[c], f"{full}{c}") for c in ("red", "green", "blue")], axis=-2)
    names = [n for n, c in shown.items() if len(readings.find(c))]
    XYZ = np.stack([one(readings, shown[n], n) for n in names], axis=-2)
    anchor = anchor_of(readings)
    target_XYZ = target.XYZ(np.array([shown[n] for n in names]), anchor)
    errors = colour_errors(XYZ, target_XYZ, target, target.reference_Y(anchor.white))
    whole: Figures = {}
    if "de_itp" in errors:
        whole |= summary(errors["de_itp"], "de_itp")[0]
    if "de2000" in errors:
        of_all, whole["de2000_max_index"] = summary(errors["de2000"])
        corners = readings.take(np.array([readings.find(shown[n])[0] for n in names]))
        own_white = own_white_errors(corners, white, target_XYZ, target)
        whole |= {**of_all, **summary(own_white, "own_white_de2000")[0], "de2000_own_white": own_white}
    added = RGB[..., 1].sum(axis=-1) - 3 * K[..., 1]
    figures: Figures = {
        "colours_rgb": np.array([CORNERS[n] for n in names]),
        "primaries_xy": spaces.XYZ_to_xy(RGB),
        "primaries_uv": uv(RGB),
        "colours_uv": uv(XYZ),
        "target_uv": uv(target_XYZ),
        "white_uv": uv(white),
        "target_white_uv": uv(target.white_XYZ()),
        "target_primaries_uv": spaces.xy_to_uv(np.asarray(target.space.primaries)),
        "luminance_percent_of_target": 100 * XYZ[..., 1] / target_XYZ[..., 1],
        "luminance_cd_m2": XYZ[..., 1],
        **errors,
        **whole,
    }
    if target.signal == "sdr":
        figures["white_boost_percent"] = 100 * ((white[..., 1] - K[..., 1]) / added - 1)
    return figures | _coverage(RGB, target)


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    return (
        f"Covers {f['coverage_srgb_uv_percent']:.1f} % of sRGB, {f['coverage_p3_uv_percent']:.1f} % of P3, "
        f"{f['coverage_bt2020_uv_percent']:.1f} % of BT.2020 and "
        f"{f['coverage_oprgb_uv_percent']:.1f} % of opRGB in u′v′; "
        + (
            f"dE ITP of the corners {f['de_itp_mean']:.1f} mean, {f['de_itp_max']:.1f} worst."
            if "de_itp_mean" in f
            else f"dE2000 of the corners {f['de2000_mean']:.1f} mean, {f['de2000_max']:.1f} worst."
        )
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """The u'v' diagram with target and measured primaries, coverage of four spaces, error anatomy by corner."""
    return [_plane_chart(shown), _coverage_chart(shown), _anatomy_chart(shown)]


def _closed(points: Array) -> tuple[tuple[float | None, float | None], ...]:
    ring = np.vstack([points, points[:1]])
    return pairs(ring)


def _plane_chart(shown: Sequence[Shown]) -> Chart:
    f = shown[0].figures
    names = tuple(CORNERS)[: len(f["colours_uv"])]
    series = [
        spectrum_locus(),
        Series(f"{shown[0].target.title} target", "target_line", _closed(f["target_primaries_uv"])),
    ]
    for i, s in enumerate(shown):
        series.append(Series(s.name, "outline", _closed(s.figures["primaries_uv"]), setup=i))
    dots = np.vstack([f["colours_uv"], f["white_uv"][None]])
    wanted = np.vstack([f["target_uv"], f["target_white_uv"][None]])
    series.append(
        Series(
            shown[0].name,
            "measured",
            pairs(dots),
            hues=(*names, "white"),
            labels=(*names, "white"),
            whisker=pairs(wanted),
        )
    )
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (n, *(float(v) for v in (*f["colours_uv"][i], *f["target_uv"][i], f["luminance_percent_of_target"][i])))
        for i, n in enumerate(names)
    )
    return Chart(
        key="gamut_plane",
        kind="plane",
        title="Gamut",
        note="u′v′ · cross is target, dot is measured",
        headline=f"covers {f['coverage_target_uv_percent']:.1f} % of {shown[0].target.title}",
        x=Axis("u′", "", 0, 0.65, 1),
        y=Axis("v′", "", 0, 0.6, 1),
        series=tuple(series),
        table=Table(
            ("Colour", "u′", "v′", "Target u′", "Target v′", "Luminance, % of target"), (None, 4, 4, 4, 4, 1), rows
        ),
    )


def _coverage_chart(shown: Sequence[Shown]) -> Chart:
    labels = {"srgb": "sRGB / BT.709", "p3": "P3", "oprgb": "opRGB", "bt2020": "BT.2020"}
    series = tuple(
        Series(
            s.name,
            "measured",
            tuple((float(s.figures[f"coverage_{n}_uv_percent"]), float(j)) for j, n in enumerate(labels)),
            setup=i,
            labels=tuple(labels.values()),
        )
        for i, s in enumerate(shown)
    )
    planes = ("coverage_{}_uv_percent", "coverage_{}_xy_percent", "area_{}_uv_percent", "area_{}_xy_percent")
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (f"{title}, {s.name}", *(float(s.figures[p.format(n)]) for p in planes))
        for s in shown
        for n, title in labels.items()
    )
    return Chart(
        key="coverage",
        kind="rules",
        title="Coverage of four spaces",
        note="% of each space's area in u′v′; the table has xy and total area",
        headline="",
        x=Axis("coverage", "%", 0, 100, 0),
        y=Axis("", "", -0.5, 3.5, 0),
        series=series,
        table=Table(
            ("Space", "Coverage u′v′, %", "Coverage xy, %", "Area u′v′, %", "Area xy, %"), (None, 1, 1, 1, 1), rows
        ),
    )


def _anatomy_chart(shown: Sequence[Shown]) -> Chart:
    f = shown[0].figures
    names = tuple(CORNERS)[: len(f["colours_uv"])]
    x = np.arange(len(names), dtype=float)
    parts = ("lightness", "chroma", "hue")
    series = tuple(Series(p, "part", joined(x, f[f"de_{p}"]), labels=names) for p in parts)
    low, high = around(np.concatenate([f[f"de_{p}"] for p in parts]), least=(-2, 2))
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (n, *(float(f[k][i]) for k in ("de2000", "de_lightness", "de_chroma", "de_hue", "de_chroma_only")))
        for i, n in enumerate(names)
    )
    return Chart(
        key="corner_anatomy",
        kind="anatomy",
        title="Error anatomy of the corners",
        note="dE2000 terms, signed: lightness, chroma, hue",
        headline=f"mean {f['de2000_mean']:.1f}, worst {f['de2000_max']:.1f} {names[int(f['de2000_max_index'])]}",
        x=Axis("", "", -0.5, len(names) - 0.5, 0, labels=names),
        y=Axis("dE2000", "", low, high, 0),
        series=series,
        table=Table(
            ("Colour", "dE2000", "Lightness", "Chroma", "Hue", "Without luminance"), (None, 1, 1, 1, 1, 1), rows
        ),
    )


CORNERS_MEAN = Figure("gamut", "de2000_mean", "Corners, mean", "dE", 2, -1, promise=Tolerance(9, 1.0))
COVERAGE = Figure(
    "gamut", "coverage_target_uv_percent", "Coverage", "%", 1, 1, compared=10, expected=8, promise=Tolerance(10, 1.0)
)
OF_SRGB = Figure("gamut", "coverage_srgb_uv_percent", "Coverage of sRGB", "%", 1)
OF_P3 = Figure("gamut", "coverage_p3_uv_percent", "Coverage of P3", "%", 1)
MEASUREMENT = Measurement(
    key="gamut",
    title="Gamut",
    group="Colour",
    signals=("sdr", "pq"),
    columns=(
        Column("coverage_target_uv_percent", "Gamut", "% target", decimals=1),
        Column("coverage_p3_uv_percent", "P3", "% u′v′", decimals=1, main=False),
        Column(
            "de2000_mean",
            "Corners",
            "dE mean",
            decimals=1,
            judged_by="own_white_de2000_mean",
            main=False,
            signals=("sdr",),
        ),
        Column("de_itp_mean", "Corners", "ITP mean", decimals=1, main=False, signals=("pq",)),
    ),
    first_pass=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    short="Gamut",
    order=1,
    ratios=("coverage", "area"),
    figures=(CORNERS_MEAN, COVERAGE, OF_SRGB, OF_P3),
)
