"""White by the gains at the bright end and the offsets at the dark end, then both once more."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenar.core.menu import Value
from lumenar.core.targets import Target
from lumenar.core.tuning.base import (
    PRIMARIES,
    USUAL,
    WHITE,
    Attempt,
    Done,
    Noise,
    Proposal,
    Suspicion,
    remembered,
    white_error,
)  # fmt: skip
from lumenar.core.tuning.channels import Channel
from lumenar.core.tuning.stage import DARK, Stage


@dataclass(frozen=True)
class TwoPoints:
    """Greys are to have the target's white. gains, offsets: the controls that may be moved; values: where all of them stand."""

    gains: tuple[Channel, ...]
    offsets: tuple[Channel, ...]
    target: Target
    values: Mapping[str, Value]
    noise: Noise = USUAL

    def stages(self) -> tuple[str, ...]:
        """What follows what."""
        bright = ("gains",) if self.gains else ()
        dark = ("offsets",) if self.offsets else ()
        again = ("gains again", "offsets again") if self.gains and self.offsets else ()
        return (*bright, *dark, *again)

    def figure(self, attempt: Attempt) -> float:
        """dE2000 of the grey that its stage looks at, of colour alone."""
        grey = DARK if attempt.stage.startswith("offsets") else WHITE
        return float(white_error(attempt.of(grey), self.target))

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """Stage after stage; Done with the best values of each."""
        values, reasons, unreached = dict(self.values), {}, {}
        for stage in self.stages():
            at = self._stage(stage, values, attempts)
            moved = [c.control for c in (*self.gains, *self.offsets)]
            seen = at.attempts if at.first is None else (at.first, *at.attempts)
            following = remembered(stage, moved, self.target, self.noise, values, seen, at.propose, at.earlier)
            if isinstance(following, Proposal):
                return following
            values.update(following.values)
            # How the end came out that was moved once more counts.
            kind = stage.split()[0]
            reasons[kind], unreached[kind] = following.reason, following.unreached
        return Done(values, " ".join(reasons.values()) or "There is nothing to move.", any(unreached.values()))

    def _stage(self, stage: str, values: Mapping[str, Value], attempts: Sequence[Attempt]) -> Stage:
        kind = stage.split()[0]
        first = next((a for a in attempts if set(PRIMARIES) <= set(a.patches)), None)
        earlier = [a for a in attempts if a.stage == kind] if stage != kind else []
        own = [a for a in attempts if a.stage == stage]
        channels = self.gains if kind == "gains" else self.offsets
        return Stage(stage, self.target, self.noise, channels, values, first, (*earlier, *own), len(earlier))

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """One control that, had it stood elsewhere since it was entered, would explain what the slopes do not."""
        if not attempts:
            return None
        return self._stage(attempts[-1].stage, self.values, attempts).suspect(attempts)

    def doubts(self, attempts: Sequence[Attempt]) -> list[tuple[int, Suspicion]]:
        """Wrong entries that were noticed when they did not stand any more, each with the place of the first attempt it is in:
        nothing is taken from these but what they seem to have been."""
        found = []
        for stage in self.stages():
            at = self._stage(stage, self.values, attempts)
            for m in at.slips:
                path = at.channels[m.control].control.path
                first, entered = at.read[m.first], at.read[m.first].values[path]
                place = next(i for i, a in enumerate(attempts) if a is first)
                found.append((place, Suspicion(path, entered, at.seems(m), m.last - m.first + 1)))
        return list({(place, s.path): (place, s) for place, s in found}.values())
