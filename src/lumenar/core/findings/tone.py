"""The shape of the tone curve's error, and steps that are lost at its ends."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from lumenar.core.findings.base import (
    AT_ALL_OF_MANY,
    VISIBLE_COLOUR,
    VISIBLE_SHADOW,
    FindingRule,
    Observed,
    SetupEvidence,
    in_modes,
    levels_words,
    most,
    ranged,
)
from lumenar.core.measurements import grey_ramp, near_black, near_white

RAMP, DARK, BRIGHT = (m.MEASUREMENT.key for m in (grey_ramp, near_black, near_white))
SHADOWS, MIDDLE = (4.0, 27.0), (29.0, 71.0)
"""Levels in % of the signal, from and to."""
LOST_FIGURES = ("luminance_cd_m2", "target_cd_m2")


def _off(band: tuple[float, float], sign: int, limit: float) -> Callable[[SetupEvidence], Observed | None]:
    """Levels that are certainly too bright (sign 1) or too dark (-1) by more than a limit in L*, if one of them lies in a band.
    A shadow that belongs to a fault of the middle is told with that one."""

    def observe(s: SetupEvidence) -> Observed | None:
        levels, off = s.exact(RAMP, "levels_percent"), s.each(RAMP, "error_lstar")
        if levels is None or off is None:
            return None
        least = off.least(sign)
        middle = (levels >= MIDDLE[0]) & (levels <= MIDDLE[1]) & (least > VISIBLE_COLOUR)
        inside = (levels >= band[0]) & (levels <= band[1])
        if not (inside & (least > limit)).any() or (band == SHADOWS and middle.any()):
            return None
        inside |= (levels >= SHADOWS[0]) & (levels <= band[1])
        sure = inside & (least > limit)
        worst = int(np.argmax(np.where(sure, least, -np.inf)))
        return Observed(
            setup=s,
            measurement=RAMP,
            amount=off.at(worst),
            excess=float(least[worst]) / limit,
            share=float(sure.sum() / inside.sum()),
            figures=("error_lstar",),
            chart="curve_error",
            levels=tuple(levels[sure].tolist()),
        )

    return observe


def _band_words(what: str) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        where = levels_words([level for o in found for level in o.levels])
        return f"{what} {in_modes(found, measured)}, by up to {most(found, 1)} L*, {where}."

    return sentence


def _lost(measurement: str, end: int) -> Callable[[SetupEvidence], Observed | None]:
    """Levels that certainly have less than half of their distance from black (end 0) or white (-1)."""

    def observe(s: SetupEvidence) -> Observed | None:
        levels, Y, want = (s.exact(measurement, k) for k in ("levels_percent", *LOST_FIGURES))
        drawn = s.drawn(measurement).get(LOST_FIGURES[0])
        if levels is None or Y is None or want is None or drawn is None:
            return None
        rise = ranged(np.abs(Y - Y[end]), np.abs(drawn - drawn[:, [end]]))
        half = np.abs(want - want[end]) / 2
        with np.errstate(invalid="ignore"):
            sure = (half > 0) & (half - rise.value > AT_ALL_OF_MANY * (rise.high - rise.value))
        if not sure.any():
            return None
        count = float(sure.sum())
        return Observed(
            setup=s,
            measurement=measurement,
            amount=(count, count, count),
            excess=count,
            share=0.5,
            figures=LOST_FIGURES,
            chart=measurement,
            levels=tuple(levels[sure].tolist()),
        )

    return observe


def _crushed_words(found: Sequence[Observed], measured: int) -> str:
    top = max((max(o.levels) for o in found if o.levels), default=0.0)
    return f"The darkest steps are crushed {in_modes(found, measured)}: nothing is visible up to {top:.1f} % signal."


def _clipped_words(found: Sequence[Observed], measured: int) -> str:
    first = min((min(o.levels) for o in found if o.levels), default=100.0)
    return f"Highlights are clipped {in_modes(found, measured)}: steps above {first:.0f} % signal look the same."


def _exact(s: SetupEvidence) -> Observed | None:
    found = s.scalar(RAMP, "curve_rms_lstar")
    if found is None or found[2] >= VISIBLE_SHADOW:
        return None
    return Observed(
        setup=s, measurement=RAMP, amount=found, excess=VISIBLE_SHADOW - found[2], figures=("curve_rms_lstar",)
    )


def _exact_words(found: Sequence[Observed], measured: int) -> str:
    return f"The tone curve follows its target {in_modes(found, measured)}, within {most(found, 1)} L* on average."


SHADOW_ADVICE = "Try the shadow or black level control, or another gamma setting."
CURVE_ADVICE = "Choose another gamma setting, or compare the mode with another target."
RULES = (
    *(
        FindingRule(
            key=f"tone.{key}",
            measurement=RAMP,
            unit="L*",
            observe=_off(band, sign, limit),
            sentence=_band_words(what),
            advice=SHADOW_ADVICE if band == SHADOWS else CURVE_ADVICE,
            signals=("sdr",),
        )
        for key, band, sign, limit, what in (
            ("shadow_dip", SHADOWS, -1, VISIBLE_SHADOW, "Shadows are too dark"),
            ("shadow_lift", SHADOWS, 1, VISIBLE_SHADOW, "Shadows are too bright"),
            ("washed", MIDDLE, 1, VISIBLE_COLOUR, "Greys are too bright"),
            ("dark_mid", MIDDLE, -1, VISIBLE_COLOUR, "Greys are too dark"),
        )
    ),
    FindingRule(
        key="tone.crushed",
        measurement=DARK,
        unit="steps",
        observe=_lost(DARK, 0),
        sentence=_crushed_words,
        advice="Raise the black level or brightness control by a step, and check that the signal range is right.",
        signals=("sdr",),
    ),
    FindingRule(
        key="tone.clipped",
        measurement=BRIGHT,
        unit="steps",
        observe=_lost(BRIGHT, -1),
        sentence=_clipped_words,
        advice="Lower the contrast control by a step, and check that the signal range is right.",
        signals=("sdr",),
    ),
    FindingRule(
        key="tone.exact",
        measurement=RAMP,
        unit="L*",
        kind="strength",
        observe=_exact,
        sentence=_exact_words,
        signals=("sdr",),
    ),
)
