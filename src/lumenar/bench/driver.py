"""What a driver is: one folder in `bench/drivers` with a `DRIVER`."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Role = Literal["meter", "reference", "waveform", "patch source", "remote"]


@dataclass(frozen=True)
class Driver:
    """key: what the store calls it; about: what it is, in words; roles: those on a bench that it can take."""

    key: str
    about: str
    roles: tuple[Role, ...]
