"""Routes of displays that start with a name, runs that a person reads by hand, and readings files in and out."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.models import Created, Id, MenuText, Text
from lumenar.core.typed import FORMS, Form
from lumenar.service import hand_runs, new_display
from lumenar.service.application import Application
from lumenar.service.export import text_as
from lumenar.service.hand_runs import MOST_ENTRIES, Answers, Entry, Sheet
from lumenar.service.importing import Identity, Understood, import_readings, understand

router = APIRouter(prefix="/api")


def _app(request: Request) -> Application:
    return request.app.state.application  # type: ignore[no-any-return]


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


class TypedReading(BaseModel):
    """A reading as typed for a patch; sure: what was asked about it is answered."""

    patch: Id
    text: Annotated[str, Field(max_length=200)]
    sure: bool = False


class TypedReadings(BaseModel):
    """Readings in one form."""

    form: Form
    readings: Annotated[list[TypedReading], Field(max_length=MOST_ENTRIES)]


class FormChoice(BaseModel):
    """How readings can be typed."""

    key: Form
    title: str


@router.post("/displays", status_code=201)
def add_display(request: Request, new: DisplayIdentity) -> Created:
    """Start a review with a display's name."""
    return Created(id=new_display.add(_app(request), new_display.NewDisplay(**new.model_dump())))


class ImportedText(BaseModel):
    """A readings file's text; by head what a person says its columns are, and under "rgb" how its signals run."""

    text: str = Field(max_length=100_000_000)
    name: Text = "readings file"
    mapping: dict[str, str] = Field(default={}, max_length=200)


class NewImport(ImportedText):
    """A readings file to be stored, with what it does not say of the display; into a review, or a new one."""

    review: Id | None = None
    maker: Text = ""
    model: Text = ""
    kind: Text = "monitor"
    panel: Text = ""


@router.post("/imports/preview")
def preview_import(read: ImportedText) -> Understood:
    """What a readings file would be taken for; nothing is stored."""
    return understand(read.text, read.name, read.mapping)


@router.post("/imports", status_code=201)
def add_import(request: Request, new: NewImport) -> Created:
    """Store a readings file."""
    identity = Identity(new.maker, new.model, new.kind, new.panel)
    return Created(id=import_readings(_app(request), new.text, new.name, identity, new.review, new.mapping))


@router.get("/reviews/{review}/readings", response_class=Response)
def export_readings(request: Request, review: Id, format: Literal["json", "csv", "cgats"] = "json") -> Response:
    """A review's readings as a file."""
    ending, media = {"json": ("json", "application/json"), "csv": ("csv", "text/csv")}.get(
        format, ("txt", "text/plain")
    )
    headers = {"Content-Disposition": f'attachment; filename="review-{review}.{ending}"'}
    return Response(text_as(_app(request), review, format), media_type=media, headers=headers)


@router.get("/runs/{run}/sheet")
def read_sheet(request: Request, run: Id) -> Sheet:
    """A run by hand as a list to work through."""
    return hand_runs.sheet(_app(request), run)


@router.get("/forms")
def forms() -> list[FormChoice]:
    """How readings can be typed."""
    return [FormChoice(key=k, title=t) for k, t in FORMS.items()]


@router.post("/runs/{run}/readings")
def enter_readings(request: Request, run: Id, new: TypedReadings) -> Answers:
    """Keep readings as typed; each is answered for itself."""
    entries = [Entry(r.patch, r.text, r.sure) for r in new.readings]
    return hand_runs.enter(_app(request), run, new.form, entries)


@router.delete("/runs/{run}/readings/{patch}", status_code=204)
def take_back_reading(request: Request, run: Id, patch: Id) -> None:
    """A typed reading was wrong and is to be read again."""
    hand_runs.take_back(_app(request), run, patch)


@router.post("/runs/{run}/end", status_code=204)
def end_run(request: Request, run: Id) -> None:
    """End a run by hand; what was read is kept."""
    hand_runs.end(_app(request), run)
