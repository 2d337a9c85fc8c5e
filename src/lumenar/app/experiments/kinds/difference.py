"""Are two setups the same?"""

from __future__ import annotations

from lumenar.app.errors import BadInputError
from lumenar.app.experiments.kinds.base import ANY, Asked, Ground, KindOfQuestion, Question, asked_of_states, states_of
from lumenar.core.experiments.base import Experiment
from lumenar.core.experiments.state_comparison import TwoSetups
from lumenar.core.tuning.base import Noise


def _two(g: Ground, q: Question) -> Asked:
    if q.control or len({q.setup, *q.setups}) != 2:
        raise BadInputError("question", "Two setups are compared; choose one beside this one.", "setups")
    return asked_of_states(g, q)


def _compared(q: Asked, noise: Noise) -> Experiment:
    one, two = states_of(q)
    return TwoSetups(one, two, dict(one.values) == dict(two.values), noise, q["signal"])


KIND = KindOfQuestion(
    key="difference",
    place=6,
    title="Are two setups the same?",
    signals=ANY,
    plan=_two,
    make=_compared,
    named=lambda q: f"Are {q['states'][0]['name']} and {q['states'][1]['name']} the same?",
    setups=True,
)
