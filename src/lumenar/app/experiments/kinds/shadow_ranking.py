"""What lifts shadows?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import SDR, KindOfQuestion, asked_of_states, states_of
from lumenar.core.experiments.state_comparison import ShadowRanking

KIND = KindOfQuestion(
    key="shadows",
    place=7,
    title="What lifts shadows?",
    signals=SDR,
    plan=asked_of_states,
    make=lambda q, noise: ShadowRanking(states_of(q), noise),
    named=lambda q: f"Which of {len(q['states'])} states lifts shadows?",
    control=True,
    setups=True,
)
