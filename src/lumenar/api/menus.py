"""Routes of menus: the map, corrected in place, by its texts or a file, taken over, and taken back."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Id, MenuText, Text
from lumenar.app.displays import samples
from lumenar.app.menus import menu_edits, menu_map
from lumenar.app.menus.menu_edits import Answer
from lumenar.app.menus.menu_map import KnownMenu, MenuMap, PastMenu
from lumenar.core.menu.controls import Kind, Place, Scope, When
from lumenar.core.menu.menu import Consequences

router = APIRouter()


Paths = Annotated[list[Text], Field(max_length=500)]


Words = Annotated[str, Field(max_length=300)]


class Answered(BaseModel):
    """answer: of a default that is corrected, whether it was like that when it was measured or has changed since."""

    answer: Answer = "ask"


class MenuTexts(Answered):
    """A menu as texts."""

    modes: MenuText
    controls: MenuText


class MenuFile(Answered):
    """A menu as the text of a file, JSON or a table."""

    text: Annotated[str, Field(max_length=2_000_000)]


class TakeOver(Answered):
    """The menu of another sample."""

    from_unit: Id


class ControlFields(BaseModel):
    """What of a control is corrected; what is not given stays."""

    path: Text | None = None
    kind: Kind | None = None
    minimum: float | None = None
    maximum: float | None = None
    step: float | None = None
    choices: Paths | None = None
    default: float | Text | None = None
    place: Place | None = None
    scope: Scope | None = None
    role: Annotated[str, Field(max_length=40)] | None = None
    """What it is for: luminance, white, tone, shadows, red gain, blue offset, green at 40 %, cyan hue, green in yellow."""
    bears: bool | None = None
    locks: dict[str, Paths] | None = None
    resets: Paths | None = None
    promise: Words | None = None
    note: Words | None = None
    evidence: Words | None = None
    route: Words | None = None
    only: Words | None = None
    when: When | None = None


class ControlChange(Answered):
    """A control by its path, and what of it is corrected."""

    path: Text
    fields: ControlFields


class WantedState(BaseModel):
    """A control to be set in a setup, some values of which are changed already."""

    changes: dict[str, float | str] = Field(default={}, max_length=500)
    path: Text
    value: float | str


@router.get("/menus")
def menus(request: Request) -> list[KnownMenu]:
    """Every menu that can be taken over."""
    return menu_map.known_menus(application(request))


@router.get("/menus/{sample}")
def menu_of_sample(request: Request, response: Response, sample: Id) -> MenuMap:
    """The menu of a sample, by its number alone."""
    review = samples.sample(application(request), sample).review
    return tagged(response, menu_map.menu_map(application(request), review, sample))


@router.get("/reviews/{review}/menu")
def read_menu(request: Request, response: Response, review: Id, unit: Id | None = None) -> MenuMap:
    """The menu of a sample."""
    return tagged(response, menu_map.menu_map(application(request), review, unit))


@router.put("/reviews/{review}/menu")
def change_menu(request: Request, review: Id, texts: MenuTexts, unit: Id | None = None) -> MenuMap:
    """Correct a menu by its texts."""
    with unchanged(request, lambda: menu_map.version(application(request), review, unit)):
        return menu_edits.change(application(request), review, unit, texts.modes, texts.controls, texts.answer)


@router.patch("/reviews/{review}/menu/controls")
def change_control(request: Request, review: Id, change: ControlChange, unit: Id | None = None) -> MenuMap:
    """Correct one control in place."""
    with unchanged(request, lambda: menu_map.version(application(request), review, unit)):
        given = change.fields.model_dump(exclude_unset=True)
        # Only these two can be unknown or none; null for another leaves it as it is.
        fields = {k: v for k, v in given.items() if v is not None or k in ("default", "role")}
        return menu_edits.change_control(application(request), review, unit, change.path, fields, change.answer)


@router.post("/reviews/{review}/menu/undo")
def undo_menu(request: Request, review: Id, unit: Id | None = None) -> MenuMap:
    """Take back the last change of a menu."""
    with unchanged(request, lambda: menu_map.version(application(request), review, unit)):
        return menu_edits.undo(application(request), review, unit)


@router.get("/reviews/{review}/menu/history")
def menu_history(request: Request, review: Id, unit: Id | None = None) -> list[PastMenu]:
    """What was changed of a menu."""
    return menu_map.history(application(request), review, unit)


@router.post("/reviews/{review}/menu/take")
def take_menu(request: Request, review: Id, taken: TakeOver, unit: Id | None = None) -> MenuMap:
    """Take over the menu of another sample."""
    with unchanged(request, lambda: menu_map.version(application(request), review, unit)):
        return menu_edits.take(application(request), review, unit, taken.from_unit, taken.answer)


@router.get("/reviews/{review}/menu/file", response_class=Response)
def menu_file(
    request: Request, review: Id, unit: Id | None = None, format: Literal["json", "csv"] = "json"
) -> Response:
    """A menu as a file."""
    media = {"json": "application/json", "csv": "text/csv"}[format]
    headers = {"Content-Disposition": f'attachment; filename="menu-{review}.{format}"'}
    return Response(
        menu_map.text_of_menu(application(request), review, unit, format), media_type=media, headers=headers
    )


@router.post("/reviews/{review}/menu/file")
def take_menu_file(request: Request, review: Id, file: MenuFile, unit: Id | None = None) -> MenuMap:
    """Take a menu from a file."""
    with unchanged(request, lambda: menu_map.version(application(request), review, unit)):
        return menu_edits.take_file(application(request), review, unit, file.text, file.answer)


@router.post("/reviews/{review}/setups/{setup}/consequences")
def read_consequences(request: Request, review: Id, setup: Id, wish: WantedState) -> Consequences:
    """What setting a control would reset, lock and free."""
    return menu_map.consequences(application(request), review, setup, wish.changes, wish.path, wish.value)
