"""Finding out what a menu does: questions, the experiments that answer them, and what they write into the menu map. On a stand-in
the bench carries them out (`experiment_bench`); with a display of one's own a person enters, looks and types."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from lumenar.core.colour.correction import corrected
from lumenar.core.experiments.base import Act, Conclusion, Experiment, StageRead, few_values, name_of
from lumenar.core.experiments.comfort import Comfort
from lumenar.core.experiments.compared import Difference, ShadowRanking, State
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.experiments.effect import WhatItDoes
from lumenar.core.experiments.hdr_modes import CarryOver, SameModes
from lumenar.core.experiments.locks import LocksAndResets
from lumenar.core.experiments.metadata import MetadataResponse
from lumenar.core.experiments.ranked import MOST_STAGES, TITLES, NotchByNotch
from lumenar.core.experiments.samples import Sample, Samples
from lumenar.core.experiments.scope import Reach
from lumenar.core.menu import Control, Menu, MenuError, Mode, Value, document_of, menu_from, text_of
from lumenar.core.readings import Spectrum, Trace, Waveform
from lumenar.core.signals import WORDS
from lumenar.core.targets import resolve
from lumenar.core.tuning.base import Noise
from lumenar.service import cells, conditions
from lumenar.service.application import Application
from lumenar.service.conditions import ConditionsAsked
from lumenar.service.data import now
from lumenar.service.displays import Display, display
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.service.planning import meters_before, settings_of
from lumenar.store import corrections, reviews
from lumenar.store import experiments as stored
from lumenar.store.experiments import ExperimentRow, ExperimentState, StageRow
from lumenar.store.reviews import SetupRow

Kind = Literal[
    "does",
    "scope",
    "locks",
    "difference",
    "shadows",
    "notches",
    "conditions",
    "carry",
    "alike",
    "metadata",
    "comfort",
    "samples",
]
KINDS: dict[str, str] = {
    "does": "What does it do?",
    "comfort": "What is it for the eye?",
    "scope": "How far does it reach?",
    "locks": "What does it lock and reset?",
    "notches": "Notch by notch",
    "difference": "Are two setups the same?",
    "shadows": "What lifts shadows?",
    "samples": "How do samples differ?",
    "carry": "Does an SDR mode show in it?",
    "alike": "Which HDR modes are the same?",
    "metadata": "What does it make of metadata?",
}
IN_HDR = ("carry", "alike", "metadata")
"""Questions about modes for PQ and HLG alone."""
ANYWHERE = ("does", "difference", "conditions", "comfort", "samples")
"""Questions about a setup of any signal; the others are about SDR."""
MOST_STATES = 40


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
class Open:
    """An experiment with what it works on, and what was read so far."""

    row: ExperimentRow
    setup: SetupRow
    shown: Display
    made: Experiment
    read: list[StageRow]
    matrix: Sequence[Sequence[float]] | None

    @cached_property
    def reads(self) -> list[StageRead]:
        """What came of the stages, corrected."""
        return [self._of(r) for r in self.read]

    def _of(self, r: StageRow) -> StageRead:
        XYZ = np.array([(np.nan,) * 3 if v is None else v for v in r.XYZ], float).reshape(-1, 3)
        if self.matrix is not None:
            XYZ = corrected(XYZ, self.matrix)
        return StageRead(XYZ, r.stands, frozenset(r.greyed), r.refused, tuple(map(_trace_of, r.traces)))

    @property
    def next(self) -> int | None:
        """The number of the stage that is next; None where all are read."""
        return len(self.read) if len(self.read) < len(self.made.stages) else None


# -- what is asked --------------------------------------------------------------------------------------------------


def _planned(app: Application, review_id: int, q: Question) -> tuple[SetupRow, Display, dict[str, Any]]:
    """The setup a question is about, its display, and the question as it is stored. BadInputError where it makes no sense."""
    setup = cells.setup_of(app, review_id, q.setup)
    shown = display(app, setup.unit_id)
    if q.kind == "conditions":
        meter = meters_before(app, shown)[0]["XYZ"]
        return setup, shown, conditions.asked(shown, setup, q.conditions, meter)
    if q.kind not in KINDS:
        raise BadInputError("question", f"There is no question {q.kind!r}; known are {', '.join(KINDS)}.", "kind")
    if q.kind in IN_HDR:
        return setup, shown, _in_hdr(shown, setup, q)
    if q.kind == "samples":
        return setup, shown, _samples(app, review_id, shown, setup)
    if setup.signal != "sdr" and q.kind not in ANYWHERE:
        raise BadInputError("setup", f"{setup.name} is no SDR setup; this question needs one.", "setup")
    menu, mode = shown.menu, shown.menu.mode(setup.mode, setup.signal)
    state = settings_of(menu, setup)
    question: dict[str, Any] = {"mode": setup.mode, "signal": setup.signal, "state": state, "target": setup.target}
    if q.kind in ("does", "comfort", "scope", "locks", "notches"):
        paths = [_free(menu, mode, state, q.control, "control")]
        if q.kind == "notches" and q.second:
            paths.append(_free(menu, mode, state, q.second, "second"))
            if q.second == q.control:
                raise BadInputError("question", "Choose two different controls.", "second")
        question["control"] = q.control
        question["traces"] = shown.stand_in
        question["tried"] = paths
        if q.kind == "notches" and q.by not in TITLES:
            raise BadInputError("question", f"There is no figure {q.by!r}; known are {', '.join(TITLES)}.", "by")
        question["by"] = q.by
        others = _others(menu, mode, state, q.control) if q.kind == "locks" else []
        question["others"] = others
        others_in = sorted((m for m in menu.modes if m != mode), key=lambda m: m.signal != setup.signal)
        question["modes"] = [setup.mode, *(m.name for m in others_in)]
        question["signals"] = {m.name: m.signal for m in menu.modes}
        question["menu"] = _part(menu, [*paths, *others])
    else:
        question["states"] = _states(app, review_id, shown, setup, q)
        if q.control:
            control = menu.control(_free(menu, mode, state, q.control, "control"))
            question["states"] += _of_control(setup, state, control)
        if q.kind == "difference" and len(question["states"]) != 2:
            raise BadInputError("question", "Two setups are compared; choose one beside this one.", "setups")
        if not 2 <= len(question["states"]) <= MOST_STATES:
            raise BadInputError(
                "question", f"Choose setups or a control: 2 to {MOST_STATES} states are ranked.", "setups"
            )
    return setup, shown, question


def _in_hdr(shown: Display, setup: SetupRow, q: Question) -> dict[str, Any]:
    """A question about modes for PQ or HLG, as it is stored."""
    if setup.signal == "sdr":
        raise BadInputError(
            "setup", f"{setup.name} is an SDR setup; this question is about one for PQ or HLG.", "setup"
        )
    state = settings_of(shown.menu, setup)
    other = "sdr" if q.kind == "carry" else setup.signal
    modes = [m.name for m in shown.menu.modes if m.signal == other]
    if q.kind == "alike":
        modes = [setup.mode, *(m for m in modes if m != setup.mode)]
    if q.kind == "metadata" and setup.signal != "pq":
        raise BadInputError("setup", f"{setup.name} is not for PQ; only there metadata are sent.", "setup")
    if len(modes) < 2 and q.kind != "metadata":
        what = f"{len(modes) or 'no'} mode{'' if len(modes) == 1 else 's'} for {WORDS[other]}"
        raise BadInputError("question", f"The menu has {what}; this question is about two or more.", "kind")
    return {
        "mode": setup.mode, "signal": setup.signal, "state": state, "target": setup.target, "modes": modes,
        "firmware": shown.row.firmware, "tried": [],
    }  # fmt: skip


def _samples(app: Application, review_id: int, shown: Display, setup: SetupRow) -> dict[str, Any]:
    """A question about all samples of a review that know the setup's mode, its own first."""
    units = [shown.row, *(u for u in reviews.units_of(app.db.connection(), review_id) if u.id != shown.row.id)]
    known = [u for u in units if any(m.name == setup.mode for m in display(app, u.id).menu.modes)]
    if len(known) < 2:
        raise BadInputError(
            "question", f"There is one sample with {setup.mode}, so there is nothing to compare it with.", "kind"
        )
    return {
        "mode": setup.mode, "signal": setup.signal, "state": settings_of(shown.menu, setup), "target": setup.target, "tried": [],
        "changes": dict(setup.changes), "samples": [{"name": u.sample, "firmware": u.firmware, "unit": u.id} for u in known],
    }  # fmt: skip


def _free(menu: Menu, mode: Mode, state: Mapping[str, Value], path: str, place: str) -> str:
    """A control that can be set; BadInputError where it is not there, locked, or has one value only."""
    if path not in menu.by_path:
        what = f"The menu has no entry {path!r}" if path else "Choose a control"
        raise BadInputError("question", f"{what}.", place)
    if path not in state:
        raise BadInputError(
            "question", f"Nobody has read where {path} stands; write its default into the menu map.", place
        )
    if reason := menu.why_locked(state, mode, path):
        raise BadInputError("question", f"{path} cannot be set here: {reason}.", place)
    control = menu.control(path)
    if not control.numeric and len(control.values) < 2:
        raise BadInputError("question", f"{path} has one value only.", place)
    return path


def _others(menu: Menu, mode: Mode, state: Mapping[str, Value], path: str) -> list[str]:
    """The controls that may be locked or reset: those in the unit's menu that bear on the picture and can be set now. What is
    known to lock or reset others itself stays where it is, as it would disturb them."""
    return [
        c.path for c in menu.controls
        if c.path != path and c.place == "unit" and c.bears and c.path in state and not menu.why_locked(state, mode, c.path)
        and (c.numeric or len(c.values) > 1) and not c.locks and not c.resets
    ]  # fmt: skip


def _part(menu: Menu, paths: Sequence[str]) -> dict[str, Any]:
    """The controls that an experiment works with, as they are now, without what is said of their locks and resets."""
    kept = tuple(replace(menu.control(p), locks={}, resets=()) for p in paths)
    return document_of(Menu((), kept, menu.mode_path))


def _states(app: Application, review_id: int, shown: Display, setup: SetupRow, q: Question) -> list[dict[str, Any]]:
    rows = {s.id: s for s in reviews.setups_of(app.db.connection(), review_id)}
    found = []
    for i in dict.fromkeys((q.setup, *q.setups)):
        row = rows.get(i)
        if row is None or row.unit_id != setup.unit_id or row.signal != setup.signal:
            raise BadInputError("question", "The setups must be of one sample and one signal.", "setups")
        found.append({"name": row.name, "mode": row.mode, "values": settings_of(shown.menu, row)})
    return found


def _of_control(setup: SetupRow, state: Mapping[str, Value], control: Control) -> list[dict[str, Any]]:
    return [
        {
            "name": f"{name_of(control.path)} {text_of(v)}",
            "mode": setup.mode,
            "values": {**state, control.path: v},
        }
        for v in few_values(control, state[control.path], 6)
    ]


def _experiment(kind: str, q: Mapping[str, Any], noise: Noise) -> Experiment:
    """The experiment that answers a stored question."""
    if kind == "conditions":
        return conditions.made_of(q, noise)
    if kind == "carry":
        return CarryOver(tuple(q["modes"]), q["mode"], q["signal"], noise)
    if kind == "samples":
        return Samples(tuple(Sample(**s) for s in q["samples"]), q["mode"], q["changes"], q["signal"], noise)
    if kind == "metadata":
        return MetadataResponse(q["mode"], q["signal"], noise)
    if kind == "alike":
        return SameModes(tuple(q["modes"]), q["signal"], noise)
    if kind in ("difference", "shadows"):
        states = tuple(State(s["name"], s["mode"], s["values"]) for s in q["states"])
        if kind == "shadows":
            return ShadowRanking(states, noise)
        same = dict(states[0].values) == dict(states[1].values)
        return Difference(states[0], states[1], same, noise, q["signal"])
    menu, state = menu_from(q["menu"]), q["state"]
    control = menu.control(q["control"])
    if kind == "comfort":
        return Comfort(control, q["mode"], state[control.path], q["signal"], noise, q["traces"])
    if kind == "does":
        return WhatItDoes(control, q["mode"], state[control.path], noise, q["signal"])
    if kind == "scope":
        return Reach(control, tuple(q["modes"]), state[control.path], noise, q.get("signals", {}))
    if kind == "locks":
        return LocksAndResets(control, tuple(menu.control(p) for p in q["others"]), q["mode"], state, noise)
    tried = tuple(menu.control(p) for p in q["tried"])
    return NotchByNotch(tried, q["mode"], state, resolve(q["target"]), q["by"], noise)


def _noise(meter: Mapping[str, Any]) -> Noise:
    return Noise(float(meter.get("repeatability", 0.002)), float(meter.get("absolute", 0.001)))


@dataclass(frozen=True)
class Cost:
    """What an experiment will take. notes: what else is to be known beforehand, a sentence each."""

    title: str
    stages: list[str]
    readings: int
    looks: int
    notes: list[str]


def title_of(kind: str, question: Mapping[str, Any]) -> str:
    """A question as a person asks it."""
    if kind == "conditions":
        return conditions.title_of(question)
    if kind == "carry":
        return f"Does an SDR mode show in {question['mode']}?"
    if kind == "samples":
        return f"How do {len(question['samples'])} samples differ in {question['mode']}?"
    if kind == "metadata":
        return f"What does {question['mode']} make of metadata?"
    if kind == "alike":
        return f"Which of {len(question['modes'])} modes for {WORDS[question['signal']]} are the same?"
    if kind in ("difference", "shadows"):
        names = [s["name"] for s in question["states"]]
        if kind == "difference":
            return f"{names[0]} and {names[1]}: the same?"
        return f"What lifts shadows, of {len(names)} states?"
    name = " and ".join(name_of(p) for p in question["tried"])
    if kind == "notches":
        return f"{name}, notch by notch, by {TITLES[question['by']][0].lower()}"
    said = {
        "does": f"What does {name} do?",
        "comfort": f"What is {name} for the eye?",
        "scope": f"How far does {name} reach?",
    }
    return said.get(kind, f"What does {name} lock and reset?")


def cost(app: Application, review_id: int, q: Question) -> Cost:
    """What answering a question will take. BadInputError where it makes no sense."""
    _, shown, question = _planned(app, review_id, q)
    made = _made(q.kind, question, _noise(meters_before(app, shown)[0]["XYZ"]))
    stages = made.stages
    readings, looks = sum(len(s.patches) for s in stages), sum(bool(s.look) for s in stages)
    notes = conditions.notes_of(made) if isinstance(made, Conditions) else []
    return Cost(title_of(q.kind, question), [s.title for s in stages], readings, looks, notes)


def _made(kind: str, question: Mapping[str, Any], noise: Noise) -> Experiment:
    try:
        made = _experiment(kind, question, noise)
        count = len(made.stages)
    except MenuError as e:
        raise BadInputError("question", f"{e}.", "control") from e
    if kind == "scope" and len(question["modes"]) < 2:
        raise BadInputError("question", "There is one mode only, so a control can reach no other.", "control")
    if kind == "locks" and not question["others"]:
        raise BadInputError("question", "There is nothing else in the menu that could be locked or reset.", "control")
    if count > MOST_STAGES and kind != "conditions":
        raise BadInputError(
            "question", f"That is {count} steps; at most {MOST_STAGES} are tried. Choose one control.", "second"
        )
    return made


# -- carrying it out ------------------------------------------------------------------------------------------------


def begin(app: Application, review_id: int, q: Question) -> int:
    """An experiment is stored. BadInputError where the question makes no sense; ConflictError where another on the same display
    is open."""
    setup, shown, question = _planned(app, review_id, q)
    meter, correction = meters_before(app, shown)
    _made(q.kind, question, _noise(meter["XYZ"]))
    db = app.db.connection()
    units = {s.id: s.unit_id for s in reviews.setups_of(db, review_id)}
    if any(units.get(o.setup_id) == setup.unit_id for o in stored.open_ones(db)):
        raise ConflictError("experiment", f"Another experiment on {shown.row.name} is open; end that one first.")
    row = ExperimentRow(
        0, review_id, setup.id, q.kind, question, meter["XYZ"], correction, shown.row.firmware,
        "working" if shown.stand_in else "waiting", "", now(), 0,
    )  # fmt: skip
    with app.db.transaction() as writing:
        return stored.add(writing, row)


def opened(app: Application, experiment_id: int) -> Open:
    """An experiment by its number; NotFoundError where there is none."""
    db = app.db.connection()
    row = stored.get(db, experiment_id)
    if row is None:
        raise NotFoundError("experiment", f"There is no experiment {experiment_id}.")
    setup = cells.setup_of(app, row.review_id, row.setup_id)
    made = _experiment(row.kind, row.question, _noise(row.meter))
    matrix = None if row.correction_id is None else corrections.get(db, row.correction_id)
    read = stored.stages(db, experiment_id)
    return Open(row, setup, display(app, setup.unit_id), made, read, None if matrix is None else matrix.matrix)


MOST_SAMPLES = 4000
"""Of a waveform so many are kept: 0.2 s at 20 kHz, which hold dozens of periods of any light that pulses."""


def _written(t: Trace) -> dict[str, Any]:
    """A trace as it is stored."""
    if isinstance(t, Spectrum):
        return {
            "kind": "spectrum",
            "start": t.start_nm,
            "step": t.step_nm,
            "samples": [float(f"{v:.6g}") for v in t.radiance],
        }
    samples = [float(f"{v:.6g}") for v in t.samples[:MOST_SAMPLES]]
    return {"kind": "waveform", "start": 0.0, "step": 1 / t.rate_hz, "samples": samples}


def _trace_of(d: Mapping[str, Any] | None) -> Trace | None:
    if d is None:
        return None
    samples = np.array(d["samples"], float)
    return Spectrum(d["start"], d["step"], samples) if d["kind"] == "spectrum" else Waveform(1 / d["step"], samples)


def conclusion(x: Open) -> Conclusion | None:
    """What follows, where all was read."""
    return x.made.conclude(x.reads) if x.next is None else None


def concluded(app: Application, row: ExperimentRow) -> Conclusion:
    """What followed from an experiment that is done: what it read never changes, so it is worked out once."""
    kept: Conclusion = app.cache.get(("concluded", row.id), lambda: conclusion(opened(app, row.id)))
    return kept


def commit(
    app: Application, x: Open, XYZ: Sequence[Sequence[float] | None], stands: Mapping[str, Value], greyed: Sequence[str],
    refused: Mapping[str, str], traces: Sequence[Trace | None] = (),
) -> None:  # fmt: skip
    """A stage was carried out."""
    kept = [None if v is None else [float(c) for c in v] for v in XYZ]
    written = [None if t is None else _written(t) for t in traces] if any(t is not None for t in traces) else []
    row = StageRow(x.row.id, len(x.read), kept, dict(stands), sorted(greyed), dict(refused), now(), written)
    with app.db.transaction(of=0) as db:
        stored.add_stage(db, row)


def leave_out(app: Application, experiment_id: int) -> Open:
    """An experiment once the stages that can't be read after what was refused are past; there is nothing in them."""
    x = opened(app, experiment_id)
    while isinstance(x.made, Conditions) and x.made.left_out(x.reads):
        commit(app, x, [None] * len(x.made.stages[len(x.read)].patches), {}, [], {})
        x = opened(app, experiment_id)
    return x


def set_state(app: Application, experiment_id: int, state: ExperimentState, message: str = "") -> None:
    """An experiment is in another state."""
    with app.db.transaction(of=0) as db:
        stored.set_state(db, experiment_id, state, message)


@dataclass(frozen=True)
class Stood:
    """What the acts so far have brought about: the mode, empty before the first, and by mode the values that were entered; about:
    the light, the signal and whether the display is on, as far as any act tells."""

    mode: str
    by_mode: dict[str, dict[str, Value]]
    about: dict[str, tuple[str, Value]]

    @property
    def values(self) -> dict[str, Value]:
        """What was entered in the present mode."""
        return self.by_mode.get(self.mode, {})


def stood(x: Open, until: int) -> Stood:
    """What stands in the menu before a stage, as far as the acts of those before it tell."""
    by_mode: dict[str, dict[str, Value]] = {}
    mode = ""
    about: dict[str, tuple[str, Value]] = {"power": ("", "on")}
    for act in (a for stage in x.made.stages[:until] for a in stage.acts):
        if act.kind == "mode":
            mode = str(act.value)
        elif act.kind == "set":
            by_mode.setdefault(mode, {})[act.path] = act.value
        else:
            about[act.kind] = (act.path, act.value)
    return Stood(mode, by_mode, about)


def to_do(x: Open, acts: Sequence[Act], until: int) -> list[Act]:
    """The acts that change anything, after the stages before."""
    before = stood(x, until)
    modes, mode, menu = before.by_mode, before.mode, x.shown.menu
    needed = []
    for act in acts:
        if act.kind == "mode":
            if act.value != mode:
                needed.append(act)
            mode = str(act.value)
            continue
        if act.kind != "set":
            if before.about.get(act.kind) != (act.path, act.value):
                needed.append(act)
            before.about[act.kind] = (act.path, act.value)
            continue
        known = modes.setdefault(mode, {})
        if act.path not in known:
            # Before anything was entered, the setup stands there, and modes at their defaults.
            own = x.row.question.get("state", {}) if mode == x.setup.mode else {}
            try:
                default = menu.defaults(menu.mode(mode, x.setup.signal)).get(act.path)
            except MenuError:
                default = None
            known[act.path] = own.get(act.path, "" if default is None else default)
        if known[act.path] != act.value:
            needed.append(act)
        known[act.path] = act.value
    return needed
