"""HLG tracking: how greys follow the curve for the display's own white, with the gamma that its luminance asks for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from lumenar.core.colour.transfer import hlg_gamma
from lumenar.core.measurements.base import Column, Figures, Measurement
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.measurements.figure import Figure, Tolerance
from lumenar.core.measurements.grey_ramp import balance_chart, cct_chart, select
from lumenar.core.measurements.hdr_curve import error_chart, figures_of, itp_chart, light_chart, patches, ramp_of
from lumenar.core.numbers import signed, significant
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import Target


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of HLG tracking (docs/figures.md): the target is that of a display with the white and black that were read.

    Raises MissingPatchError without code 100 %, or with fewer than five levels.
    """
    ramp, anchor = ramp_of(readings)
    every = np.ones((*anchor.white.shape, len(ramp)), bool)
    # White is what the target is made from.
    every[..., -1] = False
    return figures_of(ramp, anchor, target, every) | {"system_gamma": hlg_gamma(anchor.white)}


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    white, gamma, rms, dark, itp = (
        float(str(f[k]))
        for k in ("peak_cd_m2", "system_gamma", "code_rms_percent", "shadow_code_percent", "de_itp_mean")
    )
    return (
        f"White {significant(white, 3)} cd/m², for which HLG has a gamma of {gamma:.2f}; "
        f"error {rms:.1f} % of code rms, shadows {signed(dark, 1)} %; dE ITP mean {itp:.1f}."
    )


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """Error over luminance, luminance by signal, balance, the whole difference, and colour temperature."""
    f = shown[0].figures
    peaks = " → ".join(significant(s.number("peak_cd_m2") or 0.0, 3) for s in shown[:2])
    return [
        error_chart(shown),
        light_chart(shown, f["target_cd_m2"], (), f"white {peaks} cd/m²"),
        balance_chart(shown),
        itp_chart(shown),
        cct_chart(shown),
    ]


ERROR = Figure(
    "hlg_tracking",
    "code_rms_percent",
    "HLG error",
    "% of code",
    2,
    -1,
    compared=6,
    expected=7,
    promise=Tolerance(7, 1.0),
)
GREYS = Figure("hlg_tracking", "de_itp_mean", "Greys, mean", "dE ITP", 2, -1, compared=3, promise=Tolerance(8, 2.0))
MEASUREMENT = Measurement(
    key="hlg_tracking",
    title="HLG tracking",
    group="Tone",
    signals=("hlg",),
    columns=(
        Column("code_rms_percent", "HLG error", "% code rms", decimals=1),
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
    short="HLG",
    order=3,
    least=5,
    figures=(ERROR, GREYS),
)
