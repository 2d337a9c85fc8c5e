"""Do SDR settings carry over to HDR?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import HDR, KindOfQuestion, asked_of_modes
from lumenar.core.experiments.hdr_modes import CarryOver

KIND = KindOfQuestion(
    key="carry",
    place=9,
    title="Do SDR settings carry over to HDR?",
    signals=HDR,
    plan=lambda g, _: asked_of_modes(g, "sdr"),
    make=lambda q, noise: CarryOver(tuple(q["modes"]), q["mode"], q["signal"], noise),
    named=lambda q: f"Do SDR settings carry over to {q['mode']}?",
    observed=4,
)
