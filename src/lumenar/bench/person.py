"""What drivers ask of a person, and what the person answers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from lumenar.bench.ports import WANTED, Cancel, InstrumentError, RefusedError
from lumenar.core.readings.patches import Patch

Asked = Literal["choose", "enter", "show", "send", "read"]
Answered = Literal["done", "not possible", "something else"]


@dataclass(frozen=True)
class Task:
    """One thing to do. choose: the mode `value` at the menu's `what`; enter: `value` at the control `what`; show: the patch, in
    words `what`; send: a signal as `what` says; read: what the meter says, in the form that `what` names. cancel: tells
    whoever waits for the person when nobody wants it any more."""

    asked: Asked
    what: str
    value: str = ""
    patch: Patch | None = None
    cancel: Cancel = field(default=WANTED, compare=False)


@dataclass(frozen=True)
class Reply:
    """What became of a task; text: why it was not possible, what else happened, or what the meter says."""

    answered: Answered = "done"
    text: str = ""


Person = Callable[[Task], Reply]
"""Does a task, however long it takes. It may raise InstrumentError, as when nobody waits for it any more."""


class SomethingElseError(InstrumentError):
    """Something happened that was not asked for; the text is the person's."""

    advice = "See what the display shows now and put it right, then resume; nothing that was read is lost."


def ask(person: Person, task: Task) -> str:
    """What the person answers to a task. RefusedError with their reason where it was not possible, SomethingElseError where
    something else happened, and what the task's cancel raises."""
    task.cancel.check()
    reply = person(task)
    task.cancel.check()
    said = reply.text.strip()
    if reply.answered == "not possible":
        to = f" to {task.value}" if task.value else ""
        raise RefusedError(said or f"{task.what} could not be set{to}; nobody said why")
    if reply.answered == "something else":
        raise SomethingElseError(said or "something else happened than was asked for")
    return said
