"""PQ tracking: how closely greys follow the absolute curve, where they leave it, and where output clips."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.measurements.base import Array, Column, Figures, Measurement, quantised
from lumenar.core.measurements.charts import Chart, Note, Shown
from lumenar.core.measurements.figure import Figure, Tolerance
from lumenar.core.measurements.grey_ramp import balance_chart, cct_chart, select
from lumenar.core.measurements.hdr_curve import (
    error_chart,
    figures_of,
    itp_chart,
    light_chart,
    mean_of,
    patches,
    ramp_of,
    spacing,
)
from lumenar.core.numbers import signed, significant
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Anchor, Target

LEAVES = 5.0
"""Error in % of luminance that is no longer the curve."""
GOLDEN = 0.6180339887498949
NEAR = 12.0
"""Knee and clip nearer than so many % of code are told in one remark."""
FINE = 0.005
"""Knee and clip are looked for between levels so near in code."""
FALLS_PERCENT = 2.0
"""A lower code must be brighter than code 100 % by more than this before the curve is said to fall."""
FOLLOWED_PERCENT = 90.0
"""A mode follows the curve if it does on this share of the codes up to where its light ends."""
REACHED = 0.99
"""Share of the light at code 100 % from which on output clips."""


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of PQ tracking (docs/figures.md). Levels that ask for more than the display gives leave the summaries. What it
    gives is its light at code 100 %; if a lower code is brighter by more than noise, it is the light of that code.

    Raises MissingPatchError without code 100 %, or with fewer than five levels.
    """
    ramp, anchor = ramp_of(readings)
    v = ramp.rgb[:, 1]
    asked = pq(v)
    most, at, falls = _brightest(ramp, anchor)
    # Of a curve that falls what comes after its brightest level counts too: the target stays up there.
    within = (asked <= most[..., None]) | (falls[..., None] > 0)
    figures = figures_of(ramp, replace(anchor, white=most), target, within)
    Y, off = figures["luminance_cd_m2"], _off(ramp, figures["luminance_cd_m2"])
    clip = clip_percent(v, Y, most)
    below = (100 * v <= clip[..., None]) & (v > RGB_TOLERANCE) & np.isfinite(Y)
    weight = spacing(v)
    figures |= {
        "peak_cd_m2": anchor.white,
        "asked_cd_m2": asked,
        "knee_percent": (knee := _knee(v, off)),
        "knee_cd_m2": pq(knee / 100),
        "clip_percent": clip,
        "clip_cd_m2": pq(clip / 100),
        "brightest_cd_m2": most,
        "brightest_level_percent": at,
        "falls": falls,
        "followed_percent": 100 * mean_of(np.asarray(off <= 1, float), below, weight),
        "too_bright_percent": mean_of(np.nan_to_num(figures["error_percent"]), below, weight),
    }
    return figures


def _brightest(ramp: Readings, anchor: Anchor) -> tuple[Array, Array, Array]:
    """The light in cd/m2 (...) and the code in % of the brightest level if it exceeds code 100 % by more than `FALLS_PERCENT`
    and noise, else those of code 100 %; and 1 or 0 for whether it does."""
    Y = np.nan_to_num(ramp.XYZ[..., 1])
    index = Y.argmax(axis=-1)
    top = np.take_along_axis(Y, index[..., None], axis=-1)[..., 0]
    allowed = np.maximum(FALLS_PERCENT / 100 * anchor.white, 4 * np.sqrt(2) * ramp.meter.u(anchor.white))
    falls = top - anchor.white > allowed
    at = np.where(falls, 100 * ramp.rgb[index, 1], 100.0)
    return np.where(falls, top, anchor.white), at, np.asarray(falls, float)


def further(readings: Readings, target: Target, bits: int) -> list[Patch]:
    """The codes half way between the levels that knee and clip lie between, as long as these are more than half a per cent of
    code apart, so that both are found by bisection."""
    ramp, anchor = ramp_of(readings)
    v, Y = ramp.rgb[:, 1], np.nan_to_num(ramp.XYZ[..., 1])
    places = [int(_reached(Y, _brightest(ramp, anchor)[0]))]
    beyond = _beyond(_off(ramp, Y))
    if beyond.any() and beyond.argmax() > 0:
        places.append(int(beyond.argmax()))
    window = float(ramp.window[0])
    halves = [float(quantised((v[i - 1] + v[i]) / 2, bits)) for i in places if v[i] - v[i - 1] > FINE + 1e-9]
    return [Patch((h, h, h), window) for h in dict.fromkeys(halves) if np.abs(v - h).min() > RGB_TOLERANCE]


def _off(ramp: Readings, Y: Array) -> Array:
    """By how many times what is allowed light Y (..., n) is off what the levels ask for; allowed is LEAVES, or the reading's
    uncertainty where that is more."""
    asked = np.maximum(pq(ramp.rgb[:, 1]), 1e-9)
    u = 200 * ramp.meter.u(ramp.XYZ)[..., 1] / asked
    return np.asarray(100 * np.abs(Y / asked - 1) / np.maximum(LEAVES, u), float)


def _beyond(ratio: Array) -> NDArray[np.bool_]:
    """From which level on every error exceeds what is allowed, as errors over it (..., n)."""
    odd = (ratio > 1) | ~np.isfinite(ratio)
    return np.asarray(np.flip(np.logical_and.accumulate(np.flip(odd, axis=-1), axis=-1), axis=-1), bool)


def _reached(Y: Array, peak: Array) -> NDArray[np.intp]:
    """The first level (...) with all the light (..., n) that code 100 % has, the second at the least."""
    reached = pq_inverse(REACHED * peak)[..., None] <= pq_inverse(np.nan_to_num(Y))
    return np.asarray(np.maximum(reached.argmax(axis=-1), 1), np.intp)


def _knee(v: Array, ratio: Array) -> Array:
    """The lowest code (...) in % from which on every error exceeds what is allowed, given as errors over that (..., n); between
    two levels, where a straight line between their errors does. 0 where it is nowhere followed, NaN where it is to the end."""
    beyond = _beyond(ratio)
    i = np.where(beyond.any(axis=-1), beyond.argmax(axis=-1), len(v) - 1)
    before = np.maximum(i - 1, 0)
    high, low = (np.take_along_axis(ratio, k[..., None], axis=-1)[..., 0] for k in (i, before))
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.clip((1 - low) / (high - low), 0, 1)
    at = v[before] + np.where(np.isfinite(share), share, 0.5) * (v[i] - v[before]) + _unread(v[i] - v[before])
    return np.asarray(np.where(beyond.any(axis=-1), 100 * at, np.nan), float)


def _unread(gap: Array) -> Array:
    """What a code that is looked for between two levels may be off by, for draws (d,): nobody read what lies between, so that
    any place about it within half the gap is as good as another. Nothing for the value itself."""
    if gap.ndim == 0:
        return np.zeros(())
    n = gap.shape[0]
    # Every part of the gap once, in an order of no meaning.
    return np.asarray(gap * ((np.arange(n) * GOLDEN + 0.5) % 1 - 0.5), float)


def clip_percent(v: Array, Y: Array, peak: Array) -> Array:
    """The lowest code (...) in % with 99 % of the light at code 100 %. Between two levels it is looked for in code values, in
    which the curve runs straight: going on as steeply as before, as one that clips does, as far as that leads within them."""
    E, top = pq_inverse(np.nan_to_num(Y)), pq_inverse(REACHED * peak)
    i = _reached(Y, peak)
    one, two = np.maximum(i - 2, 0), i - 1

    def at(x: Array, k: NDArray[np.intp]) -> Array:
        return np.take_along_axis(x, k[..., None], axis=-1)[..., 0]

    with np.errstate(divide="ignore", invalid="ignore"):
        slope = (at(E, two) - at(E, one)) / (v[two] - v[one])
        code = v[two] + (top - at(E, two)) / slope
    code = np.where(np.isfinite(code), code, v[i])
    return np.asarray(100 * (np.clip(code, v[two], v[i]) + _unread(v[i] - v[two])), float)


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    knee, clip, rms, dark, itp = (
        float(str(f[k])) for k in ("knee_cd_m2", "clip_cd_m2", "code_rms_percent", "shadow_code_percent", "de_itp_mean")
    )
    peak, followed, off = (float(str(f[k])) for k in ("peak_cd_m2", "followed_percent", "too_bright_percent"))
    leaves = "follows the curve"
    if knee == 0:
        leaves = "follows the curve nowhere"
    elif knee < clip:
        leaves = f"leaves the curve at {significant(knee, 3)} cd/m²"
    elif not followed >= FOLLOWED_PERCENT:
        leaves = f"doesn't follow the curve ({signed(off, 0)} % in the mean)"
    errors = "" if rms != rms else f"; error {rms:.1f} % of code rms"
    errors += "" if dark != dark else f", shadows {signed(dark, 1)} %"
    errors += "" if itp != itp else f"; dE ITP mean {itp:.1f}"
    text = f"Peak {significant(peak, 3)} cd/m²; {leaves} and clips at {significant(clip, 3)} cd/m²{errors}."
    if not float(str(f["falls"])):
        return text
    return (
        f"Code 100 % is darker than {float(str(f['brightest_level_percent'])):.0f} % of code: "
        f"{significant(peak, 3)} against {significant(float(str(f['brightest_cd_m2'])), 3)} cd/m². Either the curve falls, or "
        f"one of the two was misread. {text}"
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Error over luminance, luminance with knee and clip, balance, the whole difference, and colour temperature."""
    f = shown[0].figures
    notes = _ends(shown[0])
    peaks = " → ".join(significant(s.number("peak_cd_m2") or 0.0, 3) for s in shown[:2])
    return [
        error_chart(shown),
        light_chart(shown, f["asked_cd_m2"], notes, f"peak {peaks} cd/m²"),
        balance_chart(shown),
        itp_chart(shown),
        cct_chart(shown),
    ]


def _ends(s: Shown) -> tuple[Note, ...]:
    """Where the curve is left, and where output clips: one remark if both are in one place."""
    f = s.figures
    at = {k: level for k in ("knee", "clip") if (level := s.number(f"{k}_percent")) is not None}

    def note(level: float, text: str) -> Note:
        Y = float(np.interp(level, f["levels_percent"], np.nan_to_num(f["luminance_cd_m2"])))
        return Note(level, float(np.log10(max(Y, 1e-3))), text, "left")

    asked = {k: significant(float(pq(level / 100)), 3) for k, level in at.items()}
    if not 0 < at.get("knee", 100.0) < at["clip"]:
        return (note(at["clip"], f"clip {asked['clip']} cd/m²"),)
    if at["clip"] - at["knee"] < NEAR:
        return (note(at["clip"], f"knee {asked['knee']}, clip {asked['clip']} cd/m²"),)
    return tuple(note(level, f"{k} {asked[k]} cd/m²") for k, level in at.items())


ERROR = Figure(
    "pq_tracking", "code_rms_percent", "PQ error", "% of code", 2, -1, compared=5, expected=5, promise=Tolerance(5, 1.0)
)
GREYS = Figure("pq_tracking", "de_itp_mean", "Greys, mean", "dE ITP", 2, -1, compared=2, promise=Tolerance(6, 2.0))
CLIP = Figure("pq_tracking", "clip_cd_m2", "Clip", "cd/m²", 0, expected=6, reported=True)
PEAK = Figure("pq_tracking", "peak_cd_m2", "Peak", "cd/m²", 0, reported=True)
MEASUREMENT = Measurement(
    key="pq_tracking",
    title="PQ tracking",
    group="Tone",
    signals=("pq",),
    columns=(
        Column("code_rms_percent", "PQ error", "% code rms", decimals=1),
        Column("clip_cd_m2", "Clip", "cd/m²", significant=3),
        Column("knee_cd_m2", "Knee", "cd/m²", significant=3, main=False),
        Column("de_itp_mean", "Grey", "dE ITP mean", decimals=1, main=False),
    ),
    first_pass=True,
    greys=GREYS,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    floors=("code_rms_percent", "shadow_rms_percent"),
    extremes=("balance_spread_percent", "de_itp_max"),
    ratios=("knee_", "clip_", "peak_"),
    further=further,
    short="PQ",
    order=2,
    least=5,
    beside_report=True,
    figures=(ERROR, GREYS, CLIP, PEAK),
)
