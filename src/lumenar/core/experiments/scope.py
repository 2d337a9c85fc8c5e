"""How far does a control reach? It is changed in one mode, and the others are read before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from lumenar.core.experiments.base import Act, Conclusion, MapChange, Stage, StageRead, another_value, name_of
from lumenar.core.experiments.visible_effects import SIGNATURE, changed, distance
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.roles import role_of
from lumenar.core.numbers import listed
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import WORDS, Signal
from lumenar.core.tuning.base import Noise

AXES = {
    "red": (1, 0, 0),
    "yellow": (1, 1, 0),
    "green": (0, 1, 0),
    "cyan": (0, 1, 1),
    "blue": (0, 0, 1),
    "magenta": (1, 0, 1),
}
DARK = (0.05, 0.1, 0.2)
"""Greys that a control of shadows, offsets or the curve moves most."""


def _moved_by(role: str | None) -> tuple[Patch, ...]:
    """Patches that a control with a role moves: a faded and a full colour of its hue, the grey of its point, dark greys."""
    what = role_of(role)
    if what is None:
        return ()
    if what.axis is not None:
        full = AXES[what.axis]
        return tuple(Patch(tuple(0.75 * v + low * (1 - v) for v in full)) for low in (0.0, 0.4))  # type: ignore[arg-type]
    if what.level is not None:
        return (Patch((what.level,) * 3),)
    return tuple(Patch((v, v, v)) for v in DARK) if what.kind in ("shadows", "offset", "tone") else ()


def _called(patch: Patch) -> str:
    """How a patch is called in a sentence."""
    full = {(1.0, 0.0, 0.0): "red", (0.0, 0.0, 1.0): "blue"}
    return full.get(patch.rgb, patch.code)


@dataclass(frozen=True)
class ScopeOfControl:
    """A control changed in the first of some modes. signals: what each mode is for."""

    control: Control
    modes: tuple[str, ...]
    stands: Value
    noise: Noise
    signals: Mapping[str, Signal] = field(default_factory=dict)

    def _enter(self, mode: str) -> tuple[Act, ...]:
        """Go to a mode, with its signal where there is more than one."""
        to = Act("mode", "", mode)
        return (Act("signal", "", self.signals[mode]), to) if len(set(self.signals.values())) > 1 else (to,)

    @property
    def patches(self) -> tuple[Patch, ...]:
        """The patches read in each mode: white, a grey, red, blue, and those that a control of this kind is likely to change."""
        more = _moved_by(self.control.role)
        return (*SIGNATURE, *(p for p in more if p not in SIGNATURE))

    @property
    def value(self) -> Value:
        """What it is changed to."""
        return another_value(self.control, self.stands)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Every mode as it stands; the control changed in the first; every mode once more; the first put back."""
        own, *others = self.modes
        name = name_of(self.control.path)
        before = [Stage(f"{m}, as it stands", self._enter(m), self.patches) for m in (*others, own)]
        change = Stage(
            f"{name} {text_of(self.value)} in {own}", (Act("set", self.control.path, self.value),), self.patches
        )
        after = [Stage(f"{m} after that", self._enter(m), self.patches) for m in others]
        return (*before, change, *after, Stage(f"{own} put back", self.back, self.patches))

    @property
    def back(self) -> tuple[Act, ...]:
        """The control to where it stood, in its mode."""
        return (*self._enter(self.modes[0]), Act("set", self.control.path, self.stands))

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Where the change was seen."""
        own, *others = self.modes
        count, path, name = len(others), self.control.path, name_of(self.control.path)
        before, base, change = reads[:count], reads[count], reads[count + 1]
        after, closing = reads[count + 2 : -1], reads[-1]
        if path in change.refused:
            return Conclusion(f"{name} could not be set in {own}: {change.refused[path]}.")
        drift = distance(base.XYZ, closing.XYZ)
        moved = changed(base.XYZ, change.XYZ, self.noise, drift)
        heads = ("Mode", f"Change with {name} {text_of(self.value)}, dE")
        if not moved:
            read = listed([_called(p) for p in self.patches[: len(base.XYZ)]])
            said = f"{name} does not change {read} in {own}, so its reach cannot be found this way."
            return Conclusion(said, heads, ((own, 0.0),), {path: said})
        seen = {m: changed(b.XYZ, a.XYZ, self.noise, drift) for m, b, a in zip(others, before, after, strict=True)}
        rows = ((own, round(moved, 1)), *((m, round(d, 1)) for m, d in seen.items()))
        with_it = [m for m, d in seen.items() if d]
        changes: tuple[MapChange, ...] = ()
        if not with_it:
            said = f"{name} belongs to each mode: changed in {own}, it moved none of {listed(others)}."
            changes = (MapChange(path, "scope", "mode"),)
        elif len(with_it) == len(others):
            said = f"{name}: all modes share it; changed in {own}, it moved {listed(others)} too."
            changes = (MapChange(path, "scope", "unit"),)
        elif with_it == [m for m in others if self.signals.get(m) == self.signals.get(own)]:
            beyond = listed([m for m in others if m not in with_it])
            shared = f"all modes for {WORDS[self.signals[own]]} share it"
            said = f"{name}: {shared}; changed in {own}, it moved {listed(with_it)} too, but not {beyond}."
            changes = (MapChange(path, "scope", "signal"),)
        else:
            rest = [m for m in others if m not in with_it]
            said = f"{name}: changed in {own}, it moved {listed(with_it)} too, but not {listed(rest)}, where it may do nothing."
        return Conclusion(said, heads, rows, {path: said}, changes)
