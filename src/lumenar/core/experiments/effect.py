"""What does a control do? A few of its values with a short set, each against where it stands; and whether that is what the menu
promises."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead, few_values, name_of
from lumenar.core.experiments.visible_effects import Effect, drift_of, effects, in_words, pq_error, short_set
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.signals import Signal
from lumenar.core.tuning.base import Noise

Kept = Literal["kept", "not kept", "the opposite", "not told"]
SAID: dict[Kept, str] = {"kept": "kept", "the opposite": "the opposite", "not kept": "not kept"}
PROMISES: tuple[tuple[str, str, int], ...] = (
    (r"\b(less|low|reduces?|filters?) (the )?blue\b|\bblue light\b", "blue", -1),
    (r"\bwarm(er|s)?\b", "cct", -1),
    (r"\b(cool|cold)(er|s)?\b", "cct", 1),
    (r"\bbright(er|ens)?\b|\bmore light\b|\bboosts? light\b", "luminance", 1),
    (r"\bdim(mer|s)?\b|\bsaves? (power|energy)\b", "luminance", -1),
    (r"\b(lift|open|brighten)s? (the )?(shadows?|dark)\b|\bsee(ing)? in (the )?dark\b", "shadows", 1),
    (r"\b(lift|raise|brighten)s? (the )?mid.?tones?\b", "mid-tones", 1),
    (r"\b(deeper|darker) (blacks?|shadows?)\b", "shadows", -1),
    (r"\bmore (colou?r|saturated|saturation|vivid)\b|\bvivid\b", "saturation", 1),
    (r"\b(less|paler) (colou?r|saturated|saturation)\b", "saturation", -1),
)
"""What a promise speaks of: in the menu's words, which effect, and which way it is to go."""


def promised(text: str) -> tuple[str, int] | None:
    """The effect that a promise is about and its direction; None where it is about nothing that is measured here."""
    for pattern, key, way in PROMISES:
        if re.search(pattern, text, re.IGNORECASE):
            return key, way
    return None


def judged(promise: str, found: Sequence[Effect]) -> Kept:
    """Whether a promise is kept by the effects of going from less to more of a control."""
    about = promised(promise)
    if about is None:
        return "not told"
    key, way = about
    if key == "cct":
        # A warmer white has less of the short waves.
        key = "blue"
    effect = next(e for e in found if e.key == key)
    if not effect.there:
        return "not kept"
    return "kept" if effect.amount * way > 0 else "the opposite"


@dataclass(frozen=True)
class WhatItDoes:
    """A control's values, each read with the short set, between two readings of where it stands."""

    control: Control
    mode: str
    stands: Value
    noise: Noise
    signal: Signal = "sdr"

    @property
    def values(self) -> list[Value]:
        """The values that are tried."""
        return few_values(self.control, self.stands)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """As it stands, each value, as it stands once more."""
        name, patches = name_of(self.control.path), short_set(self.signal)
        first = Stage(f"{name} {text_of(self.stands)}, as it stands", (Act("mode", "", self.mode),), patches)
        tried = [Stage(f"{name} {text_of(v)}", (Act("set", self.control.path, v),), patches) for v in self.values]
        return (first, *tried, Stage(f"{name} {text_of(self.stands)} once more", self.back, patches))

    @property
    def back(self) -> tuple[Act, ...]:
        """The control to where it stood."""
        return (Act("set", self.control.path, self.stands),)

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Each value's effects, and what became of the promise."""
        base, closing = reads[0].XYZ, reads[-1].XYZ
        drift = drift_of(base, closing)
        name, path = name_of(self.control.path), self.control.path
        rows: list[tuple[str | float | None, ...]] = []
        pq = self.signal == "pq"
        if pq:
            rows.append((f"{text_of(self.stands)}, as it stands", "", pq_error(base)))
        every: list[tuple[Value, list[Effect]]] = []
        for value, read in zip(self.values, reads[1:-1], strict=True):
            if path in read.refused:
                rows.append((text_of(value), f"refused: {read.refused[path]}", *([None] if pq else [])))
                continue
            found = effects(base, read.XYZ, self.noise, drift)
            every.append((value, found))
            rows.append((text_of(value), in_words(found), *([pq_error(read.XYZ)] if pq else [])))
        active = [(v, f) for v, f in every if any(e.there for e in f)]
        if not every:
            sentence = f"{name} could not be set in {self.mode}."
        elif not active:
            sentence = f"{name} does nothing measurable in {self.mode}."
        else:
            value, found = max(active, key=lambda x: sum(abs(e.amount) / max(e.u, 1e-6) for e in x[1] if e.there))
            sentence = f"{name} at {text_of(value)} {in_words(found)} in {self.mode}, against {text_of(self.stands)}."
        kept = self._kept(every)
        if kept:
            sentence += f" {kept}"
        heads = (name, "What it does", *(["PQ error, % of code rms"] if pq else []))
        if pq and every:
            sentence += f" {self._followed(base, reads)}"
        return Conclusion(sentence, heads, tuple(rows), {path: sentence})

    def _followed(self, base: Array, reads: Sequence[StageRead]) -> str:
        """At which value the curve of PQ is followed best."""
        errors = {text_of(self.stands): pq_error(base)}
        for value, read in zip(self.values, reads[1:-1], strict=True):
            if self.control.path not in read.refused:
                errors[text_of(value)] = pq_error(read.XYZ)
        best = min(errors, key=lambda v: errors[v])
        return f"PQ is followed best at {best}: {errors[best]:.1f} % of code rms."

    def _kept(self, every: Sequence[tuple[Value, list[Effect]]]) -> str:
        """What became of the promise, value by value."""
        promise = self.control.promise
        if not promise or not every:
            return ""
        if promised(promise) is None:
            return f"It promises “{promise}”, which these readings cannot tell."
        at: dict[Kept, list[str]] = {}
        for value, found in every:
            at.setdefault(judged(promise, self._more(value, found)), []).append(text_of(value))
        if len(at) == 1:
            return f"It promises “{promise}”: {SAID[next(iter(at))]}."
        parts = [f"{SAID[k]} at {', '.join(at[k])}" for k in SAID if k in at]
        return f"It promises “{promise}”: {'; '.join(parts)}."

    def _more(self, value: Value, found: Sequence[Effect]) -> list[Effect]:
        """Effects of going to more of the control. A switch promises something for being on, a number for more of it."""
        less = (
            float(value) < float(self.stands)
            if self.control.numeric
            else self.control.kind == "switch" and value == "off"
        )
        sign = -1 if less else 1
        return [Effect(e.key, sign * e.amount, e.unit, e.u, e.words, e.there) for e in found]
