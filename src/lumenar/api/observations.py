"""Routes of what was seen beside what was measured: camera checks."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application
from lumenar.api.models import Created, Id, Text
from lumenar.app.experiments import camera_check
from lumenar.app.experiments.camera_check import CameraView, Photo, Side

router = APIRouter()


class NewPhoto(BaseModel):
    """A photo in base64. side: where in it the display is, with the light that is known to pulse on the other; reference_hz: of
    that light; setup: how the display stood."""

    photo: Annotated[str, Field(max_length=60_000_000)]
    side: Side = "left"
    setup: Id | None = None
    reference_hz: Annotated[float, Field(gt=0, le=100_000)] | None = None
    shutter: Text = ""
    note: Text = ""


class TakePhoto(BaseModel):
    """A photo by the bench's camera. shutter_s: how long it stands open."""

    setup: Id
    shutter_s: Annotated[float, Field(gt=0, le=10)] = 0.001


@router.get("/reviews/{review}/camera")
def camera_checks(request: Request, review: Id) -> list[CameraView]:
    """The camera checks of a review, the newest first."""
    return camera_check.views(application(request), review)


@router.post("/reviews/{review}/camera", status_code=201)
def add_photo(request: Request, review: Id, new: NewPhoto) -> Created:
    """Look for bands in a photo, and keep it without where and by what it was taken."""
    photo = Photo(camera_check.decoded(new.photo), new.side, new.reference_hz, new.shutter, new.note)
    return Created(id=camera_check.check(application(request), review, new.setup, photo))


@router.post("/reviews/{review}/camera/photo", status_code=201)
def take_photo(request: Request, review: Id, new: TakePhoto) -> Created:
    """Let the bench's camera take a photo."""
    return Created(id=camera_check.photograph(application(request), review, new.setup, new.shutter_s))


@router.get("/observations/{observation}/picture", response_class=Response)
def observed(request: Request, observation: Id) -> Response:
    """The picture of an observation."""
    return Response(camera_check.picture(application(request), observation), media_type="image/jpeg")


@router.delete("/observations/{observation}", status_code=204)
def forget_observation(request: Request, observation: Id) -> None:
    """Forget an observation with its picture."""
    camera_check.forget(application(request), observation)
