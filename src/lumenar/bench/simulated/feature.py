"""What a simulated display does by itself: automatic features, by a control, the room's light and how long a picture stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from lumenar.bench.simulated.fields import Name, Share, Strict, Table

Part = Annotated[float, Field(ge=-0.95, le=1)]


class Feature(Strict):
    """An automatic feature. control: the entry that drives it; strength: how much of it each choice brings, where nothing is
    said a switch brings all of it with `on`, and a slider the share of its range; by_lux: share of it over lux at the sensor,
    all of it where there is none. At full strength: light: share of light added; shadows: as a control with the effect
    `shadow`; saturation: share of saturation added; tint: share of light added to each channel; edge: share of light missing at
    the corners. after_s: only once a picture has stood still so long; up_to_window: only for pictures that light at most so much
    of the screen."""

    control: Name
    strength: dict[Name, Share] = {}
    by_lux: Table = []
    light: Part = 0.0
    shadows: Annotated[float, Field(ge=-1, le=1)] = 0.0
    saturation: Part = 0.0
    tint: tuple[Part, Part, Part] = (0.0, 0.0, 0.0)
    edge: Share = 0.0
    after_s: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    up_to_window: Share = 1.0

    @model_validator(mode="after")
    def _consistent(self) -> Feature:
        for (x0, _), (x1, _) in pairwise(self.by_lux):
            if x1 <= x0:
                raise ValueError(f"by_lux is not monotone: input {x1:g} follows {x0:g}, inputs must rise")
        if any(x < 0 or not 0 <= y <= 1 for x, y in self.by_lux):
            raise ValueError("by_lux gives shares of 0 to 1 over lux from 0")
        if (self.after_s or self.up_to_window < 1) and (self.shadows or self.saturation or self.edge):
            raise ValueError("what comes after a while, or for small pictures only, changes light and tint alone")
        return self

    def check(self, values: Sequence[str]) -> None:
        """ValueError where strength names a value that its control has not. values: none where that has numbers."""
        for name in self.strength:
            if name not in values:
                said = f"it has {', '.join(values)}" if values else "it has numbers"
                raise ValueError(f"a feature gives a strength to {name!r} of {self.control!r}, but {said}")

    def amount(self, value: float | str, low: float, high: float, lux: float) -> float:
        """How much of it there is: its control at a value, between the ends of its range, in a light."""
        if isinstance(value, str):
            much = self.strength.get(value, 1.0 if value == "on" and not self.strength else 0.0)
        else:
            much = (value - low) / (high - low)
        if not self.by_lux:
            return much
        x, y = zip(*self.by_lux, strict=True)
        return much * float(np.interp(lux, x, y))


@dataclass
class Automatic:
    """What all features make of the light at present. timed: those that wait, each with how much there is of it."""

    light: float = 1.0
    shadows: float = 0.0
    saturation: float = 1.0
    tint: NDArray[np.float64] = field(default_factory=lambda: np.ones(3))
    edge: float = 0.0
    timed: list[tuple[Feature, float]] = field(default_factory=list)

    def add(self, f: Feature, much: float) -> None:
        """One more feature, so much of it."""
        if not much:
            return
        if f.after_s or f.up_to_window < 1:
            self.timed.append((f, much))
            return
        self.light *= 1 + much * f.light
        self.shadows += much * f.shadows
        self.saturation *= 1 + much * f.saturation
        self.tint = self.tint * (1 + much * np.asarray(f.tint))
        self.edge += much * f.edge

    def factor(self, stood_s: float, window: float) -> NDArray[np.float64]:
        """Share of light (3,) that is left of a picture that has stood so long and lights so much of the screen."""
        left = self.light * self.tint
        for f, much in self.timed:
            if stood_s >= f.after_s and window <= f.up_to_window:
                left = left * (1 + much * f.light) * (1 + much * np.asarray(f.tint))
        return left
