"""How numbers are written: one precision rule everywhere; and names within a sentence."""

from __future__ import annotations

import math
from collections.abc import Sequence

THIN = "\u2009"
NO_NUMBER, ENDLESS = "–", "∞"
"""What stands in place of NaN and of infinity."""


def grouped(value: float, decimals: int) -> str:
    """A number with thin spaces between thousands (from 10 000 on) and a real minus."""
    if not math.isfinite(value):
        return NO_NUMBER if math.isnan(value) else ENDLESS if value > 0 else f"−{ENDLESS}"
    text = f"{abs(value):,.{decimals}f}"
    text = text.replace(",", THIN if abs(value) >= 10_000 else "")
    return ("−" if value < 0 and float(f"{value:.{decimals}f}") != 0 else "") + text


def significant(value: float, digits: int) -> str:
    """A number to so many significant digits, without an exponent."""
    if value == 0 or not math.isfinite(value):
        return grouped(value, 0)
    magnitude = math.floor(math.log10(abs(value)))
    rounded = round(value, digits - 1 - magnitude)
    return grouped(rounded, max(0, digits - 1 - magnitude))


def signed(value: float, decimals: int) -> str:
    """A difference with its sign, thin spaces and a real minus; what is written as zero has none."""
    text = grouped(value, decimals)
    return text if text[0] in ("−", NO_NUMBER) or float(f"{abs(value):.{decimals}f}") == 0 else "+" + text


def kelvin(value: float) -> str:
    """A colour temperature to 10 K."""
    return f"{grouped(round(value / 10) * 10, 0)} K" if math.isfinite(value) else NO_NUMBER


def mid_sentence(title: str) -> str:
    """A title as it stands within a sentence: Colour work as colour work, HDR film as it is."""
    return title if title[1:2].isupper() else title[:1].lower() + title[1:]


def listed(names: Sequence[str], none: str = "") -> str:
    """Names as they stand in a sentence: one, two and three."""
    return f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else names[0] if names else none
