"""What people write to recipes, and what is known of setups beyond readings: it survives whatever is measured anew."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.core.recipes.steps import NoteKind, SettingNote
from lumenar.store import recipe_notes as stored
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


def note_of(r: NoteRow) -> SettingNote:
    """A note as recipes take it."""
    return SettingNote(r.kind, r.path, r.value, r.words, r.until)  # type: ignore[arg-type]


def write(app: Application, review_id: int, setup_id: int, note: SettingNote, note_id: int = 0) -> int:
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
