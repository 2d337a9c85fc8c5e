"""Kinds of questions. A new one is one new file here that defines KIND, and its experiment in `core/experiments`."""

from __future__ import annotations

from typing import Annotated

from pydantic import WithJsonSchema

from lumenar.app.experiments.kinds.base import KindOfQuestion
from lumenar.core.registry import registered

_FOUND = registered(__name__, __path__, "KIND", KindOfQuestion)
KINDS: dict[str, KindOfQuestion] = {k.key: k for k in sorted(_FOUND, key=lambda k: k.place)}
"""By key, in the order in which they are offered."""
OBSERVED: tuple[str, ...] = tuple(
    k for _, k in sorted((k.observed, k.key) for k in KINDS.values() if k.observed is not None)
)
"""Those whose answers reports tell as the display's behaviour, in their order there."""
QuestionKey = Annotated[str, WithJsonSchema({"type": "string", "enum": list(KINDS)})]
"""The key of a kind of question."""
