"""Bodies that several routers share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

Id = Annotated[int, Field(ge=0, le=2**53 - 1)]
"""The number of something in the store: what JSON carries whole, and within what SQLite keeps."""

Text = Annotated[str, Field(max_length=200)]
MenuText = Annotated[str, Field(max_length=200_000)]
TargetKey = Annotated[str, Field(max_length=400)]
"""The key of a target; that of one's own says all of it."""


class SetupChoice(BaseModel):
    """A setup of a review."""

    review: Id
    setup: Id


class Created(BaseModel):
    """The number of what was made."""

    id: int
