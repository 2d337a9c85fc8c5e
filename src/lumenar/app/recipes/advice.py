"""Collect for recipes what readings don't tell: notes, replays, reasons for settings, and observed behaviour."""

from __future__ import annotations

from collections.abc import Mapping

from lumenar.app.application import Application
from lumenar.app.experiments.observed_behaviour import found_by_itself
from lumenar.app.figures import cells
from lumenar.app.recipes import expected_results
from lumenar.app.recipes.setting_reasons import reasons
from lumenar.app.setups.setup_notes import note_of
from lumenar.app.tuning.gains import proof_of
from lumenar.core.recipes.purpose import Advice
from lumenar.core.recipes.steps import SettingNote
from lumenar.store import recipe_notes as stored
from lumenar.store import replays, reviews


def advice(app: Application, review_id: int, keys: Mapping[int, str]) -> Advice:
    """Return notes, replays, reasons and observed behaviour of setups. keys: by setup number, the key it is listed under."""
    db = app.db.connection()
    ids = [s.id for s in reviews.setups_of(db, review_id) if s.id in keys]
    notes: dict[str, list[SettingNote]] = {}
    for r in stored.of_setups(db, ids):
        notes.setdefault(keys[r.setup_id], []).append(note_of(r))
    said = {}
    newest = cells.newest(app, review_id)
    for s in reviews.setups_of(db, review_id):
        rows = replays.of_setup(db, s.id) if s.id in keys else []
        if rows:
            expected = proof_of(app, newest, s.id, s.target)
            if words := expected_results.said_of_replays(app, review_id, s, expected, rows):
                said[keys[s.id]] = words
    why = {keys[s]: whys for s, whys in reasons(app, review_id).items() if s in keys}
    return Advice(notes, said, why, found_by_itself(app, review_id))
