"""Which controls of a menu can be set in a mode, as experiments need them."""

from __future__ import annotations

from collections.abc import Mapping

from lumenar.app.errors import BadInputError
from lumenar.core.menu.controls import Control, Value
from lumenar.core.menu.menu import Menu, Mode


def settable(menu: Menu, mode: Mode, state: Mapping[str, Value]) -> list[Control]:
    """The controls that stand somewhere known and are not locked, in the order of the menu."""
    return [c for c in menu.controls if c.path in state and not menu.why_not_now(state, mode, c.path)]


def free(menu: Menu, mode: Mode, state: Mapping[str, Value], path: str, place: str) -> Control:
    """A control that can be set; BadInputError at a place of the request where it is not there, or locked."""
    if path not in menu.by_path:
        what = f"The menu has no entry {path!r}" if path else "Choose a control"
        raise BadInputError("question", f"{what}.", place)
    if path not in state:
        said = f"Nobody has read where {path} stands; write its default into the menu map."
        raise BadInputError("question", said, place)
    if reason := menu.why_not_now(state, mode, path):
        raise BadInputError("question", f"{path} cannot be set here: {reason}.", place)
    return menu.control(path)
