"""The recipe for a purpose: the setup that scores best, its settings in an order in which none undoes another, luminance by the
room, what else one may like, and what a person wrote to it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from lumenar.core.analysis import Analysis, value_of
from lumenar.core.measurements import EXPECTED, Figure, brightness_ladder, gamut, grey_ramp, white_black
from lumenar.core.measurements import greys as greys_of
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.menu.menu import Menu
from lumenar.core.menu.roles import sets_white
from lumenar.core.numbers import kelvin, mid_sentence
from lumenar.core.recipes.luminance import ROOMS, RoomSetting, room_settings
from lumenar.core.recipes.steps import OrderedStep, SettingNote, annotated, ordered_steps
from lumenar.core.scoring.score import LEAST_POINTS, Score, measurably_better, rank, tied, worth_it
from lumenar.core.signals import Signal

LADDER = brightness_ladder.MEASUREMENT.key
SAME_COVERAGE = 0.005
WIDER_PERCENT, WARMER_K, BRIGHTER = 8.0, 500.0, 1.25
"""From such differences on another setup is named for a taste: coverage of P3 in points, colour temperature, luminance."""


@dataclass(frozen=True)
class Taste:
    """Something that a person may want more of than a purpose asks for: a figure, and from which difference on it counts."""

    title: str
    figure: Figure

    def met(self, value: float, own: float) -> bool:
        """Whether a setup's value is enough of it beside the chosen one's own."""
        if self.figure is white_black.CCT:
            return value <= own - WARMER_K
        return value >= (own + WIDER_PERCENT if self.figure is gamut.OF_P3 else own * BRIGHTER)

    def written(self, value: float) -> str:
        """A value with its unit."""
        if self.figure is white_black.CCT:
            return kelvin(value)
        return f"{value:.0f} % of P3" if self.figure is gamut.OF_P3 else f"{value:.0f} cd/m²"


TASTES = (
    Taste("For a wider gamut", gamut.OF_P3),
    Taste("For a warmer white", white_black.CCT),
    Taste("For more light", white_black.LUMINANCE),
)
REPLAYED = "Replayed from a factory reset"
"""How what is said of a replay begins where it went through with the present firmware."""
REPLAY_FAILED = "Its replay failed"
"""How it begins where it did not: a step could not be entered, or the figures are not those that were promised."""
NO_PURPOSES: Mapping[str, float] = {}


@dataclass(frozen=True)
class Candidate:
    """One setup that a recipe may choose. changes: values that differ from how its mode ships; shipped: there are none."""

    key: str
    name: str
    mode: str
    signal: Signal
    shipped: bool
    changes: Mapping[str, Value]
    score: Score
    analyses: Mapping[str, Analysis]

    def value(self, figure: Figure) -> float | None:
        """A figure of it, None where it was not measured."""
        return value_of(self.analyses, figure)


@dataclass(frozen=True)
class Evidence:
    """A figure that a recipe rests on or promises: "measurement.key" of a setup, and its value."""

    setup: str
    figure: str
    value: float


@dataclass(frozen=True)
class ObservedBehaviour:
    """What an experiment or a photo showed: of what, a sentence each, and how it was come by."""

    title: str
    lines: tuple[str, ...]
    how: str


@dataclass(frozen=True)
class Advice:
    """What is known of setups beyond readings, by key: notes of a person; what became of the last replay, in a sentence; and by
    path why a value is so. seen: what the display does by itself, as far as it was tried."""

    notes: Mapping[str, Sequence[SettingNote]]
    replays: Mapping[str, str]
    reasons: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    seen: Sequence[ObservedBehaviour] = ()


@dataclass(frozen=True)
class Recipe:
    """Settings for one purpose. by_room: values of the luminance control by room and purpose; alternatives: what else one may
    like; text: what a person wrote; expected: figures after it; shares: which steps are those of a recipe before it."""

    purpose: str
    setup: str
    name: str
    mode: str
    steps: tuple[OrderedStep, ...]
    luminance: str
    by_room: tuple[RoomSetting, ...]
    alternatives: tuple[str, ...]
    text: tuple[str, ...]
    expected: tuple[Evidence, ...]
    caveats: tuple[str, ...]
    replayed: bool = False
    replay_failed: bool = False
    shares: str = ""


def recommend(
    purpose: str,
    title: str,
    candidates: Sequence[Candidate],
    menu: Menu,
    advice: Advice,
    samples: int = 1,
    firmware: str = "",
    luminance: float | None = None,
) -> Recipe | None:
    """A recipe for one purpose; None while no candidate has a score or none can be entered. samples: how many were measured far
    enough for one; firmware: of the sample that the candidates are of; luminance: of white in cd/m2 that the purpose asks for."""
    scored = sorted((c for c in candidates if c.score.value is not None), key=lambda c: -rank(c.score))
    scored = [c for c in scored if _enterable(menu, c)]
    if not scored:
        return None
    best = scored[0]
    shipped = next((c for c in scored if c.shipped), None)
    # What ships and is as good is less trouble; where one was measured less far, that is not known.
    left_alone = shipped is not None and not best.shipped and _as_good(best, shipped)
    chosen = shipped if left_alone and shipped is not None else best
    mode = menu.mode(chosen.mode, chosen.signal)
    steps = ordered_steps(
        menu, mode, chosen.changes, advice.reasons.get(chosen.key, {}), _mode_why(chosen, scored, title)
    )
    steps = [_with_reason(s, chosen, scored, menu) for s in steps]
    notes = advice.notes.get(chosen.key, ())
    control = menu.luminance_control
    by_room = luminance_by_room(chosen, candidates, menu, NO_PURPOSES if luminance is None else {title: luminance})
    return Recipe(
        purpose=purpose,
        setup=chosen.key,
        name=chosen.name,
        mode=chosen.mode,
        steps=tuple(annotated(steps, notes, firmware)),
        luminance=control.path if control else "",
        by_room=by_room,
        alternatives=tuple(_alternatives(chosen, scored)),
        text=tuple(n.words for n in notes if n.kind == "say"),
        expected=_expected(chosen),
        caveats=tuple(_caveats(chosen, best if left_alone else None, advice, samples)),
        replayed=advice.replays.get(chosen.key, "").startswith(REPLAYED),
        replay_failed=advice.replays.get(chosen.key, "").startswith(REPLAY_FAILED),
    )


def _as_good(one: Candidate, two: Candidate) -> bool:
    """Whether of two setups that were measured equally far the first is not worth the trouble."""
    same = abs(one.score.coverage - two.score.coverage) < SAME_COVERAGE
    return same and not worth_it(one.score, two.score)


def _enterable(menu: Menu, c: Candidate) -> bool:
    try:
        menu.order(menu.mode(c.mode, c.signal), c.changes)
    except MenuError:
        return False
    return True


def _mode_why(best: Candidate, scored: Sequence[Candidate], title: str) -> str:
    value = best.score.value or 0.0
    why = f"Scores {value:.0f} for {mid_sentence(title)}"
    others = [c for c in scored if c is not best]
    if others:
        values = [c.score.value or 0.0 for c in others]
        span = f"{min(values):.0f} to {max(values):.0f}" if len(values) > 1 else f"{values[0]:.0f}"
        why += f", the other {'setups' if len(values) > 1 else 'setup'} {span}"
        same = [c.name for c in others if tied(best.score, c.score)]
        if same:
            why += f"; a tie with {', '.join(same[:3])} within the uncertainty"
    if not best.shipped:
        own = next((c for c in others if c.shipped and c.mode == best.mode and c.signal == best.signal), None)
        if own is not None:
            why += f"; as shipped this mode scores {own.score.value:.0f}"
    mean = best.value(grey_ramp.MEAN)
    if mean is not None:
        why += f"; grey is off its target by dE {mean:.1f} on average"
    return f"{why}."


def _with_reason(step: OrderedStep, best: Candidate, scored: Sequence[Candidate], menu: Menu) -> OrderedStep:
    """A step with the plate that it rests on; of what is left of white, why."""
    if step.path == menu.mode_path:
        greys = greys_of(best.signal).key
        return OrderedStep(
            step.kind, step.path, step.value, step.why, step.scope, greys if greys in best.analyses else ""
        )
    control = menu.by_path.get(step.path.split(" / ")[0])
    if step.kind != "leave" or control is None or not sets_white(control.role):
        return step
    if control.path in menu.mode(best.mode, best.signal).locks:
        return step
    error, cct = best.value(white_black.WHITE_ERROR), best.value(white_black.CCT)
    if error is None or cct is None:
        return step
    tuned = [c for c in scored if not c.shipped and c.mode == best.mode]
    if not best.shipped:
        then = "it was left where it is"
    elif same := [c for c in tuned if abs(c.score.coverage - best.score.coverage) < SAME_COVERAGE]:
        little = any(measurably_better(c.score, best.score) for c in same)
        then = f"tuned, it is {f'better by less than {LEAST_POINTS:g} point' if little else 'not measurably better'}"
    elif tuned:
        then = f"{tuned[0].name} may be better, but is not measured as far"
    else:
        then = "tuning it has not been tried"
    said = f"White is {kelvin(cct)}, off by dE {error:.1f}; {then}."
    return OrderedStep(step.kind, step.path, step.value, said, step.scope, white_black.MEASUREMENT.key)


def luminance_by_room(
    chosen: Candidate, candidates: Sequence[Candidate], menu: Menu, purposes: Mapping[str, float] = NO_PURPOSES
) -> tuple[RoomSetting, ...]:
    """Values of the luminance control for usual rooms and for purposes (title, luminance of white in cd/m2).

    Uses the ladder of this setup. Without one, uses the ladder of another setup of the same mode, scaled to this setup's white.
    Empty if no ladder was measured or the control isn't known.
    """
    control = menu.luminance_control
    if control is None:
        return ()
    own = chosen.analyses.get(LADDER)
    scale = 1.0
    if own is None:
        mode = menu.mode(chosen.mode, chosen.signal)
        stands = chosen.changes.get(control.path, menu.defaults(mode).get(control.path))
        white = chosen.value(white_black.LUMINANCE)
        other = next(
            (c for c in candidates if (c.mode, c.signal) == (chosen.mode, chosen.signal) and LADDER in c.analyses), None
        )
        if other is None or white is None or not isinstance(stands, int | float):
            return ()
        own = other.analyses[LADDER]
        scale = white / float(np.interp(stands, own.figures["settings"], own.figures["white_cd_m2"]))
    wanted: dict[float, tuple[str, ...]] = {L: (name,) for L, name in ROOMS.items()}
    for title, L in purposes.items():
        wanted[float(L)] = (*wanted.get(float(L), ()), title)
    return room_settings(control, own.figures["settings"], own.figures["white_cd_m2"] * scale, wanted)


def _alternatives(chosen: Candidate, scored: Sequence[Candidate]) -> list[str]:
    """Setups that one may like better: with a wider gamut, a warmer white, more light. Each with what it scores."""
    found = []
    for taste in TASTES:
        own = chosen.value(taste.figure)
        for c in scored:
            value = c.value(taste.figure)
            if own is None or value is None or c is chosen or not taste.met(value, own):
                continue
            found.append(f"{taste.title}: {c.name}, {taste.written(value)}; it scores {c.score.value:.0f}.")
            break
    return found


def _expected(best: Candidate) -> tuple[Evidence, ...]:
    found = [(f.name, best.value(f)) for f in EXPECTED]
    return tuple(Evidence(best.key, figure, value) for figure, value in found if value is not None)


def _caveats(chosen: Candidate, passed_over: Candidate | None, advice: Advice, samples: int) -> list[str]:
    number = "one sample" if samples == 1 else f"{samples} samples, these settings on the first of them"
    said = [f"Measured on {number}; another sample of this model will differ."]
    if passed_over is not None:
        better = "not measurably better"
        if measurably_better(passed_over.score, chosen.score):
            better = f"better by less than {LEAST_POINTS:g} point"
        said.append(f"{passed_over.name} was tried too and is {better}: leave it alone.")
    said.append(
        advice.replays.get(
            chosen.key, "Not replayed yet: nobody has entered this from a factory reset and measured what it gives."
        )
    )
    return said
