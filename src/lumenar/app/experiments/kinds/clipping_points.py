"""Does it move the clipping point?"""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import KindOfQuestion, asked_of_control, control_of, tried_words
from lumenar.core.experiments.clipping_points import WhereItEnds
from lumenar.core.measurements import pq_tracking

KIND = KindOfQuestion(
    key="ends",
    place=13,
    title="Does it move the clipping point?",
    signals=("pq",),
    plan=asked_of_control,
    make=lambda q, noise: WhereItEnds(control_of(q), q["mode"], q["state"][q["control"]], noise),
    named=lambda q: f"Does {tried_words(q)} move the clipping point?",
    control=True,
    beside=(pq_tracking.MEASUREMENT.key,),
    observed=7,
)
