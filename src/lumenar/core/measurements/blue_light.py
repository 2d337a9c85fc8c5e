"""Blue light: how much of white's radiation is blue, and how strongly it tells the body that it is day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces, spectra
from lumenar.core.colour.temperature import cct_duv
from lumenar.core.measurements.base import WHITE, Array, Column, Context, Figures, Measurement, MissingPatchError
from lumenar.core.measurements.charts import Axis, Chart, Series, Shown, Table, around, joined
from lumenar.core.measurements.figure import Figure
from lumenar.core.numbers import kelvin
from lumenar.core.readings.patches import Patch, Spectrum
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target

BAND_NM = (415.0, 455.0)
WHOLE_NM = (400.0, 700.0)


def patches(context: Context) -> list[Patch]:
    """The spectrum of white."""
    return [Patch(WHITE, context.window, reads="spectrum")]


def select(readings: Readings) -> NDArray[np.intp]:
    """Spectra of white."""
    index = np.flatnonzero(readings.layout.reads == "spectrum")
    return index[readings.same_signal(WHITE)[index]]


def radiance_between(wavelengths: Array, radiance: Array, low: float, high: float) -> float:
    """Radiance in W/(sr m2) between two wavelengths in nm, by trapezoid, the ends interpolated."""
    inner = wavelengths[(wavelengths > low) & (wavelengths < high)]
    at = np.concatenate([[low], inner, [high]])
    return float(np.trapezoid(np.interp(at, wavelengths, radiance), at))


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of blue light (docs/figures.md); the target plays no part. Raises MissingPatchError without a spectrum."""
    found = [t for t in readings.traces if isinstance(t, Spectrum)]
    if not found:
        raise MissingPatchError("blue light needs the spectrum of white")
    s = found[0]
    nm = np.asarray(s.start_nm + s.step_nm * np.arange(len(s.radiance)), float)
    known, functions = spectra.observer()
    weights = np.stack([np.interp(nm, known, functions[:, i], left=0, right=0) for i in range(3)], axis=-1)
    XYZ = spectra.KM * s.step_nm * (s.radiance @ weights)
    cct, duv = cct_duv(spaces.XYZ_to_xy(XYZ))
    blue, whole = (radiance_between(nm, s.radiance, *band) for band in (BAND_NM, WHOLE_NM))
    return {
        "wavelengths_nm": nm,
        "radiance": s.radiance,
        "white_cd_m2": np.asarray(XYZ[1]),
        "cct_k": cct,
        "duv": duv,
        "blue_share_percent": np.array(100 * blue / whole),
        "blue_radiance_w_sr_m2": np.array(blue),
        "melanopic_der": spectra.melanopic_der(nm, s.radiance),
    }


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    cct = float(str(f["cct_k"]))
    return (
        f"{f['blue_share_percent']:.1f} % of the radiation of white lies in 415 to 455 nm; melanopic ratio "
        f"{f['melanopic_der']:.2f} of daylight's at {'no CCT' if cct != cct else kelvin(cct)}."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Spectra of white in % of each one's peak luminance, the band marked, and the figures of all setups."""
    series, values = [], []
    for i, s in enumerate(shown):
        y = 1e5 * s.figures["radiance"] / float(s.figures["white_cd_m2"])
        values.append(y)
        series.append(Series(s.name, "measured", joined(s.figures["wavelengths_nm"], y), i))
    _, high = around(np.concatenate(values), least=(0, 1))
    first = shown[0]
    base = float(first.figures["blue_share_percent"])
    nm = first.figures["wavelengths_nm"]
    same = [v for v, s in zip(values, shown, strict=True) if len(s.figures["wavelengths_nm"]) == len(nm)]
    return [
        Chart(
            key="white_spectrum",
            kind="lines",
            title="Spectrum of white",
            note="radiance for equal luminance",
            headline=f"{base:.1f} % in 415..455 nm",
            x=Axis("wavelength", "nm", 380, 780, 0),
            y=Axis("radiance", "", 0, high, 0),
            series=tuple(series),
            table=Table(
                ("nm", *(s.name for s in shown[: len(same)])), (0, *(2 for _ in same)), Table.rows_of(nm, *same)
            ),
        ),
        _share_chart(shown, base),
    ]


def _share_chart(shown: Sequence[Shown], base: float) -> Chart:
    """The blue share of each setup. base: the blue share of the first setup in %."""
    shares = [float(s.figures["blue_share_percent"]) for s in shown]
    rows = tuple(
        (
            s.name,
            s.number("white_cd_m2"),
            s.number("cct_k"),
            s.number("blue_share_percent"),
            s.number("melanopic_der"),
            100 * (share / base - 1),
        )
        for s, share in zip(shown, shares, strict=True)
    )
    points = tuple((share, float(i)) for i, share in enumerate(shares))
    return Chart(
        key="blue_share",
        kind="rules",
        title="Blue share of the radiation",
        note="% within 400..700 nm that lies in 415..455 nm",
        headline="",
        x=Axis("share", "%", 0, 100, 0),
        y=Axis("", "", -0.5, len(shown) - 0.5, 0),
        series=(Series("share", "measured", points, labels=tuple(s.name for s in shown)),),
        table=Table(
            ("Setup", "cd/m²", "CCT, K", "Blue share, %", "Melanopic ratio", "Against the first, %"),
            (None, 1, 0, 1, 3, 1),
            rows,
        ),
        table_open=True,
    )


def prepare() -> None:
    """The observer and the melanopic action spectrum."""
    nm = np.arange(380.0, 781.0)
    spectra.melanopic_der(nm, np.ones(len(nm)))


MELANOPIC = Figure("blue_light", "melanopic_der", "Melanopic daylight efficacy ratio", "", 2)
MEASUREMENT = Measurement(
    key="blue_light",
    title="Blue light",
    group="Screen",
    signals=("sdr",),
    columns=(
        Column("blue_share_percent", "Blue light", "% of W", decimals=1),
        Column("melanopic_der", "Melanopic", "of D65", decimals=2, main=False),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    against_target=False,
    prepare=prepare,
    short="Blue light",
    order=3,
    draws=0,
    figures=(MELANOPIC,),
)
