"""The strip of key figures below the headline of a report."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.analysis import value_of
from lumenar.core.measurements import Figure, gamut, grey_ramp, modulation, peak, white_black
from lumenar.core.numbers import significant
from lumenar.publish.page.contents import Contents

Item = tuple[str, str]
"""A value and what it is."""


def key_figures(c: Contents) -> list[Item]:
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


def _white(setups: Sequence[SetupFigures]) -> Item | None:
    known = [v for v, _ in _known(setups, white_black.LUMINANCE)]
    if not known:
        return None
    low, high = significant(min(known), 3), significant(max(known), 3)
    if low == high:
        return low, "cd/m² white, as shipped"
    return f"{low}–{high}", "cd/m² white as shipped, dimmest to brightest mode"


def _contrast(c: Contents, setups: Sequence[SetupFigures]) -> Item | None:
    best = _most(setups, white_black.CONTRAST)
    if best is not None:
        return f"{significant(best[0], 3)} : 1", f"contrast, {c.labels[best[1].key]}"
    best = _most(setups, white_black.CONTRAST_AT_LEAST)
    return best and (f"≥ {significant(best[0], 3)} : 1", "contrast; black is below the meter’s limit")


def _coverage(c: Contents, setups: Sequence[SetupFigures]) -> Item | None:
    best = _most(setups, gamut.OF_P3)
    return best and (f"{best[0]:.1f} %", f"of P3, {c.labels[best[1].key]}")


def _greys(c: Contents) -> Item | None:
    first = c.purposes[0] if c.purposes else None
    if first is None or first.shipped is None:
        return None
    before = value_of(first.shipped[0].analyses, grey_ramp.MEAN)
    after = None if first.ours is None else value_of(first.ours[0].analyses, grey_ramp.MEAN)
    name = c.labels[first.shipped[0].key]
    if before is None:
        return None
    if after is None:
        return f"{before:.1f}", f"mean dE of greys, {name} as shipped"
    return f"{before:.1f} → {after:.1f}", f"mean dE of greys, {name} as shipped → with our settings"


def _peak(c: Contents, setups: Sequence[SetupFigures]) -> Item | None:
    best = _most([s for s in setups if s.signal != "sdr"], peak.HIGHEST)
    return best and (significant(best[0], 3), f"cd/m² HDR peak, {c.labels[best[1].key]}")


def _modulation(c: Contents, setups: Sequence[SetupFigures]) -> Item | None:
    most = _most(setups, modulation.DEPTH)
    return most and (f"{most[0]:.0f} %", f"modulation at most, {c.labels[most[1].key]}")
