"""What displays are judged for: the purposes that ship, those that a person adds, and the rubric they score by."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass

from lumenar.app.application import Application
from lumenar.app.data import digest, now
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.scoring import setup_scores
from lumenar.app.scoring.setup_scores import ModeScore, mode_scores
from lumenar.core.scoring.rubric import LEAST_CD_M2, MOST_CD_M2, Purpose, RubricError, check_purpose, purpose_from
from lumenar.core.scoring.score import score
from lumenar.core.signals import WORDS
from lumenar.core.targets import TARGETS, Signal, resolve
from lumenar.store import purposes as stored
from lumenar.store import reviews

MOST = 40
"""So many purposes can be added: each is scored for every setup."""
MOST_WEIGHT = 1000.0


@dataclass(frozen=True)
class RuleView:
    """How one figure becomes points: through knots of (value, points), on a linear or a logarithmic scale of the value."""

    figure: str
    measurement: str
    title: str
    unit: str
    scale: str
    knots: list[tuple[float, float]]


@dataclass(frozen=True, kw_only=True)
class PurposeDefinition:
    """What a person says of a purpose: weights by figure, core figures without which there is no score, what every setup is
    judged against, empty for its own target, and what white is set to in cd/m2, None for any."""

    title: str
    meaning: str
    weights: dict[str, float]
    core: list[str]
    target: str = ""
    luminance: float | None = None
    signal: Signal = "sdr"


@dataclass(frozen=True, kw_only=True)
class PurposeView:
    """A purpose. added: by a person, so that it can be changed."""

    key: str
    version: str
    title: str
    meaning: str
    weights: dict[str, float]
    core: list[str]
    target: str
    target_title: str
    luminance: float | None
    signal: Signal
    added: bool


@dataclass(frozen=True)
class RubricView:
    """The rubric in full."""

    name: str
    version: int
    hash: str
    rules: list[RuleView]
    purposes: list[PurposeView]


def rubric_view(app: Application) -> RubricView:
    """How figures become points, and points a score, for each purpose."""
    r = app.rubric
    rules = [
        RuleView(x.figure, x.measurement, x.title, x.unit, x.scale, [(float(a), float(b)) for a, b in x.knots])
        for x in r.rules.values()
    ]
    mine = {d["key"] for d in stored.every(app.db.connection())}
    return RubricView(r.name, r.version, r.hash, rules, [_view(p, p.key in mine) for p in r.purposes.values()])


def _view(p: Purpose, added: bool) -> PurposeView:
    return PurposeView(
        key=p.key,
        version=version_of(p),
        title=p.title,
        meaning=p.meaning,
        weights=dict(p.weights),
        core=list(p.core),
        target=p.target,
        target_title=resolve(p.target).title if p.target else "",
        luminance=p.luminance,
        signal=p.signal,
        added=added,
    )


def version_of(p: Purpose) -> str:
    """What an edit of a purpose is made from."""
    return digest(asdict(p))


def view(app: Application, key: str) -> PurposeView:
    """One of them; NotFoundError where there is none."""
    if key not in app.rubric.purposes:
        raise NotFoundError("purpose", f"There is no purpose {key!r}.")
    return _view(app.rubric.purposes[key], stored.get(app.db.connection(), key) is not None)


def _checked(app: Application, d: PurposeDefinition, key: str) -> dict[str, object]:
    """A definition as it is stored; BadInputError names the entry that is wrong."""
    title = " ".join(d.title.split())
    if not title or not re.search(r"\w", title):
        raise BadInputError("purpose", "A purpose needs a title.", "title")
    if any(p.title.lower() == title.lower() and p.key != key for p in app.rubric.purposes.values()):
        raise BadInputError("purpose", f"There is a purpose {title!r} already; choose another title.", "title")
    document: dict[str, object] = {
        "key": key,
        "title": title,
        "meaning": " ".join(d.meaning.split()),
        "target": d.target,
        "luminance": d.luminance,
        "signal": d.signal,
        "weights": {k: float(v) for k, v in d.weights.items() if v != 0},
        "core": list(dict.fromkeys(d.core)),
    }
    tried(app, d, key)
    return document


def tried(app: Application, d: PurposeDefinition, key: str = "tried") -> Purpose:
    """A purpose of a definition, without keeping it. BadInputError names the entry that is wrong."""
    known = app.rubric.rules
    for figure, weight in d.weights.items():
        title = known[figure].title if figure in known else figure
        if figure not in known:
            raise BadInputError("purpose", f"No rule judges the figure {figure!r}.", f"weights.{figure}")
        if not 0 <= weight <= MOST_WEIGHT:
            raise BadInputError(
                "purpose", f"{title}: a weight is from 0 to {MOST_WEIGHT:g}, not {weight:g}.", f"weights.{figure}"
            )
    if not any(d.weights.values()):
        raise BadInputError("purpose", "Give at least one figure a weight.", "weights")
    for figure in d.core:
        if not d.weights.get(figure):
            title = known[figure].title if figure in known else figure
            raise BadInputError(
                "purpose", f"{title}: what a score cannot do without needs a weight.", f"weights.{figure}"
            )
    if d.target and d.target not in TARGETS:
        raise BadInputError("purpose", f"There is no target {d.target!r} among those that ship.", "target")
    if d.target and TARGETS[d.target].signal != d.signal:
        raise BadInputError(
            "purpose", f"{TARGETS[d.target].title} is a target for another signal than {WORDS[d.signal]}.", "target"
        )
    if d.luminance is not None and not LEAST_CD_M2 <= d.luminance <= MOST_CD_M2:
        said = f"White has {LEAST_CD_M2:g} to {MOST_CD_M2:,.0f} cd/m², not {d.luminance:g}."
        raise BadInputError("purpose", said, "luminance")
    made = purpose_from({"key": key, "title": d.title, **asdict(d)})
    try:
        check_purpose(made, known)
    except RubricError as e:
        raise BadInputError("purpose", f"{e}.") from e
    return made


def _key_for(app: Application, title: str) -> str:
    plain = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_")[:40] or "purpose"
    taken = app.rubric.purposes
    return next(k for k in (plain, *(f"{plain}_{i}" for i in range(2, MOST + 20))) if k not in taken)


def add(app: Application, d: PurposeDefinition) -> PurposeView:
    """Add a purpose. BadInputError names what is wrong with it; ConflictError where there are too many."""
    if len(stored.every(app.db.connection())) >= MOST:
        raise ConflictError("purpose", f"{MOST} purposes were added already; delete one first.")
    document = _checked(app, d, _key_for(app, d.title))
    return _kept(app, document)


def change(app: Application, key: str, d: PurposeDefinition) -> PurposeView:
    """Change a purpose that was added; what was published keeps the one it was scored by. ConflictError for one that
    ships."""
    _mine(app, key)
    return _kept(app, _checked(app, d, key))


def delete(app: Application, key: str) -> None:
    """Forget a purpose that was added. ConflictError for one that ships."""
    _mine(app, key)
    with app.db.transaction() as db:
        stored.delete(db, key)
    app.read_rubric()


def _mine(app: Application, key: str) -> None:
    if not view(app, key).added:
        raise ConflictError("purpose", "This purpose ships with Lumenar and stays as it is; copy it to change it.")


def _kept(app: Application, document: Mapping[str, object]) -> PurposeView:
    with app.db.transaction() as db:
        stored.put(db, dict(document), now())
    app.read_rubric()
    return view(app, str(document["key"]))


def scores_with(app: Application, review_id: int, d: PurposeDefinition) -> list[ModeScore]:
    """How every setup of a review would score for a purpose as it is being written, best first."""
    purpose = tried(app, d)
    newest = cells.newest(app, review_id)
    setups: Sequence[reviews.SetupRow] = reviews.setups_of(app.db.connection(), review_id)
    setup_scores.ensure_for(app, setups, newest, purpose)
    known = [
        (s, score(app.rubric, purpose, setup_scores.judged(app, s, newest, purpose)))
        for s in setups
        if s.signal == purpose.signal
    ]
    return mode_scores(known)
