"""Routes of what is drawn: plates, looks and comparisons."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response

from lumenar.api.deps import application
from lumenar.api.models import Id
from lumenar.app.board import cell_charts as plate_views
from lumenar.app.board import comparison, look

router = APIRouter()


@router.get("/reviews/{review}/plates")
def all_plates(request: Request, review: Id) -> list[plate_views.PlatesAt]:
    """Which plates there are."""
    return plate_views.plates_of(application(request), review)


@router.get("/reviews/{review}/plates/{setup}/{measurement}")
def plates(
    request: Request,
    review: Id,
    setup: Id,
    measurement: str,
    overlay: Annotated[list[Id] | None, Query()] = None,
    target: str | None = None,
    pin: Annotated[list[str] | None, Query()] = None,
) -> plate_views.Plates:
    """The plates of one cell, other setups and targets laid over it, against any target."""
    return plate_views.plates(
        app=application(request),
        review_id=review,
        setup_id=setup,
        measurement=measurement,
        overlay=overlay or [],
        target_key=target,
        pins=pin,
    )


@router.get("/compare/setups")
def comparable(request: Request) -> list[comparison.ComparedSetup]:
    """Every setup that can be compared."""
    return comparison.comparable(application(request))


@router.get("/compare")
def compared(request: Request, setup: Annotated[list[Id], Query()], target: str | None = None) -> comparison.Comparison:
    """Up to four setups figure by figure, of one display or several."""
    return comparison.compare(application(request), setup, target)


@router.get("/reviews/{review}/look/{setup}")
def read_look(request: Request, review: Id, setup: Id, target: str | None = None, factor: float = 1.0) -> look.Look:
    """How patches and scenes look in a setup against how they were meant."""
    return look.look(application(request), review, setup, target, factor)


@router.get("/reviews/{review}/look/{setup}/{scene}.png", response_class=Response)
def scene(
    request: Request,
    review: Id,
    setup: Id,
    scene: str,
    target: str | None = None,
    factor: float = 1.0,
    meant: bool = False,
) -> Response:
    """A scene as meant or as shown."""
    data = look.scene_png(
        app=application(request),
        review_id=review,
        setup_id=setup,
        key=scene,
        target_key=target,
        factor=factor,
        meant=meant,
    )
    return Response(data, media_type="image/png", headers={"Cache-Control": "no-cache"})
