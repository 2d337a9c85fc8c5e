"""Is a tuning worth it? The setup it began from and its result, measured for the same things and compared in pairs."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.figures import cells
from lumenar.app.scoring import setup_scores
from lumenar.app.setups import setups
from lumenar.app.tuning import tunings
from lumenar.bench.plan import Cell
from lumenar.core.analysis import Analysis
from lumenar.core.figures import difference_u
from lumenar.core.measurements import COMPARED, MEASUREMENTS, Figure, first_pass, near_black, white_black
from lumenar.core.measurements import greys as greys_of
from lumenar.core.numbers import grouped
from lumenar.core.scoring.score import LEAST_POINTS, gain_of_known
from lumenar.core.scoring.score import gain as scored_gain
from lumenar.core.targets import resolve
from lumenar.store import reviews
from lumenar.store import tunings as stored_tunings

PURPOSES = {"pq": "hdr_film"}
"""What a result is judged for where the purpose that was asked about is for another signal."""
LEAST_DE = 0.3
"""A gain under one point of the purpose's score, or under so much mean dE2000 where there is no score, is not worth a person's
trouble."""
SURE = 1.96


@dataclass(frozen=True, kw_only=True)
class PairedFigure:
    """One figure before and after: gain is how much better it became, with its 95 % interval, None where it is not known."""

    figure: str
    title: str
    unit: str
    decimals: int
    before: float | None
    after: float | None
    gain: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, kw_only=True)
class Worth:
    """proven: both were measured; worth_it: None while that is not so; gain: the figure that decided; cost: of luminance and
    contrast, as shares."""

    proven: bool
    worth_it: bool | None
    sentence: str
    gain: PairedFigure | None
    figures: list[PairedFigure]
    before: int
    after: int | None
    missing: int


def prove(app: Application, bench: BenchService, tuning_id: int) -> int:
    """Measure the result, and what it began from where that is not fresh. Returns the run. ConflictError where nothing was kept
    or both are measured."""
    t = tunings.opened(app, tuning_id)
    if t.row.result_id is None:
        raise ConflictError("tuning", "Keep the result as a setup first.")
    return _measured(app, bench, t, (t.row.setup_id, t.row.result_id))


def _measured(app: Application, bench: BenchService, t: tunings.OpenTuning, pair: tuple[int, int]) -> int:
    """Measure of a pair what is not fresh. Returns the run; ConflictError where nothing is missing."""
    now = cells.newest(app, t.row.review_id)
    wanted = [c for c in _proof(app, t, now, pair) if c not in now.fresh]
    if not wanted:
        raise ConflictError("tuning", "Both are measured already.")
    return bench.runs.start(t.row.review_id, wanted)


def _proof(app: Application, t: tunings.OpenTuning, now: cells.Newest, pair: tuple[int, int]) -> list[Cell]:
    """What a pair of setups is proven by: the same for every tuning of a signal, and what the core figures of its purpose take
    where the first of the pair was measured for that, or where shadows were lifted for it."""
    signal = cells.setup_of(app, t.row.review_id, pair[0]).signal
    purpose = app.rubric.purposes.get(t.row.purpose or "")
    core = () if purpose is None or purpose.signal != signal else purpose.core
    more = [f.partition(".")[0] for f in core]
    lifted = near_black.MEASUREMENT.key if "shadows" in t.row.goals else ""
    own = [m for m in dict.fromkeys(more) if m == lifted or Cell(pair[0], m) in now.complete]
    return [Cell(s, m) for s in pair for m in dict.fromkeys((*first_pass(signal), *own))]


def _asked(app: Application, t: tunings.OpenTuning) -> str:
    """The purpose that a tuning was started for, else the usual one."""
    asked = t.row.purpose
    return asked if asked is not None and asked in app.rubric.purposes else USUAL_PURPOSE


USUAL_PURPOSE = "colour_work"
"""The purpose that a result is judged for if none was chosen."""


def worth(app: Application, tuning_id: int, purpose: str | None = None) -> Worth:
    """What a tuning's result is worth for a purpose, by default the one that it was started for. BadInputError for a purpose that
    the rubric does not know."""
    if purpose is not None:
        _known(app, purpose)
    t = tunings.opened(app, tuning_id)
    purpose = purpose or _asked(app, t)
    if t.row.result_id is None:
        return Worth(
            proven=False,
            worth_it=None,
            sentence="Keep the result as a setup, then it can be proven.",
            gain=None,
            figures=[],
            before=t.row.setup_id,
            after=None,
            missing=0,
        )
    pair = (t.row.setup_id, t.row.result_id)
    found = _between(app, t, pair, purpose)
    if found.proven and list(t.row.goals) == ["luminance"] and t.row.luminance is not None:
        return _as_asked(found, t.row.luminance)
    return found


REACHED = 0.05
"""White within this share of the luminance that was asked for has it; steps of a control may be as coarse."""


def _as_asked(found: Worth, wanted: float) -> Worth:
    """What a tuning is worth that was asked for a luminance alone: having it is the success, whatever else it is worth."""
    light = next((f for f in found.figures if f.figure == white_black.LUMINANCE.name), None)
    if light is None or light.after is None:
        return found
    reached = abs(light.after / wanted - 1) <= REACHED
    said = f"White has {grouped(light.after, 1)} cd/m²; {grouped(wanted, 0)} were asked for."
    return replace(found, worth_it=reached, sentence=f"{'As asked' if reached else 'Not reached'}. {said}")


def _known(app: Application, purpose: str) -> None:
    if purpose not in app.rubric.purposes:
        raise BadInputError(
            "purpose", f"There is no purpose {purpose!r}; known are {', '.join(app.rubric.purposes)}.", "purpose"
        )


def _between(app: Application, t: tunings.OpenTuning, pair: tuple[int, int], purpose: str) -> Worth:
    """What the second of a pair of setups is worth beside the first."""
    review_id, target = t.row.review_id, t.row.target
    now = cells.newest(app, review_id)
    signal = cells.setup_of(app, review_id, pair[0]).signal
    if app.rubric.purposes[purpose].signal != signal:
        purpose = PURPOSES.get(signal, purpose)
    missing = sum(c not in now.fresh for c in _proof(app, t, now, pair))
    analyses = [proof_of(app, now, s, target) for s in pair]
    figures = [_paired(f, *(a.get(f.measurement) for a in analyses)) for f in COMPARED]
    figures = [f for f in figures if f.before is not None or f.after is not None]
    of_greys = greys_of(signal).greys
    greys = next((f for f in figures if of_greys is not None and f.figure == of_greys.name), None)
    if missing or greys is None or greys.gain is None:
        return Worth(
            proven=False,
            worth_it=None,
            sentence="Not measured yet: prove it first.",
            gain=None,
            figures=figures,
            before=pair[0],
            after=pair[1],
            missing=missing,
        )
    decided = _points(app, review_id, pair, purpose, now) or greys
    worth_it = _decides(decided)
    sentence = _sentence(decided, worth_it, figures, light_wanted=t.row.luminance is not None)
    return Worth(
        proven=True,
        worth_it=worth_it,
        sentence=sentence,
        gain=decided,
        figures=figures,
        before=pair[0],
        after=pair[1],
        missing=0,
    )


@dataclass(frozen=True)
class Carried:
    """A tuning's values in another mode: the setup that has them, what could not be set there, and what they are worth."""

    setup: int
    name: str
    from_name: str
    worth: Worth


def carried(app: Application, tuning_id: int, purpose: str | None = None) -> list[Carried]:
    """Where a tuning's values were carried to, and what they are worth there."""
    if purpose is not None:
        _known(app, purpose)
    t = tunings.opened(app, tuning_id)
    purpose = purpose or _asked(app, t)
    rows = {s.id: s for s in reviews.setups_of(app.db.connection(), t.row.review_id)}
    return [
        Carried(
            setup,
            rows[setup].name,
            rows[start].name,
            _between(app, replace(t, row=replace(t.row, target=rows[setup].target)), (start, setup), purpose),
        )
        for setup, start in stored_tunings.carried(app.db.connection(), tuning_id)
    ]


def carry(app: Application, bench: BenchService, tuning_id: int, setup_id: int, name: str) -> tuple[int, int]:
    """Enter a tuning's values in another mode, as a setup beside one of it, and measure both. Returns setup and run.
    ConflictError where nothing was kept, or none of the values can be set there."""
    t = tunings.opened(app, tuning_id)
    if t.row.result_id is None:
        raise ConflictError("tuning", "Keep the result as a setup first.")
    start = cells.setup_of(app, t.row.review_id, setup_id)
    if start.unit_id != t.setup.unit_id or setup_id in (t.row.setup_id, t.row.result_id):
        raise BadInputError("setup", "Choose a setup of another mode of the same sample.", "setup")
    menu = t.shown.menu
    mode = menu.mode(start.mode, start.signal)
    tuned = {p: v for p, v in tunings.final_values(t).items() if v != t.plan.values.get(p)}
    there = {**menu.defaults(mode), **start.changes}
    free = {p: v for p, v in tuned.items() if p in there and not menu.why_locked(there, mode, p)}
    if not free:
        raise ConflictError("tuning", f"None of the values can be set in {start.mode}: all are locked there.")
    # A suggestion is already a name of its own; two of one name would not be told apart.
    made = setups.add(app, t.row.review_id, setup_id, name, setups.Edit(values={**free}))
    with app.db.transaction() as db:
        stored_tunings.carry(db, tuning_id, made, setup_id)
    return made, _measured(app, bench, t, (setup_id, made))


def proof_of(app: Application, now: cells.Newest, setup_id: int, target: str) -> dict[str, Analysis]:
    """By measurement what a setup's fresh proof shows against a target, with swatches and near black if they were read."""
    own: dict[str, Analysis] = {}
    for m in dict.fromkeys(
        (*(m.key for m in MEASUREMENTS.values() if m.first_pass), *(f.measurement for f in COMPARED))
    ):
        row = now.fresh.get(Cell(setup_id, m))
        found = None if row is None else cells.tried(app, row, resolve(target), target)
        if isinstance(found, Analysis):
            own[m] = found
    return own


def _paired(f: Figure, one: Analysis | None, two: Analysis | None) -> PairedFigure:
    before, after = (None if a is None else a.scalar(f.key) for a in (one, two))
    if before is None or after is None or one is None or two is None:
        return PairedFigure(
            figure=f.name,
            title=f.title,
            unit=f.unit,
            decimals=f.decimals,
            before=before,
            after=after,
            gain=None,
            low=None,
            high=None,
        )
    gain = (f.better or 1) * (after - before)
    u = difference_u(f.key, one, two)
    reach = None if u is None else SURE * u
    return PairedFigure(
        figure=f.name,
        title=f.title,
        unit=f.unit,
        decimals=f.decimals,
        before=before,
        after=after,
        gain=gain,
        low=None if reach is None else gain - reach,
        high=None if reach is None else gain + reach,
    )


def _points(
    app: Application, review_id: int, pair: tuple[int, int], purpose: str, now: cells.Newest
) -> PairedFigure | None:
    """The gain in points, with its interval from the draws: of the whole scores, else of the figures that both setups have. None
    if these tell too little about the purpose."""
    scored = {setup.id: (setup, score) for setup, score in setup_scores.scores(app, review_id, purpose, now)}
    (one, before), (two, after) = (scored[s] for s in pair)
    judged = app.rubric.purposes[purpose]
    found = scored_gain(after, before)
    if found is None and judged.signal == one.signal:
        known = [setup_scores.judged(app, s, now, judged) for s in (two, one)]
        found = gain_of_known(app.rubric, judged, *known)
    if found is None:
        return None
    value, low, high = found
    return PairedFigure(
        figure=f"points.{purpose}",
        title=judged.title,
        unit="points",
        decimals=1,
        before=before.value,
        after=after.value,
        gain=value,
        low=low,
        high=high,
    )


def _decides(gain: PairedFigure) -> bool:
    """Both setups were measured for the same things, so what was not measured plays no part."""
    least = LEAST_POINTS if gain.figure.startswith("points.") else LEAST_DE
    return gain.gain is not None and gain.low is not None and gain.gain >= least and gain.low > 0


def _sentence(gain: PairedFigure, worth_it: bool, figures: list[PairedFigure], light_wanted: bool) -> str:
    """The answer in words. light_wanted: another luminance was asked for, so that it is no cost."""
    light = next((f for f in figures if f.figure == white_black.LUMINANCE.name), None)
    cost = ""
    if not light_wanted and light is not None and light.before and light.after and light.after < 0.99 * light.before:
        cost = f", for {100 * (1 - light.after / light.before):.0f} % of its luminance"
    low, high = gain.low, gain.high
    spread = "" if low is None or high is None else f" ({low:.1f} to {high:.1f})"
    better = gain.gain or 0.0
    if high is not None and low is not None and high < 0:
        spread = f" ({-high:.1f} to {-low:.1f})"
        return f"Leave it alone. {gain.title}: worse by {-better:.1f} {gain.unit}{spread}{cost}."
    amount = f"{gain.title}: better by {better:.1f} {gain.unit}{spread}"
    if worth_it:
        return f"Worth it. {amount}{cost}."
    if low is not None and low <= 0:
        return f"Leave it alone. {amount}: that cannot be told from nothing{cost}."
    return f"Leave it alone. {amount}, less than anyone would see{cost}."


def decided(app: Application, tuning_id: int) -> dict[str, object]:
    """Worth and gain as `lumenar tune` prints them."""
    w = worth(app, tuning_id)
    g = w.gain
    return {
        "worth_it": bool(w.worth_it),
        "gain": None if g is None else {"figure": g.figure, "value": g.gain, "low": g.low, "high": g.high},
        "sentence": w.sentence,
    }


def figures_of(app: Application, review_id: int, setup_id: int | None, target: str) -> dict[str, dict[str, float]]:
    """By measurement the scalars of a setup's proof, none where there is no setup."""
    if setup_id is None:
        return {}
    proof = proof_of(app, cells.newest(app, review_id), setup_id, target)
    return {
        m: {k: float(v) for k, v in a.figures.items() if np.ndim(v) == 0 and np.isfinite(float(v))}
        for m, a in proof.items()
    }
