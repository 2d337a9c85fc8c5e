"""Planned runs and their readings: uses in any order, readings one by one and many at a time count alike."""

import pytest

from lumenar.app.setups import new_reviews
from lumenar.core.readings.patches import Patch
from lumenar.store import plans, readings, reviews, runs
from lumenar.store.plans import NewPatch
from lumenar.store.readings import NewReading
from lumenar.store.runs import AsMeasured, NewRun

from ..conftest import PHONE

USES = [
    ("grey_ramp", "gamut"),
    ("gamut",),
    ("grey_ramp", "gamut"),
    ("gamut", "grey_ramp"),
    ("swatches",),
    ("swatches",),
]


@pytest.fixture
def plan(app, units):
    """A run of six patches whose uses alternate, planned twice."""
    review = new_reviews.add_review(app, units[PHONE], PHONE)
    setup = reviews.setups_of(app.db.connection(), review)[0]
    patches = [NewPatch(setup.id, Patch((i / 10,) * 3), 1.0, uses) for i, uses in enumerate(USES)]
    as_measured = {setup.id: AsMeasured("{}", None)}
    new = NewRun(review, setup.unit_id, "2026-01-01T00:00:00+00:00", "", {}, {}, None, False, as_measured, patches)
    with app.db.transaction() as db:
        return setup.id, runs.add_run(db, new), runs.add_run(db, new)


def cells(app, run):
    rows = app.db.connection().execute("SELECT measurement, patches, readings FROM run_cell WHERE run_id = ?", (run,))
    return {r["measurement"]: (r["patches"], r["readings"]) for r in rows}


def test_every_patch_keeps_its_uses_whatever_their_order(app, plan):
    _, run, _ = plan
    rows = app.db.connection().execute(
        "SELECT p.position, u.measurement FROM patch p JOIN use_set_member u ON u.use_set = p.use_set WHERE p.run_id = ?",
        (run,),
    )
    kept = [set() for _ in USES]
    for r in rows:
        kept[r["position"]].add(r["measurement"])
    assert kept == [set(u) for u in USES]
    stored = app.db.connection().execute("SELECT measurements FROM use_set ORDER BY 1").fetchall()
    assert [r[0] for r in stored] == ['["gamut","grey_ramp"]', '["gamut"]', '["swatches"]'], "each set once"
    assert cells(app, run) == {"grey_ramp": (3, 0), "gamut": (4, 0), "swatches": (2, 0)}


@pytest.mark.parametrize("known", [True, False])
def test_plans_that_went_on_are_told_apart_by_what_they_went_on_from(app, units, known):
    """Of runs that are older than digests nothing is known of what they share."""
    review = new_reviews.add_review(app, units[PHONE], PHONE)
    every = reviews.setups_of(app.db.connection(), review)[:2]
    first = [NewPatch(s.id, Patch((i / 10,) * 3), 1.0, ("gamut",)) for i, s in enumerate(every)]
    as_measured = {s.id: AsMeasured("{}", None) for s in every}
    new = NewRun(review, every[0].unit_id, "2026-01-01T00:00:00+00:00", "", {}, {}, None, False, as_measured, first)
    with app.db.transaction() as db:
        ids = [runs.add_run(db, new) for _ in range(2)]
        if not known:
            db.execute("UPDATE run_setup SET plan = NULL")
        more = [NewPatch(s.id, Patch((0.5, 0.5, 0.5)), 1.0, ("gamut",)) for s in every]
        for run in ids:
            plans.extend(db, run, more)
        digests = [[plans.digest_of(db, run, s.id) for s in every] for run in ids]
    assert None not in digests[0] and digests[0][0] != digests[0][1]
    assert (digests[0] == digests[1]) == known


@pytest.mark.parametrize("many", [6, 4])
def test_readings_at_a_time_count_as_one_by_one(app, plan, many):
    setup, one_by_one, at_a_time = plan
    with app.db.transaction() as db:
        made = {
            run: [
                NewReading(p, attempt, "ok" if i else "below_floor", (1.0, 2.0 + i, 3.0) if i else None, 0.1, 5.0, "")
                for i, p in enumerate(plans.patch_ids(db, run, setup)[:many])
                for attempt in (1, 2)
            ]
            for run in (one_by_one, at_a_time)
        }
        for new in made[one_by_one]:
            readings.add(db, new)
        readings.add_all(db, at_a_time, made[at_a_time])
    assert cells(app, one_by_one) == cells(app, at_a_time)
    assert cells(app, at_a_time)["gamut"] == (4, 4) and cells(app, at_a_time)["swatches"] == (2, max(0, many - 4))
    kept = [
        [tuple(r)[1:] for r in app.db.connection().execute(
            "SELECT g.patch_id, g.attempt, g.outcome, g.X, g.Y, g.Z FROM reading g JOIN patch p ON p.id = g.patch_id"
            " WHERE p.run_id = ? ORDER BY p.position, g.attempt", (run,))]
        for run in (one_by_one, at_a_time)
    ]  # fmt: skip
    assert kept[0] == kept[1] and len(kept[0]) == 2 * many
    wrong = "SELECT count(*) FROM reading WHERE checksum <> reading_sum(patch_id, X, Y, Z, at_s)"
    assert app.db.connection().execute(wrong).fetchone()[0] == 0
