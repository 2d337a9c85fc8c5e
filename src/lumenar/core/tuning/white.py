"""White by the gains at the bright end and the offsets at the dark end, then both once more."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from lumenar.core.menu.controls import Value
from lumenar.core.readings.patches import Patch
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
)
from lumenar.core.tuning.channels import Channel
from lumenar.core.tuning.stage import DARK, ChannelStage

NEAR_WHITE = Patch((0.85, 0.85, 0.85))
"""A grey that a gain still moves where white itself has come to the end of a channel."""
CHECK, CHECK_START, HELD = "check", "check start", "gains held"
"""Attempts that look at greys: of what was found, of where it began, and of gains that are not raised above that."""
BENT, BENT_BY_NOISE = 1.0, 250.0
"""dE2000 by which a grey may be farther off than white, or than at the start, before gains are said to have gone past their stop;
more by so many times the meter's repeatability."""


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

    @property
    def _margin(self) -> float:
        return max(BENT, BENT_BY_NOISE * self.noise.repeatability)

    def propose(self, attempts: Sequence[Attempt]) -> Proposal | Done:
        """Stage after stage; Done with the best values of each."""
        values, reasons, unreached = dict(self.values), {}, {}
        for stage in self.stages():
            at = self._stage(stage, values, attempts)
            moved = [c.control for c in (*self.gains, *self.offsets)]
            seen = at.attempts if at.first is None else (at.first, *at.attempts)
            following = remembered(
                kind=stage,
                controls=moved,
                target=self.target,
                noise=self.noise,
                values=values,
                attempts=seen,
                make=at.propose,
                more=at.earlier,
            )
            if isinstance(following, Proposal):
                return following
            values.update(following.values)
            # How the end came out that was moved once more counts.
            kind = stage.split()[0]
            reasons[kind], unreached[kind] = following.reason, following.unreached
        found = Done(values, " ".join(reasons.values()) or "There is nothing to move.", any(unreached.values()))
        raised = any(float(values[c.control.path]) > float(self.values[c.control.path]) for c in self.gains)
        return self._checked(found, attempts) if raised else found

    def _checked(self, found: Done, attempts: Sequence[Attempt]) -> Proposal | Done:
        """What was found, if greys just below white follow it; white alone does not show a gain that was raised past the end of
        its channel. Otherwise the best without raising any gain, and if greys do not follow that either, what it began with."""
        bent = self._bent(found.values, attempts, "Greys below white: whether they follow it.")
        if isinstance(bent, Proposal) or not bent:
            return bent if isinstance(bent, Proposal) else found
        start, held = dict(self.values), []
        for c in self.gains:
            top = float(start[c.control.path])
            if top > c.control.minimum:
                held.append(Channel(replace(c.control, maximum=top), c.channel))
        first = next((a for a in attempts if set(PRIMARIES) <= set(a.patches)), None)
        own = tuple(a for a in attempts if a.stage == HELD)
        values = {**found.values, **{c.control.path: start[c.control.path] for c in self.gains}}
        following = ChannelStage(
            name=HELD,
            target=self.target,
            noise=self.noise,
            channels=tuple(held),
            values=values,
            first=first,
            attempts=own,
        ).propose()
        if isinstance(following, Proposal):
            return following
        values |= following.values
        again = self._bent(values, attempts, "Greys below white with gains that are only lowered.")
        if isinstance(again, Proposal):
            return again
        if not again:
            said = f"Raised gains tint the greys, so none is raised. {following.reason}"
            return Done(values, said, following.unreached)
        return Done(start, "Gains that make white better tint the greys below it, so they stay as they were.", True)

    def _bent(self, values: Mapping[str, Value], attempts: Sequence[Attempt], why: str) -> Proposal | bool:
        """Whether greys below white are worse than white and than at the start with some values; what is to be read for that
        first."""
        patches = (WHITE, NEAR_WHITE)
        read = _at(values, [a for a in attempts if a.stage == CHECK])
        if read is None:
            return Proposal(CHECK, dict(values), patches, why)
        white, grey = (float(white_error(read.of(p), self.target)) for p in patches)
        if not grey > white + self._margin:
            return False
        began = _at(self.values, [a for a in attempts if a.stage == CHECK_START])
        if began is None:
            return Proposal(CHECK_START, dict(self.values), patches, "Greys below white as they were at the start.")
        return grey > float(white_error(began.of(NEAR_WHITE), self.target)) + self._margin

    def _stage(self, stage: str, values: Mapping[str, Value], attempts: Sequence[Attempt]) -> ChannelStage:
        kind = stage.split()[0]
        first = next((a for a in attempts if set(PRIMARIES) <= set(a.patches)), None)
        earlier = [a for a in attempts if a.stage == kind] if stage != kind else []
        own = [a for a in attempts if a.stage == stage]
        channels = self.gains if kind == "gains" else self.offsets
        return ChannelStage(
            name=stage,
            target=self.target,
            noise=self.noise,
            channels=channels,
            values=values,
            first=first,
            attempts=(*earlier, *own),
            earlier=len(earlier),
        )

    def suspect(self, attempts: Sequence[Attempt]) -> Suspicion | None:
        """One control that, had it stood elsewhere since it was entered, would explain what the slopes do not."""
        if not attempts or attempts[-1].stage not in self.stages():
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


def _at(values: Mapping[str, Value], attempts: Sequence[Attempt]) -> Attempt | None:
    """The last of some attempts with these values, as far as it read both patches."""
    return next((a for a in reversed(attempts) if all(a.values.get(p) == v for p, v in values.items())), None)
