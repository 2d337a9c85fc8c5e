"""Routes of recipes: the ordered settings of a setup, and their replays."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application, replayer
from lumenar.api.models import Created, Id, Text
from lumenar.app.recipes import recipes
from lumenar.app.recipes.recipes import RecipeView
from lumenar.app.setups import setup_notes
from lumenar.core.readings.typed_readings import Form
from lumenar.core.recipes.steps import NoteKind, SettingNote

router = APIRouter()


class NewReplay(BaseModel):
    """unit: another sample to replay on, None for the setup's own."""

    unit: Id | None = None


class ProofReadings(BaseModel):
    """The proof as a person typed it, a text a patch."""

    form: Form
    texts: Annotated[list[Text], Field(min_length=1, max_length=100)]


class NewNote(BaseModel):
    """What a person writes to a recipe: another reason for the step at a path, a step of their own, a line of text; until: the
    firmware with which a workaround is needed."""

    kind: NoteKind
    path: Annotated[str, Field(max_length=2000)] = ""
    value: Annotated[str, Field(max_length=2000)] = ""
    words: Annotated[str, Field(max_length=2000)]
    until: Annotated[str, Field(max_length=2000)] = ""

    def note(self) -> SettingNote:
        """As the service takes it."""
        return SettingNote(**self.model_dump())


class StepFailure(BaseModel):
    """The step, from 1, that could not be entered, and what was seen."""

    step: Annotated[int, Field(ge=1, le=2000)]
    what: Text = ""


@router.get("/reviews/{review}/setups/{setup}/recipe")
def get_recipe(request: Request, review: Id, setup: Id) -> RecipeView:
    """The recipe of a setup, ordered from a factory reset, with what it promises and how its replays went."""
    return recipes.recipe(application(request), review, setup)


@router.post("/reviews/{review}/setups/{setup}/notes", status_code=201)
def add_note(request: Request, review: Id, setup: Id, new: NewNote) -> Created:
    """Write something to a recipe."""
    return Created(id=setup_notes.write(application(request), review, setup, new.note()))


@router.put("/reviews/{review}/setups/{setup}/notes/{note}", status_code=204)
def change_note(request: Request, review: Id, setup: Id, note: Id, new: NewNote) -> None:
    """Write it otherwise."""
    setup_notes.write(application(request), review, setup, new.note(), note)


@router.delete("/reviews/{review}/setups/{setup}/notes/{note}", status_code=204)
def delete_note(request: Request, review: Id, setup: Id, note: Id) -> None:
    """Forget it."""
    setup_notes.forget(application(request), review, setup, note)


@router.post("/reviews/{review}/setups/{setup}/replays", status_code=201)
def start_replay(request: Request, review: Id, setup: Id, new: NewReplay) -> Created:
    """Replay a recipe from a factory reset."""
    return Created(id=replayer(request).start(review, setup, new.unit))


@router.post("/replays/{replay}/readings", status_code=204)
def type_proof(request: Request, replay: Id, typed: ProofReadings) -> None:
    """The proof of a replay by hand."""
    replayer(request).typed_in(replay, typed.form, typed.texts)


@router.post("/replays/{replay}/failure", status_code=204)
def step_failed(request: Request, replay: Id, failure: StepFailure) -> None:
    """A step of a replay by hand could not be entered."""
    replayer(request).failed_at(replay, failure.step, failure.what)
