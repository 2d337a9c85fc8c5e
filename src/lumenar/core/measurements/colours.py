"""What the measurements of many coloured patches share: codes, figures, and pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import spaces, transfer
from lumenar.core.measurements.base import (
    WHITE,
    Array,
    Figures,
    MissingPatchError,
    anchor_of,
    closest,
    colour_errors,
    one,
    own_white_errors,
    summary,
    uv,
    uv_of,
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
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import REFERENCE_CD_M2, Target

STIMULUS = {"sdr": 0.75, "pq": 0.5}
"""Signal of full saturation by the kind of signal; half the codes of PQ are 92 cd/m2."""


def encode(linear: ArrayLike, target: Target) -> Array:
    """Signals (..., 3) for target-linear light (..., 3) of the code values' primaries, 1 being white, in PQ the reference white:
    the inverse of the target's curve without black lift."""
    light = np.asarray(linear, float)
    if target.curve == "pq":
        return transfer.pq_inverse(REFERENCE_CD_M2 * light)
    light = np.clip(light, 0, 1)
    if target.curve == "srgb":
        return transfer.srgb_inverse(light)
    return transfer.power_inverse(light, 2.4 if target.curve == "bt1886" else target.gamma)


def decode(rgb: ArrayLike, target: Target) -> Array:
    """Target-linear light (..., 3) of signals (..., 3), without black lift; the inverse of `encode`."""
    if target.curve == "pq":
        return transfer.pq(rgb) / REFERENCE_CD_M2
    if target.curve == "srgb":
        return transfer.srgb(rgb)
    return transfer.power(rgb, 2.4 if target.curve == "bt1886" else target.gamma)


def lab_to_linear(Lab: ArrayLike, target: Target) -> Array:
    """Target-linear RGB (..., 3) of CIELAB colours (..., 3) against the target's white at Y = 1; not clipped."""
    L, a, b = np.moveaxis(np.asarray(Lab, float), -1, 0)
    fy = (L + 16) / 116
    f = np.stack([fy + a / 500, fy, fy - b / 200], axis=-1)
    t = np.where(f > 6 / 29, f**3, (116 * f - 16) * 27 / 24389)
    return np.asarray((t * target.white_XYZ()) @ target.container.inverse.T, float)


def patch_of(rgb: Array, window: float) -> Patch:
    """A patch of one signal."""
    r, g, b = (float(v) for v in rgb)
    return Patch((r, g, b), window)


def analyse_colours(readings: Readings, target: Target, least: int, what: str) -> Figures:
    """Errors of all patches with their parts, chroma error in % of the target's chroma, and the summary.

    readings: the colours with 100 % white. Raises MissingPatchError with fewer than `least` colours.
    """
    anchor = anchor_of(readings)
    white = readings.same_signal((1.0, 1.0, 1.0)) | readings.same_signal((0.0, 0.0, 0.0))
    own = readings.take(np.flatnonzero(~white))
    if len(own) < least:
        raise MissingPatchError(f"{what} need at least {least} colours, these readings have {len(own)}")
    target_XYZ = target.XYZ(own.rgb, anchor)
    XYZ = closest(own, target_XYZ)
    seen_against = target.reference_Y(anchor.white)
    errors = colour_errors(XYZ, target_XYZ, target, seen_against)
    whole: Figures = {}
    if "de_itp" in errors:
        whole |= summary(errors["de_itp"], "de_itp")[0]
    if "de2000" in errors:
        of_all, whole["de2000_max_index"] = summary(errors["de2000"])
        own_white = own_white_errors(own, one(readings, WHITE, "100 % white"), target_XYZ, target)
        whole |= {**of_all, **summary(own_white, "own_white_de2000")[0], "de2000_own_white": own_white}
    figures: Figures = {"rgb": own.rgb, "uv": uv_of(own), "target_uv": uv(target_XYZ), **errors, **whole}
    Lab, wanted = target.Lab(XYZ, seen_against), target.Lab(target_XYZ, seen_against)
    C, C_target = np.hypot(Lab[..., 1], Lab[..., 2]), np.hypot(wanted[..., 1], wanted[..., 2])
    with np.errstate(divide="ignore", invalid="ignore"):
        colourful = (C_target > 2) & ~own.dim
        figures["chroma_error_percent"] = np.where(colourful, 100 * (C / C_target - 1), np.nan)
    figures["target_lab"] = wanted
    return figures


def hue_name(Lab: ArrayLike) -> list[str]:
    """Nearest of six hue names, or white, for CIELAB colours (n, 3); only to choose the colour of a mark."""
    Lab = np.asarray(Lab, float).reshape(-1, 3)
    centres = {"red": 35, "yellow": 95, "green": 140, "cyan": 205, "blue": 290, "magenta": 335}
    names, angles = list(centres), np.array(list(centres.values()), float)
    h = np.degrees(np.arctan2(Lab[:, 2], Lab[:, 1])) % 360
    near = np.argmin(np.abs((h[:, None] - angles + 180) % 360 - 180), axis=1)
    return ["white" if np.hypot(c[1], c[2]) < 6 else names[n] for c, n in zip(Lab, near, strict=True)]


def plane_chart(
    shown: Sequence[Shown], key: str, title: str, headline: str, names: Callable[[Mapping[str, Array]], Sequence[str]]
) -> Chart:
    """u'v' with a whisker from each target to what was measured, rings for the other setups.

    names: the name of each patch of a setup's figures, by which the rows of the setups are matched.
    """
    first, *others = shown
    f, own = first.figures, tuple(names(first.figures))
    dots = Series(
        first.name,
        "measured",
        pairs(f["uv"]),
        hues=tuple(hue_name(f["target_lab"])),
        labels=own,
        whisker=pairs(f["target_uv"]),
    )
    rings = [
        Series(s.name, "other", pairs(s.figures["uv"]), i, labels=tuple(names(s.figures)))
        for i, s in enumerate(others, 1)
    ]
    triangle = spaces.xy_to_uv(np.asarray(first.target.space.primaries))
    outline = Series(f"{first.target.title} target", "target_line", pairs(np.vstack([triangle, triangle[:1]])))
    errors = [dict(zip(names(s.figures), map(float, s.figures["de2000"]), strict=True)) for s in others]
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (n, *(float(f[k][i]) for k in _COLUMNS), *(e.get(n) for e in errors)) for i, n in enumerate(own)
    )
    return Chart(
        key=key,
        kind="plane",
        title=title,
        note="u′v′ · cross is target, dot is measured" + (", ring another setup" if others else ""),
        headline=headline,
        x=Axis("u′", "", 0, 0.65, 1),
        y=Axis("v′", "", 0, 0.6, 1),
        series=(spectrum_locus(), outline, *rings, dots),
        table=Table(
            (
                "Patch",
                "dE2000",
                "Lightness",
                "Chroma",
                "Hue",
                "Without luminance",
                "Chroma error, %",
                *(f"dE2000, {s.name}" for s in others),
            ),
            (None, 1, 1, 1, 1, 1, 1, *(1 for _ in others)),
            rows,
        ),
    )


_COLUMNS = ("de2000", "de_lightness", "de_chroma", "de_hue", "de_chroma_only", "chroma_error_percent")


def anatomy_chart(shown: Sequence[Shown], key: str, names: Sequence[str], index: NDArray[np.intp]) -> Chart:
    """Signed parts of the errors of chosen patches (index) of the first setup, named."""
    f = shown[0].figures
    parts = ("lightness", "chroma", "hue")
    x = np.arange(len(index), dtype=float)
    series = tuple(Series(p, "part", joined(x, f[f"de_{p}"][index]), labels=tuple(names)) for p in parts)
    low, high = around(np.concatenate([f[f"de_{p}"][index] for p in parts]), least=(-2, 2))
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (n, *(float(f[k][i]) for k in ("de2000", "de_lightness", "de_chroma", "de_hue")))
        for n, i in zip(names, index, strict=True)
    )
    return Chart(
        key=key,
        kind="anatomy",
        title="Error anatomy of the worst",
        note="dE2000 terms, signed: lightness, chroma, hue",
        headline=f"worst {f['de2000_max']:.1f}",
        x=Axis("", "", -0.5, len(index) - 0.5, 0, labels=tuple(names)),
        y=Axis("dE2000", "", low, high, 0),
        series=series,
        table=Table(("Patch", "dE2000", "Lightness", "Chroma", "Hue"), (None, 1, 1, 1, 1), rows),
    )
