"""Routes of readings files, in and out."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from lumenar.api.deps import application
from lumenar.api.models import Created, Id, Text
from lumenar.app.exchange.file_figures import analyse_file, figures_document
from lumenar.app.exchange.formats import FORMATS, format_of, parts_as
from lumenar.app.exchange.importing import Identity, Understood, import_readings, understand
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.figures.cells import target_of

router = APIRouter()


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


class ReadingsText(BaseModel):
    """A readings file's text, and a target to use instead of the setups' own."""

    text: str = Field(max_length=100_000_000)
    name: str = "readings file"
    target: str | None = None


@router.post("/imports/preview")
def preview_import(read: ImportedText) -> Understood:
    """What a readings file would be taken for; nothing is stored."""
    return understand(read.text, read.name, read.mapping)


@router.post("/imports", status_code=201)
def add_import(request: Request, new: NewImport) -> Created:
    """Store a readings file."""
    identity = Identity(new.maker, new.model, new.kind, new.panel)
    return Created(id=import_readings(application(request), new.text, new.name, identity, new.review, new.mapping))


@router.get("/reviews/{review}/readings", response_class=Response)
def export_readings(request: Request, review: Id, format: Text = "json") -> Response:
    """A review's readings as a file."""
    parts, of = parts_as(application(request), review, format), format_of(format)
    headers = {"Content-Disposition": f'attachment; filename="review-{review}.{of.ending}"'}
    return StreamingResponse(parts, media_type=of.media, headers=headers)


class FormatChoice(BaseModel):
    """A format that readings can be saved in."""

    key: str
    title: str


@router.get("/formats")
def formats() -> list[FormatChoice]:
    """Every format that readings can be saved in."""
    return [FormatChoice(key=f.key, title=f.title) for f in FORMATS.values()]


@router.post("/figures")
def figures(readings: ReadingsText) -> dict[str, Any]:
    """Figures from anyone's readings file; nothing is stored."""
    if readings.target is not None:
        target_of(readings.target)
    file = parse_readings(readings.text, readings.name)
    return figures_document(analyse_file(file, readings.name, readings.target))
