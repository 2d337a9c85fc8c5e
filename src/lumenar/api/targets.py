"""Routes of targets: those that ship, and those defined here."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Id, TargetKey, Text
from lumenar.app.displays import targets

router = APIRouter()


Coordinate = Annotated[float, Field(ge=0, le=1)]


class NewTarget(BaseModel):
    """A target of one's own: xy of red, green, blue and white, its curve, and the luminance of white in cd/m2 where it is to
    have one."""

    title: Text
    red: tuple[Coordinate, Coordinate]
    green: tuple[Coordinate, Coordinate]
    blue: tuple[Coordinate, Coordinate]
    white: tuple[Coordinate, Coordinate]
    curve: Literal["srgb", "power", "bt1886"]
    gamma: Annotated[float, Field(ge=1, le=4)] = 2.2
    black: Literal["measured", "zero"] = "measured"
    luminance: Annotated[float, Field(ge=1, le=10_000)] | None = None

    def definition(self) -> targets.TargetDefinition:
        """As the service takes it."""
        return targets.TargetDefinition(**self.model_dump())


@router.get("/targets")
def all_targets(request: Request) -> list[targets.TargetView]:
    """All targets, those that ship and those that were defined here."""
    return targets.views(application(request))


@router.get("/targets/{target}")
def read_target(request: Request, response: Response, target: TargetKey) -> targets.TargetView:
    """One of them, by its key, or by its number where it was defined here."""
    return tagged(response, targets.view(application(request), target))


@router.post("/targets", status_code=201)
def add_target(request: Request, new: NewTarget) -> targets.TargetView:
    """Define a target."""
    return targets.add(application(request), new.definition())


@router.put("/targets/{target}")
def change_target(request: Request, target: Id, new: NewTarget) -> targets.TargetView:
    """Define a target anew; what declares it follows."""
    with unchanged(request, lambda: targets.version(application(request), target)):
        return targets.change(application(request), target, new.definition())


@router.delete("/targets/{target}", status_code=204)
def delete_target(request: Request, target: Id) -> None:
    """Forget a target that nothing declares."""
    targets.delete(application(request), target)
