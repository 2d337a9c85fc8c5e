"""A person at the remote with a meter that only shows numbers: what they read is typed in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

STEP_S = 8.0
"""How long a person takes to show a patch, read the meter and type what it says, in s."""


@dataclass(frozen=True)
class HandMeter:
    """A meter that only shows numbers, as far as the person knows it: repeatability one standard deviation, floor the least
    that it shows."""

    name: str = ""
    serial: str = ""
    kind: str = "colorimeter"
    repeatability_percent: float = 0.2
    floor_cd_m2: float | None = None
    calibrated_on: str | None = None


LUMINANCE = "luminance meter"
"""The kind of a meter that shows Y alone."""


def meters(stated: HandMeter | None = None) -> dict[str, dict[str, Any]]:
    """The meter whose readings are typed, as a run remembers it; of what nobody has stated the noise near black is
    assumed."""
    m = stated or HandMeter()
    described: dict[str, Any] = {
        "name": m.name.strip() or "Typed by hand", "kind": m.kind, "repeatability": m.repeatability_percent / 100,
    }  # fmt: skip
    if m.serial.strip():
        described["serial"] = m.serial.strip()
    if m.calibrated_on:
        described["calibrated_on"] = m.calibrated_on
    if m.floor_cd_m2:
        described["floor"] = m.floor_cd_m2
    return {"XYZ": described}
