"""What lifts shadows?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import SDR, KindOfQuestion, asked_of_states, states_of
from lumenar.core.experiments.state_comparison import ShadowRanking

KIND = KindOfQuestion(
    "shadows",
    7,
    "What lifts shadows?",
    SDR,
    asked_of_states,
    lambda q, noise: ShadowRanking(states_of(q), noise),
    lambda q: f"Which of {len(q['states'])} states lifts shadows?",
    control=True,
    setups=True,
)
