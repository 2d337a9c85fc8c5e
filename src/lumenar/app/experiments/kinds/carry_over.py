"""Do SDR settings carry over to HDR?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import HDR, KindOfQuestion, asked_of_modes
from lumenar.core.experiments.hdr_modes import CarryOver

KIND = KindOfQuestion(
    "carry",
    9,
    "Do SDR settings carry over to HDR?",
    HDR,
    lambda g, _: asked_of_modes(g, "sdr"),
    lambda q, noise: CarryOver(tuple(q["modes"]), q["mode"], q["signal"], noise),
    lambda q: f"Do SDR settings carry over to {q['mode']}?",
    observed=4,
)
