"""What an export format is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from lumenar.app.application import Application


@dataclass(frozen=True)
class Format:
    """A format that a review's readings can be saved in. key: in addresses and on the command line; title: for people; place: in
    the list of formats; ending, media: of its files; parts: the text of a review in parts, so that a large one needs little
    memory."""

    key: str
    title: str
    place: int
    ending: str
    media: str
    parts: Callable[[Application, int], Iterator[str]]
