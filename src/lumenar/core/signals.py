"""Signals as a source sends them to a display."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

from lumenar.core.targets import Signal

__all__ = ["METADATA", "WORDS", "Chroma", "Metadata", "MetadataError", "Range", "Signal", "SignalFormat", "metadata_of"]

Range = Literal["full", "limited"]
Chroma = Literal["4:4:4", "4:2:2", "4:2:0"]


NEAR_HZ = 0.5
"""Rates nearer than this are called by one number: 60 is often 59.94."""
UNFLAGGED = "no HDR flag"
Gamut = Literal["bt709", "p3_d65", "bt2020"]
Content = Literal["", "film", "game"]
CONTENTS: tuple[Content, ...] = ("film", "game")
"""What a source may flag its content as (CTA-861, content type)."""


GAMUTS = {"bt709": "BT.709", "p3_d65": "P3 D65", "bt2020": "BT.2020"}
"""Primaries that code values may mean, and that content may be mastered in."""
WORDS = {"sdr": "SDR", "pq": "PQ", "hlg": "HLG"}


class MetadataError(ValueError):
    """Metadata that contradict themselves; the text says how."""


@dataclass(frozen=True)
class Metadata:
    """What a PQ signal says of its content (SMPTE ST 2086, CTA-861.3), in cd/m2: peak and black of the display it was mastered
    on, its brightest pixel, and its brightest picture in the mean. None where it is not said."""

    mastering_cd_m2: float | None = None
    mastering_black_cd_m2: float | None = None
    max_cll: float | None = None
    max_fall: float | None = None

    def __post_init__(self) -> None:
        named = (("mastering peak", self.mastering_cd_m2), ("MaxCLL", self.max_cll), ("MaxFALL", self.max_fall))
        for name, value in named:
            if value is not None and not 0 < value <= 10_000:
                raise MetadataError(f"{name} is above 0 and up to 10,000 cd/m², not {value:g}")
        if self.mastering_black_cd_m2 is not None and not 0 <= self.mastering_black_cd_m2 < (
            self.mastering_cd_m2 or 10_000
        ):
            raise MetadataError(
                f"mastering black is below the mastering peak, not {self.mastering_black_cd_m2:g} cd/m²"
            )
        if self.max_cll is not None and self.max_fall is not None and self.max_fall > self.max_cll:
            raise MetadataError(
                f"MaxFALL {self.max_fall:g} is above MaxCLL {self.max_cll:g}: no picture is brighter than its pixels"
            )

    @property
    def words(self) -> str:
        """In words."""
        said = [
            f"{name} {value:,g}"
            for name, value in (
                ("peak", self.mastering_cd_m2),
                ("black", self.mastering_black_cd_m2),
                ("MaxCLL", self.max_cll),
                ("MaxFALL", self.max_fall),
            )
            if value is not None
        ]
        return f"{', '.join(said)} cd/m²" if said else "no values"


METADATA = {
    "mastering_cd_m2": "mastering peak",
    "mastering_black_cd_m2": "mastering black",
    "max_cll": "MaxCLL",
    "max_fall": "MaxFALL",
}
"""What a format says of a PQ signal's content, with how it is called."""


def metadata_of(format: Mapping[str, float | str]) -> Metadata | None:
    """What is sent beside the picture, None where nothing is. MetadataError where it contradicts itself."""
    said = {k: float(format[k]) for k in METADATA if format.get(k) is not None}
    return Metadata(**said) if said else None


@dataclass(frozen=True)
class SignalFormat:
    """What a source sends. transfer: the curve that its code values mean; range: whether black and white lie at the ends of
    the codes or at 16 and 235 of 255 (Rec. ITU-R BT.2100, table 9); bits: of a code value; chroma: how much of the colour
    is sent; refresh_hz: pictures a second; metadata: what a PQ signal says of its content. None where it is not said.
    flagged: whether it says itself that it is PQ or HLG; of one that does not, the unit has to be told how to decode it.
    content: what it says to be, nothing where it does not."""

    transfer: Signal = "sdr"
    range: Range = "full"
    bits: int = 8
    chroma: Chroma | None = None
    refresh_hz: float | None = None
    metadata: Metadata | None = None
    flagged: bool = True
    content: Content = ""

    def taken_as(self, shown: SignalFormat) -> str:
        """In words what a display that is sent this says it shows, as far as that is another signal; empty where it is the same.
        What the display does not say, and metadata, which few displays show, are no difference."""
        other = [WORDS[shown.transfer]] if shown.transfer != self.transfer else []
        other += [f"{shown.bits} bits"] if shown.bits < self.bits else []
        other += [f"{shown.range} range"] if shown.range != self.range else []
        other += [shown.chroma] if shown.chroma and self.chroma and shown.chroma != self.chroma else []
        refresh = shown.refresh_hz
        other += [f"{refresh:g} Hz"] if refresh and self.refresh_hz and abs(refresh - self.refresh_hz) > NEAR_HZ else []
        return ", ".join(other)

    @property
    def words(self) -> str:
        """The format in words."""
        said = {**document_of(self), "content": self.content, **({} if self.flagged else {"flag": "none"})}
        return ", ".join([WORDS[self.transfer], *parts_of(said)])

    @property
    def as_sdr(self) -> SignalFormat:
        """SDR from the same source."""
        return replace(self, transfer="sdr", metadata=None, flagged=True, content="")


def format_from(transfer: Signal, said: Mapping[str, Any]) -> SignalFormat:
    """A format as a document says it; what it does not say is as usual. MetadataError where its metadata contradict
    themselves."""
    plain = {k: v for k, v in said.items() if k in ("range", "bits", "chroma", "refresh_hz")}
    return SignalFormat(
        transfer,
        **plain,
        metadata=metadata_of(said),
        flagged=said.get("flag") != "none",
        content=said.get("content") or "",
    )


def document_of(shown: SignalFormat) -> dict[str, Any]:
    """A format as JSON can hold it; what is not said is left out."""
    return {k: v for k, v in asdict(shown).items() if v is not None and k not in ("metadata", "flagged", "content")} | (
        {k: v for k, v in asdict(shown.metadata).items() if v is not None} if shown.metadata else {}
    )


def words_of(said: Mapping[str, Any] | None) -> str:
    """A signal in words, as far as a document says it, metadata apart; empty where there is none."""
    return ", ".join([WORDS[said["transfer"]], *parts_of(said, False)]) if said else ""


def parts_of(said: Mapping[str, Any], metadata: bool = True) -> list[str]:
    """What a document says of a signal, each in words, the curve apart. MetadataError where metadata contradict themselves."""
    parts = [f"{said['bits']} bits"] if "bits" in said else []
    parts += [f"{said['range']} range"] if "range" in said else []
    parts += [said["chroma"]] if "chroma" in said else []
    parts += [f"{said['refresh_hz']:g} Hz"] if "refresh_hz" in said else []
    parts += [said["resolution"]] if "resolution" in said else []
    parts += [sent.words] if metadata and (sent := metadata_of(said)) else []
    parts += [f"in {GAMUTS[said['container']]}"] if "container" in said else []
    parts += [f"mastered in {GAMUTS[said['mastering_primaries']]}"] if "mastering_primaries" in said else []
    parts += [UNFLAGGED] if said.get("flag") == "none" else []
    parts += [f"flagged as {said['content']}"] if said.get("content") else []
    return parts
