"""How does it respond to metadata?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import KindOfQuestion
from lumenar.core.experiments.metadata import MetadataResponse
from lumenar.core.measurements import pq_tracking

KIND = KindOfQuestion(
    "metadata",
    11,
    "How does it respond to metadata?",
    ("pq",),
    lambda g, _: g.begun,
    lambda q, noise: MetadataResponse(q["mode"], q["signal"], noise),
    lambda q: f"How does {q['mode']} respond to metadata?",
    beside=(pq_tracking.MEASUREMENT.key,),
    observed=6,
)
