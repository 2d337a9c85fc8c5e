"""How do samples differ?"""

from __future__ import annotations

from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError
from lumenar.app.experiments.kinds.base import ANY, Asked, Ground, KindOfQuestion, Question
from lumenar.core.experiments.samples import ComparedSample, Samples
from lumenar.store import reviews


def _samples(g: Ground, q: Question) -> Asked:
    units = [g.shown.row, *(u for u in reviews.units_of(g.app.db.connection(), g.review_id) if u.id != g.shown.row.id)]
    known = [u for u in units if any(m.name == g.setup.mode for m in display(g.app, u.id).menu.modes)]
    if len(known) < 2:
        said = f"There is one sample with {g.setup.mode}, so there is nothing to compare it with."
        raise BadInputError("question", said, "kind")
    samples = [{"name": u.sample, "firmware": u.firmware, "unit": u.id} for u in known]
    return {**g.begun, "changes": dict(g.setup.changes), "samples": samples}


KIND = KindOfQuestion(
    key="samples",
    place=8,
    title="How do samples differ?",
    signals=ANY,
    plan=_samples,
    make=lambda q, noise: Samples(
        tuple(ComparedSample(**s) for s in q["samples"]), q["mode"], q["changes"], q["signal"], noise
    ),
    named=lambda q: f"How do {len(q['samples'])} samples differ in {q['mode']}?",
    observed=3,
)
