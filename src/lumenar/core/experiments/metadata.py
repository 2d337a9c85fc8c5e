"""What an HDR mode makes of metadata: the same ramp is read while different mastering peaks and MaxCLL are sent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.experiments.base import Act, Conclusion, Stage, StageRead
from lumenar.core.experiments.responses import RAMP, there_and_back
from lumenar.core.numbers import significant
from lumenar.core.signals import Metadata, Signal
from lumenar.core.tuning.base import Noise

SENT: dict[str, tuple[float, float] | None] = {
    "nothing": None,
    "4000/4000": (4000, 4000),
    "4000/1000": (4000, 1000),
    "1000/1000": (1000, 1000),
    "1000/400": (1000, 400),
}
"""Mastering peak and MaxCLL in cd/m2: a pair in which only MaxCLL differs, one in which only the peak does, and both."""


def sent_as(value: str) -> Metadata | None:
    """What is sent by its name in SENT."""
    pair = SENT[value]
    return None if pair is None else Metadata(mastering_cd_m2=pair[0], max_cll=pair[1])


def words_of(name: str) -> str:
    """What is sent, in words."""
    pair = SENT[name]
    return "no metadata" if pair is None else f"mastering peak {pair[0]:,.0f}, MaxCLL {pair[1]:,.0f} cd/m²"


@dataclass(frozen=True)
class MetadataResponse:
    """A ramp under each set of metadata, there and back, so that drift is no response."""

    mode: str
    signal: Signal
    noise: Noise

    @property
    def order(self) -> tuple[str, ...]:
        """What is sent, one after the other."""
        return (*SENT, *reversed(SENT))

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Each set of metadata twice."""
        return tuple(
            Stage(f"{words_of(name)}, {'again' if i >= len(SENT) else 'first'}", self._acts(name), RAMP)
            for i, name in enumerate(self.order)
        )

    def _acts(self, name: str) -> tuple[Act, ...]:
        return Act("metadata", words_of(name), name), Act("mode", "", self.mode)

    @property
    def back(self) -> tuple[Act, ...]:
        """No metadata."""
        return self._acts("nothing")

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Which of mastering peak and MaxCLL matters, and where the light ends under each."""
        found = there_and_back(self.order, reads, self.noise)
        by_cll = found.differ("4000/4000", "4000/1000") or found.differ("1000/1000", "1000/400")
        by_peak = found.differ("4000/1000", "1000/1000")
        by_any = found.differ("nothing", "4000/4000") or found.differ("nothing", "1000/1000")
        if by_cll and by_peak:
            said = "goes by the mastering peak and by MaxCLL"
        elif by_cll:
            said = "goes by MaxCLL and not by the mastering peak"
        elif by_peak:
            said = "goes by the mastering peak and not by MaxCLL"
        elif by_any:
            said = "does not go by the values of metadata, only by whether any are sent"
        else:
            said = "ignores metadata"
        rows = tuple((words_of(n), found.peak(n), found.end(n)) for n in SENT)
        ends = [found.end(n) for n in SENT]
        low, high = min(ends), max(ends)
        most = (
            f"Output clips between {significant(low, 3)} and {significant(high, 3)} cd/m², depending on the metadata."
        )
        if not (by_cll or by_peak or by_any) or high < 1.05 * low:
            most = f"Output clips at {significant(float(np.median(ends)), 3)} cd/m²."
        note = "Luminance over what is asked for; peak and MaxCLL that are sent."
        chart = found.chart("metadata", "Responses to metadata", note, _short, words_of)
        return Conclusion(f"{self.mode} {said}. {most}", HEADS, rows, charts=(chart,))


HEADS = ("Sent", "Peak, cd/m²", "Clips at, cd/m² asked")


def _short(name: str) -> str:
    pair = SENT[name]
    return "none sent" if pair is None else f"{pair[0]:,.0f} / {pair[1]:,.0f}"
