"""What can be asked of a display: for each kind of question the setups it is for, how it is stored, which experiment answers it
and how a person would say it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

from lumenar.app.application import Application
from lumenar.app.displays.displays import Display, display
from lumenar.app.displays.settable_controls import free, settable
from lumenar.app.errors import BadInputError
from lumenar.app.experiments import conditions
from lumenar.app.experiments.conditions import ConditionsAsked
from lumenar.app.figures import cells
from lumenar.app.runs.planning import Estimate, meters_before, settings_of
from lumenar.core.experiments.auto_switching import ByItself
from lumenar.core.experiments.base import Experiment, Stage, few_values, name_of
from lumenar.core.experiments.clipping_points import WhereItEnds
from lumenar.core.experiments.comfort import Comfort
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.experiments.effect import WhatItDoes
from lumenar.core.experiments.hdr_modes import CarryOver, SameModes
from lumenar.core.experiments.locks import LocksAndResets
from lumenar.core.experiments.metadata import MetadataResponse
from lumenar.core.experiments.ranked import FOR as RANKED_BY
from lumenar.core.experiments.ranked import MOST_STAGES, TITLES, NotchByNotch
from lumenar.core.experiments.samples import Sample, Samples
from lumenar.core.experiments.scope import Reach
from lumenar.core.experiments.state_comparison import Difference, ShadowRanking, State
from lumenar.core.menu import Control, Menu, MenuError, Mode, Value, document_of, menu_from, text_of
from lumenar.core.numbers import mid_sentence
from lumenar.core.signals import WORDS, Signal
from lumenar.core.targets import resolve
from lumenar.core.tuning.base import Noise
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow

Kind = Literal[
    "does",
    "comfort",
    "scope",
    "locks",
    "notches",
    "difference",
    "shadows",
    "samples",
    "carry",
    "alike",
    "metadata",
    "ends",
    "byitself",
    "conditions",
]
SDR: tuple[Signal, ...] = ("sdr",)
HDR: tuple[Signal, ...] = ("pq", "hlg")
ANY = (*SDR, *HDR)
MOST_STATES = 40
Asked = Mapping[str, Any]
"""A question as it is stored: all that its experiment is planned from, so that it is planned the same again."""


@dataclass(frozen=True)
class Question:
    """What is to be found out, on a setup. control: which one it is about; second: another that is tried with it notch by notch;
    by: what notches are ranked by; setups: those that are compared with the setup; conditions: what is tried in which light."""

    kind: Kind
    setup: int
    control: str = ""
    second: str = ""
    by: str = "white"
    setups: Sequence[int] = field(default=())
    conditions: ConditionsAsked = field(default_factory=ConditionsAsked)


@dataclass(frozen=True)
class Ground:
    """What a question is asked of."""

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
        """What is stored of every question."""
        s = self.setup
        return {"mode": s.mode, "signal": s.signal, "state": self.state, "target": s.target, "tried": []}

    def free(self, path: str, place: str) -> Control:
        """A control that can be set; BadInputError with the place where it can't."""
        return free(self.menu, self.mode, self.state, path, place)

    def part(self, paths: Sequence[str]) -> dict[str, Any]:
        """Controls as they are now, without what is said of their locks and resets."""
        kept = tuple(replace(self.menu.control(p), locks={}, resets=()) for p in paths)
        return document_of(Menu((), kept, self.menu.mode_path))


@dataclass(frozen=True)
class KindOfQuestion:
    """One kind. title: as it is offered, empty where it has a view of its own; signals: of the setups it is for; plan: what is
    stored of a question; make: the experiment; named: as a person asks it; control, setups: whether it is about a control, and
    about other setups; most: stages that may come of it, None where something else keeps them few."""

    title: str
    signals: tuple[Signal, ...]
    plan: Callable[[Ground, Question], Asked]
    make: Callable[[Asked, Noise], Experiment]
    named: Callable[[Asked], str]
    control: bool = False
    setups: bool = False
    most: int | None = MOST_STAGES

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


# -- about a control --------------------------------------------------------------------------------------------------


def _of_control(g: Ground, q: Question, *more: str) -> Asked:
    path = g.free(q.control, "control").path
    return {**g.begun, "control": path, "tried": [path], "menu": g.part([path, *more])}


def _control(q: Asked) -> Control:
    """The control that a question is about, as it was when it was asked."""
    return menu_from(q["menu"]).control(q["control"])


def _tried(q: Asked) -> str:
    return " and ".join(name_of(p) for p in q["tried"])


def _comfort(g: Ground, q: Question) -> Asked:
    return {**_of_control(g, q), "traces": g.shown.stand_in}


def _scope(g: Ground, q: Question) -> Asked:
    asked = _of_control(g, q)
    others = sorted((m for m in g.menu.modes if m != g.mode), key=lambda m: m.signal != g.setup.signal)
    if not others:
        raise BadInputError("question", "There is one mode only, so a control can reach no other.", "control")
    signals = {m.name: m.signal for m in g.menu.modes}
    return {**asked, "modes": [g.setup.mode, *(m.name for m in others)], "signals": signals}


def _locks(g: Ground, q: Question) -> Asked:
    g.free(q.control, "control")
    # What is known to lock or reset others itself stays where it is, as it would disturb them.
    others = [
        c.path
        for c in settable(g.menu, g.mode, g.state)
        if c.path != q.control and c.place == "unit" and c.bears and not c.locks and not c.resets
    ]
    if not others:
        raise BadInputError("question", "There is nothing else in the menu that could be locked or reset.", "control")
    return {**_of_control(g, q, *others), "others": others}


def _locked(q: Asked, noise: Noise) -> Experiment:
    menu = menu_from(q["menu"])
    others = tuple(menu.control(p) for p in q["others"])
    return LocksAndResets(menu.control(q["control"]), others, q["mode"], q["state"], noise)


def _notches(g: Ground, q: Question) -> Asked:
    paths = [g.free(q.control, "control").path]
    if q.second:
        paths.append(g.free(q.second, "second").path)
        if q.second == q.control:
            raise BadInputError("question", "Choose two different controls.", "second")
    known = RANKED_BY[g.setup.signal]
    if q.by not in known:
        raise BadInputError(
            "question", f"{g.setup.name} cannot be ranked by {q.by!r}; known for it are {', '.join(known)}.", "by"
        )
    return {**g.begun, "control": q.control, "tried": paths, "by": q.by, "menu": g.part(paths)}


def _notched(q: Asked, noise: Noise) -> Experiment:
    menu = menu_from(q["menu"])
    tried = tuple(menu.control(p) for p in q["tried"])
    return NotchByNotch(tried, q["mode"], q["state"], resolve(q["target"]), q["by"], noise)


# -- about setups -----------------------------------------------------------------------------------------------------


def _states(g: Ground, q: Question) -> Asked:
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


def _two(g: Ground, q: Question) -> Asked:
    if q.control or len({q.setup, *q.setups}) != 2:
        raise BadInputError("question", "Two setups are compared; choose one beside this one.", "setups")
    return _states(g, q)


def _states_of(q: Asked) -> tuple[State, ...]:
    return tuple(State(s["name"], s["mode"], s["values"]) for s in q["states"])


def _compared(q: Asked, noise: Noise) -> Experiment:
    one, two = _states_of(q)
    return Difference(one, two, dict(one.values) == dict(two.values), noise, q["signal"])


# -- about the display ------------------------------------------------------------------------------------------------


def _modes(g: Ground, signal: Signal) -> Asked:
    """All modes of a signal, the setup's own first."""
    modes = sorted((m.name for m in g.menu.modes if m.signal == signal), key=lambda m: m != g.setup.mode)
    if len(modes) < 2:
        what = f"{len(modes) or 'no'} mode{'' if len(modes) == 1 else 's'} for {WORDS[signal]}"
        raise BadInputError("question", f"The menu has {what}; this question is about two or more.", "kind")
    return {**g.begun, "modes": modes}


def _by_itself(g: Ground, q: Question) -> Asked:
    asked = _modes(g, g.setup.signal)
    path = g.menu.mode_path
    # What is looked at is which mode stands, as if it were a control.
    menu = Menu((), (Control(path, "choice", choices=tuple(asked["modes"])),), path)
    return {**asked, "mode_path": path, "menu": document_of(menu)}


def _samples(g: Ground, q: Question) -> Asked:
    units = [g.shown.row, *(u for u in reviews.units_of(g.app.db.connection(), g.review_id) if u.id != g.shown.row.id)]
    known = [u for u in units if any(m.name == g.setup.mode for m in display(g.app, u.id).menu.modes)]
    if len(known) < 2:
        said = f"There is one sample with {g.setup.mode}, so there is nothing to compare it with."
        raise BadInputError("question", said, "kind")
    samples = [{"name": u.sample, "firmware": u.firmware, "unit": u.id} for u in known]
    return {**g.begun, "changes": dict(g.setup.changes), "samples": samples}


def _conditions(g: Ground, q: Question) -> Asked:
    noise = noise_of(meters_before(g.app, g.shown)[0]["XYZ"])
    return {**g.begun, **conditions.asked(g.menu, g.mode, g.state, q.conditions, g.shown.stand_in, noise)}


KINDS: dict[str, KindOfQuestion] = {
    "does": KindOfQuestion(
        "What does it do?",
        ANY,
        _of_control,
        lambda q, noise: WhatItDoes(_control(q), q["mode"], q["state"][q["control"]], noise, q["signal"]),
        lambda q: f"What does {_tried(q)} do?",
        control=True,
    ),
    "comfort": KindOfQuestion(
        "Comfort settings: effect on blue light and colour",
        ANY,
        _comfort,
        lambda q, noise: Comfort(_control(q), q["mode"], q["state"][q["control"]], q["signal"], noise, q["traces"]),
        lambda q: f"Effect of {_tried(q)} on blue light and colour",
        control=True,
    ),
    "scope": KindOfQuestion(
        "Which modes does it affect?",
        SDR,
        _scope,
        lambda q, noise: Reach(_control(q), tuple(q["modes"]), q["state"][q["control"]], noise, q.get("signals", {})),
        lambda q: f"Which modes does {_tried(q)} affect?",
        control=True,
    ),
    "locks": KindOfQuestion(
        "What does it lock or reset?",
        SDR,
        _locks,
        _locked,
        lambda q: f"What does {_tried(q)} lock or reset?",
        control=True,
    ),
    "notches": KindOfQuestion(
        "Step by step, ranked",
        ("sdr", "pq"),
        _notches,
        _notched,
        lambda q: f"{_tried(q)}, step by step, ranked by {mid_sentence(TITLES[q['by']][0])}",
        control=True,
    ),
    "difference": KindOfQuestion(
        "Are two setups the same?",
        ANY,
        _two,
        _compared,
        lambda q: f"Are {q['states'][0]['name']} and {q['states'][1]['name']} the same?",
        setups=True,
    ),
    "shadows": KindOfQuestion(
        "What lifts shadows?",
        SDR,
        _states,
        lambda q, noise: ShadowRanking(_states_of(q), noise),
        lambda q: f"Which of {len(q['states'])} states lifts shadows?",
        control=True,
        setups=True,
    ),
    "samples": KindOfQuestion(
        "How do samples differ?",
        ANY,
        _samples,
        lambda q, noise: Samples(tuple(Sample(**s) for s in q["samples"]), q["mode"], q["changes"], q["signal"], noise),
        lambda q: f"How do {len(q['samples'])} samples differ in {q['mode']}?",
    ),
    "carry": KindOfQuestion(
        "Do SDR settings carry over to HDR?",
        HDR,
        lambda g, _: _modes(g, "sdr"),
        lambda q, noise: CarryOver(tuple(q["modes"]), q["mode"], q["signal"], noise),
        lambda q: f"Do SDR settings carry over to {q['mode']}?",
    ),
    "alike": KindOfQuestion(
        "Which HDR modes are the same?",
        HDR,
        lambda g, _: _modes(g, g.setup.signal),
        lambda q, noise: SameModes(tuple(q["modes"]), q["signal"], noise),
        lambda q: f"Which of {len(q['modes'])} {WORDS[q['signal']]} modes are the same?",
    ),
    "metadata": KindOfQuestion(
        "How does it respond to metadata?",
        ("pq",),
        lambda g, _: g.begun,
        lambda q, noise: MetadataResponse(q["mode"], q["signal"], noise),
        lambda q: f"How does {q['mode']} respond to metadata?",
    ),
    "byitself": KindOfQuestion(
        "Does the display switch modes automatically?",
        ANY,
        _by_itself,
        lambda q, noise: ByItself(q["mode"], q["mode_path"], q["signal"]),
        lambda q: f"Does the display leave {q['mode']} automatically?",
    ),
    "ends": KindOfQuestion(
        "Does it move the clipping point?",
        ("pq",),
        _of_control,
        lambda q, noise: WhereItEnds(_control(q), q["mode"], q["state"][q["control"]], noise),
        lambda q: f"Does {_tried(q)} move the clipping point?",
        control=True,
    ),
    "conditions": KindOfQuestion("", ANY, _conditions, conditions.made_of, conditions.title_of, most=None),
}
"""By key, in the order in which they are offered."""


def noise_of(meter: Mapping[str, Any]) -> Noise:
    """The noise of a meter as a run remembers it."""
    return Noise(float(meter.get("repeatability", 0.002)), float(meter.get("absolute", 0.001)))


def title_of(kind: str, question: Asked) -> str:
    """A question as a person asks it."""
    return KINDS[kind].named(question)


def experiment_of(kind: str, question: Asked, noise: Noise) -> Experiment:
    """The experiment that answers a stored question."""
    return KINDS[kind].make(question, noise)


@dataclass(frozen=True)
class Planned:
    """A question that makes sense: what it is asked of, as it is stored, and the experiment."""

    ground: Ground
    question: Asked
    made: Experiment
    meter: Mapping[str, Any]
    correction: int | None


def planned(app: Application, review_id: int, q: Question) -> Planned:
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
    return Planned(ground, question, made, meter["XYZ"], correction)


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
    acting_s = 0.0 if p.ground.shown.stand_in else ACT_S * changing(stages)
    notes = conditions.notes_of(p.made) if isinstance(p.made, Conditions) else []
    return Cost(
        title_of(q.kind, p.question), [s.title for s in stages], readings, looks, sum(reading_s) + acting_s, notes
    )
