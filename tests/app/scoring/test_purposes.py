"""Purposes: those that ship, and those that a person adds, tries, changes and publishes with."""

from dataclasses import replace

import pytest

from lumenar.app.application import Application
from lumenar.app.board import board, shelf
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.scoring import purposes, setup_scores
from lumenar.app.scoring.purposes import PurposeDefinition
from lumenar.app.tuning import gains, tuning_views, tunings
from lumenar.app.verdict import verdict
from lumenar.core.scoring.score import score
from lumenar.core.targets import resolve
from lumenar.core.tuning.goals import FAITHFUL, GOALS
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify

from ...conftest import setup_of

MINE = PurposeDefinition(
    title="Office wall", meaning="Seen from afar.", weights={"brightness_ladder.max_cd_m2": 3, "grey_ramp.curve_rms_lstar": 1},
    core=["brightness_ladder.max_cd_m2"],
)  # fmt: skip


def values(found):
    return {m.setup: m.score.value for m in found}


def test_what_ships_stands_in_order_and_adds_up(app):
    shipped = purposes.rubric_view(app).purposes
    assert [p.title for p in shipped] == [
        "Colour work", "Evening film", "Daylight room", "Play", "Low-blue evening", "Seeing in dark games", "Unmanaged desktop",
        "HDR film", "HDR play", "HDR from a computer",
    ]  # fmt: skip
    for p in shipped:
        assert sum(p.weights.values()) == 100 and p.meaning and p.core and not p.added
        assert sum(p.weights[f] for f in p.core) < 70, "core figures alone are no score"


def test_one_that_is_tried_is_not_kept_and_scores_as_when_kept(app, measured):
    tried = purposes.scores_with(app, measured, MINE)
    assert len(tried) == 4 and all(m.score.value is not None for m in tried)
    assert [m.score.low for m in tried] == sorted((m.score.low for m in tried), reverse=True)
    assert "office_wall" not in app.rubric.purposes
    kept = purposes.add(app, MINE)
    assert (kept.key, kept.added, kept.meaning) == ("office_wall", True, "Seen from afar.")
    shown = board.board(app, measured, "office_wall")
    # Its mode for HDR has no score for what is judged in SDR.
    assert {r.setup: r.score for r in shown.rows} == {**values(tried), setup_of(app, measured, "Clip HDR").id: None}
    assert shown.purpose_title == "Office wall" and shown.purposes[-1].needs == ["brightness_ladder", "grey_ramp"]
    assert values(verdict.verdict(app, measured).purposes[-1].modes) == values(tried)
    best = tried[0]
    entry = next(h for h in shelf.entry(app, measured).headline if h.purpose == "office_wall")
    assert (entry.mode, entry.value) == (best.name, best.score.value)


def test_a_weight_moves_every_score_the_way_it_should(app, measured):
    only_light = replace(MINE, weights={"brightness_ladder.max_cd_m2": 1})
    only_curve = replace(MINE, weights={"grey_ramp.curve_rms_lstar": 2}, core=[])
    light, curve, both = (values(purposes.scores_with(app, measured, d)) for d in (only_light, only_curve, MINE))
    for setup, value in both.items():
        assert value == pytest.approx((3 * light[setup] + curve[setup]) / 4)


def test_it_is_changed_kept_between_starts_and_forgotten(app, measured, tmp_path):
    purposes.add(app, MINE)
    changed = purposes.change(app, "office_wall", replace(MINE, title="Hall", weights={"modulation.svm": 5}, core=[]))
    assert (changed.key, changed.title, changed.weights) == ("office_wall", "Hall", {"modulation.svm": 5})
    app.close()
    again = Application(tmp_path / "data")
    assert again.rubric.purposes["office_wall"].title == "Hall" and again.rubric.name.endswith("purposes added")
    # Where nothing of it was measured there is no score, and it says why.
    unread = replace(MINE, weights={"modulation.svm": 1}, core=[])
    assert {m.score.reason for m in purposes.scores_with(again, measured, unread)} == {"only 0 % measured"}
    purposes.delete(again, "office_wall")
    assert again.rubric.name == "Tern" and "office_wall" not in again.rubric.purposes
    with pytest.raises(NotFoundError):
        purposes.delete(again, "office_wall")
    again.close()


@pytest.mark.parametrize(
    ("change", "place", "says"),
    [
        ({"title": " "}, "title", "needs a title"),
        ({"title": "colour WORK"}, "title", "already"),
        ({"weights": {}}, "weights", "at least one"),
        ({"weights": {"grey_ramp.curve_rms_lstar": 0}}, "weights", "at least one"),
        ({"weights": {"grey_ramp.nothing": 1}}, "weights.grey_ramp.nothing", "No rule"),
        ({"weights": {"modulation.svm": -1}}, "weights.modulation.svm", "from 0 to"),
        ({"weights": {"modulation.svm": float("nan")}}, "weights.modulation.svm", "from 0 to"),
        ({"core": ["modulation.svm"]}, "weights.modulation.svm", "needs a weight"),
        ({"target": "pink"}, "target", "pink"),
        ({"target": "srgb", "signal": "pq"}, "target", "another signal than PQ"),
        ({"luminance": 0.5}, "luminance", "1 to 10,000"),
        ({"luminance": float("nan")}, "luminance", "1 to 10,000"),
    ],
)
def test_a_wrong_entry_is_named_and_nothing_kept(app, change, place, says):
    with pytest.raises(BadInputError, match=says) as e:
        purposes.add(app, replace(MINE, **change))
    assert e.value.place == place
    assert len(app.rubric.purposes) == 10


def test_a_tuning_aims_at_what_a_purpose_weighs(app, measured):
    faithful = setup_of(app, measured, "Faithful")
    aims = {a.purpose: a for a in tuning_views.aims(app, measured, faithful.id)}
    assert list(aims) == [k for k, p in app.rubric.purposes.items() if p.signal == "sdr"]
    assert aims["colour_work"].goals == list(FAITHFUL) and aims["colour_work"].luminance == 120
    # Lifted shadows and a curve that is followed exclude one another; late at night colours do not count.
    assert aims["dark_games"].goals == ["shadows", "luminance", "colours"]
    # White tuned to the target's would have more blue, which is what this purpose wants less of.
    assert aims["low_blue"].goals == ["tone", "luminance"]
    wide = setup_of(app, measured, "Lively")
    assert tunings.wish_for(app, wide, "desktop").target == "srgb"
    assert tunings.wish_for(app, wide, "play").target == wide.target
    purposes.add(app, replace(MINE, luminance=None))
    mine = tunings.wish_for(app, wide, "office_wall")
    assert (mine.goals, mine.luminance) == (("tone", "points"), None)
    purposes.change(app, "office_wall", replace(MINE, luminance=333.0))
    assert tunings.wish_for(app, wide, "office_wall").luminance == 333
    assert purposes.view(app, "office_wall").luminance == 333
    with pytest.raises(NotFoundError, match="attic"):
        tunings.wish_for(app, wide, "attic")


def test_every_goal_names_figures_that_are_judged(app):
    for goal, prefixes in ((g.key, g.figures) for g in GOALS.values()):
        assert all(any(f.startswith(p) for f in app.rubric.rules) for p in prefixes), goal


def test_what_ships_stays(app):
    for act in (lambda: purposes.change(app, "play", MINE), lambda: purposes.delete(app, "play")):
        with pytest.raises(ConflictError, match="copy it"):
            act()
    assert app.rubric.purposes["play"].title == "Play"


def test_there_is_an_end_to_adding(app, monkeypatch):
    monkeypatch.setattr(purposes, "MOST", 2)
    assert [purposes.add(app, replace(MINE, title=t)).key for t in ("Wall!", "wall?")] == ["wall", "wall_2"]
    with pytest.raises(ConflictError, match="2 purposes"):
        purposes.add(app, replace(MINE, title="Third"))


def test_the_unmanaged_desktop_is_judged_against_srgb(whole):
    now = cells.newest(whole, 1)
    wide = setup_of(whole, 1, "Lively")
    own, desktop = ({s.name: v for s, v in setup_scores.scores(whole, 1, p)} for p in ("colour_work", "desktop"))
    assert resolve(wide.target).key != "srgb" and desktop["Lively"].value < own["Lively"].value - 5
    # A mode that aims at sRGB is judged by the very same analyses.
    plain = setup_of(whole, 1, "Faithful")
    judged = score(whole.rubric, "desktop", cells.analyses_of(whole, plain, now))
    assert desktop["Faithful"].value == judged.value
    assert next(p for p in verdict.verdict(whole, 1).purposes if p.purpose == "desktop").judged_by == "sRGB"


def test_an_edition_carries_what_it_was_scored_by(whole):
    purposes.add(whole, MINE)
    folder = next((whole.folder / "editions").glob(f"*/{publish(whole, 1).number}"))
    assert verify(folder).agrees and "Office wall" in (folder / "index.html").read_text()
    scores = setup_scores.all_scores(whole, 1, whole.rubric.purposes)
    purposes.delete(whole, "office_wall")
    assert verify(folder).agrees
    assert '"office_wall"' in (folder / "data" / "scores.json").read_text() and len(scores) == 11


def test_an_unknown_purpose_is_refused_by_name(app, measured):
    with pytest.raises(BadInputError, match="nothing"):
        board.board(app, measured, "nothing")
    with pytest.raises(BadInputError, match="nothing"):
        gains.worth(app, 1, "nothing")
