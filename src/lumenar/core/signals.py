"""Signals as a source sends them to a display."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.core.targets import Signal

Range = Literal["full", "limited"]
Chroma = Literal["4:4:4", "4:2:2", "4:2:0"]


@dataclass(frozen=True)
class SignalFormat:
    """What a source sends. transfer: the curve that its code values mean; range: whether black and white lie at the ends of
    the codes or at 16 and 235 of 255 (Rec. ITU-R BT.2100, table 9); bits: of a code value; chroma: how much of the colour
    is sent; refresh_hz: pictures a second. None where it is not said."""

    transfer: Signal = "sdr"
    range: Range = "full"
    bits: int = 8
    chroma: Chroma | None = None
    refresh_hz: float | None = None

    @property
    def words(self) -> str:
        """The format in words."""
        parts = [{"sdr": "SDR", "pq": "PQ", "hlg": "HLG"}[self.transfer], f"{self.bits} bits", f"{self.range} range"]
        parts += [self.chroma] if self.chroma else []
        parts += [f"{self.refresh_hz:g} Hz"] if self.refresh_hz else []
        return ", ".join(parts)
