"""The recipe of a setup, ordered from a factory reset, with what it promises and what its replays gave."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lumenar.core.analysis import Analysis, analyse
from lumenar.core.colour.correction import corrected
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.measurements.base import MissingPatchError
from lumenar.core.menu import MenuError
from lumenar.core.meter_limits import MeterLimits
from lumenar.core.numbers import significant
from lumenar.core.readings import Patch, collect
from lumenar.core.recipes.ordered import Note, OrderedStep, annotated, ordered_steps
from lumenar.core.recipes.purpose import Candidate, luminance_by_room
from lumenar.core.scoring.rubric import Score
from lumenar.core.targets import Target, resolve
from lumenar.service import cells, host_reports, recipe_notes, tunings, verdict
from lumenar.service.application import Application
from lumenar.service.displays import Display, display
from lumenar.service.errors import ConflictError, NotFoundError
from lumenar.service.reasons import reasons
from lumenar.service.recipe_notes import NoteView, replay_said
from lumenar.service.worth import proof_of
from lumenar.store import corrections, replays, reviews
from lumenar.store import host_reports as stored_reports
from lumenar.store.replays import ReplayRow, ReplayState
from lumenar.store.reviews import SetupRow

PROMISED = (
    ("white_black", "white_cd_m2", "Luminance", "cd/m²", 1, 0.05, True),
    ("white_black", "white_de2000", "White", "dE", 2, 1.0, False),
    ("grey_ramp", "de2000_mean", "Greys, mean", "dE", 2, 0.7, False),
    ("grey_ramp", "curve_rms_lstar", "Curve", "L*", 2, 1.0, False),
    ("pq_tracking", "code_rms_percent", "PQ error", "% of code", 2, 1.0, False),
    ("gamut", "de2000_mean", "Corners, mean", "dE", 2, 1.0, False),
    ("gamut", "coverage_target_uv_percent", "Coverage", "%", 1, 1.0, False),
)
"""Measurement, figure, title, unit, decimals; how far a replay may be from what was promised, as a share where the last says so:
what a viewer would not see, with room for a meter that was set up anew."""


@dataclass(frozen=True)
class PromisedFigure:
    """One figure that a recipe promises, and what its replays gave: of the sample it was made on and of others, by sample."""

    figure: str
    title: str
    unit: str
    decimals: int
    expected: float | None
    replayed: float | None
    kept: bool | None
    others: dict[str, float]


@dataclass(frozen=True)
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


@dataclass(frozen=True)
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
    luminance_table: list[tuple[float, float | None]]
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
    notes = recipe_notes.of_setup(app, setup_id)
    control = shown.menu.luminance_control
    promised = _promised(app, setup, expected, rows)
    own = next((r for r in rows if r.unit_id == setup.unit_id and r.state in ("done", "failed")), None)
    return RecipeView(
        review_id, setup_id, setup.name, shown.row.name, shown.row.sample, shown.row.firmware, resolve(setup.target).title,
        "Reset the display to how it left the factory, so that nothing of before is left.",
        steps, notes, [n.words for n in notes if n.kind == "say"],
        control.path if control else "", _table(app, review_id, setup, shown, newest),
        _purposes(app, review_id, setup, newest), promised, _to_enter(app, review_id, setup, newest),
        _caveats(app, setup, own, rows),
        [_replay_view(app, setup, expected, r, units[r.unit_id].sample) for r in rows if r.unit_id in units],
        [SampleChoice(u.id, u.sample, u.id == setup.unit_id) for u in units.values()], not shown.stand_in,
    )  # fmt: skip


def _table(
    app: Application, review_id: int, setup: SetupRow, shown: Display, newest: cells.Newest
) -> list[tuple[float, float | None]]:  # fmt: skip
    """Values of the luminance control by the room."""
    nothing = Score("", None, None, None, 0.0, "", ())
    same = [
        s for s in reviews.setups_of(app.db.connection(), review_id)
        if (s.unit_id, s.mode, s.signal) == (setup.unit_id, setup.mode, setup.signal)
    ]  # fmt: skip
    candidates = {
        s.id: Candidate(
            str(s.id), s.name, s.mode, s.signal, not s.changes, s.changes, nothing, cells.analyses_of(app, s, newest)
        )
        for s in same
    }
    return list(luminance_by_room(candidates[setup.id], list(candidates.values()), shown.menu))


def _purposes(app: Application, review_id: int, setup: SetupRow, newest: cells.Newest) -> list[PurposeOf]:
    """What the setup scores for each purpose, beside the best."""
    found = []
    every = verdict.all_scores(app, review_id, app.rubric.purposes, newest)
    for best in verdict.best_modes(app, review_id, newest):
        own = next((v for s, v in every[best.purpose] if s.id == setup.id), None)
        chosen, score = best.of_all
        found.append(
            PurposeOf(
                best.purpose, app.rubric.purposes[best.purpose].title, None if own is None else own.value, chosen.id, chosen.name,
                score.value or 0.0,
            )
        )  # fmt: skip
    return found


def written_steps(app: Application, setup: SetupRow) -> list[OrderedStep]:
    """A setup's steps with what people wrote to them, as they are read and entered. ConflictError as of `steps_of`."""
    notes = [Note(n.kind, n.path, n.value, n.words, n.until) for n in recipe_notes.of_setup(app, setup.id)]
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
    tracking, peak = analyses.get("pq_tracking"), analyses.get("peak")
    clip = None if tracking is None else tracking.scalar("clip_cd_m2")
    if tracking is None or clip is None:
        return [
            "Measure PQ tracking: it shows from where on nothing more comes, which is what games and systems ask for."
        ]
    light = tracking.scalar("peak_cd_m2") or clip
    beyond = (
        ""
        if abs(light / clip - 1) < 1 - WHOLE_SHARE
        else f", though the display shows {significant(light, 3)} cd/m² of it"
    )
    said = [f"Most light: {significant(clip, 3)} cd/m², from where on nothing more comes{beyond}."]
    whole = None if peak is None else peak.scalar("sustained_full_cd_m2")
    if whole is not None and whole < WHOLE_SHARE * light:
        said.append(f"Most light of a whole screen: {significant(whole, 3)} cd/m², as it holds it.")
    black = None if "white_black" not in analyses else analyses["white_black"].scalar("black_cd_m2")
    if black is not None:
        said.append(f"Least light: {significant(black, 2)} cd/m².")
    reports = stored_reports.of_review(app.db.connection(), review_id)
    if (report := host_reports.beside(app, newest, [setup], reports).get(setup.id)) is not None:
        said.append(report.words)
    return said


def _caveats(app: Application, setup: SetupRow, own: ReplayRow | None, rows: Sequence[ReplayRow]) -> list[str]:
    unit = display(app, setup.unit_id).row
    others = {r.unit_id for r in rows if r.state == "done" and r.unit_id != setup.unit_id}
    firmware = f"firmware {unit.firmware}" if unit.firmware else "a firmware that nobody recorded"
    said = [f"Found on sample {unit.sample} with {firmware}."]
    if own is None:
        said.append("Not replayed yet: nobody has entered it from a factory reset and measured what it gives.")
    else:
        said.append(replay_said(own, unit.firmware, 0))
    if others:
        said.append(
            f"Entered on {len(others)} other sample{'s' if len(others) > 1 else ''} too; the table says how far they differ."
        )
    else:
        said.append(
            "Samples differ: on another one the gains may not fit. Luminance and mode carry over, white may not."
        )
    return said


# -- what it promises -------------------------------------------------------------------------------------------------


def _promised(
    app: Application, setup: SetupRow, expected: Mapping[str, Analysis], rows: Sequence[ReplayRow]
) -> list[PromisedFigure]:  # fmt: skip
    """What the setup's proof shows, held against what its newest replay gave, and beside what those on other samples gave."""
    target = resolve(setup.target)
    newest = {r.unit_id: figures_of(app, r, target) for r in reversed(rows) if r.state == "done"}
    mine = newest.pop(setup.unit_id, {})
    samples = {u.id: u.sample for u in reviews.units_of(app.db.connection(), _review_of(app, setup.id))}
    theirs = {samples[u]: f for u, f in newest.items() if u in samples}
    out = []
    for measurement, key, title, unit, decimals, tolerance, relative in PROMISED:
        if setup.signal not in MEASUREMENTS[measurement].signals:
            continue
        name = f"{measurement}.{key}"
        wanted = expected[measurement].scalar(key) if measurement in expected else None
        got = mine.get(name)
        others = {s: f[name] for s, f in theirs.items() if name in f}
        if wanted is not None or got is not None:
            kept = _kept(wanted, got, tolerance, relative)
            out.append(PromisedFigure(name, title, unit, decimals, wanted, got, kept, others))
    return out


def _kept(wanted: float | None, got: float | None, tolerance: float, relative: bool) -> bool | None:
    if wanted is None or got is None:
        return None
    return abs(got - wanted) <= (tolerance * abs(wanted) if relative else tolerance)


def figures_of(app: Application, row: ReplayRow, target: Target) -> dict[str, float]:
    """The figures of a replay that recipes promise, by name; those of which it read too little are left out."""
    if len(row.XYZ) != len(row.patches):
        return {}
    XYZ = np.array([(np.nan,) * 3 if v is None else v for v in row.XYZ], float)
    if row.correction_id is not None and (c := corrections.get(app.db.connection(), row.correction_id)) is not None:
        XYZ = corrected(XYZ, c.matrix)
    limits = MeterLimits(float(row.meter.get("repeatability", 0.002)), float(row.meter.get("floor", 0.0)))
    patches = [Patch((p[0], p[1], p[2])) for p in row.patches]
    readings = collect(patches, np.nan_to_num(XYZ), np.isnan(XYZ[:, 1]), limits)
    found: dict[str, float] = {}
    for measurement, key, *_ in PROMISED:
        try:
            value = analyse(measurement, readings, target, uncertain=False).scalar(key)
        except MissingPatchError:
            continue
        if value is not None:
            found[f"{measurement}.{key}"] = value
    return found


def _replay_view(
    app: Application, setup: SetupRow, expected: Mapping[str, Analysis], row: ReplayRow, sample: str
) -> ReplayView:  # fmt: skip
    kept: bool | None = False if row.state == "failed" else None
    if row.state == "done":
        # What another sample gave is held to the same promises.
        own = [replace(row, unit_id=setup.unit_id)]
        known = [f.kept for f in _promised(app, setup, expected, own) if f.kept is not None]
        kept = all(known) if known else None
    patches = [Patch((p[0], p[1], p[2])) for p in row.patches]
    return ReplayView(
        row.id, sample, row.unit_id, row.state, row.message, row.firmware, row.created_at, kept,
        [tunings.name_of(p) for p in patches], [p.rgb for p in patches],
    )  # fmt: skip
