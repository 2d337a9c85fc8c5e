"""Rubrics that ship with Lumenar: the current one, and earlier ones that stored editions were scored by."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cache
from hashlib import sha256
from importlib.resources import files

from lumenar.core.scoring.rubric import Rubric, rubric_from


def load_rubric(text: str | None = None) -> Rubric:
    """The rubric from its JSON text, by default the one that ships; its hash is the text's SHA-256."""
    text = text or rubric_text()
    return rubric_from(json.loads(text), sha256(text.encode()).hexdigest())


CURRENT = "tern-7.json"
"""The rubric that scores are reached by; earlier ones ship too, as stored editions keep theirs."""


def rubric_text(added: Sequence[Mapping[str, object]] = ()) -> str:
    """The current rubric's JSON text. With added purposes it is another rubric, and has another name."""
    text = files("lumenar").joinpath("app", "rubrics", CURRENT).read_text()
    if not added:
        return text
    document = json.loads(text)
    document["name"] = f"{document['name']} {document['version']} with purposes added"
    document["purposes"] = [*document["purposes"], *added]
    return json.dumps(document, indent=1, ensure_ascii=False)


@cache
def known_rubrics() -> dict[tuple[str, int], str]:
    """The hash of every rubric that ships or ever shipped, by its name and version."""
    folder = files("lumenar").joinpath("app", "rubrics")
    found = [load_rubric(f.read_text()) for f in folder.iterdir() if f.name.endswith(".json")]
    return {(r.name, r.version): r.hash for r in found}
