"""One or two controls notch by notch, ranked by a figure."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lumenar.core.experiments.base import Act, Conclusion, Stage, StageRead, name_of
from lumenar.core.experiments.visible_effects import PQ_GREYS, pq_error, short_set
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import Target
from lumenar.core.tuning.base import Attempt, Noise, white_error
from lumenar.core.tuning.sweep import Sweep
from lumenar.core.tuning.tone import GREYS, Tone

By = Literal["white", "curve", "luminance", "blue", "pq"]
TITLES: dict[str, tuple[str, str]] = {
    "white": ("Error of white and greys", "dE"),
    "curve": ("Curve's error", "L*"),
    "luminance": ("Luminance", "cd/m²"),
    "blue": ("Blue share of white", "%"),
    "pq": ("PQ error", "% of code rms"),
}
FOR: Mapping[str, tuple[By, ...]] = {
    "sdr": ("white", "curve", "luminance", "blue"),
    "pq": ("pq", "white", "luminance"),
    "hlg": (),
}
"""What can be ranked by, by signal."""
PQ_RAMP = short_set("pq")[: len(PQ_GREYS)]
WHITE = Patch((1.0, 1.0, 1.0))
NEUTRALS = (WHITE, Patch((0.85, 0.85, 0.85)), Patch((0.5, 0.5, 0.5)))
"""White is judged with the greys below it: a control past the end of a channel leaves white and tints these."""
MOST_STAGES = 150


@dataclass(frozen=True)
class NotchByNotch:
    """Every combination of the controls' values. by: the figure, of which less is better, but of luminance more."""

    controls: tuple[Control, ...]
    mode: str
    state: Mapping[str, Value]
    target: Target
    by: By
    noise: Noise

    @property
    def _sweep(self) -> Sweep:
        judge, u = self._judge()
        patches = {"curve": GREYS, "pq": PQ_RAMP, "white": NEUTRALS}.get(self.by, (WHITE,))
        return Sweep(self.controls, patches, judge, u, {c.path: self.state[c.path] for c in self.controls})

    def _judge(self) -> tuple[Callable[[Attempt], float], float]:
        """A figure of an attempt, smaller being better, and its standard deviation."""
        r = self.noise.repeatability
        if self.by == "curve":
            # Per mille of light are tenths of L*.
            return Tone(self.controls, self.target, self.state, self.noise).figure, 40 * r
        if self.by == "pq":
            # A per cent of light is a quarter of a per cent of code at the most.
            return lambda a: pq_error(a.XYZ), 25 * r
        if self.by == "white":
            return self._off_white, 100 * r
        if self.by == "blue":
            return lambda a: float(100 * a.of(WHITE)[2] / a.of(WHITE).sum()), 50 * r
        # In per cent of each other, as noise is.
        return lambda a: -100 * float(np.log(a.of(WHITE)[1])), 100 * r

    def _off_white(self, attempt: Attempt) -> float:
        """Mean dE2000 of the colour of white and greys, of those that were read."""
        errors = [float(white_error(attempt.of(p), self.target)) for p in NEUTRALS]
        known = [e for e in errors if np.isfinite(e)]
        return float(np.mean(known)) if known else float("nan")

    def _shown(self, figure: float) -> float | None:
        """A figure as people read it."""
        if np.isnan(figure):
            return None
        return round(float(np.exp(-figure / 100)) if self.by == "luminance" else figure, 2)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """One for each combination."""
        sweep = self._sweep
        made = []
        for n, values in enumerate(sweep.tried()):
            acts = tuple(Act("set", p, v) for p, v in values.items())
            title = ", ".join(f"{name_of(p)} {text_of(v)}" for p, v in values.items())
            made.append(Stage(title, (Act("mode", "", self.mode), *acts) if n == 0 else acts, sweep.patches))
        return tuple(made)

    @property
    def back(self) -> tuple[Act, ...]:
        """The controls to where they stood."""
        return tuple(Act("set", c.path, self.state[c.path]) for c in self.controls)

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """All combinations by their figure, the best first; what noise cannot tell apart shares a place."""
        sweep = self._sweep
        attempts = [
            # Runs of before greys were read with white have fewer readings.
            Attempt(stage="sweep", values=values, patches=sweep.patches[: len(r.XYZ)], XYZ=r.XYZ)
            for values, r in zip(sweep.tried(), reads, strict=True)
            if not r.refused
        ]
        title, unit = TITLES[self.by]
        if not attempts:
            return Conclusion("None of the values could be set.")
        ranked = sweep.ranking(attempts)
        rows = tuple(
            (float(r.place), *(text_of(r.values[c.path]) for c in self.controls), self._shown(r.figure)) for r in ranked
        )
        first = [r for r in ranked if r.place == 1]
        # Of values that can't be told apart the one that is set is the least trouble.
        kept = next((r for r in first if all(r.values[c.path] == self.state[c.path] for c in self.controls)), None)
        chosen = kept or first[0]
        best = ", ".join(f"{name_of(p)} {text_of(v)}" for p, v in chosen.values.items())
        ties = f" {len(first) - 1} more cannot be told from it." if len(first) > 1 else ""
        what = "most" if self.by == "luminance" else "least"
        set_now = ", as it is set" if kept is not None else ""
        said = f"{title} is {what} at {best}{set_now}: {self._shown(chosen.figure)} {unit} in {self.mode}.{ties}"
        heads = ("Place", *(name_of(c.path) for c in self.controls), f"{title}, {unit}")
        return Conclusion(said, heads, rows, {c.path: said for c in self.controls})
