"""What a person at the remote has to enter."""

from __future__ import annotations

from collections.abc import Mapping

from lumenar.bench.drivers import typed
from lumenar.bench.drivers.hands import Hands
from lumenar.bench.person import Reply, Task
from lumenar.bench.ports import RefusedError
from lumenar.core.menu.controls import Value, text_of
from lumenar.core.menu.menu import Menu
from lumenar.core.signals import Signal

TYPED = typed.DRIVER.key
"""The driver of a meter whose readings are typed."""


def entries(menu: Menu, mode: str, signal: Signal, values: Mapping[str, Value]) -> list[tuple[str, str]]:
    """Paths and values to enter, in this order, after choosing a mode that is at its defaults. Values that the menu should refuse
    are included: the person sees what the display does with them."""
    asked: list[tuple[str, str]] = []

    def note(task: Task) -> Reply:
        if task.asked == "enter":
            asked.append((task.what, task.value))
        return Reply()

    hands = Hands(menu, note, signal)
    hands.select(mode)
    for path, value in values.items():
        try:
            hands.apply(path, value)
        except RefusedError:
            asked.append((path, text_of(value)))
    return asked
