"""Routes of reviews: the Shelf, the Board and the verdict."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field, TypeAdapter

from lumenar.api.deps import application
from lumenar.api.models import Created, Id, Text
from lumenar.service import board as boards
from lumenar.service import firmware, shelf, verdict
from lumenar.service.errors import BadInputError
from lumenar.service.units import shipped_units

router = APIRouter()


class NewReview(BaseModel):
    """A new review: a shipped unit by file name, or the text of a unit file of one's own."""

    shipped: str | None = None
    name: str = "unit file"
    text: str | None = Field(default=None, max_length=1_000_000)


@router.get("/units")
def units() -> list[shelf.ShippedUnit]:
    """The unit files that ship with Lumenar."""
    return shelf.list_shipped()


SHELF = TypeAdapter(list[shelf.ShelfEntry])


@router.get("/reviews", response_model=list[shelf.ShelfEntry])
def reviews(request: Request) -> Response:
    """The Shelf."""
    return Response(SHELF.dump_json(shelf.shelf(application(request))), media_type="application/json")


@router.get("/reviews/{review}")
def read_review(request: Request, review: Id) -> shelf.ShelfEntry:
    """One review as the Shelf shows it."""
    return shelf.entry(application(request), review)


@router.post("/reviews", status_code=201)
def add_review(request: Request, new: NewReview) -> Created:
    """Start a review from a unit file."""
    text, name = new.text, new.name
    if new.shipped is not None:
        text, name = shipped_units().get(new.shipped), new.shipped
    if text is None:
        raise BadInputError("unit-file", f"{name}: there is no such unit file among those that ship.", "shipped")
    return Created(id=shelf.add_review(application(request), text, name))


@router.delete("/reviews/{review}", status_code=204)
def delete_review(request: Request, review: Id) -> None:
    """Delete a review."""
    shelf.delete_review(application(request), review)


BOARD = TypeAdapter(boards.Board)


@router.get("/reviews/{review}/board", response_model=boards.Board)
async def board(request: Request, review: Id, purpose: Text = "colour_work") -> Response:
    """The Board of a review, its setups scored for a purpose. Many may ask for the same one while a run is under way, so it
    is written out once."""
    app = application(request)
    kind = ("board", purpose, app.rubric.hash)

    def made() -> bytes:
        return app.views.get(kind, review, lambda: BOARD.dump_json(boards.board(app, review, purpose)))

    data = app.views.ready(kind, review) or await run_in_threadpool(made)
    return Response(data, media_type="application/json")


@router.get("/reviews/{review}/firmware")
def firmware_changes(request: Request, review: Id) -> list[firmware.FirmwareChange]:
    """What the present firmware of each sample changed, against the one it was read with before."""
    return firmware.changes(application(request), review)


@router.get("/reviews/{review}/verdict")
def read_verdict(request: Request, review: Id) -> verdict.Verdict:
    """Scores, recipes and gaps."""
    return verdict.verdict(application(request), review)
