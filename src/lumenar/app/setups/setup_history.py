"""What was changed of a setup, in words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.figures import cells
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.targets import resolve
from lumenar.store import conditions, reviews
from lumenar.store.conditions import ConditionRow
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True)
class PastChange:
    """One change of a setup: when, and what it changed, in words."""

    number: int
    changed_at: str
    words: list[str]


def history(app: Application, review_id: int, setup_id: int) -> list[PastChange]:
    """What was changed of a setup, the newest first."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown, db = display(app, setup.unit_id), app.db.connection()
    defaults = shown.menu.defaults(shown.menu.mode(setup.mode, setup.signal))
    past = reviews.setup_changes(db, setup_id)
    rooms = conditions.of_review(db, review_id)
    after = [*(was for _, _, was in past), setup][1:]
    return [
        PastChange(number, at, _in_words(was, became, defaults, rooms))
        for (number, at, was), became in reversed(list(zip(past, after, strict=True)))
    ]


def _in_words(
    was: SetupRow, became: SetupRow, defaults: Mapping[str, Value], rooms: Mapping[int, ConditionRow]
) -> list[str]:
    before, now_ = {**defaults, **was.changes}, {**defaults, **became.changes}
    words = [
        f"{p}: {_word(before.get(p))} → {_word(now_.get(p))}"
        for p in dict.fromkeys([*was.changes, *became.changes])
        if before.get(p) != now_.get(p)
    ]
    words += [f"{p}: read off the display" for p, o in became.origins.items() if o == "read" != was.origins.get(p)]
    if was.name != became.name:
        words.append(f"name: {was.name} → {became.name}")
    if was.target != became.target:
        words.append(f"target: {resolve(was.target).title} → {resolve(became.target).title}")
    if was.condition_id != became.condition_id:
        pair = (None if s.condition_id is None else rooms[s.condition_id] for s in (was, became))
        words.append(f"room: {' → '.join(map(_room_word, pair))}")
    if was.format != became.format:
        words.append("signal: " + (", ".join(f"{k} {v}" for k, v in became.format.items()) or "as usual"))
    return words


def _room_word(room: ConditionRow | None) -> str:
    if room is None:
        return "not recorded"
    lux = None if room.lux is None else f"{room.lux:g} lux"
    return ", ".join(w for w in (room.label, lux, room.note) if w)


def _word(value: Value | None) -> str:
    return "not known" if value is None else text_of(value)
