"""Routes of purposes and the rubric."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Id, TargetKey, Text
from lumenar.app.scoring import purposes
from lumenar.app.scoring.setup_scores import ModeScore
from lumenar.core.targets import Signal

router = APIRouter()
Key = Annotated[str, Field(max_length=80)]
Weight = Annotated[float, Field(allow_inf_nan=False)]


class NewPurpose(BaseModel):
    """A purpose: what it means in one line, weights by figure, the core figures, the target that every setup is judged
    against (empty: its own), and the luminance of white that it is set to."""

    title: Text
    meaning: Text = ""
    weights: Annotated[dict[Text, Weight], Field(max_length=200)]
    core: Annotated[list[Text], Field(max_length=200)] = []
    target: TargetKey = ""
    signal: Signal = "sdr"
    luminance: Annotated[float | None, Field(allow_inf_nan=False)] = None

    def definition(self) -> purposes.PurposeDefinition:
        """As the service takes it."""
        return purposes.PurposeDefinition(**self.model_dump())


@router.get("/purposes")
def read_purposes(request: Request) -> purposes.RubricView:
    """The rubric in full: how figures become points, and what each purpose weighs."""
    return purposes.rubric_view(application(request))


@router.get("/purposes/{purpose}")
def read_purpose(request: Request, response: Response, purpose: Key) -> purposes.PurposeView:
    """One of them."""
    return tagged(response, purposes.view(application(request), purpose))


@router.post("/purposes", status_code=201)
def add_purpose(request: Request, new: NewPurpose) -> purposes.PurposeView:
    """Add a purpose."""
    return purposes.add(application(request), new.definition())


@router.put("/purposes/{purpose}")
def change_purpose(request: Request, purpose: Key, new: NewPurpose) -> purposes.PurposeView:
    """Change a purpose that was added."""
    app = application(request)
    with unchanged(request, lambda: purposes.view(app, purpose).version):
        return purposes.change(app, purpose, new.definition())


@router.delete("/purposes/{purpose}", status_code=204)
def delete_purpose(request: Request, purpose: Key) -> None:
    """Forget a purpose that was added."""
    purposes.delete(application(request), purpose)


@router.post("/reviews/{review}/scores")
def scores(request: Request, review: Id, new: NewPurpose) -> list[ModeScore]:
    """How every setup of a review would score for a purpose as it is being written."""
    return purposes.scores_with(application(request), review, new.definition())
