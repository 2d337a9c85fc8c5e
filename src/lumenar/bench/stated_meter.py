"""A meter as far as the person who reads it knows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

LUMINANCE = "luminance meter"
"""The kind of a meter that shows Y alone."""
NAMELESS = "Typed by hand"
"""The name of a meter whose user gave it none."""


@dataclass(frozen=True)
class StatedMeter:
    """A meter that only shows numbers, as far as the person knows it: repeatability one standard deviation, floor the least
    that it shows."""

    name: str = ""
    serial: str = ""
    kind: str = "colorimeter"
    repeatability_percent: float = 0.2
    floor_cd_m2: float | None = None
    calibrated_on: str | None = None


def described(stated: StatedMeter | None = None) -> dict[str, dict[str, Any]]:
    """The meter whose readings are typed, as a run remembers it; of what nobody has stated the noise near black is
    assumed."""
    m = stated or StatedMeter()
    found: dict[str, Any] = {
        "name": m.name.strip() or NAMELESS,
        "kind": m.kind,
        "repeatability": m.repeatability_percent / 100,
    }
    if m.serial.strip():
        found["serial"] = m.serial.strip()
    if m.calibrated_on:
        found["calibrated_on"] = m.calibrated_on
    if m.floor_cd_m2:
        found["floor"] = m.floor_cd_m2
    return {"XYZ": found}
