"""What is read of each state that is held against a baseline: everything, or as little as a person has patience for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.core.experiments.seen import GREYS, HUES, PQ_COLOUR, PQ_GREYS, short_set
from lumenar.core.readings import Patch
from lumenar.core.signals import Signal


@dataclass(frozen=True)
class Look:
    """Patches in this order: so many greys from dark to white, saturated colours, the same half as saturated. dark, middle,
    inner: which greys stand for shadows, mid-tones and the colour of greys; figures: what is told of them; strays: how often the
    room's light on the screen is read; in_words: what is read."""

    patches: Mapping[Signal, tuple[Patch, ...]]
    greys: int
    dark: slice
    middle: slice
    inner: slice
    figures: tuple[str, ...]
    strays: int
    in_words: str

    @property
    def black(self) -> bool:
        """Whether black is among what is read."""
        return "black" in self.figures

    @property
    def primaries(self) -> bool:
        """Whether red, green and blue are."""
        return "gamut" in self.figures

    def levels(self, signal: Signal) -> list[float]:
        """Signals of the greys, 0 to 1."""
        return [p.rgb[0] for p in self.patches[signal][: self.greys]]


WHOLE = Look(
    {s: short_set(s) for s in ("sdr", "pq", "hlg")}, len(GREYS), slice(1, 5), slice(5, 9), slice(4, len(GREYS) - 1),
    ("luminance", "black", "shadows", "mid-tones", "saturation", "gamut", "white", "greys"), 3,
    "ten greys and twelve colours",
)  # fmt: skip
"""Ten greys, six corners, and the same half as saturated: 22 patches."""


def _few(greys: tuple[float, float, float, float], red: float) -> tuple[Patch, ...]:
    r, g, b = (red * v for v in HUES["red"])
    return (*(Patch((v, v, v)) for v in greys), Patch((r, g, b)))


_OF_CODE = _few((PQ_GREYS[3], PQ_GREYS[5], PQ_GREYS[7], PQ_GREYS[9]), PQ_COLOUR)
FEW = Look(
    {"sdr": _few((0.1, 0.3, 0.7, 1.0), 1.0), "pq": _OF_CODE, "hlg": _OF_CODE}, 4, slice(0, 1), slice(1, 3), slice(1, 3),
    ("luminance", "shadows", "mid-tones", "saturation", "white", "greys"), 1, "white, three greys and red",
)  # fmt: skip
"""White, three greys and red: what a person types within minutes. Of black and of the gamut it tells nothing."""
