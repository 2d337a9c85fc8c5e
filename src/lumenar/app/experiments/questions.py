"""Questions about a display: what answering one takes, and the experiment that answers it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError
from lumenar.app.experiments import conditions
from lumenar.app.experiments.kinds import KINDS
from lumenar.app.experiments.kinds.base import Asked, Ground, Question, noise_of
from lumenar.app.figures import cells
from lumenar.app.runs.planning import Estimate, meters_before
from lumenar.core.experiments.base import Experiment, Stage
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.tuning.base import Noise


def title_of(kind: str, question: Asked) -> str:
    """A question as a person asks it."""
    return KINDS[kind].named(question)


def experiment_of(kind: str, question: Asked, noise: Noise) -> Experiment:
    """The experiment that answers a stored question."""
    return KINDS[kind].make(question, noise)


@dataclass(frozen=True)
class PlannedExperiment:
    """A question that makes sense: what it is asked of, as it is stored, and the experiment."""

    ground: Ground
    question: Asked
    made: Experiment
    meter: Mapping[str, Any]
    correction: int | None


def planned(app: Application, review_id: int, q: Question) -> PlannedExperiment:
    """What answers a question. BadInputError where it makes no sense."""
    if q.kind not in KINDS:
        raise BadInputError("question", f"There is no question {q.kind!r}; known are {', '.join(KINDS)}.", "kind")
    kind, setup = KINDS[q.kind], cells.setup_of(app, review_id, q.setup)
    if why := kind.why_not(setup):
        raise BadInputError("setup", why, "setup")
    ground = Ground(app, review_id, setup, display(app, setup.unit_id))
    question = kind.plan(ground, q)
    meter, correction = meters_before(app, ground.shown)
    try:
        made = kind.make(question, noise_of(meter["XYZ"]))
        count = len(made.stages)
    except MenuError as e:
        raise BadInputError("question", f"{e}.", "control") from e
    if kind.most is not None and count > kind.most:
        said = f"That is {count} steps; at most {kind.most} are tried. Choose one control."
        raise BadInputError("question", said, "second")
    return PlannedExperiment(ground, question, made, meter["XYZ"], correction)


ACT_S = 15.0
"""What a person takes to find a control in a menu and set it, or to change the light."""


def changing(stages: Sequence[Stage]) -> int:
    """How many acts of stages change anything: what is so already is not done again."""
    now: dict[tuple[str, str], Value] = {}
    count = 0
    for act in (act for stage in stages for act in stage.acts):
        # There is one light, one mode and one signal; a control is known by its path.
        key = act.kind, act.path if act.kind == "set" else ""
        value = act.value if act.kind == "set" else f"{act.path} {act.value}"
        count += now.get(key) != value
        now[key] = value
    return count


@dataclass(frozen=True)
class Cost:
    """What an experiment will take. seconds: how long, roughly; notes: what else is to be known beforehand, a sentence each."""

    title: str
    stages: list[str]
    readings: int
    looks: int
    seconds: float
    notes: list[str]


def cost(app: Application, review_id: int, q: Question) -> Cost:
    """What answering a question will take. BadInputError where it makes no sense."""
    p = planned(app, review_id, q)
    stages = p.made.stages
    readings, looks = sum(len(s.patches) for s in stages), sum(bool(s.look) for s in stages)
    setup = p.ground.setup
    reading_s = Estimate(app, p.ground.shown, {setup.id: setup}).seconds(
        setup.id, [q for s in stages for q in s.patches]
    )
    acting_s = 0.0 if p.ground.shown.can.enters else ACT_S * changing(stages)
    notes = conditions.notes_of(p.made) if isinstance(p.made, Conditions) else []
    return Cost(
        title_of(q.kind, p.question), [s.title for s in stages], readings, looks, sum(reading_s) + acting_s, notes
    )
