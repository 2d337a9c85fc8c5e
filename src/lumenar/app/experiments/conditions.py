"""Behaviour under conditions: what is asked of a setup, and what an experiment shows, state by state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lumenar.app.displays.settable_controls import free
from lumenar.app.errors import BadInputError
from lumenar.core.experiments.base import name_of
from lumenar.core.experiments.condition_results import Key
from lumenar.core.experiments.conditions import LEAST_BASELINES, Conditions, Factor, LightState, states_of
from lumenar.core.experiments.patch_sets import FEW, WHOLE
from lumenar.core.experiments.promises import Promise, said_of
from lumenar.core.experiments.significance import least_told
from lumenar.core.menu.controls import MenuError, Value, text_of
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.tuning.base import Noise

MOST_FACTORS, MOST_LEVELS, MOST_LIGHTS, MOST_BASELINES, MOST_STATES = 4, 5, 6, 24, 150
WANTED_PERCENT = 1.4
"""So small a change of white is to be found, where the number of baselines is not asked for."""
FEW_BASELINES = 4
"""What a person types in minutes: with fewer no drift would be told from noise."""


@dataclass(frozen=True)
class LightAsked:
    """A light state: what it is called, and lux at the sensor where they were measured."""

    label: str
    lux: float | None = None


@dataclass(frozen=True)
class FactorAsked:
    """A control and the values that are tried beside where it stands; promise: what is said of it."""

    path: str
    values: Sequence[str]
    promise: str = ""


@dataclass(frozen=True, kw_only=True)
class ConditionsAsked:
    """What is tried in which light. together: all combinations rather than each control alone; chosen: the states that are read
    instead, each the light's place and then each control's, 0 where it stands and from 1 the values that are tried; baselines:
    how often the baseline is read, 0 for as often as a change of white of about 1 % needs; few: white, three greys and red are
    read of each state rather than 22 patches."""

    lights: Sequence[LightAsked] = field(default=())
    factors: Sequence[FactorAsked] = field(default=())
    together: bool = True
    baselines: int = 0
    seed: int = 1
    few: bool = False
    chosen: Sequence[Sequence[int]] = field(default=())


def asked(
    menu: Menu, mode: Mode, state: Mapping[str, Value], q: ConditionsAsked, own_lights: bool, noise: Noise
) -> dict[str, Any]:
    """What is stored of a question beside what all have. BadInputError with the place of what makes no sense."""
    lights = _lights(q.lights, own_lights)
    if len(q.factors) > MOST_FACTORS:
        raise BadInputError("question", f"At most {MOST_FACTORS} controls are tried at once.", "factors")
    factors = [_factor(menu, mode, state, f, i) for i, f in enumerate(q.factors)]
    if len({f["path"] for f in factors}) < len(factors):
        raise BadInputError("question", "A control was named twice.", "factors")
    if not factors and len(lights) < 2:
        raise BadInputError("question", "Add a feature or a second room light.", "factors")
    if not (q.baselines == 0 or LEAST_BASELINES <= q.baselines <= MOST_BASELINES):
        said = f"The baseline is read {LEAST_BASELINES} to {MOST_BASELINES} times."
        raise BadInputError("question", said, "baselines")
    question: dict[str, Any] = {
        "lights": lights,
        "factors": factors,
        "together": q.together,
        "seed": q.seed,
        "few": q.few,
        "tried": [f["path"] for f in factors],
        "promises": [{"path": f.path, "text": t} for f in q.factors for t in said_of(f.promise)],
    }
    if q.chosen:
        question["chosen"] = _chosen(question, q.chosen)
    count = len(_keys(question))
    if count > MOST_STATES:
        raise BadInputError(
            "question",
            f"That is {count} states; at most {MOST_STATES} are tried. Leave a value or a light out.",
            "factors",
        )
    question["baselines"] = q.baselines or (FEW_BASELINES if q.few else _enough(noise, count))
    return question


def _chosen(question: Mapping[str, Any], chosen: Sequence[Sequence[int]]) -> list[list[int]]:
    every = set(states_of(*_tried(question)))
    keys = list(dict.fromkeys(tuple(k) for k in chosen))
    if odd := next((k for k in keys if k not in every), None):
        raise BadInputError(
            "question",
            f"There is no state {list(odd)}: each has a light and a value of every control, and is not the baseline.",
            "chosen",
        )
    return [list(k) for k in keys]


def _lights(asked: Sequence[LightAsked], own_lights: bool) -> list[dict[str, Any]]:
    lights = [LightAsked(x.label.strip(), x.lux) for x in asked] or [LightAsked("dark", 0.0)]
    if len(lights) > MOST_LIGHTS:
        raise BadInputError("question", f"At most {MOST_LIGHTS} lights are tried.", "lights")
    for i, light in enumerate(lights):
        if not light.label:
            raise BadInputError("question", "Say what the light is, such as “dark” or “torch, 30 cm”.", f"lights.{i}")
        if light.label.lower() in [x.label.lower() for x in lights[:i]]:
            raise BadInputError("question", f"There are two lights called {light.label}.", f"lights.{i}")
        if own_lights and light.lux is None:
            said = f"The simulated room lights need a value in lux. Enter it for {light.label}."
            raise BadInputError("question", said, f"lights.{i}")
    return [{"label": x.label, "lux": x.lux} for x in lights]


def _factor(menu: Menu, mode: Mode, state: Mapping[str, Value], f: FactorAsked, i: int) -> dict[str, Any]:
    place = f"factors.{i}"
    control, levels = free(menu, mode, state, f.path, place), [state[f.path]]
    for text in f.values:
        try:
            value: Value = float(text.strip().replace(",", ".")) if control.numeric else text.strip()
            control.check(value)
        except MenuError as e:
            raise BadInputError("value", f"{e}.", place) from e
        except ValueError as e:
            raise BadInputError("value", f"{f.path} takes a number, not {text!r}.", place) from e
        if value not in levels:
            levels.append(value)
    if len(levels) < 2:
        said = f"Choose a value of {name_of(f.path)} other than {text_of(levels[0])}, where it stands."
        raise BadInputError("question", said, place)
    if len(levels) > MOST_LEVELS:
        raise BadInputError("question", f"At most {MOST_LEVELS - 1} values of a control are tried.", place)
    return {"path": f.path, "levels": levels}


def _enough(noise: Noise, states: int) -> int:
    """How often the baseline has to be read so that a change of white that counts is found over so many states."""
    tests = states * len(WHOLE.figures)
    return next((n for n in range(LEAST_BASELINES, 13) if least_told(noise, n, tests) <= WANTED_PERCENT), 12)


def _tried(q: Mapping[str, Any]) -> tuple[tuple[LightState, ...], tuple[Factor, ...]]:
    return (
        tuple(LightState(x["label"], x["lux"]) for x in q["lights"]),
        tuple(Factor(f["path"], tuple(f["levels"])) for f in q["factors"]),
    )


def _keys(q: Mapping[str, Any]) -> tuple[Key, ...]:
    """The states that are read: those that were chosen, all combinations, or each control alone in each light."""
    every = states_of(*_tried(q))
    if chosen := q.get("chosen"):
        wanted = {tuple(k) for k in chosen}
        return tuple(k for k in every if k in wanted)
    return tuple(k for k in every if q["together"] or sum(map(bool, k[1:])) <= 1)


def made_of(q: Mapping[str, Any], noise: Noise) -> Conditions:
    """The experiment that a stored question stands for."""
    promises = tuple(Promise(p["path"], p["text"]) for p in q["promises"])
    lights, factors = _tried(q)
    return Conditions(
        mode=q["mode"],
        signal=q["signal"],
        state=q["state"],
        lights=lights,
        factors=factors,
        noise=noise,
        baselines=int(q["baselines"]),
        seed=q["seed"],
        chosen=_keys(q),
        promises=promises,
        look=FEW if q.get("few") else WHOLE,
    )


def title_of(q: Mapping[str, Any]) -> str:
    """A question as a person asks it."""
    names = [name_of(p) for p in q["tried"]]
    lights = q["lights"]
    where = f"in {len(lights)} lights" if len(lights) > 1 else f"in one light ({lights[0]['label']})"
    return (
        f"{' and '.join(filter(None, (', '.join(names[:-1]), names[-1])))} {where}"
        if names
        else f"{where[3:]}".capitalize()
    )


def notes_of(x: Conditions) -> list[str]:
    """What a person is to know beforehand."""
    many, based = len(x.keys), sum(s.kind == "baseline" for s in x.steps)
    notes = [f"{many} state{'s' if many > 1 else ''}, and the baseline {based} times among them."]
    if x.look is not WHOLE:
        notes.append(f"Only {x.look.in_words} are read, so you learn nothing about black and other colours.")
    if len(x.lights) > 1:
        changes = x.changes_of_light
        notes.append(f"The light is changed {changes} times; it begins and ends with {x.lights[0].words}.")
    told = least_told(x.noise, x.baselines, len(x.keys) * len(x.look.figures))
    notes.append(f"A change of white of {told:.{1 if told < 10 else 0}f} % or more is found, smaller ones maybe.")
    return notes
