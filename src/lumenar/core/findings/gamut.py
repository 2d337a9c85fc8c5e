"""A gamut that misses a part of the target's, or goes beyond it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lumenar.core.colour.spaces import xy_to_uv
from lumenar.core.findings.base import FindingRule, Observed, SetupEvidence, in_modes, least, name_of, span
from lumenar.core.measurements import gamut
from lumenar.core.numbers import listed

KEY = gamut.MEASUREMENT.key
COVERAGE, AREA = "coverage_target_uv_percent", "area_target_uv_percent"
TOLERANCE_PERCENT = 5.0
"""The share of the target's area that may be missing or added. Smaller differences are hardly visible in pictures."""
PRIMARIES = ("red", "green", "blue")


def _distances(s: SetupEvidence) -> tuple[np.ndarray, np.ndarray]:
    """Distance in u'v' (3,) of each primary from the white point, of the display and of its target."""
    own, white = s.exact(KEY, "primaries_uv"), s.exact(KEY, "white_uv")
    assert own is not None and white is not None
    target = xy_to_uv(np.asarray(s.target.space.primaries))
    middle = xy_to_uv(np.asarray(s.target.space.white))
    return np.linalg.norm(own - white, axis=1), np.linalg.norm(target - middle, axis=1)


def _primaries(s: SetupEvidence, beyond: bool) -> str:
    """The primaries that are farthest inside, or outside, of the target's."""
    own, target = _distances(s)
    ratio = own / target if beyond else target / own
    return listed([p for p, r in zip(PRIMARIES, ratio, strict=True) if r > 1.03])


def _short(s: SetupEvidence) -> Observed | None:
    found = s.scalar(KEY, COVERAGE)
    if found is None or least((100 - found[0], 100 - found[2], 100 - found[1])) <= TOLERANCE_PERCENT:
        return None
    return Observed(
        setup=s,
        measurement=KEY,
        amount=found,
        excess=(100 - found[2]) / TOLERANCE_PERCENT,
        share=min(1.0, (100 - found[0]) / 25),
        figures=(COVERAGE,),
        detail=_primaries(s, beyond=False),
        chart="gamut_plane",
    )


def _short_words(found: Sequence[Observed], measured: int) -> str:
    worst = found[0]
    where = f"; most is missing in {worst.detail}" if worst.detail else ""
    if len(found) == 1:
        return f"{name_of(worst)} covers {span(found, 0)} % of {worst.setup.target.title}{where}."
    return f"A part of the target's gamut is missing {in_modes(found, measured)}: they cover {span(found, 0)} %{where}."


def _wide(s: SetupEvidence) -> Observed | None:
    area, coverage = s.scalar(KEY, AREA), s.scalar(KEY, COVERAGE)
    if area is None or coverage is None:
        return None
    beyond = area[0] - coverage[0], area[1] - coverage[0], area[2] - coverage[0]
    if least(beyond) <= TOLERANCE_PERCENT:
        return None
    return Observed(
        setup=s,
        measurement=KEY,
        amount=beyond,
        excess=beyond[1] / TOLERANCE_PERCENT,
        share=min(1.0, beyond[0] / 50),
        figures=(AREA, COVERAGE),
        detail=_primaries(s, beyond=True),
        chart="gamut_plane",
    )


def _wide_words(found: Sequence[Observed], measured: int) -> str:
    worst = found[0]
    where = f", most in {worst.detail}" if worst.detail else ""
    return (
        f"Colours go beyond the target's gamut {in_modes(found, measured)}, by {span(found, 0)} % of its area{where}."
        " Programs without colour management look too vivid."
    )


RULES = (
    FindingRule(key="gamut.short", measurement=KEY, unit="%", observe=_short, sentence=_short_words, signals=("sdr",)),
    FindingRule(
        key="gamut.wide",
        measurement=KEY,
        unit="%",
        observe=_wide,
        sentence=_wide_words,
        signals=("sdr",),
        advice="Choose a mode that limits colours to the target's gamut, or use colour management.",
    ),
)
