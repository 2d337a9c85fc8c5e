"""How a display is measured, as plans and views need it: what goes without a person, how long things take, what cannot be done.
Each driver of displays gives one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.capabilities import Capabilities
from lumenar.bench.plan import Plan
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.readings.patches import Patch


class Station(Protocol):
    """What stands before one display."""

    @property
    def capabilities(self) -> Capabilities:
        """What goes without a person."""

    @property
    def light(self) -> Mapping[str, Any] | None:
        """The light that it stands in where nobody says another; None where nobody knows."""

    def meters(self, stated: StatedMeter | None) -> dict[str, dict[str, Any]]:
        """The meters by what they read, as a run remembers them. stated: what a person says of theirs."""

    def reading_s(self, patches: Sequence[Patch], Y: NDArray[np.float64]) -> list[float]:
        """How long each reading takes in s where Y (n,) cd/m2 are expected."""

    def timed(self, plan: Plan) -> Plan:
        """A plan with the times that its steps take here."""

    def beyond(self, light: Mapping[str, Any], signal: Mapping[str, Any], usual: Mapping[str, Any]) -> str:
        """What of a setup's light and signal cannot be had here, as a clause; empty where all can. usual: the signal that the
        display usually gets."""
