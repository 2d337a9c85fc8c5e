"""Where the light of an HDR mode ends, by a control that decides: such as the values that a unit is told to decode with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenar.core.experiments.base import Act, Conclusion, Stage, StageRead, few_values, name_of
from lumenar.core.experiments.responses import RAMP, there_and_back
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.numbers import listed, significant
from lumenar.core.tuning.base import Noise

USUAL_CD_M2 = (400.0, 600.0, 1000.0, 2000.0, 4000.0, 10000.0)
"""Peaks that content is made for, tried of a control that counts in cd/m2."""
COUNTS_CD_M2 = 1000.0
"""A control that goes as far as this counts in cd/m2."""


def tried_of(control: Control, stands: Value) -> list[Value]:
    """The values of a control that are tried besides where it stands."""
    if not control.numeric or control.maximum < COUNTS_CD_M2:
        return few_values(control, stands)
    steps = ((v - control.minimum) / control.step for v in USUAL_CD_M2)
    on_steps = [v for v, n in zip(USUAL_CD_M2, steps, strict=True) if abs(n - round(n)) < 1e-6]
    return [v for v in on_steps if control.minimum <= v <= control.maximum and v != stands] or few_values(
        control, stands
    )


@dataclass(frozen=True)
class WhereItEnds:
    """A ramp at each of a few values of a control, there and back, so that drift is no response."""

    control: Control
    mode: str
    stands: Value
    noise: Noise

    @property
    def values(self) -> tuple[Value, ...]:
        """Where it stands, then what is tried."""
        return (self.stands, *tried_of(self.control, self.stands))

    @property
    def order(self) -> tuple[Value, ...]:
        """The values, one after the other."""
        return (*self.values, *reversed(self.values))

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Each value twice."""
        name, many = name_of(self.control.path), len(self.values)
        first = Act("mode", "", self.mode)
        return tuple(
            Stage(
                f"{name} {text_of(v)}, {'again' if i >= many else 'first'}",
                (*((first,) if i == 0 else ()), Act("set", self.control.path, v)),
                RAMP,
            )
            for i, v in enumerate(self.order)
        )

    @property
    def back(self) -> tuple[Act, ...]:
        """The control to where it stood."""
        return (Act("set", self.control.path, self.stands),)

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Where the light ends at each value, and whether the control matters."""
        name, path = name_of(self.control.path), self.control.path
        refused = {text_of(v): r.refused[path] for v, r in zip(self.order, reads, strict=True) if path in r.refused}
        kept = [(text_of(v), r) for v, r in zip(self.order, reads, strict=True) if text_of(v) not in refused]
        found = there_and_back([v for v, _ in kept], [r for _, r in kept], self.noise)
        stands = text_of(self.stands)
        others = [v for v in found.Y if v != stands]
        differ = {v: found.differ(stands, v) for v in others}
        rows: list[tuple[str | float | None, ...]] = [
            (f"{v}, as it stands" if v == stands else v, found.peak(v), found.end(v)) for v in found.Y
        ]
        rows += [(f"{v}: refused, {why}", None, None) for v, why in refused.items()]
        at_stands = significant(found.end(stands), 3)
        if not others:
            sentence = f"{name} could not be set in {self.mode}."
        elif not any(differ.values()):
            sentence = f"{name} changes nothing in {self.mode}: output clips at {at_stands} cd/m²."
        else:
            ends = [f"{at_stands} cd/m² at {stands}"]
            ends += [f"{significant(found.end(v), 3)} cd/m² at {v}" for v in others if differ[v]]
            sentence = f"In {self.mode}, output clips depending on {name}: {listed(ends)}."
        heads = (name, "Peak, cd/m²", "Clips at, cd/m² asked")
        chart = found.chart(
            "ends", f"Responses to {name}", f"Luminance over what is asked for; {name} by value.", str, str
        )
        return Conclusion(sentence, heads, tuple(rows), {path: sentence}, charts=(chart,))
