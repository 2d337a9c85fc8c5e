"""Step by step, ranked."""

from __future__ import annotations

from lumenar.app.errors import BadInputError
from lumenar.app.experiments.kinds.base import Asked, Ground, KindOfQuestion, Question, tried_words
from lumenar.core.experiments.base import Experiment
from lumenar.core.experiments.ranked import FOR as RANKED_BY
from lumenar.core.experiments.ranked import TITLES, NotchByNotch
from lumenar.core.menu.documents import menu_from
from lumenar.core.numbers import mid_sentence
from lumenar.core.targets import resolve
from lumenar.core.tuning.base import Noise


def _notches(g: Ground, q: Question) -> Asked:
    paths = [g.free(q.control, "control").path]
    if q.second:
        paths.append(g.free(q.second, "second").path)
        if q.second == q.control:
            raise BadInputError("question", "Choose two different controls.", "second")
    known = RANKED_BY[g.setup.signal]
    if q.by not in known:
        raise BadInputError(
            "question", f"{g.setup.name} cannot be ranked by {q.by!r}; known for it are {', '.join(known)}.", "by"
        )
    return {**g.begun, "control": q.control, "tried": paths, "by": q.by, "menu": g.part(paths)}


def _notched(q: Asked, noise: Noise) -> Experiment:
    menu = menu_from(q["menu"])
    tried = tuple(menu.control(p) for p in q["tried"])
    return NotchByNotch(tried, q["mode"], q["state"], resolve(q["target"]), q["by"], noise)


KIND = KindOfQuestion(
    key="notches",
    place=5,
    title="Step by step, ranked",
    signals=("sdr", "pq"),
    plan=_notches,
    make=_notched,
    named=lambda q: f"{tried_words(q)}, step by step, ranked by {mid_sentence(TITLES[q['by']][0])}",
    control=True,
)
