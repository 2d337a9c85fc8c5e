"""Zones of the screen that differ from its centre."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from lumenar.core.findings.base import VISIBLE_COLOUR, FindingRule, Observed, SetupEvidence, in_modes, least, span
from lumenar.core.measurements import uniformity

KEY = uniformity.MEASUREMENT.key
TINTED = 0.5
"""A zone is tinted, rather than darker, if at least this share of its error remains at the centre's luminance."""
DARK_FALL_PERCENT = 10.0
"""A fall-off in dark grey that looks bad as a number."""


def _zone(s: SetupEvidence) -> tuple[tuple[int, int], str, float] | None:
    """Place and name of the worst zone in white, and the share of its error that is colour."""
    zone, zones = s.exact(KEY, "uniformity_worst_zone"), s.exact(KEY, "zones")
    off, colour = s.exact(KEY, "white_de2000"), s.exact(KEY, "white_de_chroma_only")
    if zone is None or zones is None or off is None or colour is None:
        return None
    index = int(np.argmax(np.all(zones == zone, axis=1)))
    share = float(colour[index] / off[index]) if off[index] > 0 else 0.0
    return (int(zone[0]), int(zone[1])), uniformity.worst_place(s.analyses[KEY].figures), share


def _visible(tinted: bool) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        found, place = s.scalar(KEY, "uniformity_de2000_worst"), _zone(s)
        if (
            found is None
            or place is None
            or least(found, of_many=True) <= VISIBLE_COLOUR
            or (place[2] >= TINTED) != tinted
        ):
            return None
        off = s.exact(KEY, "white_de2000")
        assert off is not None
        return Observed(
            setup=s,
            measurement=KEY,
            amount=found,
            excess=found[1] / VISIBLE_COLOUR,
            share=float(np.mean(off > VISIBLE_COLOUR)),
            figures=("uniformity_de2000_worst",),
            chart="zones_white",
            detail=place[1],
            zone=place[0],
        )

    return observe


def _words(what: str) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        where, modes = found[0].detail, in_modes(found, measured)
        return f"The screen is visibly {what} {modes}: {where}, it differs from the centre by dE {span(found, 1)}."

    return sentence


def _dark_percent(s: SetupEvidence) -> Observed | None:
    fall = s.scalar(KEY, "uniformity_dark_falloff_percent")
    off = s.scalar(KEY, "uniformity_dark_de2000_worst")
    if fall is None or off is None or least(fall, of_many=True) <= DARK_FALL_PERCENT or off[2] >= VISIBLE_COLOUR:
        return None
    return Observed(
        setup=s,
        measurement=KEY,
        amount=fall,
        excess=fall[1] / DARK_FALL_PERCENT,
        figures=("uniformity_dark_falloff_percent", "uniformity_dark_de2000_worst"),
        detail=f"{off[0]:.1f}",
        chart="zones_dark",
    )


def _dark_words(found: Sequence[Observed], measured: int) -> str:
    return (
        f"In dark grey, the darkest zone has {span(found, 0)} % less luminance than the centre {in_modes(found, measured)}."
        f" At dE {found[0].detail} this isn't visible."
    )


RULES = (
    FindingRule(key="screen.zone", measurement=KEY, observe=_visible(False), sentence=_words("uneven")),
    FindingRule(key="screen.tint", measurement=KEY, observe=_visible(True), sentence=_words("tinted")),
    FindingRule(
        key="screen.dark_percent", measurement=KEY, unit="%", kind="note", observe=_dark_percent, sentence=_dark_words
    ),
)
