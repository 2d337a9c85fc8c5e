"""How a simulated display takes the signal that it is sent: by what it says of itself, by what its input lets through, or as its
menu is told to decode it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import cast

from lumenar.bench.ports import ControlValue
from lumenar.bench.simulated.unit_controls import FORCED
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.signals import WORDS, Metadata, Signal, SignalFormat

METADATA_OF = {"decode_mastering": "mastering_cd_m2", "decode_max_cll": "max_cll", "decode_max_fall": "max_fall"}
"""What of the metadata a control of the effect stands for."""


@dataclass(frozen=True)
class Decoder:
    """A unit's input with its menu as it stands."""

    file: UnitFile
    values: Mapping[str, ControlValue]

    def told(self, effect: str) -> str:
        """What the controls with an effect force, empty where nothing."""
        found = (c.decodes[str(self.values[c.path])] for c in self.file.controls if c.effect == effect)
        return next((d for d in found if d), "")

    def taken(self, format: SignalFormat) -> Signal:
        """What a signal is taken for: what the menu forces, else what it says itself, where its input is open to that."""
        forced = self.told("decode_curve")
        if forced in WORDS:
            return cast(Signal, forced)
        plain = not format.flagged or self.told("hdr_input") == "sdr"
        return "sdr" if plain else format.transfer

    def metadata(self, sent: Metadata | None) -> Metadata | None:
        """The metadata that are sent, with what the menu says in their place."""
        forced = {c.effect: float(self.values[c.path]) for c in self.file.controls if c.effect in FORCED}
        said = {METADATA_OF[e]: v for e, v in forced.items() if v > 0}
        if not said:
            return sent
        known = {k: v for k in METADATA_OF.values() if sent is not None and (v := getattr(sent, k)) is not None} | said
        if known.get("max_fall", 0.0) > known.get("max_cll", 10_000.0):
            # No picture is brighter than its pixels: it goes by the lower of the two.
            known["max_fall"] = known["max_cll"]
        return Metadata(**known)
