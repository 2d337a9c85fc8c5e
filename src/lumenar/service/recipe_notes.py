"""What people write to recipes, and what is known of setups beyond readings: it survives whatever is measured anew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import get_args

from lumenar.core.recipes.ordered import Note, NoteKind
from lumenar.core.recipes.purpose import Advice
from lumenar.service import cells, promised
from lumenar.service.application import Application
from lumenar.service.data import now
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.service.reasons import reasons
from lumenar.service.seen import found_by_itself
from lumenar.service.worth import proof_of
from lumenar.store import recipe_notes as stored
from lumenar.store import replays, reviews
from lumenar.store.recipe_notes import NoteRow

MOST_NOTES, MOST_WORDS = 60, 600
KINDS: tuple[str, ...] = get_args(NoteKind)


@dataclass(frozen=True)
class NoteView:
    """A note with its number."""

    id: int
    kind: NoteKind
    path: str
    value: str
    words: str
    until: str


def of_setup(app: Application, setup_id: int) -> list[NoteView]:
    """A setup's notes in the order in which they were written."""
    return [_view(r) for r in stored.of_setups(app.db.connection(), [setup_id])]


def _view(r: NoteRow) -> NoteView:
    return NoteView(r.id, r.kind, r.path, r.value, r.words, r.until)  # type: ignore[arg-type]


def note_of(r: NoteRow) -> Note:
    """A note as recipes take it."""
    return Note(r.kind, r.path, r.value, r.words, r.until)  # type: ignore[arg-type]


def write(app: Application, review_id: int, setup_id: int, note: Note, note_id: int = 0) -> int:
    """Add a note to a setup's recipe, or change one. Returns its number. BadInputError names what is wrong with it."""
    cells.setup_of(app, review_id, setup_id)
    said = {k: " ".join(getattr(note, k).split()) for k in ("path", "value", "words", "until")}
    if note.kind not in KINDS:
        raise BadInputError("note", f"There is no kind of note {note.kind!r}; known are {', '.join(KINDS)}.", "kind")
    if not said["words"]:
        raise BadInputError("note", "Say it in a few words.", "words")
    for field, text in said.items():
        if len(text) > MOST_WORDS:
            raise BadInputError("note", f"At most {MOST_WORDS} characters, these are {len(text)}.", field)
    if note.kind == "why" and not said["path"]:
        raise BadInputError("note", "A reason belongs to a step; say to which.", "path")
    db = app.db.connection()
    if note_id:
        there = stored.get(db, note_id)
        if there is None or there.setup_id != setup_id:
            raise NotFoundError("note", f"This recipe has no note {note_id}.")
    elif len(stored.of_setups(db, [setup_id])) >= MOST_NOTES:
        raise ConflictError("note", f"A recipe has at most {MOST_NOTES} notes; delete one first.")
    row = NoteRow(note_id, setup_id, note.kind, **said)
    with app.db.transaction(of=review_id) as writing:
        return stored.put(writing, row, now())


def forget(app: Application, review_id: int, setup_id: int, note_id: int) -> None:
    """Forget a note of a setup's recipe."""
    cells.setup_of(app, review_id, setup_id)
    there = stored.get(app.db.connection(), note_id)
    if there is None or there.setup_id != setup_id:
        raise NotFoundError("note", f"This recipe has no note {note_id}.")
    with app.db.transaction(of=review_id) as db:
        stored.delete(db, note_id)


def advice(app: Application, review_id: int, keys: Mapping[int, str]) -> Advice:
    """What is known beyond readings of the setups of a review that have a key, by that."""
    db = app.db.connection()
    ids = [s.id for s in reviews.setups_of(db, review_id) if s.id in keys]
    notes: dict[str, list[Note]] = {}
    for r in stored.of_setups(db, ids):
        notes.setdefault(keys[r.setup_id], []).append(note_of(r))
    said = {}
    newest = cells.newest(app, review_id)
    for s in reviews.setups_of(db, review_id):
        rows = replays.of_setup(db, s.id) if s.id in keys else []
        if rows:
            expected = proof_of(app, newest, s.id, s.target)
            if words := promised.said_of_replays(app, review_id, s, expected, rows):
                said[keys[s.id]] = words
    why = {keys[s]: whys for s, whys in reasons(app, review_id).items() if s in keys}
    return Advice(notes, said, why, found_by_itself(app, review_id))
