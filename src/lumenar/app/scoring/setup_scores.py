"""Scores of setups for purposes: computed from figures that still hold, ranked, and kept by what they depend on."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.displays import display_of
from lumenar.app.figures import cells
from lumenar.core.analysis import Analysis
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.scoring.rubric import Purpose
from lumenar.core.scoring.score import Line, Score, rank, score, tied
from lumenar.core.targets import Signal, resolve
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True, kw_only=True)
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
        return ScoreView(
            purpose=s.purpose,
            value=s.value,
            low=s.low,
            high=s.high,
            coverage=s.coverage,
            reason=s.reason,
            lines=list(s.lines),
        )


@dataclass(frozen=True, kw_only=True)
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
    wanted = [app.rubric.purposes[p] for p in purposes]
    cells.ensure(app, now.complete, {s.id: s.target for s in setups})
    for p in wanted:
        ensure_for(app, setups, now, p)
    return {p.key: [(s, _score(app, s, now, p)) for s in setups] for p in wanted}


def ensure_for(app: Application, setups: Sequence[SetupRow], now: cells.Newest, purpose: Purpose) -> None:
    """See that analyses are there against the target that a purpose judges by where that is another than declared."""
    others = {s.id: t for s in setups if (t := purpose.judges_by(s.target)) != s.target}
    needed = app.rubric.measurements_for(purpose)
    wanted = {
        c: r
        for c, r in now.complete.items()
        if c.setup in others and c.measurement in needed and MEASUREMENTS[c.measurement].against_target
    }
    if wanted:
        cells.ensure(app, wanted, others)


def judged(app: Application, setup: SetupRow, now: cells.Newest, purpose: Purpose) -> dict[str, Analysis]:
    """The analyses that a purpose judges a setup by: against its declared target, or the purpose's."""
    target = purpose.judges_by(setup.target)
    if target == setup.target:
        return cells.analyses_of(app, setup, now)
    found = {}
    for m, row in now.by_setup.get(setup.id, {}).items():
        if m in app.rubric.measurements_for(purpose):
            by = target if MEASUREMENTS[m].against_target else setup.target
            found[m] = cells.tried(app, row, resolve(by))
    return {m: a for m, a in found.items() if isinstance(a, Analysis)}


def _score(app: Application, setup: SetupRow, now: cells.Newest, purpose: Purpose) -> Score:
    read = tuple((m, r.run_id, r.over) for m, r in now.by_setup.get(setup.id, {}).items())
    stale = tuple(sorted(c.measurement for c in now.stale if c.setup == setup.id))
    # A purpose's key says which one, its weights what it is: one that is only being tried has the same key.
    key = (
        "score",
        setup.id,
        setup.target,
        read,
        stale,
        purpose.key,
        purpose.target,
        purpose.signal,
        tuple(purpose.weights.items()),
        purpose.core,
    )
    value: Score = app.cache.get(
        key, lambda: score(app.rubric, purpose, judged(app, setup, now, purpose), setup.signal, stale)
    )
    return value


Scored = tuple[SetupRow, Score]


@dataclass(frozen=True)
class Best:
    """The best of the first sample for a purpose: of all setups, and of the modes as they ship."""

    purpose: str
    of_all: Scored
    as_shipped: Scored | None


def best_modes(app: Application, review_id: int, now: cells.Newest | None = None) -> list[Best]:
    """The best setups for each purpose with a score."""
    found = []
    first = display_of(app, review_id).row.id
    for purpose, every in all_scores(app, review_id, app.rubric.purposes, now).items():
        known = [(s, v) for s, v in every if v.value is not None and s.unit_id == first]
        if known:
            shipped = [(s, v) for s, v in known if as_shipped(s)]
            best = max(known, key=lambda item: rank(item[1]))
            found.append(Best(purpose, best, max(shipped, key=lambda item: rank(item[1]), default=None)))
    return found


def as_shipped(setup: SetupRow) -> bool:
    """Whether a setup is what its mode ships with, no value changed."""
    return bool(setup.shipped) and not setup.changes


def mode_scores(known: Sequence[Scored]) -> list[ModeScore]:
    """Setups with their scores, best first."""
    ranked = sorted(known, key=lambda item: -rank(item[1]))
    best = ranked[0][1] if ranked else None
    return [
        ModeScore(
            setup=s.id,
            name=s.name,
            signal=s.signal,
            target=s.target,
            target_title=resolve(s.target).title,
            shipped=as_shipped(s),
            score=ScoreView.of(v),
            tied_with_best=best is not None and v is not best and tied(v, best),
        )
        for s, v in ranked
    ]
