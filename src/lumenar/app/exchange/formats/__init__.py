"""Formats that readings can be saved in. A new one is one new file here that defines FORMAT."""

from __future__ import annotations

from collections.abc import Iterator

from lumenar.app.application import Application
from lumenar.app.displays.displays import display_of
from lumenar.app.errors import BadInputError
from lumenar.app.exchange.formats.base import Format
from lumenar.core.registry import registered

_FOUND = registered(__name__, __path__, "FORMAT", Format)
FORMATS: dict[str, Format] = {f.key: f for f in sorted(_FOUND, key=lambda f: f.place)}
"""Every format by its key, in the order in which they are listed."""


def format_of(key: str) -> Format:
    """A format by its key; BadInputError where there is none."""
    if key not in FORMATS:
        raise BadInputError("format", f"There is no format {key!r}; known are {', '.join(FORMATS)}.", "format")
    return FORMATS[key]


def parts_as(app: Application, review_id: int, format: str) -> Iterator[str]:
    """A review's readings as text, in parts. NotFoundError or BadInputError, before anything is given, where there is no such
    review or format."""
    found = format_of(format)
    display_of(app, review_id)
    return iter(found.parts(app, review_id))


def text_as(app: Application, review_id: int, format: str) -> str:
    """A review's readings as one text."""
    return "".join(parts_as(app, review_id, format))
