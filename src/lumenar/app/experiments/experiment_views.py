"""Experiments as a person sees them: what is to be done at a stage, what came of it, and what the menu map can learn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lumenar.app.application import Application
from lumenar.app.displays.displays import display, display_of
from lumenar.app.displays.settable_controls import settable
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.experiments import experiments, questions
from lumenar.app.experiments.experiments import OpenExperiment
from lumenar.app.experiments.kinds import KINDS
from lumenar.app.experiments.kinds.base import noise_of
from lumenar.app.figures import cells
from lumenar.app.menus import menu_edits
from lumenar.app.runs.planning import settings_of
from lumenar.app.setups import setup_notes
from lumenar.app.tuning.tunings import name_of
from lumenar.core.colour.correction import corrected
from lumenar.core.experiments.base import MapChange
from lumenar.core.experiments.base import name_of as called
from lumenar.core.experiments.ranked import FOR, TITLES
from lumenar.core.measurements.charts import Chart
from lumenar.core.menu.controls import Control, MenuError, Value, text_of
from lumenar.core.menu.documents import menu_from
from lumenar.core.recipes.steps import SettingNote
from lumenar.store import experiments as stored
from lumenar.store import reviews
from lumenar.store.experiments import ExperimentRow, ExperimentState


@dataclass(frozen=True, kw_only=True)
class StageView:
    """A stage: what to do before it is read, in words and with the paths, its patches, and what to look at with the value it
    should have. light: the room light to make, empty if it stays."""

    title: str
    acts: list[str]
    paths: list[str]
    patches: list[str]
    rgb: list[tuple[float, float, float]]
    look: list[tuple[str, str]]
    light: str


@dataclass(frozen=True)
class ChangeView:
    """What the menu map could learn. known: it says so already."""

    path: str
    entry: str
    words: str
    known: bool


@dataclass(frozen=True, kw_only=True)
class ExperimentView:
    """One experiment: what is to be done now (None where nothing is), what came of it, and what stands in the map of it."""

    id: int
    review: int
    setup: int
    setup_name: str
    kind: str
    title: str
    state: ExperimentState
    message: str
    by_hand: bool
    paths: list[str]
    stages: list[str]
    read: int
    now: StageView | None
    back: list[str]
    sentence: str
    heads: list[str]
    rows: list[list[str | float | None]]
    changes: list[ChangeView]
    workaround: str
    charts: list[Chart]
    applied: bool
    firmware: str
    created_at: str


@dataclass(frozen=True)
class KindChoice:
    """A kind of question. needs: a control, setups beside the one, or both."""

    key: str
    title: str
    control: bool
    setups: bool


@dataclass(frozen=True)
class ControlChoice:
    """A control that can be asked about."""

    path: str
    name: str


@dataclass(frozen=True)
class OfferedSetup:
    """Another setup of the same sample."""

    setup: int
    name: str


@dataclass(frozen=True)
class QuestionChoices:
    """What can be asked of a setup's display. by: what notches can be ranked by, by key."""

    kinds: list[KindChoice]
    controls: list[ControlChoice]
    setups: list[OfferedSetup]
    by: dict[str, str]


@dataclass(frozen=True, kw_only=True)
class ExperimentLine:
    """An experiment in a list. paths: the controls that it is about."""

    id: int
    kind: str
    title: str
    setup_name: str
    state: ExperimentState
    sentence: str
    paths: list[str]
    created_at: str


def choices(app: Application, review_id: int, setup_id: int) -> QuestionChoices:
    """What can be asked of a setup's display."""
    setup = cells.setup_of(app, review_id, setup_id)
    menu = display(app, setup.unit_id).menu
    mode, state = menu.mode(setup.mode, setup.signal), settings_of(menu, setup)
    controls = [ControlChoice(c.path, called(c.path)) for c in settable(menu, mode, state)]
    others = [
        OfferedSetup(s.id, s.name)
        for s in reviews.setups_of(app.db.connection(), review_id)
        if s.unit_id == setup.unit_id and s.signal == setup.signal and s.id != setup_id
    ]
    several = len(reviews.units_of(app.db.connection(), review_id)) > 1
    kinds = [
        KindChoice(key, k.title, k.control, k.setups)
        for key, k in KINDS.items()
        if k.title and not k.why_not(setup) and (several or key != "samples")
    ]
    return QuestionChoices(kinds, controls, others, {k: TITLES[k][0] for k in FOR[setup.signal]})


def view(app: Application, experiment_id: int) -> ExperimentView:
    """An experiment as it stands."""
    x = experiments.opened(app, experiment_id)
    stages = x.made.stages
    end = experiments.conclusion(app, x)
    back = [a.words for a in experiments.to_do(x, x.made.back, len(x.read))]
    return ExperimentView(
        id=x.row.id,
        review=x.row.review_id,
        setup=x.setup.id,
        setup_name=x.setup.name,
        kind=x.row.kind,
        title=questions.title_of(x.row.kind, x.row.question),
        state=x.row.state,
        message=x.row.message,
        by_hand=not x.shown.can.alone,
        paths=list(x.row.question.get("tried", [])),
        stages=[s.title for s in stages],
        read=len(x.read),
        now=_now(x),
        back=back,
        sentence="" if end is None else end.sentence,
        heads=[] if end is None else list(end.heads),
        rows=[] if end is None else [list(r) for r in end.rows],
        changes=[] if end is None else [_change(x, c) for c in end.changes],
        workaround="" if end is None else end.workaround,
        charts=[] if end is None else list(end.charts),
        applied=bool(x.row.applied),
        firmware=x.row.firmware,
        created_at=x.row.created_at,
    )


def _now(x: OpenExperiment) -> StageView | None:
    if x.next is None or x.row.state == "stopped":
        return None
    stage = x.made.stages[x.next]
    todo = experiments.to_do(x, stage.acts, x.next)
    expected = expected_values(x, x.next)
    look = [(p, text_of(expected.get(p, ""))) for p in stage.look]
    patches = [name_of(p) for p in stage.patches]
    acts, paths = [a.words for a in todo], [a.path for a in todo]
    light = next((a.path for a in todo if a.kind == "light"), "")
    return StageView(
        title=stage.title,
        acts=acts,
        paths=paths,
        patches=patches,
        rgb=[p.rgb for p in stage.patches],
        look=look,
        light=light,
    )


def _change(x: OpenExperiment, c: MapChange) -> ChangeView:
    name = called(c.path)
    control = x.shown.menu.by_path.get(c.path)
    if c.entry == "scope":
        shared = {
            "unit": "is shared by the whole unit",
            "signal": "is shared by one signal",
            "mode": "belongs to each mode",
        }
        words = f"{name} {shared[c.value]}"
    elif c.entry == "resets":
        words = f"{name} resets {', '.join(called(p) for p in c.value)}"
    else:
        parts = [f"{', '.join(called(p) for p in paths)} at {v}" for v, paths in c.value.items()]
        words = f"{name} locks {'; '.join(parts)}"
    return ChangeView(c.path, c.entry, words, control is not None and _says(control, c))


def _says(control: Control, c: MapChange) -> bool:
    """Whether the map says so already."""
    if c.entry == "scope":
        return bool(control.scope == c.value)
    if c.entry == "resets":
        return set(c.value) <= set(control.resets)
    return all(set(paths) <= set(control.locks.get(v, ())) for v, paths in c.value.items())


def lines(app: Application, review_id: int) -> list[ExperimentLine]:
    """The experiments of a review, the newest first."""
    db = app.db.connection()
    names = {s.id: s.name for s in reviews.setups_of(db, review_id)}

    def line(row: ExperimentRow) -> ExperimentLine:
        said = experiments.concluded(app, row).sentence if row.state == "done" else ""
        title, tried = questions.title_of(row.kind, row.question), list(row.question.get("tried", []))
        return ExperimentLine(
            id=row.id,
            kind=row.kind,
            title=title,
            setup_name=names[row.setup_id],
            state=row.state,
            sentence=said,
            paths=tried,
            created_at=row.created_at,
        )

    return [line(row) for row in stored.of_review(db, review_id)]


@dataclass(frozen=True)
class FoundOut:
    """What an experiment found out of a control."""

    experiment: int
    path: str
    sentence: str


def found_out(app: Application, review_id: int, unit_id: int | None) -> list[FoundOut]:
    """What experiments on a sample, the first unless another is named, found out of controls, the newest first."""
    db = app.db.connection()
    unit_id = display_of(app, review_id).row.id if unit_id is None else unit_id
    own = {s.id for s in reviews.setups_of(db, review_id) if s.unit_id == unit_id}
    done = [r for r in stored.of_review(db, review_id) if r.state == "done" and r.setup_id in own]
    return [FoundOut(r.id, path, words) for r in done for path, words in experiments.concluded(app, r).notes.items()]


# -- what a person does ---------------------------------------------------------------------------------------------


SAME = 3.0
"""Readings are the same within this many standard deviations of the meter."""


def without_effect(x: OpenExperiment, stage: int, XYZ: Sequence[Sequence[float] | None], refused: Sequence[str]) -> str:
    """What a stage did for the first time if all its typed readings are those of the stage before; empty if they differ."""
    stages = x.made.stages
    s = stages[stage]
    before = next((i for i in range(stage - 1, -1, -1) if stages[i].patches == s.patches and i < len(x.reads)), None)
    done = {(a.kind, a.path, a.value) for one in stages[:stage] for a in one.acts}
    own = settings_of(x.shown.menu, x.setup)
    new = next(
        (a for a in s.acts if a.kind == "set" and own.get(a.path) != a.value and (a.kind, a.path, a.value) not in done),
        None,
    )
    # In a series of room lights a feature is entered again in each, and mostly does nothing in some.
    if before is None or new is None or new.path in refused or not s.patches or x.row.kind == "conditions":
        return ""
    was = x.reads[before].XYZ
    now_ = np.array([(np.nan,) * 3 if v is None else v for v in XYZ], float)
    now_ = now_ if x.matrix is None else corrected(now_, x.matrix)
    noise = noise_of(x.row.meter)
    u = np.hypot(noise.repeatability * np.abs(was), noise.absolute)
    same = (np.abs(now_ - was) <= SAME * u) | (np.isnan(now_) & np.isnan(was))
    return new.words if same.all() and np.isfinite(now_).any() else ""


def expected_values(x: OpenExperiment, stage: int) -> dict[str, Value]:
    """What the menu should show at a stage."""
    own: dict[str, Value] = dict(x.row.question.get("state", {}))
    stands = experiments.stood(x, stage + 1)
    return own | {x.shown.menu.mode_path: stands.mode or x.setup.mode} | stands.values


def value_typed(x: OpenExperiment, path: str, text: str) -> Value:
    # As it was when the question was asked, whatever became of the menu map since.
    control = menu_from(x.row.question["menu"]).control(path)
    try:
        value: Value = float(text.strip().replace(",", ".")) if control.numeric else text.strip()
        control.check(value)
    except (ValueError, MenuError) as e:
        said = str(e) if isinstance(e, MenuError) else f"{text!r} is no number"
        raise BadInputError("value", f"{path}: {said}. Nothing was stored.", f"stands.{path}") from e
    return value


def learn(app: Application, experiment_id: int) -> None:
    """Write into the menu map what was found out, or into the setup\'s recipe what has to be done because of it.
    ConflictError where nothing was, or the map cannot take it."""
    x = experiments.opened(app, experiment_id)
    end = experiments.conclusion(app, x)
    if end is not None and end.workaround:
        note = SettingNote("workaround", "", "", end.workaround, x.row.firmware)
        if all(n.words != note.words for n in setup_notes.of_setup(app, x.setup.id)):
            setup_notes.write(app, x.row.review_id, x.setup.id, note)
    elif end is None or not end.changes:
        raise ConflictError("experiment", "Nothing was found out that the menu map could say.")
    for c in end.changes:
        evidence = f"experiment {x.row.id} of {x.row.created_at[:10]} on {x.setup.name}"
        fields: dict[str, Any] = {c.entry: c.value, "evidence": evidence}
        menu_edits.change_control(app, x.row.review_id, x.setup.unit_id, c.path, fields)
    with app.db.transaction(of=x.row.review_id) as db:
        stored.set_applied(db, experiment_id)
