"""What an experiment on a menu is: stages to carry out literally, one after the other, and a conclusion."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements.charts import Chart
from lumenar.core.menu.controls import Control, MenuError, Value, text_of
from lumenar.core.readings.patches import Patch, Trace

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Act:
    """One thing to do: enter a mode, set a control, send another signal, other metadata or another content flag, switch the
    display on or off, put another sample before the meter (value: its number), or make another light (path: what it is called;
    value: lux at the screen, or its name once more where nobody measured them)."""

    kind: Literal["mode", "set", "signal", "metadata", "content", "power", "light", "sample"]
    path: str
    value: Value

    @property
    def words(self) -> str:
        """As one would say it at the display."""
        if self.kind == "set":
            return f"{self.path.replace(' > ', ' › ')} to {text_of(self.value)}"
        if self.kind == "light":
            lux = "" if isinstance(self.value, str) or f"{self.value:g} lux" in self.path else f", {self.value:g} lux"
            return f"light: {self.path}{lux}"
        return {
            "metadata": f"send {self.path}",
            "content": f"send {self.path}",
            "sample": f"{self.path} before the meter",
            "mode": f"mode {self.value}",
            "signal": f"send {str(self.value).upper()}",
            "power": f"display {self.value}",
        }[self.kind]


@dataclass(frozen=True)
class Stage:
    """What is done since the stage before, then read and looked at. look: paths whose values the menu is to show."""

    title: str
    acts: tuple[Act, ...]
    patches: tuple[Patch, ...] = ()
    look: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class StageRead:
    """What came of a stage: XYZ (n, 3) in cd/m2 of its patches, NaN under the meter's floor; what the menu showed, what of it
    could not be set (greyed), and what of the acts was refused."""

    XYZ: Array
    stands: Mapping[str, Value] = field(default_factory=dict)
    greyed: frozenset[str] = frozenset()
    refused: Mapping[str, str] = field(default_factory=dict)
    traces: tuple[Trace | None, ...] = ()
    """Spectra and waveforms, one place a patch, where such were read."""


@dataclass(frozen=True)
class MapChange:
    """What a conclusion would write into the menu map: a control's scope, what it resets, or what it locks by value."""

    path: str
    entry: Literal["scope", "resets", "locks"]
    value: Any


@dataclass(frozen=True)
class Conclusion:
    """What was found out: in one sentence, as a table, in a sentence for each control concerned, and for the map. workaround:
    what has to be done in the recipe because of it."""

    sentence: str
    heads: tuple[str, ...] = ()
    rows: tuple[tuple[str | float | None, ...], ...] = ()
    notes: Mapping[str, str] = field(default_factory=dict)
    changes: tuple[MapChange, ...] = ()
    workaround: str = ""
    charts: tuple[Chart, ...] = ()


class Experiment(Protocol):
    """One experiment. back: what puts the display back as it was."""

    @property
    def stages(self) -> tuple[Stage, ...]: ...

    @property
    def back(self) -> tuple[Act, ...]: ...

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion: ...


PLAIN = ("red", "green", "blue", "cyan", "magenta", "yellow", "hue", "saturation", "lightness")


def name_of(path: str) -> str:
    """What a control is called without its submenus; with those that tell it from others where its name alone says little."""
    parts = path.split(" > ")
    short = [parts.pop()]
    while parts and short[0].lower() in PLAIN and len(short) < 3:
        short.insert(0, parts.pop())
    return " › ".join(short)


def another_value(control: Control, stands: Value) -> Value:
    """A value far from where a numeric control stands, by which it is seen whether it does anything; the next of a choice."""
    if not control.numeric:
        values = list(control.values)
        if len(values) < 2:
            raise MenuError(f"{control.path} has one value only, so it cannot be changed")
        place = values.index(str(stands)) if str(stands) in values else 0
        return values[(place + 1) % len(values)]
    low, high, at = control.minimum, control.maximum, float(stands)
    # A quarter of the range, down where there is room: up, a gain may have no headroom.
    goal = at - (high - low) / 4 if at - (high - low) / 4 >= low else at + (high - low) / 4
    steps = max(1, round(abs(goal - at) / control.step))
    value = at + np.sign(goal - at) * steps * control.step
    return float(min(max(value, low), high))


def few_values(control: Control, stands: Value, most: int = 4) -> list[Value]:
    """The values of a control that are worth a look, without that where it stands: all of a choice, ends and middles of a
    range."""
    if not control.numeric:
        return [v for v in control.values if v != stands]
    count = round((control.maximum - control.minimum) / control.step) + 1
    if count - 1 <= most:
        values = [control.minimum + n * control.step for n in range(count)]
    else:
        picked = np.unique(np.round(np.linspace(0, count - 1, most)).astype(int)).tolist()
        values = [min(control.minimum + n * control.step, control.maximum) for n in picked]
    return [float(v) for v in values if v != stands]
