"""After an accident: what to enter, step by step, so that a setup is back."""

from __future__ import annotations

from dataclasses import dataclass

from lumenar.app.application import Application
from lumenar.app.displays.displays import display
from lumenar.app.errors import ConflictError
from lumenar.app.figures import cells
from lumenar.core.menu.controls import Place, Value
from lumenar.core.targets import Signal


@dataclass(frozen=True, kw_only=True)
class RecallStep:
    """One entry of the menu to set, in order. before: what it shows then (none where nobody knows it). resets and locks: what
    falls back and what cannot be set any more once it is set; frees: what can be set only then."""

    place: Place
    path: str
    before: Value | None
    value: Value
    resets: list[str]
    locks: list[str]
    frees: list[str]


@dataclass(frozen=True)
class Recall:
    """A setup's recall list: from its mode as shipped. unknown: controls of which nobody knows what they were."""

    mode: str
    signal: Signal
    steps: list[RecallStep]
    unknown: list[str]


def recall(app: Application, review_id: int, setup_id: int) -> Recall:
    """How to bring a setup back from its mode's defaults, in an order in which no step undoes another. ConflictError where the
    menu as it is now cannot be brought into that state."""
    setup = cells.setup_of(app, review_id, setup_id)
    menu = display(app, setup.unit_id).menu
    mode = menu.mode(setup.mode, setup.signal)
    try:
        order = menu.order(mode, setup.changes)
    except ValueError as e:
        raise ConflictError("setup", f"{setup.name} cannot be entered any more: {e}.") from e
    state = menu.defaults(mode)
    steps = []
    for path in order:
        value = setup.changes[path]
        c = menu.consequences(state, mode, path, value)
        resets = [p for p, _, _ in c.resets]
        steps.append(
            RecallStep(
                place=menu.control(path).place,
                path=path,
                before=state.get(path),
                value=value,
                resets=resets,
                locks=list(c.locks),
                frees=list(c.frees),
            )
        )
        state = menu.change(state, mode, path, value)
    known = {**menu.defaults(mode), **setup.changes}
    return Recall(setup.mode, setup.signal, steps, [c.path for c in menu.controls if c.bears and c.path not in known])
