"""Saturation steps: six hues in even steps of saturation at constant luminance."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.measurements.base import BLACK, WHITE, Array, Column, Context, Figures, Measurement, quantised
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.measurements.colours import (
    STIMULUS,
    analyse_colours,
    anatomy_chart,
    decode,
    encode,
    patch_of,
    plane_chart,
)
from lumenar.core.numbers import signed
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target, candidates

Hue = Literal["red", "yellow", "green", "cyan", "blue", "magenta"]
HUES: dict[Hue, tuple[int, int, int]] = {
    "red": (1, 0, 0),
    "yellow": (1, 1, 0),
    "green": (0, 1, 0),
    "cyan": (0, 1, 1),
    "blue": (0, 0, 1),
    "magenta": (1, 0, 1),
}
STEPS = (0.2, 0.4, 0.6, 0.8, 1.0)
NEAR = 0.0026
"""Codes of eight bits miss their steps by so much at the most, and by half a code of limited range."""


def codes(target: Target) -> Array:
    """Signals (6, 5, 3), unquantised, of the steps for a target.

    At full saturation P = f(0.75) h, in PQ f(0.5) h, in the space that is compared with; between, t P + (1 - t) Y_h (1, 1, 1)
    with t chosen so that the steps are even in u'v' from white: v' of a mixture weighs its parts by Y / v', so
    t = s v'_h / (s v'_h + (1 - s) v'_w).
    """
    M = target.space.matrix
    h = np.array(list(HUES.values()), float)
    P = float(decode(STIMULUS[target.signal], target)) * h
    XYZ = P @ M.T
    Y_h, v_h = XYZ[:, 1], spaces.XYZ_to_uv(XYZ)[:, 1]
    v_w = spaces.XYZ_to_uv(target.white_XYZ())[1]
    s = np.array(STEPS)[None, :]
    t = (s * v_h[:, None] / (s * v_h[:, None] + (1 - s) * v_w))[..., None]
    linear = t * P[:, None, :] + (1 - t) * Y_h[:, None, None]
    # What the code values' primaries cannot make is cut off; targets are made from the codes that were shown.
    return encode(np.maximum(linear @ target.to_container.T, 0), target)


def patches(context: Context) -> list[Patch]:
    """Six hues by five steps for the declared target, with white and black."""
    rgb = quantised(codes(context.target), context.bits).reshape(-1, 3)
    return [*(patch_of(c, context.window) for c in rgb), Patch(WHITE, context.window), Patch(BLACK, context.window)]


@lru_cache(maxsize=32)
def _all_codes(made_for: tuple[Target, ...]) -> Array:
    """Codes (t, 30, 3) of the steps for every SDR target."""
    return np.stack([codes(t).reshape(-1, 3) for t in candidates(made_for)])


def _matched(rgb: Array, made_for: tuple[Target, ...]) -> NDArray[np.intp]:
    """For each signal (n, 3) the step it is in the plan that most signals belong to, -1 where it is none."""
    if not len(rgb):
        return np.zeros(0, np.intp)
    far = np.abs(rgb[:, None, None, :] - _all_codes(made_for)).max(axis=-1)
    plan = int(np.argmax((far.min(axis=-1) <= NEAR).sum(axis=0)))
    nearest = far[:, plan].argmin(axis=-1)
    return np.where(far[:, plan].min(axis=-1) <= NEAR, nearest, -1)


def select(readings: Readings) -> NDArray[np.intp]:
    """Plain patches that are steps for one of the targets, with white and black."""
    ends = readings.same_signal(WHITE) | readings.same_signal(BLACK)
    return np.flatnonzero(readings.plain & ((_matched(readings.rgb, readings.layout.made_for) >= 0) | ends))


def _names(figures: Mapping[str, Array]) -> list[str]:
    """Hue and step of each signal."""
    hues = [f"{hue} {100 * s:.0f} %" for hue in HUES for s in STEPS]
    step = figures["step"].astype(int) if "step" in figures else _matched(figures["rgb"], ())
    return [hues[i] if i >= 0 else "other" for i in step]


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the saturation steps (docs/figures.md); raises MissingPatchError under six colours."""
    figures = analyse_colours(readings, target, 6, "saturation steps")
    error = figures["chroma_error_percent"]
    made_for = readings.layout.made_for
    step = _matched(figures["rgb"], made_for)
    if made_for:
        # The signals alone do not tell the steps of a target that is not known everywhere.
        figures["step"] = step.astype(float)
    by_hue = np.full((*error.shape[:-1], len(HUES) * len(STEPS)), np.nan)
    by_hue[..., step[step >= 0]] = error[..., step >= 0]
    by_hue = by_hue.reshape(*error.shape[:-1], len(HUES), len(STEPS))
    figures["saturation_error_by_step_percent"] = by_hue
    if np.isfinite(by_hue).all():
        for i, hue in enumerate(HUES):
            figures[f"saturation_error_{hue}_percent"] = by_hue[..., i, :].mean(axis=-1)
        figures["saturation_error_mean_percent"] = by_hue.mean(axis=(-1, -2))
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    text = f"dE2000 {f['de2000_mean']:.1f} mean, {f['de2000_max']:.1f} worst"
    if "de_itp_mean" in f:
        text = f"dE ITP {f['de_itp_mean']:.1f} mean, {f['de_itp_max']:.1f} worst"
    known = {h: float(str(f[f"saturation_error_{h}_percent"])) for h in HUES if f"saturation_error_{h}_percent" in f}
    if known:
        hue = max(known, key=lambda h: abs(known[h]))
        kind = "over" if known[hue] > 0 else "under"
        text += f"; {hue} is most off, {kind}-saturated by {abs(known[hue]):.0f} %"
    return text + "."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """The u'v' diagram, chroma error by step and hue, and the anatomy of the worst."""
    f = shown[0].figures
    headline = f"dE mean {f['de2000_mean']:.1f}, worst {f['de2000_max']:.1f}"
    names = _names(f)
    order = np.argsort(-f["de2000"])[:8]
    return [
        plane_chart(shown, "saturation_plane", "Saturation steps", headline, lambda g: _names(g)),
        _by_step(shown),
        anatomy_chart(
            shown, "saturation_anatomy", [names[i].replace(" %", "").replace(" ", "\n") for i in order], order
        ),
    ]


def _by_step(shown: Sequence[Shown]) -> Chart:
    """Chroma error by step: by hue for one setup, the mean of the hues where several are to be compared."""
    error = shown[0].figures["saturation_error_by_step_percent"]
    x = 100 * np.array(STEPS)
    means = [s.figures["saturation_error_by_step_percent"].mean(axis=0) for s in shown]
    alone = len(shown) == 1
    if alone:
        series = tuple(Series(hue, hue, joined(x, error[i]), marks=True) for i, hue in enumerate(HUES))
    else:
        series = tuple(
            Series(s.name, "measured", joined(x, m), i, True) for i, (s, m) in enumerate(zip(shown, means, strict=True))
        )
    low, high = around(error if alone else np.array(means), least=(-5, 5))
    over = [s.number("saturation_error_mean_percent") for s in shown[:2]]
    return Chart(
        key="saturation_error",
        kind="lines",
        title="Over- and under-saturation",
        note=f"chroma against the target's, by step{'' if alone else ', mean of six hues'}; grey band is ±5 %",
        headline="mean " + " → ".join(f"{signed(m, 1)} %" for m in over if m is not None) if None not in over else "",
        x=Axis("saturation", "%", 20, 100, 0),
        y=Axis("chroma error", "%", low, high, 0),
        series=series,
        bands=((-5.0, 5.0),),
        table=Table(
            ("Step, %", *(hue if alone else f"{s.name}, {hue}" for s in shown for hue in HUES)),
            (0, *(1 for _ in shown for _ in HUES)),
            Table.rows_of(x, *(row for s in shown for row in s.figures["saturation_error_by_step_percent"])),
        ),
    )


def prepare() -> None:
    """The codes of every target."""
    _all_codes(())


MEASUREMENT = Measurement(
    key="saturation",
    title="Saturation steps",
    group="Colour",
    signals=("sdr", "pq"),
    columns=(
        Column("de2000_mean", "Saturation", "dE mean", decimals=1, judged_by="own_white_de2000_mean", signals=("sdr",)),
        Column("de_itp_mean", "Saturation", "ITP mean", decimals=1, signals=("pq",)),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    prepare=prepare,
    short="Saturation",
    order=2,
)
