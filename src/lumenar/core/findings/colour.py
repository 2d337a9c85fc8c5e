"""Errors of colours by hue, after adaptation to the measured white."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lumenar.core.analysis import chosen_readings
from lumenar.core.colour.difference import de2000_parts
from lumenar.core.findings.base import (
    VISIBLE_COLOUR,
    Array,
    FindingRule,
    Observed,
    Ranged,
    SetupEvidence,
    in_modes,
    most,
)
from lumenar.core.measurements import MEASUREMENTS, saturation, swatches
from lumenar.core.measurements.base import WHITE, adapted, anchor_of, one
from lumenar.core.measurements.colours import hue_name
from lumenar.core.numbers import listed
from lumenar.core.readings.readings import Readings

STEPS, SWATCHES = saturation.MEASUREMENT.key, swatches.MEASUREMENT.key
FIGURE = "de2000_own_white"
HUES = ("red", "yellow", "green", "cyan", "blue", "magenta")
ONE_BAD = 3.0
"""A patch stands out if its error is at least this many times the mean of the others."""


class _Parts(NamedTuple):
    """Errors of colours after adaptation: dE2000 with intervals, its part that is largest ("lightness", "chroma" or "hue") with
    its sign, and the hue of each target."""

    off: Ranged
    part: NDArray[np.str_]
    sign: Array
    hue: list[str]


def _parts(s: SetupEvidence) -> _Parts | None:
    off, readings = s.each(STEPS, FIGURE), s.readings(STEPS)
    if off is None or readings is None:
        return None
    _, _, own = chosen_readings(MEASUREMENTS[STEPS], readings)
    Lab, wanted = _Labs(s, own)
    parts = de2000_parts(Lab, wanted)
    three = np.stack([parts.lightness, parts.chroma, parts.hue])
    most = np.argmax(np.abs(three), axis=0)
    names = np.array(["lightness", "chroma", "hue"])[most]
    return _Parts(off, names, np.sign(np.take_along_axis(three, most[None], 0)[0]), hue_name(wanted))


def _Labs(s: SetupEvidence, own: Readings) -> tuple[Array, Array]:
    """CIELAB (n, 3) of the colours after adaptation to the measured white, and of their targets."""
    ends = own.same_signal(WHITE) | own.same_signal((0.0, 0.0, 0.0))
    colours, white = own.take(np.flatnonzero(~ends)), one(own, WHITE, "100 % white")
    target_XYZ = s.target.XYZ(colours.rgb, anchor_of(own))
    Y = s.target.reference_Y(white[..., 1])
    return s.target.Lab(adapted(colours.XYZ, white, s.target), Y), s.target.Lab(target_XYZ, Y)


def _by_hue(part: str, sign: int | None) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        parts = s.memo("colour parts", lambda: _parts(s))
        if parts is None:
            return None
        least = parts.off.least()
        sure = (least > VISIBLE_COLOUR) & (parts.part == part)
        if sign is not None:
            sure &= parts.sign == sign
        if not sure.any():
            return None
        worst = int(np.argmax(np.where(sure, least, -np.inf)))
        hues = [h for h in HUES if any(sure[i] and parts.hue[i] == h for i in range(len(sure)))]
        return Observed(
            setup=s,
            measurement=STEPS,
            amount=parts.off.at(worst),
            excess=float(least[worst]) / VISIBLE_COLOUR,
            share=len(hues) / len(HUES),
            figures=(FIGURE,),
            detail=", ".join(hues),
            chart="saturation_plane",
        )

    return observe


def _words(what: tuple[str, str]) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        every = {h for o in found for h in o.detail.split(", ")}
        hues = [h for h in HUES if h in every]
        named = "All six colours" if len(hues) == len(HUES) else listed(hues).capitalize() or "Colours"
        return f"{named} {what[len(hues) > 1]} {in_modes(found, measured)}, by up to dE {most(found, 1)}."

    return sentence


def _one_bad(s: SetupEvidence) -> Observed | None:
    off = s.each(SWATCHES, FIGURE)
    if off is None:
        return None
    worst = int(np.nanargmax(off.value))
    rest = float(np.nanmean(np.delete(off.value, worst)))
    if off.least()[worst] <= max(2 * VISIBLE_COLOUR, ONE_BAD * rest):
        return None
    lab, steps = s.exact(SWATCHES, "target_lab"), s.memo("colour parts", lambda: _parts(s))
    hue = "" if lab is None else hue_name(lab[worst])[0]
    if steps is not None and any(
        h == hue for h, low in zip(steps.hue, steps.off.low, strict=True) if low > VISIBLE_COLOUR
    ):
        # The whole hue is off, which is told already.
        return None
    return Observed(
        setup=s,
        measurement=SWATCHES,
        amount=off.at(worst),
        excess=float(off.low[worst]) / (2 * VISIBLE_COLOUR),
        share=0.1,
        figures=(FIGURE,),
        detail=hue,
        chart="swatches_plane",
    )


def _one_bad_words(found: Sequence[Observed], measured: int) -> str:
    colour = f"One {found[0].detail}" if found[0].detail else "One patch"
    return f"{colour} is off by dE {most(found, 1)} {in_modes(found, measured)}. The average doesn't show it."


def _exact(s: SetupEvidence) -> Observed | None:
    key = SWATCHES if SWATCHES in s.analyses else STEPS
    found = s.scalar(key, "own_white_de2000_max")
    if found is None or found[2] >= VISIBLE_COLOUR:
        return None
    return Observed(
        setup=s, measurement=key, amount=found, excess=VISIBLE_COLOUR - found[2], figures=("own_white_de2000_max",)
    )


def _exact_words(found: Sequence[Observed], measured: int) -> str:
    return f"No colour is visibly off {in_modes(found, measured)} (worst dE {most(found, 1)})."


ADVICE = "Adjust the six-colour controls, or choose a mode that limits colours to the target's gamut."
RULES = (
    *(
        FindingRule(
            key=f"colour.{key}",
            measurement=STEPS,
            observe=_by_hue(part, sign),
            sentence=_words(what),
            advice=ADVICE,
            signals=("sdr",),
        )
        for key, part, sign, what in (
            ("oversaturated", "chroma", 1, ("is oversaturated", "are oversaturated")),
            ("undersaturated", "chroma", -1, ("is undersaturated", "are undersaturated")),
            ("hue", "hue", None, ("has the wrong hue", "have the wrong hue")),
            ("lightness", "lightness", None, ("has the wrong lightness", "have the wrong lightness")),
        )
    ),
    FindingRule(
        key="colour.one_bad", measurement=SWATCHES, observe=_one_bad, sentence=_one_bad_words, signals=("sdr",)
    ),
    FindingRule(
        key="colour.exact", measurement=STEPS, kind="strength", observe=_exact, sentence=_exact_words, signals=("sdr",)
    ),
)
