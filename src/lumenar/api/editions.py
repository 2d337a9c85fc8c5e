"""Routes of published editions."""

from __future__ import annotations

from fastapi import APIRouter, Request

from lumenar.api.deps import application
from lumenar.api.models import Id
from lumenar.publish.edition import EditionView, edition_of, editions_of, publish

router = APIRouter()


@router.get("/reviews/{review}/editions")
def editions(request: Request, review: Id) -> list[EditionView]:
    """Published editions, newest first."""
    return editions_of(application(request), review)


@router.get("/reviews/{review}/editions/{edition}")
def read_edition(request: Request, review: Id, edition: Id) -> EditionView:
    """One of them."""
    return edition_of(application(request), review, edition)


@router.post("/reviews/{review}/editions", status_code=201)
def publish_edition(request: Request, review: Id) -> EditionView:
    """Publish the next edition."""
    return publish(application(request), review)
