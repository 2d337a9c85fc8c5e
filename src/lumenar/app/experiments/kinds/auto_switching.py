"""Does the display switch modes automatically?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import ANY, Asked, Ground, KindOfQuestion, Question, asked_of_modes
from lumenar.core.experiments.auto_switching import ByItself
from lumenar.core.menu.controls import Control
from lumenar.core.menu.documents import document_of
from lumenar.core.menu.menu import Menu


def _by_itself(g: Ground, q: Question) -> Asked:
    asked = asked_of_modes(g, g.setup.signal)
    path = g.menu.mode_path
    # What is looked at is which mode stands, as if it were a control.
    menu = Menu((), (Control(path, "choice", choices=tuple(asked["modes"])),), path)
    return {**asked, "mode_path": path, "menu": document_of(menu)}


KIND = KindOfQuestion(
    key="byitself",
    place=12,
    title="Does the display switch modes automatically?",
    signals=ANY,
    plan=_by_itself,
    make=lambda q, noise: ByItself(q["mode"], q["mode_path"], q["signal"]),
    named=lambda q: f"Does the display leave {q['mode']} automatically?",
    observed=8,
)
