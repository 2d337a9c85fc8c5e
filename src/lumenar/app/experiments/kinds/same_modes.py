"""Which HDR modes are the same?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import HDR, KindOfQuestion, asked_of_modes
from lumenar.core.experiments.hdr_modes import SameModes
from lumenar.core.signals import WORDS

KIND = KindOfQuestion(
    key="alike",
    place=10,
    title="Which HDR modes are the same?",
    signals=HDR,
    plan=lambda g, _: asked_of_modes(g, g.setup.signal),
    make=lambda q, noise: SameModes(tuple(q["modes"]), q["signal"], noise),
    named=lambda q: f"Which of {len(q['modes'])} {WORDS[q['signal']]} modes are the same?",
    observed=5,
)
