"""White that is not the sum of red, green and blue."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lumenar.core.findings.base import FindingRule, Observed, SetupEvidence, in_modes, least, span
from lumenar.core.measurements import additivity

KEY, FIGURE = additivity.MEASUREMENT.key, "white_boost_percent"
MEANS = "Matrix profiles assume this sum and will be wrong. Use a profile made from many patches."


def _off(sign: int) -> Callable[[SetupEvidence], Observed | None]:
    def observe(s: SetupEvidence) -> Observed | None:
        found = s.scalar(KEY, FIGURE)
        sure = 0.0 if found is None else least(found, sign)
        if found is None or sure <= additivity.LIMIT_PERCENT:
            return None
        return Observed(
            setup=s,
            measurement=KEY,
            amount=found,
            excess=sure / additivity.LIMIT_PERCENT,
            share=0.5,
            figures=(FIGURE,),
            chart=KEY,
        )

    return observe


def _words(what: str) -> Callable[[Sequence[Observed], int], str]:
    def sentence(found: Sequence[Observed], measured: int) -> str:
        return f"White is {span(found, 1)} % {what} than the sum of red, green and blue {in_modes(found, measured)}."

    return sentence


RULES = (
    FindingRule(key="sum.short", measurement=KEY, unit="%", observe=_off(-1), sentence=_words("darker"), advice=MEANS),
    FindingRule(key="sum.long", measurement=KEY, unit="%", observe=_off(1), sentence=_words("brighter"), advice=MEANS),
)
