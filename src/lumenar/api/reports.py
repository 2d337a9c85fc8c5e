"""Routes of the report that an editor writes."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from lumenar.api.deps import application, tagged, unchanged
from lumenar.api.models import Id, Text
from lumenar.app.story import stories
from lumenar.core.claims.claim import Claim, ClaimableFigure, Comparison, figures, understood
from lumenar.core.story.document import FORMAT, VERSION
from lumenar.core.story.story import MOST_ITEMS, Applies, Place, Section
from lumenar.publish import draft
from lumenar.publish.draft_view import DraftReport

router = APIRouter()
Sentence = Annotated[str, Field(max_length=20_000)]
"""As a person typed it; the story says which length it takes."""


class NewChoice(BaseModel):
    """What an editor decides about a finding. text: in place of its sentence; chart: whether the report shows its chart."""

    key: Text
    place: Place | None = None
    text: Sentence | None = None
    chart: bool = True


class NewParagraph(BaseModel):
    """A paragraph in Markdown, and the section that it follows."""

    text: Sentence
    after: Section = "start"


class NewSibling(BaseModel):
    """A model that was not tested, and whether the results apply to it."""

    name: Text
    applies: Applies
    note: Sentence = ""


class NewClaim(BaseModel):
    """A maker's words, and the figure, comparison and number that test them."""

    words: Sentence
    figure: Text = ""
    comparison: Comparison = "at_least"
    number: Annotated[float, Field(allow_inf_nan=False)] = 0.0
    decimals: Annotated[int, Field(ge=0, le=9)] = 0


class NewStory(BaseModel):
    """An editor's texts and choices; null and empty leave the report to write itself. confirmed: names of texts that the editor
    finds right for the present figures."""

    headline: Sentence | None = None
    standfirst: Sentence | None = None
    author: Text = ""
    bench: Text = ""
    purposes: Annotated[dict[Text, Sentence], Field(max_length=MOST_ITEMS)] = {}
    findings: Annotated[list[NewChoice], Field(max_length=MOST_ITEMS)] = []
    order: Annotated[list[Text], Field(max_length=MOST_ITEMS)] = []
    paragraphs: Annotated[list[NewParagraph], Field(max_length=MOST_ITEMS)] = []
    untested: Annotated[list[Sentence], Field(max_length=MOST_ITEMS)] = []
    siblings: Annotated[list[NewSibling], Field(max_length=MOST_ITEMS)] = []
    claims: Annotated[list[NewClaim], Field(max_length=MOST_ITEMS)] = []
    reason: Sentence = ""
    confirmed: Annotated[list[Text], Field(max_length=3 * MOST_ITEMS)] = []

    def document(self) -> dict[str, Any]:
        """As a document of a story, without the figures that its texts rest on."""
        said = self.model_dump(exclude={"confirmed"})
        said |= {name: _words(said[name]) for name in ("headline", "standfirst")}
        said["purposes"] = {key: _words(text) for key, text in self.purposes.items()}
        said["findings"] = [
            {"key": c.key, "place": c.place, "words": _words(c.text), "chart": c.chart} for c in self.findings
        ]
        return {"format": FORMAT, "version": VERSION, **said}


def _words(text: str | None) -> dict[str, Any] | None:
    return None if text is None else {"text": text, "basis": {}}


@router.get("/claims")
def claimable() -> list[ClaimableFigure]:
    """The figures that a maker's claim can be about."""
    return figures()


@router.get("/claims/understood")
def understood_claims(words: Text) -> list[Claim]:
    """The claims in a maker's words, with the figures that test them."""
    return understood(words)


@router.get("/reviews/{review}/report")
def read_report(request: Request, response: Response, review: Id) -> DraftReport:
    """The report as it would be published now, block by block."""
    return tagged(response, draft.draft(application(request), review))


@router.put("/reviews/{review}/report")
def save_report(request: Request, response: Response, review: Id, new: NewStory) -> DraftReport:
    """Save what the editor wrote."""
    app = application(request)
    # This may take seconds, in which nobody else could edit anything.
    draft.prepared(app, review)
    with unchanged(request, lambda: str(stories.current(app, review).version)):
        return tagged(response, draft.save(app, review, new.document(), new.confirmed))


@router.post("/reviews/{review}/report/undo")
def undo_report(request: Request, response: Response, review: Id) -> DraftReport:
    """Take back the last edit of the report."""
    app = application(request)
    with unchanged(request, lambda: str(stories.current(app, review).version)):
        stories.undo(app, review)
    return tagged(response, draft.draft(app, review))


@router.post("/reviews/{review}/report/redo")
def redo_report(request: Request, response: Response, review: Id) -> DraftReport:
    """Make again the edit of the report that was taken back last."""
    app = application(request)
    with unchanged(request, lambda: str(stories.current(app, review).version)):
        stories.redo(app, review)
    return tagged(response, draft.draft(app, review))


@router.post("/reviews/{review}/report/preview", response_class=Response)
def preview_report(request: Request, review: Id, new: NewStory) -> Response:
    """The page of the report with what the editor is writing, as HTML with its style sheet in it."""
    return Response(draft.preview(application(request), review, new.document()), media_type="text/html; charset=utf-8")
