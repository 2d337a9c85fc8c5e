"""How does it respond to metadata?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import KindOfQuestion
from lumenar.core.experiments.metadata import MetadataResponse
from lumenar.core.measurements import pq_tracking

KIND = KindOfQuestion(
    key="metadata",
    place=11,
    title="How does it respond to metadata?",
    signals=("pq",),
    plan=lambda g, _: g.begun,
    make=lambda q, noise: MetadataResponse(q["mode"], q["signal"], noise),
    named=lambda q: f"How does {q['mode']} respond to metadata?",
    beside=(pq_tracking.MEASUREMENT.key,),
    observed=6,
)
