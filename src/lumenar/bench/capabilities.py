"""What the bench of a display does without a person. Views and jobs ask for these instead of asking which driver it is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Capabilities:
    """reads: instruments read light; otherwise a person types what a meter shows. traces: among them are meters that give
    waveforms and spectra. reference: two meters stand before the display, so that one can be corrected by the other. enters: a
    remote chooses modes, enters values and resets. lights: the room's light can be set, and is dark unless something else is
    said. photographs: a camera takes pictures of the screen. reports: the host's report of the display can be read. describes:
    identity and menu came with the display, so nobody has to say them."""

    reads: bool = False
    traces: bool = False
    reference: bool = False
    enters: bool = False
    lights: bool = False
    photographs: bool = False
    reports: bool = False
    describes: bool = False

    @property
    def alone(self) -> bool:
        """Whether a run, a tuning or an experiment goes on without a person."""
        return self.reads and self.enters


BY_HAND = Capabilities()
"""A person works the menu and types readings."""
EVERYTHING = Capabilities(
    reads=True, traces=True, reference=True, enters=True, lights=True, photographs=True, reports=True, describes=True
)
