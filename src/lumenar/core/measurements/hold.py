"""Hold: how white drifts while it stands still, and when a still picture is dimmed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import (
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    Option,
    quantised,
)
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.numbers import signed
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

EVERY_S = 5.0
WINDOWS = (0.1, 1.0)
AREAS = (
    (0.0, "a tenth, then all"),
    (0.02, "2 %"),
    (0.1, "10 %"),
    (0.25, "25 %"),
    (0.5, "50 %"),
    (1.0, "the whole screen"),
)
"""Shares of the screen that can be held."""
DIMMED = 0.05
"""A lasting fall by more than this share is static dimming, not drift."""


def patches(context: Context) -> list[Patch]:
    """White for three minutes or as long as asked, in 10 % and in the whole screen, or another grey or area: a reading every
    five seconds, and no more than 73 of them."""
    every = EVERY_S * max(1, np.ceil(context.hold_s / EVERY_S / 72))
    times = np.arange(0, context.hold_s + 1e-9, every)
    v = float(quantised(context.hold_grey / 100, context.bits))
    windows = (context.hold_area,) if context.hold_area else WINDOWS
    return [Patch((v, v, v), w, at_s=float(t)) for w in windows for t in times]


def select(readings: Readings) -> NDArray[np.intp]:
    """Greys read at a time after their onset."""
    return np.flatnonzero((np.ptp(readings.rgb, axis=1) < RGB_TOLERANCE) & ~np.isnan(readings.at_s))


def _name(window: float, level: float) -> str:
    """What a held picture is called in the figures' keys: its area, and its grey where it is not white."""
    return f"{100 * window:.0f}" + ("" if level > 1 - RGB_TOLERANCE else f"_grey_{100 * level:.0f}")


def _words(name: str) -> str:
    """The same in words."""
    window, _, level = name.partition("_grey_")
    area = "whole screen" if window == "100" else f"{window} % window"
    return area + (f" of {level} % grey" if level else "")


def fit(t: Array, y: Array) -> tuple[Array, Array, Array]:
    """L_inf, L_0 and tau of L_inf + (L_0 - L_inf) exp(-t / tau), each (...), least squares over y (..., n).

    For every tau of a fine logarithmic ladder the other two are linear; the best tau of the ladder is taken.
    """
    taus = np.geomspace(t[-1] / 60, t[-1] * 2, 240)
    e = np.exp(-t / taus[:, None])
    e0, y0 = e - e.mean(axis=1, keepdims=True), y - y.mean(axis=-1, keepdims=True)
    covariance, variance = y0 @ e0.T, (e0 * e0).sum(-1)
    slope = covariance / variance
    # The residual is what the fit leaves of the variance of y, so the best fit explains most.
    best = np.argmax(covariance * slope, axis=-1)
    k = np.take_along_axis(slope, best[..., None], -1)[..., 0]
    infinite = y.mean(axis=-1) - k * e.mean(axis=1)[best]
    return infinite, infinite + k, taus[best]


SIGNIFICANT = 4.5
"""In how many times its standard uncertainty a decay must lie. High, as the best of many time constants is taken: of
holds that are steady but for noise fewer than one in a thousand would show one."""


def decays(t: Array, y: Array, fitted: tuple[Array, Array, Array], repeatability: float) -> NDArray[np.bool_]:
    """Where what `fit` found in y (..., n) is a change and not the meter's noise, and of 0.1 % or more, shape (...).

    The amplitude of a least-squares fit has the standard uncertainty of one reading over the root of the sum of squares
    of the fitted shape about its mean.
    """
    infinite, first, tau = fitted
    amplitude = first - infinite
    e = np.exp(-t / tau[..., None])
    change = np.abs(amplitude) * np.sqrt(((e - e.mean(axis=-1, keepdims=True)) ** 2).sum(axis=-1))
    level = y.mean(axis=-1)
    seen = np.abs(amplitude) * (e[..., 0] - e[..., -1])
    return np.asarray((change > SIGNIFICANT * repeatability * level) & (seen > 0.001 * level))


def _dimmed_at(t: Array, y: Array) -> Array:
    """When the first fall of more than 5 % from one reading to the next happened that lasted; NaN where none did."""
    ratio = y[..., 1:] / y[..., :-1]
    later = np.minimum.accumulate(y[..., ::-1], axis=-1)[..., ::-1]
    highest_later = np.maximum.accumulate(y[..., ::-1], axis=-1)[..., ::-1][..., 1:]
    lasting = (ratio < 1 - DIMMED) & (highest_later < y[..., :-1] * (1 - DIMMED / 2)) & (later[..., 1:] > 0)
    first = np.argmax(lasting, axis=-1)
    return np.where(lasting.any(axis=-1), t[1:][first], np.nan)


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the hold (docs/figures.md); the target plays no part. Raises MissingPatchError under five readings."""
    figures: Figures = {}
    for window, level in np.unique(
        np.column_stack([readings.window, np.round(readings.rgb[:, 1], 4)]), axis=0
    ).tolist():
        held = (readings.window == window) & (np.abs(readings.rgb[:, 1] - level) < RGB_TOLERANCE)
        own = readings.take(np.flatnonzero(held))
        own = own.take(np.argsort(own.at_s, kind="stable"))
        own = own.take(~own.below_floor)
        if len(own) < 5:
            continue
        t, Y = own.at_s, own.XYZ[..., 1]
        name = _name(window, level)
        dimmed = _dimmed_at(t, Y)
        fitted = infinite, _, tau = fit(t, Y)
        drift = 100 * (Y[..., -1] / Y[..., 0] - 1)
        # Nothing where the picture was dimmed: that is no decay.
        known = decays(t, Y, fitted, readings.meter.repeatability) & np.isnan(dimmed)
        figures |= {
            f"times_s_{name}": t,
            f"luminance_cd_m2_{name}": Y,
            f"drift_percent_{name}": drift,
            f"tau_s_{name}": np.where(known, tau, np.nan),
            f"settled_cd_m2_{name}": np.where(known, infinite, Y[..., -1]),
            f"dimmed_after_s_{name}": dimmed,
        }
    if not figures:
        raise MissingPatchError("a hold needs white at five or more times after its onset")
    drifts = np.stack([v for k, v in figures.items() if k.startswith("drift_percent")], axis=-1)
    # Of draws the same window, so that the figure's uncertainty is that of what is shown.
    at = int(np.argmax(np.abs(drifts).reshape(-1, drifts.shape[-1]).mean(axis=0)))
    figures["drift_percent"] = drifts[..., at]
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    parts = []
    for key, drift in f.items():
        if key.startswith("drift_percent_"):
            name = key.removeprefix("drift_percent_")
            tau, dimmed = float(str(f[f"tau_s_{name}"])), float(str(f[f"dimmed_after_s_{name}"]))
            text = f"{_words(name)}: {signed(float(str(drift)), 1)} % over the hold"
            text += f", time constant {tau:.0f} s" if np.isfinite(tau) else ""
            parts.append(text + (f", dimmed after {dimmed:.0f} s" if np.isfinite(dimmed) else ""))
    return "; ".join(parts) + "."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Luminance over time in % of the first reading, for each window."""
    made = []
    every = (k.removeprefix("times_s_") for s in shown for k in s.figures if k.startswith("times_s_"))
    for name in sorted(dict.fromkeys(every), key=lambda n: int(n.partition("_")[0])):
        known = [s for s in shown if f"times_s_{name}" in s.figures]
        if not known:
            continue
        curves = [100 * s.figures[f"luminance_cd_m2_{name}"] / s.figures[f"luminance_cd_m2_{name}"][0] for s in known]
        t = known[0].figures[f"times_s_{name}"]
        low, high = around(np.concatenate(curves), least=(98, 101))
        series = tuple(
            Series(s.name, "measured", joined(s.figures[f"times_s_{name}"], c), setup=shown.index(s))
            for s, c in zip(known, curves, strict=True)
        )
        drift = known[0].number(f"drift_percent_{name}")
        same = [c for c in curves if len(c) == len(t)]
        made.append(
            Chart(
                key=f"hold_{name}",
                kind="lines",
                title=f"Held {'grey' if '_grey_' in name else 'white'}, {_words(name)}",
                note="% of the first reading",
                headline=f"{signed(drift, 1)} %" if drift is not None else "",
                x=Axis("time", "s", 0, float(t[-1]), 0),
                y=Axis("luminance", "%", low, high, 0),
                series=series,
                table=Table(
                    ("Time, s", *(f"{s.name}, %" for s in known[: len(same)])),
                    (0, *(2 for _ in same)),
                    Table.rows_of(t, *same),
                ),
            )
        )
    return made


MEASUREMENT = Measurement(
    key="hold",
    title="Stability",
    group="Light",
    signals=("sdr",),
    columns=(Column("drift_percent", "Stability", "drift %", decimals=1),),
    luminance_alone=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    options=(
        Option("hold_s", "Hold for", "s", low=60, high=1800),
        Option("hold_area", "in", choices=AREAS),
        Option("hold_grey", "a grey of", "%", low=10, high=100),
    ),
    short="Stability",
    order=4,
    warms=True,
)
