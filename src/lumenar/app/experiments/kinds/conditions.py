"""What changes under which conditions?"""

from __future__ import annotations

from lumenar.app.experiments import conditions
from lumenar.app.experiments.kinds.base import ANY, Asked, Ground, KindOfQuestion, Question, noise_of
from lumenar.app.runs.planning import meters_before


def _conditions(g: Ground, q: Question) -> Asked:
    noise = noise_of(meters_before(g.app, g.shown)[0]["XYZ"])
    return {**g.begun, **conditions.asked(g.menu, g.mode, g.state, q.conditions, g.shown.can.lights, noise)}


KIND = KindOfQuestion(
    key="conditions",
    place=14,
    title="",
    signals=ANY,
    plan=_conditions,
    make=conditions.made_of,
    named=conditions.title_of,
    most=None,
    observed=1,
)
