"""Routes of displays that start with a name, and of their samples."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application
from lumenar.api.models import Created, Id, MenuText, Text
from lumenar.service import new_display, setups

router = APIRouter()


class DisplayIdentity(BaseModel):
    """A display by its name; all but maker, model, kind and panel can come later. review: the one of whose model it is another
    sample; like: the sample whose menu it takes."""

    maker: Text
    model: Text
    kind: Text
    panel: Text
    serial: Text = ""
    sample: Text = "A"
    firmware: Text = ""
    size_inch: float | None = None
    width_px: int | None = Field(default=None, ge=0, le=10**6)
    height_px: int | None = Field(default=None, ge=0, le=10**6)
    bits: int = Field(default=new_display.USUAL_BITS, ge=0, le=64)
    signal_range: Text = "full"
    modes: MenuText = ""
    controls: MenuText = ""
    review: Id | None = None
    like: Id | None = None


class Firmware(BaseModel):
    """A unit's firmware version."""

    firmware: str = Field(max_length=200)


@router.post("/displays", status_code=201)
def add_display(request: Request, new: DisplayIdentity) -> Created:
    """Start a review with a display's name."""
    return Created(id=new_display.add(application(request), new_display.NewDisplay(**new.model_dump())))


@router.put("/units/{unit}/firmware", status_code=204)
def set_firmware(request: Request, unit: Id, new: Firmware) -> None:
    """A unit has another firmware now."""
    setups.set_firmware(application(request), unit, new.firmware)
