"""Bodies that several routers share."""

from __future__ import annotations

from pydantic import BaseModel


class Created(BaseModel):
    """The number of what was made."""

    id: int
