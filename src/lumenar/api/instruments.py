"""Routes of the instruments: corrections, and the meter running free."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from lumenar.api.models import Created, Id
from lumenar.service.free_run import FreeRun, FreeView
from lumenar.service.instruments import Corrector, InstrumentsView

router = APIRouter(prefix="/api")


def _corrector(request: Request) -> Corrector:
    return request.app.state.corrector  # type: ignore[no-any-return]


def _free(request: Request) -> FreeRun:
    return request.app.state.free  # type: ignore[no-any-return]


class SetupChoice(BaseModel):
    """A setup of a review."""

    review: Id
    setup: Id


class Move(BaseModel):
    """A slider moved by hand."""

    control: str
    value: float


@router.get("/instruments")
def instruments(request: Request) -> InstrumentsView:
    """Meters, corrections, and the correction being made."""
    return _corrector(request).view()


@router.post("/corrections/attempt", status_code=201)
def start_correction(request: Request, chosen: SetupChoice) -> InstrumentsView:
    """Begin a correction: reference and working meter on the same unit."""
    _corrector(request).start(chosen.review, chosen.setup)
    return _corrector(request).view()


@router.delete("/corrections/attempt")
def stop_correction(request: Request) -> InstrumentsView:
    """Give the correction up."""
    _corrector(request).stop()
    return _corrector(request).view()


@router.post("/corrections", status_code=201)
def keep_correction(request: Request) -> Created:
    """Keep the correction that was made."""
    return Created(id=_corrector(request).keep())


@router.get("/free")
def free(request: Request) -> FreeView:
    """The meter running free."""
    return _free(request).view()


@router.post("/free", status_code=201)
def start_free(request: Request, chosen: SetupChoice) -> FreeView:
    """Let the meter run free on a setup's white."""
    return _free(request).start(chosen.review, chosen.setup)


@router.put("/free/control")
def move_control(request: Request, move: Move) -> FreeView:
    """Move a slider while the meter runs free."""
    return _free(request).move(move.control, move.value)


@router.post("/free/captures", status_code=201)
def capture(request: Request) -> FreeView:
    """Keep the present setting with its reading."""
    return _free(request).capture()


@router.post("/free/ladder", status_code=201)
def keep_ladder(request: Request) -> Created:
    """Keep the captures as the setup's brightness ladder."""
    return Created(id=_free(request).keep_ladder())


@router.post("/free/setting", status_code=204)
def keep_setting(request: Request) -> None:
    """Give the setup the present value of the slider."""
    _free(request).keep_setting()


@router.delete("/free")
def stop_free(request: Request) -> FreeView:
    """Let the meter rest."""
    return _free(request).stop()
