"""Routes of displays that start with a name, and of their samples."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Created, Id, MenuText, Text
from lumenar.app.displays import samples
from lumenar.app.displays.samples import DisplayView, Sample
from lumenar.app.menus import menu_preview
from lumenar.app.setups import new_display, setups

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
    roles: dict[Text, Text] = Field(default={}, max_length=2000)
    """By path of a control what it sets, as a person confirmed it."""


class PastedMenu(BaseModel):
    """A menu as somebody typed or pasted it."""

    modes: MenuText = ""
    controls: MenuText = ""
    kind: Text = "monitor"


class SampleChange(BaseModel):
    """What changes of a sample: its firmware version, which makes what was measured before stale; or what was wrong of its
    identity, maker, model, kind and panel for all samples of the review. What is not given stays."""

    firmware: str | None = Field(default=None, max_length=200)
    maker: Text | None = None
    model: Text | None = None
    kind: Text | None = None
    panel: Text | None = None
    serial: Text | None = None


@router.get("/displays")
def displays(request: Request) -> list[DisplayView]:
    """Every display under review, with its samples."""
    return samples.displays(application(request))


@router.get("/displays/{review}")
def read_display(request: Request, review: Id) -> DisplayView:
    """The display of a review."""
    return samples.of_review(application(request), review)


@router.post("/displays", status_code=201)
def add_display(request: Request, new: DisplayIdentity) -> Created:
    """Start a review with a display's name."""
    return Created(id=new_display.add(application(request), new_display.NewDisplay(**new.model_dump())))


@router.post("/displays/menu")
def read_menu(request: Request, texts: PastedMenu) -> menu_preview.MenuRead:
    """What is understood of a menu; nothing is stored."""
    return menu_preview.read_menu(application(request), texts.modes, texts.controls, texts.kind)


@router.get("/samples")
def all_samples(request: Request, review: Id | None = None) -> list[Sample]:
    """Every sample, or those of one review."""
    return samples.samples(application(request), review)


@router.get("/samples/{sample}")
def read_sample(request: Request, response: Response, sample: Id) -> Sample:
    """One sample."""
    return tagged(response, samples.sample(application(request), sample))


@router.patch("/samples/{sample}")
def change_sample(request: Request, sample: Id, new: SampleChange) -> Sample:
    """A sample has another firmware now, or its identity is corrected."""
    with unchanged(request, lambda: samples.version(application(request), sample)):
        if new.firmware is not None:
            setups.set_firmware(application(request), sample, new.firmware)
        if given := new.model_dump(exclude={"firmware"}, exclude_none=True):
            new_display.correct(application(request), sample, given)
        return samples.sample(application(request), sample)
