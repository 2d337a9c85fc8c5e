"""White off its target: in which direction, and by how much."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from lumenar.core.colour.spaces import XYZ_to_uv, XYZ_to_xy, xy_to_uv
from lumenar.core.colour.temperature import cct_duv, planck_xy
from lumenar.core.findings.base import (
    VISIBLE_WHITE,
    Array,
    FindingRule,
    Observed,
    SetupEvidence,
    in_modes,
    least,
    name_of,
    span,
)
from lumenar.core.measurements import white_black
from lumenar.core.numbers import kelvin

KEY = white_black.MEASUREMENT.key
FIGURES = ("white_de2000", "white_uv", "cct_k")


def _direction(s: SetupEvidence) -> str:
    """The direction in which white is off: along the Planckian locus (cool, warm) or across it (green, magenta)."""
    white = s.exact(KEY, "white_uv")
    assert white is not None
    target_XYZ = s.target.white_XYZ()
    cct = float(cct_duv(XYZ_to_xy(target_XYZ))[0])
    # A target too far from the locus has no CCT. Any slope will do for it.
    cct = cct if np.isfinite(cct) else 6500.0
    low, high = (xy_to_uv(planck_xy(np.array(t))) for t in (0.97 * cct, 1.03 * cct))
    along: Array = (high - low) / np.linalg.norm(high - low)
    off = np.asarray(white, float) - XYZ_to_uv(target_XYZ)
    to_cool = float(off @ along)
    # Greenish whites lie above the locus, so at a right angle to it with v' rising.
    side = np.array([along[1], -along[0]])
    to_green = float(off @ (side if side[1] > 0 else -side))
    if abs(to_cool) >= abs(to_green):
        return "cool" if to_cool > 0 else "warm"
    return "green" if to_green > 0 else "magenta"


def _observe(direction: str) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        found = s.scalar(KEY, "white_de2000")
        if (
            found is None
            or least(found) <= VISIBLE_WHITE
            or s.memo("white direction", lambda: _direction(s)) != direction
        ):
            return None
        cct = s.scalar(KEY, "cct_k")
        return Observed(
            setup=s,
            measurement=KEY,
            amount=found,
            excess=found[1] / VISIBLE_WHITE,
            figures=FIGURES,
            chart="white_point",
            detail=kelvin(cct[0]) if cct else "",
        )

    return observe


def _sentence(word: str) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        worst = found[0]
        if len(found) == 1:
            at = f" ({worst.detail})" if worst.detail else ""
            return f"White is too {word} {in_modes(found, measured)}{at}, by dE {span(found, 1)}."
        return f"White is too {word} {in_modes(found, measured)}, by dE {span(found, 1)}; most in {name_of(worst)}."

    return sentence


def _good(s: SetupEvidence) -> Observed | None:
    found = s.scalar(KEY, "white_de2000")
    if found is None or found[2] >= VISIBLE_WHITE:
        return None
    return Observed(setup=s, measurement=KEY, amount=found, excess=VISIBLE_WHITE - found[2], figures=FIGURES)


def _good_words(found: Sequence[Observed], measured: int) -> str:
    return f"White matches its target {in_modes(found, measured)}: any difference is invisible."


DIRECTIONS = ("cool", "warm", "green", "magenta")
RULES = (
    *(
        FindingRule(
            key=f"white.{key}",
            measurement=KEY,
            observe=_observe(key),
            sentence=_sentence(key),
            advice="Adjust the red, green and blue gains, or choose a mode with the right white.",
        )
        for key in DIRECTIONS
    ),
    FindingRule(key="white.exact", measurement=KEY, kind="strength", observe=_good, sentence=_good_words),
)
