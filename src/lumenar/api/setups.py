"""Routes of setups: what each is, what was changed of it, and how to bring it back."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Created, Id, TargetKey, Text
from lumenar.app.setups import host_reports, setup_history, setup_views, setups
from lumenar.app.setups.recall import Recall, recall

router = APIRouter()


class RoomLight(BaseModel):
    """The light in the room: a label, lux at the screen where somebody measured it, and a note."""

    label: Text
    lux: float | None = Field(default=None, ge=0, le=200_000)
    note: Text = ""


class Settings(BaseModel):
    """What a setup is to be. settings: values of controls by path, null where one is no longer known; read: paths that were
    read off the display."""

    settings: dict[str, float | str | None] = Field(default={}, max_length=500)
    read: list[Text] = Field(default=[], max_length=500)
    target: TargetKey | None = None
    name: Text | None = None
    room: RoomLight | None = None
    no_room: bool = False
    format: setup_views.StatedFormat | None = None

    def edit(self) -> setups.Edit:
        """As the service takes it."""
        room = None if self.room is None else setup_views.Room(**self.room.model_dump())
        return setups.Edit(
            values=self.settings,
            read=self.read,
            target=self.target,
            name=self.name,
            room=room,
            no_room=self.no_room,
            format=self.format,
        )


class Reported(BaseModel):
    """What a host reports of a setup in cd/m2; nothing at all where that is not known."""

    max_cd_m2: float | None = None
    full_cd_m2: float | None = None
    min_cd_m2: float | None = None


class NewSetup(Settings):
    """A new setup like another one, with what differs."""

    like: Id


@router.get("/reviews/{review}/setups")
def all_setups(request: Request, review: Id) -> list[setup_views.SetupLine]:
    """The setups of a review."""
    return setup_views.lines(application(request), review)


@router.get("/reviews/{review}/setups/{setup}")
def read_setup(request: Request, response: Response, review: Id, setup: Id) -> setup_views.SetupView:
    """A setup with all its controls."""
    return tagged(response, setup_views.view(application(request), review, setup))


@router.patch("/reviews/{review}/setups/{setup}")
def change_setup(request: Request, review: Id, setup: Id, new: Settings) -> setup_views.SetupView:
    """Give a setup other values, or another declared target."""
    with unchanged(request, lambda: setup_views.version(application(request), review, setup)):
        setups.change(application(request), review, setup, new.edit())
        return setup_views.view(application(request), review, setup)


@router.post("/reviews/{review}/setups", status_code=201)
def add_setup(request: Request, review: Id, new: NewSetup) -> Created:
    """A new setup like another one."""
    return Created(id=setups.add(application(request), review, new.like, new.name or "", new.edit()))


@router.delete("/reviews/{review}/setups/{setup}", status_code=204)
def delete_setup(request: Request, review: Id, setup: Id) -> None:
    """Delete a setup with its readings."""
    setups.delete(application(request), review, setup)


@router.put("/reviews/{review}/setups/{setup}/reported", status_code=204)
def host_reported(request: Request, review: Id, setup: Id, said: Reported) -> None:
    """Keep what a host reports that the display reaches in a setup."""
    host_reports.say(application(request), review, setup, said.max_cd_m2, said.full_cd_m2, said.min_cd_m2)


@router.get("/reviews/{review}/setups/{setup}/history")
def past_changes(request: Request, review: Id, setup: Id) -> list[setup_history.PastChange]:
    """What was changed of a setup."""
    return setup_history.history(application(request), review, setup)


@router.get("/reviews/{review}/setups/{setup}/recall")
def recall_setup(request: Request, review: Id, setup: Id) -> Recall:
    """What to enter, step by step, so that a setup is back."""
    return recall(application(request), review, setup)


@router.post("/reviews/{review}/setups/{setup}/undo")
def undo_setup(request: Request, review: Id, setup: Id) -> setup_views.SetupView:
    """Take back the last change of a setup."""
    with unchanged(request, lambda: setup_views.version(application(request), review, setup)):
        setups.undo(application(request), review, setup)
        return setup_views.view(application(request), review, setup)
