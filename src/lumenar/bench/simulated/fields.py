"""What fields of a unit file are made of."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

Share = Annotated[float, Field(ge=0, le=1)]
Positive = Annotated[float, Field(gt=0, le=1e6)]
Sane = Annotated[float, Field(ge=-1e6, le=1e6)]
Table = Annotated[list[tuple[Sane, Sane]], Field(max_length=1000)]
Seed = Annotated[int, Field(ge=0, le=2**53)]


def _plain_text(text: str) -> str:
    if any(ord(c) < 32 or ord(c) == 127 for c in text):
        raise ValueError("control characters are not allowed")
    return text


Name = Annotated[str, Field(min_length=1, max_length=80), AfterValidator(_plain_text)]


class Strict(BaseModel):
    """Unknown names are refused, and nothing changes."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


def check_table(table: Table, what: str, low: float, high: float) -> Table:
    """A table of (input, output): inputs strictly rising, outputs never falling, both ends at `low` and `high`."""
    if len(table) < 2:
        raise ValueError(f"{what} needs at least two points")
    for (x0, y0), (x1, y1) in pairwise(table):
        if x1 <= x0:
            raise ValueError(f"{what} is not monotone: input {x1:g} follows {x0:g}, inputs must rise")
        if y1 < y0:
            raise ValueError(f"{what} is not monotone: output falls from {y0:g} to {y1:g} at input {x1:g}")
    if table[0][0] != low or table[-1][0] != high:
        raise ValueError(f"{what} must run from input {low:g} to {high:g}, not {table[0][0]:g} to {table[-1][0]:g}")
    return table
