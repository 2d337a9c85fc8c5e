"""The story of a review: reading and saving it, undo and redo. No version is ever changed or deleted."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import display_of
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.core.story.document import document_of, story_from
from lumenar.core.story.story import Story, StoryError
from lumenar.store import stories
from lumenar.store.stories import StoryRow

UNTOUCHED = 0
"""The version number before the first edit."""


@dataclass(frozen=True, kw_only=True)
class CurrentStory:
    """The newest version of a story. saved_at: empty before the first edit; can_undo: there is an earlier text; can_redo: an edit
    was undone."""

    version: int
    saved_at: str
    story: Story
    can_undo: bool
    can_redo: bool


def current(app: Application, review_id: int) -> CurrentStory:
    """The story of a review. NotFoundError if there is no such review."""
    display_of(app, review_id)
    db = app.db.connection()
    row = stories.latest(db, review_id)
    state = UNTOUCHED if row is None else row.state
    return CurrentStory(
        version=0 if row is None else row.version,
        saved_at="" if row is None else row.saved_at,
        story=Story() if row is None else _story(row),
        can_undo=state != UNTOUCHED,
        can_redo=stories.edited_from(db, review_id, state) is not None,
    )


def _story(row: StoryRow) -> Story:
    return story_from(row.document)


def checked(document: Mapping[str, Any]) -> Story:
    """The story of a document; BadInputError names the field that is wrong."""
    try:
        return story_from(document)
    except StoryError as e:
        raise BadInputError("story", f"{e.field}: {e.message}.", e.field) from e


def save(app: Application, review_id: int, story: Story) -> None:
    """Store a new version, if it differs from the newest one."""
    display_of(app, review_id)
    with app.db.transaction(of=0) as db:
        row = stories.latest(db, review_id)
        if story != (Story() if row is None else _story(row)):
            _append(db, review_id, row, document_of(story), None)


def undo(app: Application, review_id: int) -> None:
    """Go back to the version that the present text was edited from. ConflictError if there is none."""
    with app.db.transaction(of=0) as db:
        row = stories.latest(db, review_id)
        if row is None or row.state == UNTOUCHED:
            raise ConflictError("story", "There is no edit of this report to undo.")
        own = row if row.restores is None else stories.get(db, review_id, row.restores)
        _restore(db, review_id, row, UNTOUCHED if own is None else own.follows)


def redo(app: Application, review_id: int) -> None:
    """Go forward to the newest text that was edited from the present one. ConflictError if there is none."""
    with app.db.transaction(of=0) as db:
        row = stories.latest(db, review_id)
        after = stories.edited_from(db, review_id, UNTOUCHED if row is None else row.state)
        if row is None or after is None:
            raise ConflictError("story", "No edit of this report was undone.")
        _restore(db, review_id, row, after.version)


def _restore(db: sqlite3.Connection, review_id: int, row: StoryRow, version: int) -> None:
    then = stories.get(db, review_id, version)
    _append(db, review_id, row, document_of(Story()) if then is None else then.document, version)


def _append(
    db: sqlite3.Connection, review_id: int, row: StoryRow | None, document: Mapping[str, Any], restores: int | None
) -> None:
    stories.add(
        db,
        StoryRow(
            review_id=review_id,
            version=1 if row is None else row.version + 1,
            follows=UNTOUCHED if row is None else row.state,
            restores=restores,
            saved_at=now(),
            document=document,
        ),
    )
