"""Luminance that depends on picture and time, flicker, and the ends of the range."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lumenar.core.findings.base import VISIBLE_STEP, FindingRule, Observed, SetupEvidence, in_modes, least, span
from lumenar.core.measurements import brightness_ladder, hold, modulation, window_ladder
from lumenar.core.numbers import significant

AREA, TIME, WAVE, LADDER = (m.MEASUREMENT.key for m in (window_ladder, hold, modulation, brightness_ladder))
AREA_PERCENT = 5.0
"""Drop from the brightest window to full screen. Windows aren't seen next to one another, so less goes unnoticed."""
SVM_LIMIT = 1.0
"""Stroboscopic visibility measure from which flicker shows on what moves (CIE TN 006)."""
DARK_ROOM_CD_M2, DAYLIGHT_CD_M2 = 80.0, 200.0
"""Luminance of white that suits a dark room at most, and a bright room at least."""


def _beyond(measurement: str, figure: str, limit: float, chart: str = "") -> Callable[[SetupEvidence], Observed | None]:
    """A figure that is certainly beyond a limit, whichever its sign."""

    def observe(s: SetupEvidence) -> Observed | None:
        found = s.scalar(measurement, figure)
        sure = 0.0 if found is None else max(least(found), least(found, -1))
        if found is None or sure <= limit:
            return None
        return Observed(
            setup=s, measurement=measurement, amount=found, excess=sure / limit, figures=(figure,), chart=chart
        )

    return observe


def _area_words(found: Sequence[Observed], measured: int) -> str:
    return f"Full-screen white is darker than a small window {in_modes(found, measured)}, by {span(found, 0)} %."


def _time_words(found: Sequence[Observed], measured: int) -> str:
    falls = sum(o.amount[0] < 0 for o in found)
    what = "falls" if falls == len(found) else "rises" if not falls else "changes"
    return f"The luminance of a still picture {what} {in_modes(found, measured)}, by {span(found, 1)} % within minutes."


def _modulation(s: SetupEvidence) -> Observed | None:
    svm, depth, frequency = (s.scalar(WAVE, k) for k in ("svm", "modulation_percent", "frequency_hz"))
    if svm is None or depth is None or svm[1] <= SVM_LIMIT:
        return None
    at = "" if frequency is None else f" at {frequency[0]:.0f} Hz"
    return Observed(
        setup=s,
        measurement=WAVE,
        amount=svm,
        excess=svm[1] / SVM_LIMIT,
        figures=("svm", "modulation_percent", "frequency_hz"),
        detail=f"{depth[0]:.0f} % deep{at}",
        chart="waveform",
    )


def _modulation_words(found: Sequence[Observed], measured: int) -> str:
    return f"The light flickers {in_modes(found, measured)} ({found[0].detail}): moving objects show repeated edges."


def _end(figure: str, limit: float, above: bool) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        found = s.scalar(LADDER, figure)
        if found is None or not (found[1] > limit if above else found[2] < limit):
            return None
        excess = found[1] / limit if above else limit / max(found[2], 1e-6)
        return Observed(
            setup=s, measurement=LADDER, amount=found, excess=excess, share=0.5, figures=(figure,), chart="ladder"
        )

    return observe


def _bright_words(found: Sequence[Observed], measured: int) -> str:
    least = significant(min(o.amount[0] for o in found), 2)
    return (
        f"At the lowest setting white is still {least} cd/m² {in_modes(found, measured)}, too bright for a dark room."
    )


def _dim_words(found: Sequence[Observed], measured: int) -> str:
    most = significant(max(o.amount[0] for o in found), 3)
    return f"White reaches at most {most} cd/m² {in_modes(found, measured)}, too dim for a bright room."


RULES = (
    FindingRule(
        key="light.area",
        measurement=AREA,
        unit="%",
        observe=_beyond(AREA, "drop_percent", AREA_PERCENT, "windows"),
        sentence=_area_words,
        signals=("sdr",),
        advice="Lower the luminance until the drop disappears, if a steady picture matters more.",
    ),
    FindingRule(
        key="light.time",
        measurement=TIME,
        unit="%",
        observe=_beyond(TIME, "drift_percent", VISIBLE_STEP),
        sentence=_time_words,
        signals=("sdr",),
    ),
    FindingRule(
        key="light.modulation",
        measurement=WAVE,
        unit="SVM",
        observe=_modulation,
        sentence=_modulation_words,
        advice="Choose a luminance setting at which the light doesn't flicker, if the chart by setting shows one.",
    ),
    FindingRule(
        key="light.min_too_bright",
        measurement=LADDER,
        unit="cd/m²",
        observe=_end("min_cd_m2", DARK_ROOM_CD_M2, above=True),
        sentence=_bright_words,
        signals=("sdr",),
    ),
    FindingRule(
        key="light.dim",
        measurement=LADDER,
        unit="cd/m²",
        observe=_end("max_cd_m2", DAYLIGHT_CD_M2, above=False),
        sentence=_dim_words,
        signals=("sdr",),
    ),
)
