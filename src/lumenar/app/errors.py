"""Errors that a person can act on."""

from __future__ import annotations


class UserError(Exception):
    """Something asked for cannot be done. kind: stable word for programs; detail: a sentence for the person; place:
    the field or path at fault."""

    def __init__(self, kind: str, detail: str, place: str | None = None) -> None:
        super().__init__(detail)
        self.kind, self.detail, self.place = kind, detail, place


class NotFoundError(UserError):
    """The thing asked for does not exist."""


class BadInputError(UserError):
    """The input is wrong; nothing was stored."""


class DoubtfulError(UserError):
    """Something typed is odd: the text is a question, and nothing was stored. Whoever is sure sends it again and says so."""

    def __init__(self, detail: str, place: str | None = None) -> None:
        super().__init__("odd-reading", detail, place)


class ConflictError(UserError):
    """It cannot be done now, given the state of things."""
