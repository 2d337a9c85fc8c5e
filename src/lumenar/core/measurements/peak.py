"""Peak: what white reaches in windows of the screen's area at once, and what is left of it over time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.base import WHITE, Column, Context, Figures, Measurement, MissingPatchError, Option
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, Value, around, joined
from lumenar.core.measurements.figure import Figure
from lumenar.core.numbers import significant
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

WINDOWS = (0.01, 0.02, 0.05, 0.10, 0.25, 0.50, 1.0)
TIMES_S = (0.0, 2.0, 5.0, 10.0, 30.0, 60.0, 120.0)
BURST_S = 2.0
"""What a window reaches within this time is its burst."""
HELD = 0.5
"""A peak that loses less than so many % holds."""


def patches(context: Context) -> list[Patch]:
    """White at the top code in seven windows: a burst of each, smallest first, and only then each held for two minutes or as long
    as asked, so that no burst lacks what a hold took out of the panel."""
    times = [t for t in TIMES_S if t <= context.peak_s]
    return [Patch(WHITE, w, at_s=t, repeat=int(t > BURST_S)) for w in WINDOWS for t in times]


def select(readings: Readings) -> NDArray[np.intp]:
    """White read at a time after its onset."""
    return np.flatnonzero(readings.same_signal(WHITE) & ~np.isnan(readings.at_s))


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of the peak (docs/figures.md), lists by window, smallest first, and by time; the target plays no part.

    Raises MissingPatchError with fewer than two windows.
    """
    own = readings.take(select(readings))
    windows = np.unique(own.window)
    if len(windows) < 2:
        raise MissingPatchError(f"a peak needs white held in at least 2 windows, these readings have {len(windows)}")
    times = np.unique(own.at_s)
    Y = np.full((*own.XYZ.shape[:-2], len(windows), len(times)), np.nan)
    for i, w in enumerate(windows):
        for j, t in enumerate(times):
            at = np.flatnonzero((own.window == w) & (own.at_s == t))
            if len(at):
                Y[..., i, j] = own.XYZ[..., at[0], 1]
    known = np.asarray(np.isfinite(Y.reshape(-1, *Y.shape[-2:])).all(axis=0), bool)
    if not np.asarray(known.any(axis=1)).all():
        lacking = ", ".join(f"{100 * w:g} %" for w, k in zip(windows, known, strict=True) if not k.any())
        raise MissingPatchError(f"a peak needs each window to be a number, and {lacking} is none")
    early = times <= max(BURST_S, float(times[0]))
    # Where what came first was too bright for the meter, the earliest that is a number.
    first = np.arange(len(times)) == np.argmax(known, axis=1)[:, None]
    counts = np.where((known & early).any(axis=1, keepdims=True), known & early, first)
    burst = np.max(np.where(counts, Y, -np.inf), axis=-1)
    last = known.shape[1] - 1 - np.argmax(known[:, ::-1], axis=1)
    sustained = np.take_along_axis(Y, np.broadcast_to(last[:, None], (*Y.shape[:-1], 1)), axis=-1)[..., 0]
    best = int(np.argmax(burst.reshape(-1, len(windows)).mean(axis=0)))
    figures: Figures = {
        "windows_percent": 100 * windows,
        "times_s": times,
        "luminance_cd_m2": Y,
        "burst_cd_m2": burst,
        "sustained_cd_m2": sustained,
        "held_s": times[last],
        # Of draws the same window, so that the interval is that of what is shown.
        "peak_cd_m2": burst[..., best],
        "peak_window_percent": np.full(burst.shape[:-1], 100 * windows[best]),
        "lost_percent": 100 * (1 - sustained[..., best] / burst[..., best]),
    }
    for name, share in (("10", 0.1), ("full", 1.0)):
        at = np.flatnonzero(np.isclose(windows, share))
        if len(at):
            figures[f"burst_{name}_cd_m2"] = burst[..., at[0]]
            figures[f"sustained_{name}_cd_m2"] = sustained[..., at[0]]
    return figures


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""

    def cd(key: str) -> str:
        return significant(float(str(f[key])), 3)

    text = f"Peak {cd('peak_cd_m2')} cd/m² in {float(str(f['peak_window_percent'])):g} % of the screen"
    if "burst_10_cd_m2" in f:
        text += f"; a tenth of it {cd('burst_10_cd_m2')} at once, {cd('sustained_10_cd_m2')} held"
    if "sustained_full_cd_m2" in f:
        text += f"; the whole screen {cd('sustained_full_cd_m2')} held"
    return text + "."


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """At once and held by window; and over time by window of the first setup."""
    return [_windows_chart(shown), _time_chart(shown[0])]


def _windows_chart(shown: Sequence[Shown]) -> Chart:
    series = []
    for i, s in enumerate(shown):
        x = np.log10(s.figures["windows_percent"])
        series.append(Series(s.name, "measured", joined(x, s.figures["burst_cd_m2"]), i, marks=True))
        series.append(Series(f"{s.name}, held", "outline", joined(x, s.figures["sustained_cd_m2"]), i))
    every = np.concatenate([np.append(s.figures["burst_cd_m2"], s.figures["sustained_cd_m2"]) for s in shown])
    _, high = around(every, least=(0, 10))
    f = shown[0].figures
    peaks = " → ".join(significant(s.number("peak_cd_m2") or 0.0, 3) for s in shown[:2])
    return Chart(
        key="peak_windows",
        kind="lines",
        title="Peak by lit area",
        note="cd/m² within 2 s, and after it was held; area in % of the screen, logarithmic",
        headline=f"peak {peaks} cd/m²",
        x=Axis("area", "%", 0, 2, 0, log=True),
        y=Axis("white", "cd/m²", 0, high, 0),
        series=tuple(series),
        table=Table(
            ("Area, %", "At once, cd/m²", "Held, cd/m²", "Held for, s"),
            (0, 1, 1, 0),
            Table.rows_of(f["windows_percent"], f["burst_cd_m2"], f["sustained_cd_m2"], f["held_s"]),
        ),
    )


def _time_chart(s: Shown) -> Chart:
    f = s.figures
    t, Y = f["times_s"], f["luminance_cd_m2"]
    share = 100 * Y / f["burst_cd_m2"][:, None]
    series = tuple(
        Series(f"{w:g} %", "measured", joined(t, share[i]), i, marks=True) for i, w in enumerate(f["windows_percent"])
    )
    low, high = around(share, least=(90, 101))
    lost = s.number("lost_percent")
    rows: tuple[tuple[Value, ...], ...] = tuple((float(x), *(float(v) for v in Y[:, j])) for j, x in enumerate(t))
    return Chart(
        key="peak_time",
        kind="lines",
        title=f"What is left over time, {s.name}",
        note="% of what the window reached at once",
        headline="" if lost is None else "the peak holds" if lost < HELD else f"the peak loses {lost:.1f} %",
        x=Axis("time", "s", 0, float(t[-1]), 0),
        y=Axis("left", "%", low, high, 0),
        series=series,
        table=Table(
            ("Time, s", *(f"{w:g} %, cd/m²" for w in f["windows_percent"])),
            (0, *(1 for _ in f["windows_percent"])),
            rows,
        ),
    )


HIGHEST = Figure("peak", "peak_cd_m2", "Highest", "cd/m²", 0, reported=True)
BURST_10 = Figure("peak", "burst_10_cd_m2", "Peak in 10 %", "cd/m²", 0)
SUSTAINED = Figure("peak", "sustained_full_cd_m2", "Full screen, sustained", "cd/m²", 0, reported=True)
MEASUREMENT = Measurement(
    key="peak",
    title="Peak over window and time",
    group="Light",
    signals=("pq", "hlg"),
    columns=(
        Column("burst_10_cd_m2", "Peak 10 %", "cd/m²", significant=3),
        Column("sustained_full_cd_m2", "Full screen", "cd/m²", significant=3),
        Column("peak_cd_m2", "Highest", "cd/m²", significant=3, main=False),
        Column("lost_percent", "Lost", "% in time", decimals=1, main=False),
    ),
    luminance_alone=True,
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    options=(
        Option("peak_s", "Hold each window for", "s", choices=((10.0, "10 s"), (30.0, "30 s"), (120.0, "2 minutes"))),
    ),
    short="Peak",
    order=2,
    least=4,
    figures=(HIGHEST, BURST_10, SUSTAINED),
    beside_report=True,
)
