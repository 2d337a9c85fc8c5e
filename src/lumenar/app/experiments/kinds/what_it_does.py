"""What does it do?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import ANY, KindOfQuestion, asked_of_control, control_of, tried_words
from lumenar.core.experiments.effect import WhatItDoes

KIND = KindOfQuestion(
    key="does",
    place=1,
    title="What does it do?",
    signals=ANY,
    plan=asked_of_control,
    make=lambda q, noise: WhatItDoes(control_of(q), q["mode"], q["state"][q["control"]], noise, q["signal"]),
    named=lambda q: f"What does {tried_words(q)} do?",
    control=True,
)
