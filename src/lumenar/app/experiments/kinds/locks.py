"""What does it lock or reset?"""

from __future__ import annotations

from lumenar.app.displays.settable_controls import settable
from lumenar.app.errors import BadInputError
from lumenar.app.experiments.kinds.base import (
    SDR,
    Asked,
    Ground,
    KindOfQuestion,
    Question,
    asked_of_control,
    tried_words,
)
from lumenar.core.experiments.base import Experiment
from lumenar.core.experiments.locks import LocksAndResets
from lumenar.core.menu.documents import menu_from
from lumenar.core.tuning.base import Noise


def _locks(g: Ground, q: Question) -> Asked:
    g.free(q.control, "control")
    # Controls that lock or reset others stay where they are: moving them would change what this one is tested on.
    others = [
        c.path
        for c in settable(g.menu, g.mode, g.state)
        if c.path != q.control and c.place == "unit" and c.bears and not c.locks and not c.resets
    ]
    if not others:
        raise BadInputError("question", "There is nothing else in the menu that could be locked or reset.", "control")
    return {**asked_of_control(g, q, *others), "others": others}


def _locked(q: Asked, noise: Noise) -> Experiment:
    menu = menu_from(q["menu"])
    others = tuple(menu.control(p) for p in q["others"])
    return LocksAndResets(menu.control(q["control"]), others, q["mode"], q["state"], noise)


KIND = KindOfQuestion(
    key="locks",
    place=4,
    title="What does it lock or reset?",
    signals=SDR,
    plan=_locks,
    make=_locked,
    named=lambda q: f"What does {tried_words(q)} lock or reset?",
    control=True,
)
