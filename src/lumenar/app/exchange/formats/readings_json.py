"""The readings file: JSON with all that is known of the readings."""

from __future__ import annotations

from collections.abc import Iterator

from lumenar.app.application import Application
from lumenar.app.data import many_kept
from lumenar.app.exchange.export import readings_document, text_of
from lumenar.app.exchange.formats.base import Format


def parts(app: Application, review_id: int) -> Iterator[str]:
    """A review as a readings file, in one part."""
    with many_kept():
        text = text_of(readings_document(app, review_id))
    yield text


FORMAT = Format("json", "JSON", 1, "json", "application/json", parts)
