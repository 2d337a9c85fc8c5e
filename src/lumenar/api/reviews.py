"""Routes of reviews: the Shelf, the Board and the verdict."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field, TypeAdapter

from lumenar.api.deps import application
from lumenar.api.models import Created, Id, Text
from lumenar.app.application import Application
from lumenar.app.board import board as boards
from lumenar.app.board import board_model, shelf
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError
from lumenar.app.experiments import firmware_changes
from lumenar.app.findings import views
from lumenar.app.setups import new_reviews
from lumenar.app.verdict import verdict

router = APIRouter()


class NewReview(BaseModel):
    """A new review: a shipped unit by file name, or the text of a unit file of one's own."""

    shipped: str | None = None
    name: str = "unit file"
    text: str | None = Field(default=None, max_length=1_000_000)


@router.get("/units")
def units() -> list[new_reviews.ShippedUnit]:
    """The unit files that ship with Lumenar."""
    return new_reviews.list_shipped()


ENTRY = TypeAdapter(shelf.ShelfEntry)


@router.get("/reviews", response_model=list[shelf.ShelfEntry])
def reviews(request: Request) -> Response:
    """The Shelf."""
    return Response(written_shelf(application(request)), media_type="application/json")


def written_shelf(app: Application) -> bytes:
    """The Shelf as JSON, review by review: most of them stay as they are while one is measured."""

    def written(review: int) -> bytes:
        return app.entries.get(app.rubric.hash, review, lambda: ENTRY.dump_json(shelf.entry_or_fault(app, review)))

    return b"[" + b",".join(written(review) for review in shelf.review_ids(app)) + b"]"


def ready_shelf(app: Application) -> bytes | None:
    """The Shelf if nothing of it has to be made."""
    found = []
    for review in shelf.review_ids(app):
        entry = app.entries.ready(app.rubric.hash, review)
        if entry is None:
            return None
        found.append(entry)
    return b"[" + b",".join(found) + b"]"


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
    return Created(id=new_reviews.add_review(application(request), text, name))


@router.delete("/reviews/{review}", status_code=204)
def delete_review(request: Request, review: Id) -> None:
    """Delete a review."""
    new_reviews.delete_review(application(request), review)


BOARD = TypeAdapter(board_model.Board)


PURPOSE = "colour_work"
"""The purpose of a Board if the request names none."""


def _board_kind(app: Application, purpose: str) -> tuple[str, ...]:
    return "board", purpose, app.rubric.hash


@router.get("/reviews/{review}/board", response_model=board_model.Board)
def board(request: Request, review: Id, purpose: Text = PURPOSE) -> Response:
    """The Board of a review, its setups scored for a purpose. Many may ask for the same one while a run is under way, so it
    is written out once."""
    app = application(request)
    data = app.views.get(_board_kind(app, purpose), review, lambda: BOARD.dump_json(boards.board(app, review, purpose)))
    return Response(data, media_type="application/json")


def ready_board(app: Application, review: int, purpose: str | None) -> bytes | None:
    """A Board if it does not have to be made."""
    return app.views.ready(_board_kind(app, PURPOSE if purpose is None else purpose), review)


@router.get("/reviews/{review}/firmware")
def read_firmware_changes(request: Request, review: Id) -> list[firmware_changes.FirmwareChange]:
    """What the present firmware of each sample changed, against the one it was read with before."""
    return firmware_changes.changes(application(request), review)


@router.get("/reviews/{review}/findings")
def read_findings(request: Request, review: Id) -> views.ReviewFindings:
    """Everything that is worth telling of a display: certain findings, and what experiments showed."""
    return views.of_review(application(request), review)


@router.get("/reviews/{review}/verdict")
def read_verdict(request: Request, review: Id) -> verdict.Verdict:
    """Scores, recipes and gaps."""
    return verdict.verdict(application(request), review)
