"""The patches that are read of each state of an experiment: 22 of them, or five for a person who types."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.core.experiments.visible_effects import DARK, GREYS, HUES, MIDDLE, PQ_COLOUR, PQ_GREYS, short_set
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Signal


@dataclass(frozen=True)
class PatchSet:
    """A set of patches and what can be told from it. patches: by signal; first the greys from dark to white, then the saturated
    colours, then the same colours half as saturated. greys: how many greys. dark, middle, inner: the greys that stand for
    shadows, mid-tones and the colour of greys. figures: those that these patches give. strays: readings of the room's light on
    the screen. in_words: the patches in a few words."""

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
        """Whether black is one of the patches."""
        return "black" in self.figures

    @property
    def primaries(self) -> bool:
        """Whether red, green and blue are among the patches."""
        return "gamut" in self.figures

    def levels(self, signal: Signal) -> list[float]:
        """Signals of the greys, 0 to 1."""
        return [p.rgb[0] for p in self.patches[signal][: self.greys]]


WHOLE = PatchSet(
    patches={s: short_set(s) for s in ("sdr", "pq", "hlg")},
    greys=len(GREYS),
    dark=DARK,
    middle=MIDDLE,
    inner=slice(4, len(GREYS) - 1),
    figures=("luminance", "black", "shadows", "mid-tones", "saturation", "gamut", "white", "greys"),
    strays=3,
    in_words="ten greys and twelve colours",
)
"""Ten greys, six corners, and the same half as saturated: 22 patches."""


def _few(greys: tuple[float, float, float, float], red: float) -> tuple[Patch, ...]:
    r, g, b = (red * v for v in HUES["red"])
    return (*(Patch((v, v, v)) for v in greys), Patch((r, g, b)))


_OF_CODE = _few((PQ_GREYS[3], PQ_GREYS[5], PQ_GREYS[7], PQ_GREYS[9]), PQ_COLOUR)
FEW = PatchSet(
    patches={"sdr": _few((0.1, 0.3, 0.7, 1.0), 1.0), "pq": _OF_CODE, "hlg": _OF_CODE},
    greys=4,
    dark=slice(0, 1),
    middle=slice(1, 3),
    inner=slice(1, 3),
    figures=("luminance", "shadows", "mid-tones", "saturation", "white", "greys"),
    strays=1,
    in_words="white, three greys and red",
)
"""White, three greys and red, which a person can type in minutes. They tell nothing about black or the gamut."""
