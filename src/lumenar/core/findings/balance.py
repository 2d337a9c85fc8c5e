"""Greys that drift away from the colour of white."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.colour.difference import de2000
from lumenar.core.colour.spaces import XYZ_to_Lab, uv_to_xy, xy_to_XYZ
from lumenar.core.findings.base import (
    VISIBLE_COLOUR,
    Array,
    FindingRule,
    Observed,
    SetupEvidence,
    in_modes,
    levels_words,
    most,
    ranged,
)
from lumenar.core.measurements import grey_ramp
from lumenar.core.numbers import listed

KEY = grey_ramp.MEASUREMENT.key
FIGURES = ("uv", "luminance_cd_m2")
LEAST_LEVEL = 10.0
"""The lowest level in % that is judged. Darker greys differ too little to be seen."""
HUES = (
    ("red", 20),
    ("orange", 60),
    ("yellow", 100),
    ("green", 150),
    ("cyan", 200),
    ("blue", 260),
    ("violet", 300),
    ("magenta", 340),
)


def _Labs(uv: Array, Y: Array) -> tuple[Array, Array]:
    """CIELAB (..., n, 3) of greys and of the colour of white at their luminance, against the measured white, which is last."""
    with np.errstate(invalid="ignore", divide="ignore"):
        XYZ = xy_to_XYZ(uv_to_xy(uv), Y)
        white = XYZ[..., -1:, :]
        plain = white * (Y / Y[..., -1:])[..., None]
        return XYZ_to_Lab(XYZ, white), XYZ_to_Lab(plain, white)


def hue_word(Lab: Array, wanted: Array) -> str:
    """The hue towards which a colour (3,) is off, as a word."""
    angle = float(np.degrees(np.arctan2(Lab[2] - wanted[2], Lab[1] - wanted[1])) % 360)
    return min(HUES, key=lambda h: abs((h[1] - angle + 180) % 360 - 180))[0]


def _drift(s: SetupEvidence) -> Observed | None:
    drawn = s.drawn(KEY)
    uv, Y, levels = (s.exact(KEY, k) for k in (*FIGURES, "levels_percent"))
    if uv is None or Y is None or levels is None or levels[-1] < 99 or "uv" not in drawn:
        return None
    Lab, plain = _Labs(uv, Y)
    off = ranged(de2000(Lab, plain), de2000(*_Labs(drawn["uv"], drawn["luminance_cd_m2"])))
    judged = (levels >= LEAST_LEVEL) & (levels < 99)
    sure = judged & (off.least() > VISIBLE_COLOUR)
    if not sure.any():
        return None
    worst = int(np.nanargmax(np.where(sure, off.value, -1.0)))
    return Observed(
        setup=s,
        measurement=KEY,
        amount=off.at(worst),
        excess=float(off.low[worst]) / VISIBLE_COLOUR,
        share=float(sure.sum() / judged.sum()),
        figures=FIGURES,
        detail=hue_word(Lab[worst], plain[worst]),
        chart="balance",
        levels=tuple(levels[sure].tolist()),
    )


def _words(found: Sequence[Observed], measured: int) -> str:
    towards = listed(list(dict.fromkeys(o.detail for o in found))[:2])
    where = levels_words([level for o in found for level in o.levels])
    return (
        f"Greys drift from the colour of white towards {towards} {in_modes(found, measured)}, by up to dE {most(found, 1)},"
        f" {where}."
    )


RULES = (
    FindingRule(
        key="balance.drift",
        measurement=KEY,
        observe=_drift,
        sentence=_words,
        signals=("sdr",),
        advice="Adjust the offsets, or the points of the white balance table if the menu has one.",
    ),
)
