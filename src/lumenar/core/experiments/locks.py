"""What does a control lock, and what does it reset? Others are moved off where they stand, it is changed and put back, and the
menu is looked at; light tells of what the menu does not show."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenar.core.experiments.base import Act, Conclusion, MapChange, Stage, StageRead, another_value, name_of
from lumenar.core.experiments.visible_effects import SIGNATURE, changed
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.tuning.base import Noise


@dataclass(frozen=True)
class LocksAndResets:
    """A control tried against others. state: where all of them stand."""

    control: Control
    others: tuple[Control, ...]
    mode: str
    state: Mapping[str, Value]
    noise: Noise

    @property
    def values(self) -> list[Value]:
        """What the control is changed to: every choice, or one other number."""
        stands = self.state[self.control.path]
        if self.control.numeric:
            return [another_value(self.control, stands)]
        return [v for v in self.control.values if v != stands]

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Others moved; each value of the control; the control put back."""
        look = tuple(c.path for c in self.others)
        path, name = self.control.path, name_of(self.control.path)
        moved = tuple(Act("set", c.path, another_value(c, self.state[c.path])) for c in self.others)
        first = Stage("Others moved off where they stand", (Act("mode", "", self.mode), *moved), SIGNATURE, look)
        tried = [Stage(f"{name} {text_of(v)}", (Act("set", path, v),), (), look) for v in self.values]
        stands = self.state[path]
        return (first, *tried, Stage(f"{name} {text_of(stands)} again", (Act("set", path, stands),), SIGNATURE, look))

    @property
    def back(self) -> tuple[Act, ...]:
        """Everything to where it stood, the control first."""
        paths = (self.control.path, *(c.path for c in self.others))
        return (Act("mode", "", self.mode), *(Act("set", p, self.state[p]) for p in paths))

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """What could not be set any more, and what has another value than before."""
        first, *tried, last = reads
        name, path = name_of(self.control.path), self.control.path
        rows: list[tuple[str | float | None, ...]] = []
        resets: list[str] = []
        locks: dict[str, list[str]] = {}
        refused = [v for v, r in zip(self.values, tried, strict=True) if path in r.refused]
        before: Mapping[str, Value] = first.stands
        for value, read in zip((*self.values, self.state[path]), (*tried, last), strict=True):
            fell = [p for p, v in read.stands.items() if p in before and before[p] != v]
            closed = sorted(read.greyed - first.greyed)
            resets += [p for p in fell if p not in resets]
            if closed:
                locks[text_of(value)] = closed
            said = [f"{name_of(p)} fell to {text_of(read.stands[p])}" for p in fell]
            said += [f"{name_of(p)} cannot be set" for p in closed]
            rows.append((text_of(value), "; ".join(said) or "nothing else changed"))
            before = {**before, **read.stands}
        untested = [c.path for c in self.others if first.stands.get(c.path) == self.state[c.path]]
        hidden = not resets and bool(changed(first.XYZ, last.XYZ, self.noise))
        sentence = self._sentence(resets, locks, hidden, refused)
        if untested:
            sentence += f" Not told of {', '.join(name_of(p) for p in untested)}, which could not be moved."
        changes: list[MapChange] = []
        if resets:
            changes.append(MapChange(path, "resets", sorted({*self.control.resets, *resets})))
        if locks and not self.control.numeric:
            changes.append(MapChange(path, "locks", {**{k: list(v) for k, v in self.control.locks.items()}, **locks}))
        notes = {path: sentence, **{p: f"{name_of(p)} is reset by {name}." for p in resets}}
        return Conclusion(sentence, (name, "What the menu showed"), tuple(rows), notes, tuple(changes))

    def _sentence(
        self, resets: Sequence[str], locks: Mapping[str, Sequence[str]], hidden: bool, refused: Sequence[Value]
    ) -> str:
        name = name_of(self.control.path)
        said = []
        if resets:
            said.append(f"changing {name} resets {', '.join(name_of(p) for p in resets)}")
        said += [f"at {v} it locks {', '.join(name_of(p) for p in paths)}" for v, paths in locks.items()]
        if refused:
            said.append(f"{', '.join(map(text_of, refused))} could not be set")
        if hidden:
            said.append(
                "the light is another than before, though every value shows the same: something falls back unseen"
            )
        if not said:
            return f"{name} neither locks nor resets any of {len(self.others)} others."
        text = "; ".join(said)
        return f"{text[0].upper()}{text[1:]}."
