"""Modulation: whether the light pulses, how fast and how much, at several settings of the luminance control."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import waveform
from lumenar.core.measurements.base import WHITE, Column, Context, Figures, Measurement, MissingPatchError
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, Value, around, joined
from lumenar.core.measurements.figure import Figure
from lumenar.core.readings.patches import Patch, Waveform
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

SHOWN_S = 0.02
COMPONENTS = 12
_POINTS = 400


def patches(context: Context) -> list[Patch]:
    """The waveform of white at a few values of the luminance control, or at the present one where it is locked."""
    levels: tuple[float | None, ...] = context.modulation_levels or (None,)
    return [Patch(WHITE, context.window, level=v, reads="waveform") for v in levels]


def select(readings: Readings) -> NDArray[np.intp]:
    """Waveforms of white, in the order of their settings."""
    there = np.array([isinstance(t, Waveform) for t in readings.traces], bool)
    index = np.flatnonzero((readings.layout.reads == "waveform") & (there if len(there) else False))
    return index[np.argsort(np.nan_to_num(readings.level[index]), kind="stable")]


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of modulation (docs/figures.md); the target plays no part. Raises MissingPatchError without a waveform."""
    waves = [t for t in readings.traces if isinstance(t, Waveform)]
    if not waves:
        raise MissingPatchError("modulation needs the waveform of white at one setting or more")
    found = [waveform.analyse(w.samples, w.rate_hz) for w in waves]
    worst = int(np.argmax([f.modulation_percent for f in found]))
    spectrum = np.full((len(found), COMPONENTS, 2), np.nan)
    curves = np.full((len(found), 2, _POINTS), np.nan)
    for i, (f, w) in enumerate(zip(found, waves, strict=True)):
        strongest = np.sort(np.argsort(-f.amplitudes)[:COMPONENTS])
        spectrum[i, : len(strongest)] = np.column_stack([f.frequencies, 100 * f.amplitudes])[strongest]
        count = min(len(w.samples), int(SHOWN_S * w.rate_hz))
        at = np.unique(np.linspace(0, count - 1, _POINTS).astype(int))
        curves[i, :, : len(at)] = 1000 * at / w.rate_hz, 100 * w.samples[at] / w.samples.mean()
    return {
        "settings": readings.level,
        "mean_cd_m2": np.array([w.samples.mean() for w in waves]),
        "frequency_by_setting_hz": np.array([f.frequency_hz for f in found]),
        "modulation_by_setting_percent": np.array([f.modulation_percent for f in found]),
        "flicker_index_by_setting": np.array([f.flicker_index for f in found]),
        "svm_by_setting": np.array([f.svm for f in found]),
        "region_by_setting": np.array([f.region for f in found], float),
        "components_hz_percent": spectrum,
        "curve_ms_percent": curves,
        "modulation_percent": np.array(found[worst].modulation_percent),
        "frequency_hz": np.array(found[worst].frequency_hz),
        "flicker_index": np.array(max(f.flicker_index for f in found)),
        "svm": np.array(max(f.svm for f in found)),
        "region": np.array(max(f.region for f in found), float),
    }


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    percent, frequency = float(str(f["modulation_percent"])), float(str(f["frequency_hz"]))
    if percent == 0:
        return "No modulation stands out of the noise at any setting."
    text = (
        f"Pulses at {frequency:.0f} Hz by up to {percent:.0f} %, flicker index {f['flicker_index']:.2f}; by IEEE 1789 "
        f"{waveform.REGIONS[int(float(str(f['region'])))]}"
    )
    if frequency < 80:
        return text + "; the stroboscopic measure is silent below 80 Hz."
    return text + f"; stroboscopic visibility {f['svm']:.1f}, where 1 is just visible."


def _name(setting: float) -> str:
    return f"at {setting:g}" if np.isfinite(setting) else "as set"


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Waveforms of the first setup at its settings, their spectra, and modulation by setting for all."""
    return [_wave_chart(shown[0]), _spectrum_chart(shown[0]), _setting_chart(shown)]


def _wave_chart(s: Shown) -> Chart:
    f = s.figures
    curves = f["curve_ms_percent"]
    top = min(4, len(curves))
    series = tuple(Series(_name(f["settings"][i]), "measured", joined(*curves[i]), setup=i) for i in range(top))
    low, high = around(curves[:top, 1], least=(90, 110))
    table = Table(
        ("Time, ms", *(f"{x.name}, %" for x in series)),
        (2, *(1 for _ in series)),
        Table.rows_of(curves[0, 0], *(curves[i, 1] for i in range(top))),
    )
    return Chart(
        key="waveform",
        kind="lines",
        title="Light over time",
        note="white, % of its mean",
        headline=f"{float(f['modulation_percent']):.0f} %",
        x=Axis("time", "ms", 0, 1000 * SHOWN_S, 0),
        y=Axis("light", "%", 0.0 if low < 50 else low, high, 0),
        series=series,
        table=table,
    )


def _spectrum_chart(s: Shown) -> Chart:
    f = s.figures
    worst = int(np.argmax(f["modulation_by_setting_percent"]))
    parts = f["components_hz_percent"][worst]
    parts = parts[np.isfinite(parts[:, 0])]
    # Each component is a stick from the base line; a gap parts it from the next.
    sticks = tuple(p for hz, c in parts for p in ((float(hz), 0.0), (float(hz), float(c)), (None, None)))
    last = max(1000.0, float(parts[:, 0].max()) if len(parts) else 0.0)
    _, right = around([0.0, last])
    _, high = around(np.r_[0.0, parts[:, 1]], least=(0, 1))
    limit = joined([90.0, min(3000.0, right)], [0.0333 * 90, 0.0333 * min(3000.0, right)])
    name = _name(f["settings"][worst])
    series = (Series("no effect below", "target", limit), Series(name, "measured", sticks))
    some = f", the {COMPONENTS} strongest" if len(parts) == COMPONENTS else ""
    return Chart(
        key="light_spectrum",
        kind="lines",
        title="Components of the light",
        note=f"% of the mean {name}{some}; the line is IEEE 1789's no effect",
        headline="none" if not len(parts) else f"{float(f['frequency_hz']):.0f} Hz",
        x=Axis("frequency", "Hz", 0, right, 0),
        y=Axis("amplitude", "%", 0, max(high, 1.0), 0),
        series=series,
        table=Table(("Hz", "Amplitude, %"), (1, 2), Table.rows_of(parts[:, 0], parts[:, 1])),
    )


def _setting_chart(shown: Sequence[Shown]) -> Chart:
    series = []
    for i, s in enumerate(shown):
        x = np.nan_to_num(s.figures["settings"], nan=0.0)
        series.append(Series(s.name, "measured", joined(x, s.figures["modulation_by_setting_percent"]), i, True))
    f = shown[0].figures
    _, high = around(np.concatenate([s.figures["modulation_by_setting_percent"] for s in shown]), least=(0, 10))
    keys = ("frequency_by_setting_hz", "modulation_by_setting_percent", "flicker_index_by_setting", "svm_by_setting")
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (
            _name(setting),
            float(f["mean_cd_m2"][i]),
            *(float(v) if np.isfinite(v) else None for v in (f[k][i] for k in keys)),
            waveform.REGIONS[int(f["region_by_setting"][i])],
        )
        for i, setting in enumerate(f["settings"])
    )
    x = np.nan_to_num(f["settings"], nan=0.0)
    return Chart(
        key="modulation_by_setting",
        kind="lines",
        title="Modulation by setting",
        note="% along the luminance control",
        headline=f"SVM {float(f['svm']):.1f}",
        x=Axis("setting", "", *around(x, least=(0, 1)), 0),
        y=Axis("modulation", "%", 0, high, 0),
        series=tuple(series),
        table=Table(
            ("Setting", "cd/m²", "Hz", "Modulation, %", "Flicker index", "SVM", "IEEE 1789"),
            (None, 1, 0, 1, 3, 2, None),
            rows,
        ),
        table_open=True,
    )


DEPTH = Figure("modulation", "modulation_percent", "Modulation", "%", 0)

MEASUREMENT = Measurement(
    key="modulation",
    title="Modulation",
    group="Screen",
    signals=("sdr",),
    columns=(
        Column("modulation_percent", "Modulation", "%", decimals=0, judged_by="svm"),
        Column("frequency_hz", "Frequency", "Hz", decimals=0, main=False),
        Column("svm", "SVM", "", decimals=1, main=False),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    short="Modulation",
    order=2,
    draws=0,
    figures=(DEPTH,),
)
