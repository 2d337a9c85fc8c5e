"""The recipe of a setup, ordered from a factory reset, with what it promises and what its replays gave."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.displays import Display, display
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.recipes import expected_results
from lumenar.app.recipes.expected_results import PromisedFigure
from lumenar.app.recipes.setting_reasons import reasons
from lumenar.app.scoring import setup_scores
from lumenar.app.setups import host_reports, setup_notes
from lumenar.app.setups.setup_notes import NoteView
from lumenar.app.tuning import tunings
from lumenar.app.tuning.gains import proof_of
from lumenar.core.analysis import Analysis, value_of
from lumenar.core.measurements import peak, pq_tracking, white_black
from lumenar.core.menu.controls import MenuError
from lumenar.core.numbers import significant
from lumenar.core.readings.patches import Patch
from lumenar.core.recipes.luminance import RoomSetting
from lumenar.core.recipes.purpose import Candidate, luminance_by_room
from lumenar.core.recipes.steps import OrderedStep, SettingNote, annotated, ordered_steps
from lumenar.core.scoring.score import Score
from lumenar.core.targets import resolve
from lumenar.store import host_reports as stored_reports
from lumenar.store import replays, reviews
from lumenar.store.replays import ReplayRow, ReplayState
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True, kw_only=True)
class ReplayView:
    """One replay. kept: every promise was, None while that is not known."""

    id: int
    sample: str
    unit: int
    state: ReplayState
    message: str
    firmware: str
    created_at: str
    kept: bool | None
    patches: list[str]
    rgb: list[tuple[float, float, float]]


@dataclass(frozen=True)
class SampleChoice:
    """A sample that a recipe can be replayed on."""

    unit: int
    sample: str
    same: bool


@dataclass(frozen=True)
class PurposeOf:
    """What the setup scores for a purpose; best: the setup that scores best for it, where that is another."""

    purpose: str
    title: str
    value: float | None
    best_setup: int
    best_name: str
    best_value: float


@dataclass(frozen=True, kw_only=True)
class RecipeView:
    """A setup's recipe, with what it promises and how its replays went. enter: of a setup for PQ, what to answer where a game or
    a system asks for the display's peak."""

    review: int
    setup: int
    name: str
    display: str
    sample: str
    firmware: str
    target: str
    reset: str
    steps: list[OrderedStep]
    notes: list[NoteView]
    text: list[str]
    luminance: str
    by_room: list[RoomSetting]
    purposes: list[PurposeOf]
    promised: list[PromisedFigure]
    enter: list[str]
    caveats: list[str]
    replays: list[ReplayView]
    samples: list[SampleChoice]
    by_hand: bool


# -- the recipe -----------------------------------------------------------------------------------------------------


def recipe(app: Application, review_id: int, setup_id: int) -> RecipeView:
    """The recipe of a setup. ConflictError names settings that cannot all be had."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown = display(app, setup.unit_id)
    steps = written_steps(app, setup)
    rows = replays.of_setup(app.db.connection(), setup_id)
    units = {u.id: u for u in reviews.units_of(app.db.connection(), review_id)}
    newest = cells.newest(app, review_id)
    expected = proof_of(app, newest, setup_id, setup.target)
    notes = setup_notes.of_setup(app, setup_id)
    control = shown.menu.luminance_control
    figures = expected_results.promised(app, review_id, setup, expected, rows)
    return RecipeView(
        review=review_id,
        setup=setup_id,
        name=setup.name,
        display=shown.row.name,
        sample=shown.row.sample,
        firmware=shown.row.firmware,
        target=resolve(setup.target).title,
        reset="Reset the display to factory settings, so that no earlier setting remains.",
        steps=steps,
        notes=notes,
        text=[n.words for n in notes if n.kind == "say"],
        luminance=control.path if control else "",
        by_room=_table(app, review_id, setup, shown, newest),
        purposes=_purposes(app, review_id, setup, newest),
        promised=figures,
        enter=_to_enter(app, review_id, setup, newest),
        caveats=_caveats(app, setup, expected_results.said_of_replays(app, review_id, setup, expected, rows)),
        replays=[_replay_view(app, setup, expected, r, units[r.unit_id].sample) for r in rows if r.unit_id in units],
        samples=[SampleChoice(u.id, u.sample, u.id == setup.unit_id) for u in units.values()],
        by_hand=not shown.can.alone,
    )


def _table(
    app: Application, review_id: int, setup: SetupRow, shown: Display, newest: cells.Newest
) -> list[RoomSetting]:
    """Values of the luminance control by room, and for every purpose of the setup's signal."""
    nothing = Score(purpose="", value=None, low=None, high=None, coverage=0.0, reason="", lines=())
    same = [
        s
        for s in reviews.setups_of(app.db.connection(), review_id)
        if (s.unit_id, s.mode, s.signal) == (setup.unit_id, setup.mode, setup.signal)
    ]
    candidates = {
        s.id: Candidate(
            key=str(s.id),
            name=s.name,
            mode=s.mode,
            signal=s.signal,
            shipped=not s.changes,
            changes=s.changes,
            score=nothing,
            analyses=cells.analyses_of(app, s, newest),
        )
        for s in same
    }
    purposes = {
        p.title: p.luminance
        for p in app.rubric.purposes.values()
        if p.signal == setup.signal and p.luminance is not None
    }
    return list(luminance_by_room(candidates[setup.id], list(candidates.values()), shown.menu, purposes))


def _purposes(app: Application, review_id: int, setup: SetupRow, newest: cells.Newest) -> list[PurposeOf]:
    """What the setup scores for each purpose, beside the best."""
    found = []
    every = setup_scores.all_scores(app, review_id, app.rubric.purposes, newest)
    for best in setup_scores.best_modes(app, review_id, newest):
        own = next((v for s, v in every[best.purpose] if s.id == setup.id), None)
        chosen, score = best.of_all
        found.append(
            PurposeOf(
                best.purpose,
                app.rubric.purposes[best.purpose].title,
                None if own is None else own.value,
                chosen.id,
                chosen.name,
                score.value or 0.0,
            )
        )
    return found


def written_steps(app: Application, setup: SetupRow) -> list[OrderedStep]:
    """A setup's steps with what people wrote to them, as they are read and entered. ConflictError as of `steps_of`."""
    notes = [SettingNote(n.kind, n.path, n.value, n.words, n.until) for n in setup_notes.of_setup(app, setup.id)]
    return annotated(steps_of(app, setup), notes, display(app, setup.unit_id).row.firmware)


def steps_of(app: Application, setup: SetupRow) -> list[OrderedStep]:
    """A setup's steps from a factory reset. ConflictError names settings that cannot all be had."""
    shown = display(app, setup.unit_id)
    whys = reasons(app, _review_of(app, setup.id)).get(setup.id, {})
    try:
        mode = shown.menu.mode(setup.mode, setup.signal)
        return ordered_steps(shown.menu, mode, setup.changes, whys, _mode_why(setup))
    except MenuError as e:
        raise ConflictError("menu", f"{setup.name} cannot be written as a recipe: {e}.") from e


def _mode_why(setup: SetupRow) -> str:
    return f"What is set below was found in this mode, against {resolve(setup.target).title}."


def _review_of(app: Application, setup_id: int) -> int:
    found = reviews.setup(app.db.connection(), setup_id)
    if found is None:
        raise NotFoundError("setup", f"There is no setup {setup_id}.")
    return found[1]


WHOLE_SHARE = 0.95
"""A whole screen that has less of the peak than this is asked about too."""


def _to_enter(app: Application, review_id: int, setup: SetupRow, newest: cells.Newest) -> list[str]:
    """What to answer where a game or a system asks for the display's peak, from what was measured."""
    if setup.signal != "pq":
        return []
    analyses = cells.analyses_of(app, setup, newest)
    clip = value_of(analyses, pq_tracking.CLIP)
    if clip is None:
        return ["Measure PQ tracking to see where output clips. Games and systems ask for that value."]
    light = value_of(analyses, pq_tracking.PEAK) or clip
    beyond = (
        ""
        if abs(light / clip - 1) < 1 - WHOLE_SHARE
        else f", though the display shows {significant(light, 3)} cd/m² of it"
    )
    said = [f"Peak luminance: {significant(clip, 3)} cd/m², where output clips{beyond}."]
    whole = value_of(analyses, peak.SUSTAINED)
    if whole is not None and whole < WHOLE_SHARE * light:
        said.append(f"Full-screen luminance, sustained: {significant(whole, 3)} cd/m².")
    black = value_of(analyses, white_black.BLACK_LEVEL)
    if black is not None:
        said.append(f"Black: {significant(black, 2)} cd/m².")
    reports = stored_reports.of_review(app.db.connection(), review_id)
    if (report := host_reports.beside(app, newest, [setup], reports).get(setup.id)) is not None:
        said.append(report.words)
    return said


def _caveats(app: Application, setup: SetupRow, replayed: str) -> list[str]:
    unit = display(app, setup.unit_id).row
    firmware = f"firmware {unit.firmware}" if unit.firmware else "a firmware that nobody recorded"
    return [
        f"Found on sample {unit.sample} with {firmware}.",
        replayed or "Not replayed yet: nobody has entered it from a factory reset and measured what it gives.",
        "Samples differ: on another one the gains may not fit. Luminance and mode carry over, white may not.",
    ]


def _replay_view(
    app: Application, setup: SetupRow, expected: Mapping[str, Analysis], row: ReplayRow, sample: str
) -> ReplayView:
    kept: bool | None = False if row.state == "failed" else None
    if row.state == "done":
        kept = expected_results.kept(expected_results.of_replay(app, row.review_id, setup, expected, row))
    patches = [Patch((p[0], p[1], p[2])) for p in row.patches]
    return ReplayView(
        id=row.id,
        sample=sample,
        unit=row.unit_id,
        state=row.state,
        message=row.message,
        firmware=row.firmware,
        created_at=row.created_at,
        kept=kept,
        patches=[tunings.name_of(p) for p in patches],
        rgb=[p.rgb for p in patches],
    )
