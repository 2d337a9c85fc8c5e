"""Drivers: what stands behind the ports, one file each. Whoever adds one adds its line here, and a case to the suite that every
driver is run against (`bench/conformance.py`)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Role = Literal["meter", "reference", "waveform", "patch source", "remote"]
DriverKey = Literal["simulated", "hands", "typed"]


@dataclass(frozen=True)
class Driver:
    """A driver: what it is in words, and the roles on a bench that it can take."""

    key: DriverKey
    about: str
    roles: tuple[Role, ...]


DRIVERS: dict[str, Driver] = {
    d.key: d
    for d in (
        Driver(
            "simulated",
            "a stand-in that ships with Lumenar",
            ("meter", "reference", "waveform", "patch source", "remote"),
        ),
        Driver("hands", "a person at the remote, who shows the patches too", ("patch source", "remote")),
        Driver("typed", "a meter that only shows numbers, which are typed", ("meter", "reference")),
    )
}
"""Every driver by its key."""
