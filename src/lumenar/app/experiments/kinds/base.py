"""What a kind of question is, and what several kinds share."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from lumenar.app.application import Application
from lumenar.app.displays.displays import Display
from lumenar.app.displays.settable_controls import free
from lumenar.app.errors import BadInputError
from lumenar.app.experiments.conditions import ConditionsAsked
from lumenar.app.runs.planning import settings_of
from lumenar.core.experiments.base import Experiment, few_values, name_of
from lumenar.core.experiments.ranked import MOST_STAGES
from lumenar.core.experiments.state_comparison import ComparedState
from lumenar.core.menu.controls import Control, Value, text_of
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.signals import WORDS, Signal
from lumenar.core.tuning.base import Noise
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow

SDR: tuple[Signal, ...] = ("sdr",)
HDR: tuple[Signal, ...] = ("pq", "hlg")
ANY = (*SDR, *HDR)
MOST_STATES = 40
Asked = Mapping[str, Any]
"""A question as the store keeps it: everything its experiment is planned from, so that the same plan can be made again."""


@dataclass(frozen=True, kw_only=True)
class Question:
    """A question about a setup. control: the control it is about; second: a second control, tried together with the first in
    every combination; by: the figure that values are ranked by; setups: other setups to compare with; conditions: the features
    and the room lights to try."""

    kind: str
    setup: int
    control: str = ""
    second: str = ""
    by: str = "white"
    setups: Sequence[int] = field(default=())
    conditions: ConditionsAsked = field(default_factory=ConditionsAsked)


@dataclass(frozen=True)
class Ground:
    """The setup that a question is about, with its display and menu."""

    app: Application
    review_id: int
    setup: SetupRow
    shown: Display

    @property
    def menu(self) -> Menu:
        """The display's."""
        return self.shown.menu

    @property
    def mode(self) -> Mode:
        """The setup's."""
        return self.menu.mode(self.setup.mode, self.setup.signal)

    @cached_property
    def state(self) -> dict[str, Value]:
        """Where the setup's controls stand."""
        return settings_of(self.menu, self.setup)

    @property
    def begun(self) -> Asked:
        """The part of the stored form that is the same for every kind of question."""
        s = self.setup
        return {"mode": s.mode, "signal": s.signal, "state": self.state, "target": s.target, "tried": []}

    def free(self, path: str, place: str) -> Control:
        """A control that can be set; BadInputError with the place where it can't."""
        return free(self.menu, self.mode, self.state, path, place)

    def part(self, paths: Sequence[str]) -> dict[str, Any]:
        """A document of these controls without their locks and resets."""
        kept = tuple(replace(self.menu.control(p), locks={}, resets=()) for p in paths)
        return document_of(Menu((), kept, self.menu.mode_path))


@dataclass(frozen=True, kw_only=True)
class KindOfQuestion:
    """One kind of question.

    key: its name in the store; place: its position in the list of questions; title: its words in that list, empty if it has a
    view of its own; signals: the signals a setup may have; plan: makes the stored form of a question; make: makes the experiment;
    named: the question as a sentence; control, setups: whether it needs a control, or other setups; most: the largest number of
    stages, None if something else limits it; beside: measurements whose charts show its answers; observed: its position in the
    report's section on the display's behaviour, None if the report leaves its answers out.
    """

    key: str
    place: int
    title: str
    signals: tuple[Signal, ...]
    plan: Callable[[Ground, Question], Asked]
    make: Callable[[Asked, Noise], Experiment]
    named: Callable[[Asked], str]
    control: bool = False
    setups: bool = False
    most: int | None = MOST_STAGES
    beside: tuple[str, ...] = ()
    observed: int | None = None

    def why_not(self, setup: SetupRow) -> str:
        """Why it can't be asked of a setup, empty where it can."""
        if setup.signal in self.signals:
            return ""
        if self.signals == SDR:
            return f"{setup.name} is no SDR setup; this question needs one."
        words = " or ".join(WORDS[s] for s in self.signals)
        if setup.signal == "sdr":
            return f"{setup.name} is an SDR setup; this question is about one for {words}."
        return f"{setup.name} is not for {words}; this question is."


def asked_of_control(g: Ground, q: Question, *more: str) -> Asked:
    """What is stored of a question about a control; more: other controls that it moves."""
    path = g.free(q.control, "control").path
    return {**g.begun, "control": path, "tried": [path], "menu": g.part([path, *more])}


def control_of(q: Asked) -> Control:
    """The control that a question is about, as it was when it was asked."""
    return menu_from(q["menu"]).control(q["control"])


def tried_words(q: Asked) -> str:
    """The controls that a question tries, in words."""
    return " and ".join(name_of(p) for p in q["tried"])


def asked_of_states(g: Ground, q: Question) -> Asked:
    """What is stored of a question about setups, or about a control's values as if they were setups."""
    rows = {s.id: s for s in reviews.setups_of(g.app.db.connection(), g.review_id)}
    states = []
    for i in dict.fromkeys((q.setup, *q.setups)):
        row = rows.get(i)
        if row is None or row.unit_id != g.setup.unit_id or row.signal != g.setup.signal:
            raise BadInputError("question", "The setups must be of one sample and one signal.", "setups")
        states.append({"name": row.name, "mode": row.mode, "values": settings_of(g.menu, row)})
    if q.control:
        control = g.free(q.control, "control")
        states += [
            {
                "name": f"{name_of(control.path)} {text_of(v)}",
                "mode": g.setup.mode,
                "values": {**g.state, control.path: v},
            }
            for v in few_values(control, g.state[control.path], 6)
        ]
    if not 2 <= len(states) <= MOST_STATES:
        said = f"Choose setups or a control: 2 to {MOST_STATES} states are ranked."
        raise BadInputError("question", said, "setups")
    return {**g.begun, "states": states}


def states_of(q: Asked) -> tuple[ComparedState, ...]:
    """The states that a question compares."""
    return tuple(ComparedState(s["name"], s["mode"], s["values"]) for s in q["states"])


def asked_of_modes(g: Ground, signal: Signal) -> Asked:
    """All modes of a signal, the setup's own first."""
    modes = sorted((m.name for m in g.menu.modes if m.signal == signal), key=lambda m: m != g.setup.mode)
    if len(modes) < 2:
        what = f"{len(modes) or 'no'} mode{'' if len(modes) == 1 else 's'} for {WORDS[signal]}"
        raise BadInputError("question", f"The menu has {what}; this question is about two or more.", "kind")
    return {**g.begun, "modes": modes}


def noise_of(meter: Mapping[str, Any]) -> Noise:
    """The noise of a meter as a run remembers it."""
    return Noise(float(meter.get("repeatability", 0.002)), float(meter.get("absolute", 0.001)))
