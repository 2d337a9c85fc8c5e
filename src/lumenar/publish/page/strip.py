"""The strip of key figures below the headline of a report."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.analysis import value_of
from lumenar.core.measurements import Figure, gamut, grey_ramp, modulation, peak, white_black
from lumenar.core.numbers import significant
from lumenar.publish.page.contents import Contents


@dataclass(frozen=True, kw_only=True)
class KeyFigure:
    """A figure of the strip. text: as readers see it; number: to sort by; caption: what it is, and of which mode."""

    key: str
    text: str
    number: float
    caption: str


def key_figures(c: Contents) -> list[KeyFigure]:
    """Range of white, contrast, coverage, greys before and after, HDR peak and modulation, as far as they were measured."""
    first = c.results.setups[0].unit
    own = [s for s in c.results.setups if s.unit == first]
    shipped = [s for s in own if s.shipped] or own
    sdr = [s for s in shipped if s.signal == "sdr"]
    found = [_white(sdr), _contrast(c, sdr), _coverage(c, sdr), _greys(c), _peak(c, shipped), _modulation(c, shipped)]
    return [item for item in found if item is not None]


def _known(setups: Sequence[SetupFigures], figure: Figure) -> list[tuple[float, SetupFigures]]:
    return [(v, s) for s in setups if (v := value_of(s.analyses, figure)) is not None]


def _most(setups: Sequence[SetupFigures], figure: Figure) -> tuple[float, SetupFigures] | None:
    return max(_known(setups, figure), key=lambda item: item[0], default=None)


def _white(setups: Sequence[SetupFigures]) -> KeyFigure | None:
    known = [v for v, _ in _known(setups, white_black.LUMINANCE)]
    if not known:
        return None
    low, high = significant(min(known), 3), significant(max(known), 3)
    text, caption = (low, "cd/m² white, as shipped")
    if low != high:
        text, caption = f"{low}–{high}", "cd/m² white as shipped, dimmest to brightest mode"
    return KeyFigure(key="white", text=text, number=max(known), caption=caption)


def _contrast(c: Contents, setups: Sequence[SetupFigures]) -> KeyFigure | None:
    best = _most(setups, white_black.CONTRAST)
    if best is not None:
        text, caption = f"{significant(best[0], 3)} : 1", f"contrast, {c.labels[best[1].key]}"
        return KeyFigure(key="contrast", text=text, number=best[0], caption=caption)
    least = _most(setups, white_black.CONTRAST_AT_LEAST)
    if least is None:
        return None
    caption = "contrast; black is below the meter’s limit"
    return KeyFigure(key="contrast", text=f"≥ {significant(least[0], 3)} : 1", number=least[0], caption=caption)


def _coverage(c: Contents, setups: Sequence[SetupFigures]) -> KeyFigure | None:
    best = _most(setups, gamut.OF_P3)
    if best is None:
        return None
    return KeyFigure(key="p3", text=f"{best[0]:.1f} %", number=best[0], caption=f"of P3, {c.labels[best[1].key]}")


def _greys(c: Contents) -> KeyFigure | None:
    first = c.purposes[0] if c.purposes else None
    if first is None or first.shipped is None:
        return None
    before = value_of(first.shipped[0].analyses, grey_ramp.MEAN)
    after = None if first.ours is None else value_of(first.ours[0].analyses, grey_ramp.MEAN)
    caption = f"mean dE of greys, {c.labels[first.shipped[0].key]} as shipped"
    if before is None:
        return None
    if after is None:
        return KeyFigure(key="greys", text=f"{before:.1f}", number=before, caption=caption)
    return KeyFigure(
        key="greys", text=f"{before:.1f} → {after:.1f}", number=after, caption=f"{caption} → with our settings"
    )


def _peak(c: Contents, setups: Sequence[SetupFigures]) -> KeyFigure | None:
    best = _most([s for s in setups if s.signal != "sdr"], peak.HIGHEST)
    if best is None:
        return None
    caption = f"cd/m² HDR peak, {c.labels[best[1].key]}"
    return KeyFigure(key="peak", text=significant(best[0], 3), number=best[0], caption=caption)


def _modulation(c: Contents, setups: Sequence[SetupFigures]) -> KeyFigure | None:
    most = _most(setups, modulation.DEPTH)
    if most is None:
        return None
    caption = f"modulation at most, {c.labels[most[1].key]}"
    return KeyFigure(key="modulation", text=f"{most[0]:.0f} %", number=most[0], caption=caption)
