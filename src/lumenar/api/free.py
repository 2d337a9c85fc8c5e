"""Routes of the meter running free."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import free_run
from lumenar.api.models import Created, SetupChoice
from lumenar.app.bench.free_run import FreeView

router = APIRouter()


class Move(BaseModel):
    """A slider moved by hand."""

    control: str
    value: float


Level = Annotated[float, Field(ge=0, le=1)]


class NewPicture(BaseModel):
    """What is to be held before the meter."""

    rgb: tuple[Level, Level, Level]
    window: Annotated[float, Field(ge=0.001, le=1)] = 0.1


@router.put("/free/picture")
def hold_picture(request: Request, picture: NewPicture) -> FreeView:
    """Hold another picture while the meter runs free."""
    return free_run(request).show(picture.rgb, picture.window)


@router.get("/free")
def free(request: Request) -> FreeView:
    """The meter running free."""
    return free_run(request).view()


@router.post("/free", status_code=201)
def start_free(request: Request, chosen: SetupChoice) -> FreeView:
    """Let the meter run free on a setup's white."""
    return free_run(request).start(chosen.review, chosen.setup)


@router.put("/free/control")
def move_control(request: Request, move: Move) -> FreeView:
    """Move a slider while the meter runs free."""
    return free_run(request).move(move.control, move.value)


@router.post("/free/captures", status_code=201)
def capture(request: Request) -> FreeView:
    """Keep the present setting with its reading."""
    return free_run(request).capture()


@router.post("/free/ladder", status_code=201)
def keep_ladder(request: Request) -> Created:
    """Keep the captures as readings of the setup's brightness control."""
    return Created(id=free_run(request).keep_ladder())


@router.post("/free/setting", status_code=204)
def keep_setting(request: Request) -> None:
    """Give the setup the present value of the slider."""
    free_run(request).keep_setting()


@router.delete("/free")
def stop_free(request: Request) -> FreeView:
    """Let the meter rest."""
    return free_run(request).stop()
