"""Routes of the instruments: corrections, and the meter running free."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.models import Created, Id, Text
from lumenar.service import named_meters
from lumenar.service.application import Application
from lumenar.service.free_run import FreeRun, FreeView
from lumenar.service.instruments import Corrector, InstrumentsView

router = APIRouter(prefix="/api")


def _app(request: Request) -> Application:
    return request.app.state.application  # type: ignore[no-any-return]


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


class NewMeter(BaseModel):
    """A meter of one's own, as far as the person knows it."""

    name: Text
    serial: Text = ""
    role: named_meters.Role = "meter"
    kind: named_meters.Kind = "colorimeter"
    calibrated_on: Annotated[str, Field(max_length=10)] | None = None
    repeatability_percent: Annotated[float, Field(gt=0, le=50)] | None = None
    floor_cd_m2: Annotated[float, Field(ge=0, le=1000)] | None = None
    note: Text = ""

    def identity(self) -> named_meters.MeterIdentity:
        """As the service takes it."""
        return named_meters.MeterIdentity(**self.model_dump())


Row = tuple[float, float, float]


class NewCorrection(BaseModel):
    """A correction made elsewhere: corrected XYZ = matrix @ XYZ as read."""

    panel: Literal["lcd", "oled", "projector", "other"]
    matrix: tuple[Row, Row, Row]
    u_percent: Annotated[float, Field(gt=0, le=20)] = 1.0
    made_by: Text
    made_on: Text = ""


@router.post("/meters", status_code=201)
def add_meter(request: Request, new: NewMeter) -> Created:
    """Name a meter."""
    return Created(id=named_meters.add(_app(request), new.identity()))


@router.put("/meters/{meter}", status_code=204)
def change_meter(request: Request, meter: Id, new: NewMeter) -> None:
    """Describe a meter anew."""
    named_meters.change(_app(request), meter, new.identity())


@router.delete("/meters/{meter}", status_code=204)
def delete_meter(request: Request, meter: Id) -> None:
    """Forget a meter."""
    named_meters.delete(_app(request), meter)


@router.post("/meters/{meter}/corrections", status_code=201)
def state_correction(request: Request, meter: Id, new: NewCorrection) -> Created:
    """Keep a correction that was made elsewhere."""
    return Created(
        id=named_meters.add_correction(_app(request), meter, named_meters.StatedCorrection(**new.model_dump()))
    )


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


@router.delete("/corrections/{correction}", status_code=204)
def delete_correction(request: Request, correction: Id) -> None:
    """Delete a correction that no run was read with."""
    named_meters.delete_correction(_app(request), correction)


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
