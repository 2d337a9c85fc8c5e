"""What a review says of what its display does by itself: experiments under conditions, questions about HDR, camera checks."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.app.application import Application
from lumenar.app.experiments import camera_check, experiments, firmware_changes, questions
from lumenar.app.experiments.kinds import OBSERVED
from lumenar.core.experiments.base import Conclusion
from lumenar.core.experiments.conditions import Conditions
from lumenar.core.recipes.purpose import ObservedBehaviour
from lumenar.store import experiments as stored
from lumenar.store import reviews


def found_by_itself(app: Application, review_id: int) -> list[ObservedBehaviour]:
    """What was found, the oldest first; of what was asked twice the newest."""
    db = app.db.connection()
    names = {s.id: s.name for s in reviews.setups_of(db, review_id)}
    found: dict[tuple[str, int, str], ObservedBehaviour] = {}
    for row in reversed(stored.of_review(db, review_id)):
        if row.kind not in OBSERVED or row.state != "done":
            continue
        title = questions.title_of(row.kind, row.question)
        firmware = f", firmware {row.firmware}" if row.firmware else ""
        how = f"On {names[row.setup_id]}{firmware}, {row.created_at[:10]}"
        found[row.kind, row.setup_id, title] = _seen(app, row.id, title, how)
    return [*found.values(), *_updates(app, review_id), *_photos(app, review_id)]


def of_setup(app: Application, review_id: int, setup_id: int, kinds: Sequence[str]) -> list[Conclusion]:
    """What was found out about a setup of some kinds of questions, of each title the newest, in the kinds' order."""
    found: dict[tuple[int, str], Conclusion] = {}
    for row in stored.of_review(app.db.connection(), review_id):
        if row.kind in kinds and row.state == "done" and row.setup_id == setup_id:
            key = kinds.index(row.kind), questions.title_of(row.kind, row.question)
            if key not in found:
                found[key] = experiments.concluded(app, row)
    return [found[k] for k in sorted(found)]


def _seen(app: Application, experiment_id: int, title: str, how: str) -> ObservedBehaviour:
    x = experiments.opened(app, experiment_id)
    end = experiments.concluded(app, x.row)
    if not isinstance(x.made, Conditions):
        workaround = (end.workaround,) if end.workaround else ()
        return ObservedBehaviour(title, (end.sentence, *workaround), f"{how}.")
    e = experiments.explained(app, x, x.made)
    kept = tuple(f"{p.path.rsplit(' > ', 1)[-1]} “{p.text}”: {p.kept}. {p.why}" for p in e.promises)
    out = tuple(dict.fromkeys(f"{s.left_out[:1].upper()}{s.left_out[1:]}." for s in e.states if s.left_out))
    return ObservedBehaviour(
        title, (*e.features.values(), *kept, *out), f"{how}; the baseline was read {e.baselines} times."
    )


def _updates(app: Application, review_id: int) -> list[ObservedBehaviour]:
    """What another firmware changed, of samples that were read with both."""
    return [
        ObservedBehaviour(
            f"Firmware {c.before} → {c.after}",
            tuple(c.sentences),
            f"Sample {c.sample}, {len(c.figures)} figures; noise and another session are taken for a change in 1 of 20 cases.",
        )
        for c in firmware_changes.changes(app, review_id)
        if c.figures
    ]


def _photos(app: Application, review_id: int) -> list[ObservedBehaviour]:
    """Camera checks that told something, the oldest first."""
    told = [v for v in reversed(camera_check.views(app, review_id)) if v.verdict != "nothing told"]
    return [
        ObservedBehaviour(f"Photo of {v.setup_name or 'the screen'}", (v.sentence,), f"{v.made_at[:10]}.") for v in told
    ]
