"""Targets that a person defines: kept by name, usable wherever targets are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lumenar.app.application import Application
from lumenar.app.data import digest, now
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.core.colour.spaces import XYZ_to_xy
from lumenar.core.colour.temperature import cct_duv
from lumenar.core.targets import CUSTOM, TARGETS, Signal, Target, TargetError, custom, resolve
from lumenar.store import named_targets, runs

Point = tuple[float, float]


@dataclass(frozen=True)
class TargetChoice:
    """A target one can choose."""

    key: str
    title: str


@dataclass(frozen=True, kw_only=True)
class TargetDefinition:
    """What a person says of a target of theirs. red, green, blue and white are xy; luminance that of white in cd/m2, None
    where any will do."""

    title: str
    red: Point
    green: Point
    blue: Point
    white: Point
    curve: Literal["srgb", "power", "bt1886"]
    gamma: float = 2.2
    black: Literal["measured", "zero"] = "measured"
    luminance: float | None = None


@dataclass(frozen=True, kw_only=True)
class TargetView:
    """A target, with the colour temperature of its white in K and how far that is off the Planckian locus, and how many
    setups declare it. id: the number of one that somebody defined, None of one that ships."""

    id: int | None
    version: str
    key: str
    signal: Signal
    definition: TargetDefinition | None
    """None where it is no SDR target, which cannot be copied."""
    title: str
    cct_k: float
    duv: float
    setups: int


def choices(app: Application, signal: str) -> list[TargetChoice]:
    """The targets for a signal: those that ship, then those that were defined here."""
    return [TargetChoice(t.key, t.title) for t in _known(app) if t.signal == signal]


def titles(app: Application) -> dict[str, str]:
    """Keys of the targets that were defined here by their titles in small letters."""
    return {resolve(r.key).title.lower(): r.key for r in named_targets.every(app.db.connection())}


def _known(app: Application) -> list[Target]:
    return [*TARGETS.values(), *(resolve(r.key) for r in named_targets.every(app.db.connection()))]


def views(app: Application) -> list[TargetView]:
    """Every target."""
    db = app.db.connection()
    mine = {r.key: r.id for r in named_targets.every(db)}
    return [_view(t, mine.get(t.key), named_targets.declared_by(db, t.key)) for t in _known(app)]


def view(app: Application, which: str) -> TargetView:
    """One of them by its key, or by its number where it was defined here; NotFoundError where there is none."""
    for t in views(app):
        if which in (t.key, str(t.id)):
            return t
    raise NotFoundError("target", f"There is no target {which!r}.")


def _view(t: Target, number: int | None, setups: int) -> TargetView:
    cct, duv = cct_duv(XYZ_to_xy(t.white_XYZ()))
    definition = None
    if t.curve in ("srgb", "power", "bt1886"):
        red, green, blue = t.space.primaries
        definition = TargetDefinition(
            title=t.title,
            red=red,
            green=green,
            blue=blue,
            white=t.space.white,
            curve=t.curve,
            gamma=t.gamma,
            black=t.black,
            luminance=t.luminance,
        )
    return TargetView(
        id=number,
        version=digest(t.key),
        key=t.key,
        signal=t.signal,
        definition=definition,
        title=t.title,
        cct_k=round(float(cct)),
        duv=round(float(duv), 5),
        setups=setups,
    )


def _made(d: TargetDefinition) -> Target:
    try:
        return custom(
            title=d.title,
            primaries=(d.red, d.green, d.blue),
            white=d.white,
            curve=d.curve,
            gamma=d.gamma,
            black=d.black,
            luminance=d.luminance,
        )
    except TargetError as e:
        raise BadInputError("target", f"{e}.", e.place) from e


def _free(app: Application, made: Target, mine: int | None = None) -> None:
    for r in named_targets.every(app.db.connection()):
        if r.id != mine and resolve(r.key).title.lower() == made.title.lower():
            raise BadInputError("target", f"There is a target {made.title!r} already; choose another title.", "title")


def version(app: Application, target_id: int) -> str:
    """What an edit of a target is made from."""
    return digest(_row(app, target_id).key)


def add(app: Application, definition: TargetDefinition) -> TargetView:
    """Define a target. BadInputError names what is wrong with it."""
    made = _made(definition)
    _free(app, made)
    with app.db.transaction() as db:
        number = named_targets.add(db, made.key, now())
    return _view(made, number, 0)


def change(app: Application, target_id: int, definition: TargetDefinition) -> TargetView:
    """Define a target anew; setups and modes that declare it follow. BadInputError names what is wrong; ConflictError while
    a run measures for it."""
    row = _row(app, target_id)
    made = _made(definition)
    _free(app, made, target_id)
    with app.db.transaction() as db:
        if named_targets.declared_by(db, row.key) and runs.unfinished(db):
            raise ConflictError("run-in-progress", "A run is under way; let it finish or stop it first.")
        named_targets.change(db, target_id, row.key, made.key)
        setups = named_targets.declared_by(db, made.key)
    app.forget()
    return _view(made, target_id, setups)


def delete(app: Application, target_id: int) -> None:
    """Forget a target. ConflictError while a setup declares it."""
    row = _row(app, target_id)
    with app.db.transaction() as db:
        setups = named_targets.declared_by(db, row.key)
        if setups:
            count = "one setup declares" if setups == 1 else f"{setups} setups declare"
            raise ConflictError(
                "target", f"{resolve(row.key).title} stays: {count} it. Give them another target first."
            )
        named_targets.delete(db, target_id)


def _row(app: Application, target_id: int) -> named_targets.TargetRow:
    row = named_targets.get(app.db.connection(), target_id)
    if row is None:
        raise NotFoundError("target", f"There is no target {target_id} that was defined here.")
    return row


def remember(app: Application, keys: set[str]) -> None:
    """Targets that came in a file are kept like those that were defined here, unless one of that title is."""
    there = titles(app)
    with app.db.transaction() as db:
        for key in sorted(keys):
            if key.startswith(f"{CUSTOM}|") and resolve(key).title.lower() not in there:
                named_targets.add(db, key, now())
