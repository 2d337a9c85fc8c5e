"""Experiments under conditions as a person sees them: what can be tried, and what each state does against the baseline."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.displays.settable_controls import settable
from lumenar.app.errors import NotFoundError
from lumenar.app.experiments import experiments
from lumenar.app.experiments.experiments import OpenExperiment
from lumenar.app.figures import cells
from lumenar.app.runs.planning import settings_of
from lumenar.core.experiments import promises
from lumenar.core.experiments.base import few_values, name_of
from lumenar.core.experiments.condition_results import Explained, Key, StateResult
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.experiments.significance import TITLES, Test
from lumenar.core.measurements.charts import Axis, Chart, Series, Table, around, pairs
from lumenar.core.menu.controls import text_of


@dataclass(frozen=True)
class LightView:
    """A light state; words: with its lux."""

    label: str
    lux: float | None
    words: str


@dataclass(frozen=True)
class FactorChoice:
    """A control that can be tried: where it stands, values that make sense, and what the menu map says it promises."""

    path: str
    name: str
    stands: str
    values: list[str]
    every: list[str]
    promise: str


@dataclass(frozen=True)
class ConditionChoices:
    """What can be tried on a setup. lights: those that are usual and those that the review knows."""

    controls: list[FactorChoice]
    lights: list[LightView]
    own_lights: bool


@dataclass(frozen=True)
class FigureTitle:
    """A column."""

    key: str
    title: str
    unit: str
    spread: float


@dataclass(frozen=True, kw_only=True)
class EffectCell:
    """One figure of a state against the baseline, with its interval. size: none, slight, clear or strong; dE: how large it is
    whatever its unit; words: as a clause."""

    figure: str
    amount: float
    low: float
    high: float
    dE: float
    size: str
    words: str


@dataclass(frozen=True, kw_only=True)
class StateView:
    """A state. light: its number; levels: of each control; sentence: all that is measurable; tone: L* over the baseline's at each
    grey; left_out: why it was not read."""

    key: str
    light: int
    levels: list[int]
    words: str
    size: str
    sentence: str
    left_out: str
    cells: list[EffectCell]


@dataclass(frozen=True)
class FeatureView:
    """What a control at a value does alone, in which light."""

    path: str
    name: str
    value: str
    size: str
    sentence: str


@dataclass(frozen=True)
class PromiseView:
    """What is said of a control, and whether that is so."""

    path: str
    text: str
    kept: str
    why: str


@dataclass(frozen=True, kw_only=True)
class ConditionsView:
    """An experiment's states and what they show so far. tone: curves of the greys' L* over the baseline's, one a state in its
    order; advice: what is to be switched off, a sentence each; drift: what the
    baseline did by itself."""

    experiment: int
    lights: list[LightView]
    figures: list[FigureTitle]
    tone: Chart
    states: list[StateView]
    baselines: int
    features: list[FeatureView]
    together: list[str]
    promises: list[PromiseView]
    drift: list[str]
    advice: list[str]
    sentence: str


USUAL = ((0.0, "dark"), (50.0, "evening lamp"), (500.0, "daylight"))
"""Lights that are offered: lux and what they are called."""


def choices(app: Application, review_id: int, setup_id: int) -> ConditionChoices:
    """What can be tried on a setup."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    menu = shown.menu
    mode, state = menu.mode(setup.mode, setup.signal), settings_of(menu, setup)
    controls = []
    for c in settable(menu, mode, state):
        few = [text_of(v) for v in few_values(c, state[c.path], 3)][:4]
        every = [] if c.numeric else list(c.values)
        controls.append(FactorChoice(c.path, name_of(c.path), text_of(state[c.path]), few, every, c.promise or ""))
    # What is on or off is what does things by itself more often than not.
    controls.sort(key=lambda c: (not c.every, c.path.count(" > ") > 3))
    lights = [LightView(label, lux, f"{label} ({lux:g} lux)") for lux, label in USUAL]
    return ConditionChoices(controls, lights, shown.can.lights)


def view(app: Application, experiment_id: int) -> ConditionsView:
    """An experiment under conditions as far as it was read. NotFoundError where there is none of that kind."""
    x = experiments.opened(app, experiment_id)
    made = x.made
    if not isinstance(made, Conditions):
        raise NotFoundError("experiment", f"Experiment {experiment_id} is not about conditions.")
    e = experiments.explained(app, x, made)
    lights = [LightView(s.label, s.lux, s.words) for s in made.lights]
    figures = [
        FigureTitle(k, title, unit, e.spread.get(k, 0.0))
        for k, (title, unit) in TITLES.items()
        if k in made.look.figures
    ]
    states = [_state(made, r) for r in e.states]
    features = [_feature(made, e, i, n) for i, n in e.features]
    return ConditionsView(
        experiment=x.row.id,
        lights=lights,
        figures=figures,
        tone=_tone(made, e.states),
        states=states,
        baselines=e.baselines,
        features=features,
        together=[_together(made, e, i) for i in range(len(e.interactions))],
        promises=[PromiseView(p.path, p.text, p.kept, p.why) for p in e.promises],
        drift=_drift(e.drift),
        advice=_advice(x, made, e),
        sentence=e.sentence,
    )


def _state(x: Conditions, r: StateResult) -> StateView:
    cells_ = [_cell(t) for t in r.tests.values()]
    said = r.left_out or promises.in_words(list(r.tests.values()))
    key = ".".join(map(str, r.key))
    return StateView(
        key=key,
        light=r.key[0],
        levels=list(r.key[1:]),
        words=x.words_of(r.key),
        size=r.size,
        sentence=said,
        left_out=r.left_out,
        cells=cells_,
    )


def _tone(x: Conditions, states: Sequence[StateResult]) -> Chart:
    """How each state's greys differ from the baseline's."""
    greys = 100 * np.array(x.look.levels(x.signal))
    series = tuple(
        Series(
            f"{x.words_of(r.key)}, {x.lights[r.key[0]].label}",
            "measured",
            pairs(np.stack([greys, r.tone], axis=-1)),
            i % 3,
            True,
        )
        for i, r in enumerate(states)
    )
    every = np.concatenate([r.tone for r in states]) if states else np.zeros(1)
    low, high = around(every, (-2.0, 2.0))
    zero = Series("baseline", "target", ((0.0, 0.0), (100.0, 0.0)))
    heads = ("State", *(f"{g:.0f} %" for g in greys))
    rows = tuple((s.name, *(None if y is None else round(float(y), 2) for _, y in s.points)) for s in series)
    return Chart(
        key="tone",
        kind="lines",
        title="Greys against the baseline",
        note="Difference of L* in units of the baseline's white, over the signal.",
        headline="",
        x=Axis("signal", "%", 0, 100, 0),
        y=Axis("difference", "L*", low, high, 0 if high - low > 8 else 1),
        series=(zero, *series),
        table=Table(heads, (None, *(2 for _ in greys)), rows),
    )


def _cell(t: Test) -> EffectCell:
    return EffectCell(
        figure=t.figure,
        amount=t.amount,
        low=t.low,
        high=t.high,
        dE=t.dE,
        size=t.size,
        words=promises.words_of(t) if t.measurable else "",
    )


def _feature(x: Conditions, e: Explained, i: int, n: int) -> FeatureView:
    order = ("none", "slight", "clear", "strong")
    alone = [r for r in e.states if _alone(r.key, i, n)]
    size = max((r.size for r in alone), key=order.index, default="none")
    f = x.factors[i]
    return FeatureView(f.path, name_of(f.path), text_of(f.levels[n]), size, e.features[i, n])


def _alone(key: Key, i: int, n: int) -> bool:
    return key[1 + i] == n and sum(map(bool, key[1:])) == 1


def _together(x: Conditions, e: Explained, number: int) -> str:
    found = e.interactions[number]
    where = promises.in_light(x.lights[found.key[0]])
    return f"{x.words_of(found.key)} {where}: beyond what each does alone it {promises.words_of(found.test)}."


def _drift(drift: Mapping[str, float]) -> list[str]:
    return [
        f"{TITLES[f][0]} moved by {abs(v):.2g} {TITLES[f][1]} over the experiment by itself; that is taken out."
        for f, v in drift.items()
    ]


def _advice(x: OpenExperiment, made: Conditions, e: Explained) -> list[str]:
    """Which features to keep at the baseline's setting while measuring, and which have no effect."""
    order = ("none", "slight", "clear", "strong")
    said = []
    for i, f in enumerate(made.factors):
        own = [_feature(made, e, j, n) for j, n in e.features if j == i]
        if not own:
            continue
        worst = max(own, key=lambda v: order.index(v.size))
        name, stands = name_of(f.path), text_of(f.levels[0])
        if worst.size == "none":
            said.append(f"{name} has no measurable effect. Leave it on or off.")
        else:
            said.append(f"Keep {name} at {stands} while measuring. Its effect is {worst.size}.")
    return said
