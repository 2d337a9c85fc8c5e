"""Modes for PQ: how they follow the curve, and where they end."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lumenar.core.colour.transfer import pq
from lumenar.core.findings.base import FindingRule, Observed, SetupEvidence, in_modes, least
from lumenar.core.measurements import pq_tracking
from lumenar.core.numbers import significant

KEY = pq_tracking.MEASUREMENT.key
CODE_PERCENT = 1.0
"""Error in % of the code that is visible in a picture: ten steps of 10 bits, some 8 % of luminance."""
MIDDLE = 0.4
"""PQ signal of mid-tones, 32 cd/m2."""
MASTERED_CD_M2 = 1000.0
"""Luminance up to which most films are graded."""


def _off(sign: int) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        found = s.scalar(KEY, "middle_code_percent")
        sure = 0.0 if found is None else least(found, sign)
        if found is None or sure <= CODE_PERCENT:
            return None
        return Observed(
            setup=s,
            measurement=KEY,
            amount=found,
            excess=sure / CODE_PERCENT,
            figures=("middle_code_percent",),
            chart="code_error",
        )

    return observe


def _light_percent(code_percent: float) -> float:
    """How much more light an error in % of the code is in mid-tones."""
    return float(100 * (pq(MIDDLE + code_percent / 100) / pq(MIDDLE) - 1))


def _words(what: str, more: str) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        light = max(abs(_light_percent(o.amount[0])) for o in found)
        return f"HDR mid-tones are too {what} {in_modes(found, measured)}, with up to {light:.0f} % {more} light."

    return sentence


def _clip(s: SetupEvidence) -> Observed | None:
    found = s.scalar(KEY, "clip_cd_m2")
    if found is None or found[2] >= MASTERED_CD_M2:
        return None
    return Observed(
        setup=s,
        measurement=KEY,
        amount=found,
        excess=MASTERED_CD_M2 / max(found[2], 1.0),
        share=0.5,
        figures=("clip_cd_m2",),
        chart="light",
    )


def _clip_words(found: Sequence[Observed], measured: int) -> str:
    least, most = (significant(f(o.amount[0] for o in found), 3) for f in (min, max))
    at = least if least == most else f"{least} to {most}"
    return f"Highlights above {at} cd/m² all look the same {in_modes(found, measured)}; films use up to 1,000 cd/m²."


RULES = (
    FindingRule(
        key="hdr.too_bright",
        measurement=KEY,
        unit="% of code",
        observe=_off(1),
        sentence=_words("bright", "more"),
        signals=("pq",),
    ),
    FindingRule(
        key="hdr.too_dim",
        measurement=KEY,
        unit="% of code",
        observe=_off(-1),
        sentence=_words("dim", "less"),
        signals=("pq",),
    ),
    FindingRule(
        key="hdr.early_clip",
        measurement=KEY,
        unit="cd/m²",
        observe=_clip,
        sentence=_clip_words,
        signals=("pq",),
        advice="Send the display's peak as metadata or choose its tone mapping setting, if the menu has one.",
    ),
)
