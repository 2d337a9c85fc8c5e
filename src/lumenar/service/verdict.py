"""Scores, where the points went, and the recommended settings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lumenar.bench.plan import Cell
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.menu import Menu as DisplayMenu
from lumenar.core.recipes.first import Candidate, Menu, Recipe, recommend
from lumenar.core.scoring.rubric import Line, Score, rank, score, tied
from lumenar.core.targets import Signal, resolve
from lumenar.service import cells, loading
from lumenar.service.application import Application
from lumenar.service.displays import display_of
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True)
class ScoreView:
    """A score with its 95 % interval, or the reason why there is none, and where the points went."""

    purpose: str
    value: float | None
    low: float | None
    high: float | None
    coverage: float
    reason: str
    lines: list[Line]

    @staticmethod
    def of(s: Score) -> ScoreView:
        """The score without its draws."""
        return ScoreView(s.purpose, s.value, s.low, s.high, s.coverage, s.reason, list(s.lines))


@dataclass(frozen=True)
class ModeScore:
    """One setup's score for one purpose, with where the points went."""

    setup: int
    name: str
    signal: Signal
    target: str
    target_title: str
    shipped: bool
    """Whether it is what the mode ships with, no value changed."""
    score: ScoreView
    tied_with_best: bool


@dataclass(frozen=True)
class PurposeVerdict:
    """All setups' scores for one purpose, best first, and the recipe."""

    purpose: str
    title: str
    modes: list[ModeScore]
    recipe: Recipe | None


@dataclass(frozen=True)
class Verdict:
    """The verdict on a review, with the rubric it was reached by and what is missing before publication."""

    rubric: str
    rubric_hash: str
    purposes: list[PurposeVerdict]
    gaps: list[str]


def scores(
    app: Application, review_id: int, purpose: str, now: cells.Newest | None = None
) -> list[tuple[SetupRow, Score]]:
    """Every setup's score for one purpose, in the order of the modes; `now` is the state of the cells where it is known."""
    return all_scores(app, review_id, [purpose], now)[purpose]


def all_scores(
    app: Application, review_id: int, purposes: Iterable[str], now: cells.Newest | None = None
) -> dict[str, list[tuple[SetupRow, Score]]]:
    """`scores` for several purposes."""
    now = now or cells.newest(app, review_id)
    setups = reviews.setups_of(app.db.connection(), review_id)
    cells.ensure(app, now.complete, {s.id: s.target for s in setups})
    return {p: [(s, _score(app, s, now, p)) for s in setups] for p in purposes}


def _score(app: Application, setup: SetupRow, now: cells.Newest, purpose: str) -> Score:
    runs = tuple((m, r.run_id) for m, r in now.by_setup.get(setup.id, {}).items())
    key = ("score", setup.id, setup.target, runs, purpose, app.rubric.hash)
    value: Score = app.cache.get(key, lambda: score(app.rubric, purpose, cells.analyses_of(app, setup, now)))
    return value


def best_modes(app: Application, review_id: int, now: cells.Newest | None = None) -> list[tuple[str, SetupRow, Score]]:
    """For each purpose with a score: the purpose, the best setup of the first sample and its score."""
    best = []
    first = display_of(app, review_id).row.id
    for purpose, every in all_scores(app, review_id, app.rubric.purposes, now).items():
        known = [(s, v) for s, v in every if v.value is not None and s.unit_id == first]
        if known:
            setup, value = max(known, key=lambda item: rank(item[1]))
            best.append((purpose, setup, value))
    return best


def menu_of(known: DisplayMenu) -> Menu:
    """What recipes need of a display's menu."""
    luminance = known.luminance_control
    return Menu(
        mode_path=known.mode_path,
        luminance=luminance.path if luminance else None,
        step=luminance.step if luminance else 1.0,
        others=[
            (c.path, c.default, c.role or "") for c in known.controls if c.default is not None and c.role != "luminance"
        ],
        locked={m.name: list(m.locks) for m in known.modes},
    )


def verdict(app: Application, review_id: int) -> Verdict:
    """Scores, recipes and gaps of a review."""
    shown = display_of(app, review_id)
    unit = shown.row
    now = cells.newest(app, review_id)
    every = all_scores(app, review_id, app.rubric.purposes, now)
    purposes = []
    for purpose in app.rubric.purposes.values():
        known = every[purpose.key]
        known.sort(key=lambda item: -rank(item[1]))
        best = known[0][1]
        modes = [
            ModeScore(
                s.id,
                s.name,
                s.signal,
                s.target,
                resolve(s.target).title,
                bool(s.shipped) and not s.changes,
                ScoreView.of(v),
                v is not best and tied(v, best),
            )
            for s, v in known
        ]
        # Settings are recommended for the modes as shipped, by what the first sample shows.
        shipped = [(s, v) for s, v in known if s.unit_id == unit.id and s.shipped and not s.changes]
        candidates = [Candidate(s.name, s.mode, v, cells.analyses_of(app, s, now)) for s, v in shipped]
        samples = len({s.unit_id for s, v in known if v.value is not None})
        recipe = recommend(purpose.key, purpose.title, candidates, menu_of(shown.menu), samples)
        purposes.append(PurposeVerdict(purpose.key, purpose.title, modes, recipe))
    rubric = f"{app.rubric.name} {app.rubric.version}"
    return Verdict(rubric, app.rubric.hash, purposes, gaps(app, review_id, now))


def gaps(app: Application, review_id: int, now: cells.Newest) -> list[str]:
    """What is missing or doubtful before publication, one sentence each."""
    found = []
    for setup in reviews.setups_of(app.db.connection(), review_id):
        wanted = [m for m in MEASUREMENTS.values() if setup.signal in m.signals]
        missing = [m.title.lower() for m in wanted if Cell(setup.id, m.key) not in now.complete]
        stale = [m.title.lower() for m in wanted if Cell(setup.id, m.key) in now.stale]
        if len(missing) == len(wanted):
            found.append(f"{setup.name}: not measured.")
        elif missing:
            found.append(f"{setup.name}: {', '.join(missing)} not measured.")
        if stale:
            found.append(f"{setup.name}: {', '.join(stale)} stale, left out.")
    if uncorrected := {r.run_id for r in now.fresh.values() if loading.limits(app, r.run_id)[1] is None}:
        count = len(uncorrected)
        runs = "1 run was" if count == 1 else f"{count} runs were"
        found.append(f"{runs} read without a correction for the panel type.")
    found.append("The recipe was not replayed after a factory reset.")
    return found
