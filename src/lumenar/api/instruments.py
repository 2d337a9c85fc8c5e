"""Routes of instruments: meters and their corrections."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, corrector, tagged, unchanged
from lumenar.api.models import Created, Id, SetupChoice, Text
from lumenar.app.instruments import named_meters
from lumenar.app.instruments.instruments import CorrectionView, InstrumentsView
from lumenar.core.menu.controls import Panel

router = APIRouter()


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

    panel: Panel
    matrix: tuple[Row, Row, Row]
    u_percent: Annotated[float, Field(gt=0, le=20)] = 1.0
    made_by: Text
    made_on: Text = ""


@router.get("/instruments")
def instruments(request: Request) -> InstrumentsView:
    """Meters, corrections, and the correction being made."""
    return corrector(request).view()


@router.get("/meters")
def all_meters(request: Request) -> list[named_meters.NamedMeter]:
    """The meters that were named."""
    return named_meters.views(application(request))


@router.get("/meters/{meter}")
def read_meter(request: Request, response: Response, meter: Id) -> named_meters.NamedMeter:
    """One of them."""
    return tagged(response, named_meters.view(application(request), meter))


@router.post("/meters", status_code=201)
def add_meter(request: Request, new: NewMeter) -> Created:
    """Name a meter."""
    return Created(id=named_meters.add(application(request), new.identity()))


@router.put("/meters/{meter}", status_code=204)
def change_meter(request: Request, meter: Id, new: NewMeter) -> None:
    """Describe a meter anew."""
    with unchanged(request, lambda: named_meters.version(application(request), meter)):
        named_meters.change(application(request), meter, new.identity())


@router.delete("/meters/{meter}", status_code=204)
def delete_meter(request: Request, meter: Id) -> None:
    """Forget a meter."""
    named_meters.delete(application(request), meter)


@router.post("/meters/{meter}/corrections", status_code=201)
def state_correction(request: Request, meter: Id, new: NewCorrection) -> Created:
    """Keep a correction that was made elsewhere."""
    return Created(
        id=named_meters.add_correction(application(request), meter, named_meters.StatedCorrection(**new.model_dump()))
    )


@router.post("/corrections/attempt", status_code=201)
def start_correction(request: Request, chosen: SetupChoice) -> InstrumentsView:
    """Begin a correction: reference and working meter on the same unit."""
    corrector(request).start(chosen.review, chosen.setup)
    return corrector(request).view()


@router.delete("/corrections/attempt")
def stop_correction(request: Request) -> InstrumentsView:
    """Give the correction up."""
    corrector(request).stop()
    return corrector(request).view()


@router.get("/corrections")
def all_corrections(request: Request) -> list[CorrectionView]:
    """Every correction, those that came in files too."""
    return corrector(request).corrections()


@router.get("/corrections/{correction}")
def read_correction(request: Request, correction: Id) -> CorrectionView:
    """One of them."""
    return corrector(request).correction(correction)


@router.post("/corrections", status_code=201)
def keep_correction(request: Request) -> Created:
    """Keep the correction that was made."""
    return Created(id=corrector(request).keep())


@router.delete("/corrections/{correction}", status_code=204)
def delete_correction(request: Request, correction: Id) -> None:
    """Delete a correction that no run was read with."""
    named_meters.delete_correction(application(request), correction)
