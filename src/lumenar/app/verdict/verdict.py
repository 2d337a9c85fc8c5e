"""Scores, where the points went, and the recommended settings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from lumenar.app.application import Application
from lumenar.app.displays.displays import Display, display_of
from lumenar.app.figures import cells
from lumenar.app.recipes import advice
from lumenar.app.scoring.setup_scores import ModeScore, Scored, all_scores, mode_scores
from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.numbers import mid_sentence
from lumenar.core.recipes.purpose import Advice, Candidate, Recipe, recommend
from lumenar.core.recipes.shared_steps import with_shared
from lumenar.core.scoring.rubric import Purpose
from lumenar.core.targets import resolve
from lumenar.store import reviews, runs


@dataclass(frozen=True)
class PurposeVerdict:
    """All setups' scores for one purpose, best first, and the recipe. judged_by: the target's title where it is not each
    setup's own."""

    purpose: str
    title: str
    meaning: str
    judged_by: str
    modes: list[ModeScore]
    recipe: Recipe | None


@dataclass(frozen=True)
class Verdict:
    """The verdict on a review, with the rubric it was reached by and what is missing before publication."""

    rubric: str
    rubric_hash: str
    purposes: list[PurposeVerdict]
    gaps: list[str]


def verdict(app: Application, review_id: int) -> Verdict:
    """Scores, recipes and gaps of a review."""
    shown = display_of(app, review_id)
    now = cells.newest(app, review_id)
    every = all_scores(app, review_id, app.rubric.purposes, now)
    said = advice.advice(app, review_id, {s.id: str(s.id) for s, _ in next(iter(every.values()))})
    analyses = {s.id: cells.analyses_of(app, s, now) for s, _ in next(iter(every.values()))}
    purposes = []
    for purpose in app.rubric.purposes.values():
        known = [(s, v) for s, v in every[purpose.key] if s.signal == purpose.signal]
        judged_by = resolve(purpose.target).title if purpose.target else ""
        recipe = _recipe(purpose, known, shown, analyses, said)
        purposes.append(
            PurposeVerdict(purpose.key, purpose.title, purpose.meaning, judged_by, mode_scores(known), recipe)
        )
    told = with_shared({p.purpose: p.recipe for p in purposes}, {p.purpose: p.title for p in purposes})
    purposes = [replace(p, recipe=told[p.purpose]) for p in purposes]
    rubric = f"{app.rubric.name} {app.rubric.version}"
    return Verdict(rubric, app.rubric.hash, purposes, gaps(app, review_id, now, [p.recipe for p in purposes]))


def _recipe(
    purpose: Purpose,
    known: Sequence[Scored],
    shown: Display,
    analyses: Mapping[int, Mapping[str, Analysis]],
    said: Advice,
) -> Recipe | None:
    """Settings for a purpose, by what the first sample shows."""
    candidates = [
        Candidate(
            key=str(s.id),
            name=s.name,
            mode=s.mode,
            signal=s.signal,
            shipped=not s.changes,
            changes=s.changes,
            score=v,
            analyses=analyses[s.id],
        )
        for s, v in known
        if s.unit_id == shown.row.id
    ]
    samples = len({s.unit_id for s, v in known if v.value is not None})
    return recommend(
        purpose=purpose.key,
        title=purpose.title,
        candidates=candidates,
        menu=shown.menu,
        advice=said,
        samples=samples,
        firmware=shown.row.firmware,
        luminance=purpose.luminance,
    )


def gaps(app: Application, review_id: int, now: cells.Newest, recipes: Sequence[Recipe | None]) -> list[str]:
    """What is missing or doubtful before publication, one sentence each. recipes: those that will be recommended."""
    found = []
    for setup in reviews.setups_of(app.db.connection(), review_id):
        wanted = [m for m in MEASUREMENTS.values() if setup.signal in m.signals]
        missing = [mid_sentence(m.title) for m in wanted if Cell(setup.id, m.key) not in now.complete]
        stale = [mid_sentence(m.title) for m in wanted if Cell(setup.id, m.key) in now.stale]
        if len(missing) == len(wanted):
            found.append(f"{setup.name}: not measured.")
        elif missing:
            found.append(f"{setup.name}: {', '.join(missing)} not measured.")
        if stale:
            found.append(f"{setup.name}: {', '.join(stale)} stale, left out.")
    if uncorrected := runs.uncorrected(app.db.connection(), {r.run_id for r in now.fresh.values()}):
        count = len(uncorrected)
        said = "1 run was" if count == 1 else f"{count} runs were"
        found.append(f"{said} read without a correction for the panel type.")
    failed = list(dict.fromkeys(r.name for r in recipes if r is not None and r.replay_failed))
    if failed:
        found.append(f"Replayed from a factory reset, and failed: {', '.join(failed)}.")
    unproven = [r.name for r in recipes if r is not None and not r.replayed and not r.replay_failed]
    unproven = list(dict.fromkeys(unproven))
    if unproven:
        found.append(f"Not replayed after a factory reset: {', '.join(unproven)}.")
    return found
