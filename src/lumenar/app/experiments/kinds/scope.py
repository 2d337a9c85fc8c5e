"""Which modes does it affect?"""

from __future__ import annotations

from lumenar.app.errors import BadInputError
from lumenar.app.experiments.kinds.base import (
    SDR,
    Asked,
    Ground,
    KindOfQuestion,
    Question,
    asked_of_control,
    control_of,
    tried_words,
)
from lumenar.core.experiments.scope import ScopeOfControl


def _scope(g: Ground, q: Question) -> Asked:
    asked = asked_of_control(g, q)
    others = sorted((m for m in g.menu.modes if m != g.mode), key=lambda m: m.signal != g.setup.signal)
    if not others:
        raise BadInputError("question", "There is one mode only, so a control can reach no other.", "control")
    signals = {m.name: m.signal for m in g.menu.modes}
    return {**asked, "modes": [g.setup.mode, *(m.name for m in others)], "signals": signals}


KIND = KindOfQuestion(
    key="scope",
    place=3,
    title="Which modes does it affect?",
    signals=SDR,
    plan=_scope,
    make=lambda q, noise: ScopeOfControl(
        control_of(q), tuple(q["modes"]), q["state"][q["control"]], noise, q.get("signals", {})
    ),
    named=lambda q: f"Which modes does {tried_words(q)} affect?",
    control=True,
)
