"""Brightness ladder: luminance along the luminance control, and the setting for any cd/m2."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import BLACK, WHITE, Array, Column, Context, Figures, Measurement, MissingPatchError
from lumenar.core.measurements.charts import Axis, Chart, Note, Series, Shown, Table, around, joined
from lumenar.core.measurements.figure import Figure
from lumenar.core.monotone import isotonic, pchip
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

OFFERED_CD_M2 = (80.0, 100.0, 120.0, 150.0, 160.0, 200.0, 250.0)
_FINE = 501


def patches(context: Context) -> list[Patch]:
    """White and black at each step of the luminance control."""
    levels = context.luminance_levels
    return [Patch(c, context.window, level=v) for v in levels for c in (WHITE, BLACK)]


def select(readings: Readings) -> NDArray[np.intp]:
    """White and black read at a value of the luminance control."""
    return np.concatenate([readings.find(WHITE, levels=True), readings.find(BLACK, levels=True)])


def settings_for(settings: Array, luminance: Array, wanted: Sequence[float]) -> Array:
    """Settings (..., m) that give m wanted cd/m2: isotonic regression, then PCHIP; NaN outside the measured range.

    settings (n,) increasing, luminance (..., n). A control that dims as it rises is handled by mirroring it.
    """
    falling = float(np.mean(luminance[..., -1] - luminance[..., 0])) < 0
    x, y = (-settings[::-1], luminance[..., ::-1]) if falling else (settings, luminance)
    fine = np.linspace(x[0], x[-1], _FINE)
    curve = pchip(x, isotonic(y), fine)
    L = np.asarray(wanted, float)
    i = np.stack([(curve < w).sum(axis=-1) for w in L], axis=-1).clip(1, _FINE - 1)
    low, high = np.take_along_axis(curve, i - 1, -1), np.take_along_axis(curve, i, -1)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(high > low, (L - low) / (high - low), 0.0)
    value = fine[i - 1] + share * (fine[1] - fine[0])
    reachable = (curve[..., :1] - 1e-9 <= L) & (curve[..., -1:] + 1e-9 >= L)
    return np.asarray(np.where(reachable, -value if falling else value, np.nan), float)


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the ladder (docs/figures.md); the target plays no part. Raises MissingPatchError under 3 steps."""
    white = readings.take(readings.find(WHITE, levels=True))
    white = white.take(np.argsort(white.level, kind="stable"))
    white = white.take(~white.below_floor)
    if len(white) < 3:
        raise MissingPatchError(
            f"the brightness control needs white at 3 or more settings, these readings have {len(white)}"
        )
    Y = white.XYZ[..., 1]
    offered = settings_for(white.level, Y, OFFERED_CD_M2)
    figures: Figures = {
        "settings": white.level,
        "white_cd_m2": Y,
        "min_cd_m2": Y.min(axis=-1),
        "max_cd_m2": Y.max(axis=-1),
        "offered_cd_m2": np.array(OFFERED_CD_M2),
        "offered_settings": offered,
        "setting_for_120_cd_m2": offered[..., OFFERED_CD_M2.index(120.0)],
    }
    return figures | _contrast(readings, white)


def _contrast(readings: Readings, white: Readings) -> Figures:
    """Contrast along the ladder where black is a number; NaN under the floor."""
    black = readings.take(readings.find(BLACK, levels=True))
    if not len(black):
        return {}
    order = np.searchsorted(black.level, white.level, sorter=np.argsort(black.level))
    order = np.argsort(black.level)[np.clip(order, 0, len(black) - 1)]
    matched = black.level[order] == white.level
    K = np.where(matched & ~black.below_floor[order], black.XYZ[..., order, 1], np.nan)
    with np.errstate(divide="ignore", invalid="ignore"):
        return {"black_cd_m2": K, "contrast_by_setting": np.where(K > 0, white.XYZ[..., 1] / K, np.nan)}


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    at = f.get("setting_for_120_cd_m2")
    where = (
        f"120 cd/m² at a setting of {at:.0f}"
        if isinstance(at, float) and np.isfinite(at)
        else "120 cd/m² is out of reach"
    )
    return f"From {f['min_cd_m2']:.3g} to {f['max_cd_m2']:.3g} cd/m²; {where}."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Setting against cd/m2, with the setting for 120 cd/m2; the table has the settings for the usual luminances."""
    series: list[Series] = []
    for i, s in enumerate(shown):
        f = s.figures
        series.append(Series(s.name, "measured", joined(f["settings"], f["white_cd_m2"]), setup=i, marks=True))
    f = shown[0].figures
    at = shown[0].number("setting_for_120_cd_m2")
    series.append(Series("120 cd/m²", "target", joined(f["settings"][[0, -1]], np.full(2, 120.0))))
    _, high = around(np.concatenate([s.figures["white_cd_m2"] for s in shown]), least=(0, 130))
    curve = Chart(
        key="ladder",
        kind="lines",
        title="Luminance by setting",
        note="white in cd/m² along the luminance control",
        headline="120 cd/m² is out of reach" if at is None else f"120 cd/m² at {at:.1f}",
        x=Axis("setting", "", float(f["settings"][0]), float(f["settings"][-1]), 0),
        y=Axis("white", "cd/m²", 0, high, 0),
        series=tuple(series),
        notes=() if at is None else (Note(at, 120.0, f"{at:.1f}"),),
        table=Table(
            ("cd/m²", *(f"setting, {s.name}" for s in shown)),
            (0, *(1 for _ in shown)),
            Table.rows_of(f["offered_cd_m2"], *(s.figures["offered_settings"] for s in shown)),
        ),
        table_open=True,
    )
    return [curve, *_contrast_chart(shown)]


def _contrast_chart(shown: Sequence[Shown]) -> list[Chart]:
    known = [
        s for s in shown if "contrast_by_setting" in s.figures and np.isfinite(s.figures["contrast_by_setting"]).any()
    ]
    if not known:
        return []
    series = tuple(
        Series(
            s.name,
            "measured",
            joined(s.figures["settings"], s.figures["contrast_by_setting"]),
            setup=shown.index(s),
            marks=True,
        )
        for s in known
    )
    _, high = around(np.concatenate([s.figures["contrast_by_setting"] for s in known]), least=(0, 100))
    f = known[0].figures
    return [
        Chart(
            key="ladder_contrast",
            kind="lines",
            title="Contrast by setting",
            note="white over black; left out where black is under the meter's floor",
            headline="",
            x=Axis("setting", "", float(f["settings"][0]), float(f["settings"][-1]), 0),
            y=Axis("contrast", ": 1", 0, high, 0),
            series=series,
            table=Table(
                ("Setting", "White, cd/m²", "Black, cd/m²", "Contrast"),
                (0, 1, 4, 0),
                Table.rows_of(*(f[k] for k in ("settings", "white_cd_m2", "black_cd_m2", "contrast_by_setting"))),
            ),
        )
    ]


FOR_120 = Figure("brightness_ladder", "setting_for_120_cd_m2", "Brightness for 120 cd/m²", "", 0)
MEASUREMENT = Measurement(
    key="brightness_ladder",
    title="Brightness control",
    group="Light",
    signals=("sdr",),
    columns=(
        Column("setting_for_120_cd_m2", "Brightness", "for 120", decimals=0),
        Column("max_cd_m2", "Top", "cd/m²", significant=3, main=False),
    ),
    luminance_alone=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    least=6,
    short="Brightness",
    order=2,
    figures=(FOR_120,),
)
