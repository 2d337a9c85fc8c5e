"""Controls of a simulated display."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, model_validator

from lumenar.bench.simulated.fields import Name, Positive, Sane, Strict, Table, check_table

Tint = Annotated[float, Field(ge=-0.9, le=2)]


Channel = Literal["red", "green", "blue"]


Axis = Literal["red", "yellow", "green", "cyan", "blue", "magenta"]


Effect = Literal[
    "luminance",
    "contrast",
    "gain",
    "offset",
    "saturation",
    "profile",
    "tone",
    "shadow",
    "point",
    "hue",
    "axis_saturation",
    "axis_lightness",
    "mix",
    "boost",
    "hdr_input",
    "decode_curve",
    "decode_primaries",
    "decode_mastering",
    "decode_max_cll",
    "decode_max_fall",
    "none",
]


AMOUNT: dict[str, float] = {
    "tone": 1.0,
    "shadow": 0.02,
    "point": 0.0012,
    "hue": 0.006,
    "axis_saturation": 0.005,
    "axis_lightness": 0.004,
    "mix": 0.003,
    "boost": 0.004,
}
"""What one step does where the file does not say it (docs/unit-file.md)."""


DECODES: Mapping[str, tuple[str, ...]] = {
    "hdr_input": ("", "sdr"),
    "decode_curve": ("", "sdr", "pq", "hlg"),
    "decode_primaries": ("", "bt709", "p3_d65", "bt2020", "oprgb"),
}
"""What a control can force by its values; nothing is as the signal says."""


FORCED = ("decode_mastering", "decode_max_cll", "decode_max_fall")
"""Effects of sliders in cd/m2 that stand for metadata, 0 for those that are sent."""


ON_AXES = ("hue", "axis_saturation", "axis_lightness", "mix")


class UnitControl(Strict):
    """One menu entry. `effect` is what it does on the light path; `role` is what a reviewer knows it to be for: the luminance
    control, of which there is one, one of those that set white, the curve, the shadows or the colours."""

    path: Name
    kind: Literal["slider", "notches", "choice", "switch"]
    minimum: Sane = 0
    maximum: Sane = 100
    step: Positive = 1
    choices: list[Name] = []
    default: float | str
    scope: Literal["unit", "signal", "mode"] = "mode"
    role: Literal["luminance", "white", "tone", "shadows", "colour"] | None = None
    effect: Effect = "none"
    channel: Channel | None = None
    axis: Axis | None = None
    level: Annotated[float, Field(gt=0, le=1)] | None = None
    reach: Annotated[float, Field(gt=0, le=1)] = 0.1
    amount: Annotated[float, Field(ge=-10, le=10)] | None = None
    by_choice: dict[str, Sane] = {}
    decodes: dict[str, str] = {}
    when: Literal["", "sdr", "first"] = ""
    table: Table | None = None
    locks: dict[str, list[str]] = {}
    resets: list[str] = []
    group: Annotated[str, Field(max_length=80)] = ""
    promise: Annotated[str, Field(max_length=300)] = ""
    route: Annotated[str, Field(max_length=300)] = ""

    @property
    def numeric(self) -> bool:
        """Whether its values are numbers, or notches that are counted."""
        return self.kind in ("slider", "notches")

    @property
    def values(self) -> tuple[str, ...]:
        """The values of a control without numbers, none where it has some."""
        if self.numeric:
            return ()
        return tuple(self.choices) if self.kind == "choice" else ("on", "off")

    @property
    def per_step(self) -> float:
        """What one step does."""
        return AMOUNT.get(self.effect, 0.0) if self.amount is None else self.amount

    @model_validator(mode="after")
    def _consistent(self) -> UnitControl:
        if self.numeric:
            if self.minimum >= self.maximum:
                raise ValueError(f"minimum {self.minimum:g} is not below maximum {self.maximum:g}")
            self.check(self.default)
        elif self.kind == "choice" and self.default not in self.choices:
            raise ValueError(f"default {self.default!r} is not among the choices {self.choices}")
        elif self.kind == "switch" and self.default not in ("on", "off"):
            raise ValueError(f"default {self.default!r} of a switch must be 'on' or 'off'")
        if self.effect in ("gain", "offset", "point", "mix") and self.channel is None:
            raise ValueError(f"a control with the effect {self.effect!r} needs a channel")
        if self.effect in ON_AXES and self.axis is None:
            raise ValueError(f"a control with the effect {self.effect!r} needs an axis")
        if self.effect == "point" and self.level is None:
            raise ValueError("a point of a table needs a level")
        if self.effect in ("point", *ON_AXES) and not self.numeric:
            raise ValueError(f"a control with the effect {self.effect!r} has numbers or notches")
        self._known_effect()
        return self

    def _known_effect(self) -> None:
        """ValueError where the effect's numbers make no sense."""
        if self.effect in ("boost", "tone", "shadow") and not self.numeric:
            allowed = self.choices if self.kind == "choice" else ["on", "off"]
            if set(self.by_choice) != set(allowed):
                raise ValueError(f"by_choice must give a number for each of {allowed}")
        if known := DECODES.get(self.effect):
            complete = set(self.decodes) == set(self.values) and set(self.decodes.values()) <= set(known)
            if not complete:
                said = ", ".join(map(repr, known))
                raise ValueError(f"decodes must give one of {said} for each of {list(self.values)}")
        if self.effect in FORCED and (not self.numeric or self.minimum != 0 or self.maximum > 10_000):
            raise ValueError(f"a control with the effect {self.effect!r} is a slider from 0 up to at most 10000")
        if (self.effect in (*DECODES, *FORCED) or self.when) and self.scope != "unit":
            raise ValueError("what decides how a signal is taken, or is set before it comes, holds for the whole unit")
        if self.effect == "tone" and any(not 0.2 <= g <= 5 for g in self.by_choice.values()):
            raise ValueError("by_choice of a curve control gives gammas between 0.2 and 5")
        if self.effect == "gain" and self.table is not None and len(self.table) < 2:
            raise ValueError("the table of a gain needs at least two points")
        if self.effect == "gain" and any(not 0 <= y <= 4 for _, y in self.table or ()):
            raise ValueError("the table of a gain must lie within 0 and 4")
        if self.effect == "luminance" and any(not 0 < y <= 1 for _, y in self.table or ()):
            raise ValueError("the table of a luminance control gives shares of full light, above 0 and up to 1")
        if self.effect == "profile" and self.kind != "switch":
            raise ValueError("a profile is switched on or off, so its control is a switch")
        if self.effect == "luminance":
            if not self.numeric:
                raise ValueError("a luminance control is a slider")
            check_table(self.table or [], "table", self.minimum, self.maximum)

    def check(self, value: float | str) -> None:
        """Raise ValueError where the control cannot take the value."""
        if self.numeric:
            if not isinstance(value, int | float):
                raise ValueError(f"{self.path} takes a number, not {value!r}")
            if isinstance(value, bool):
                raise ValueError(f"{self.path} takes a number, not {value!r}")
            if not self.minimum <= value <= self.maximum:
                raise ValueError(f"{value:g} is outside {self.minimum:g}..{self.maximum:g} of {self.path}")
            steps = (value - self.minimum) / self.step
            if abs(steps - round(steps)) > 1e-6 and value != self.maximum:
                near = self.minimum + round(steps) * self.step
                raise ValueError(
                    f"{value:g} is between the steps of {self.path}, which are {self.step:g} apart; {near:g} is nearest"
                )
        else:
            allowed = self.choices if self.kind == "choice" else ["on", "off"]
            if value not in allowed:
                raise ValueError(f"{value!r} is not among {allowed} of {self.path}")
