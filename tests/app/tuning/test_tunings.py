"""Tunings on the bench and by hand: committed attempt by attempt, cut off and gone on with, proven, and judged."""

import json
import re
from dataclasses import replace

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.board import board
from lumenar.app.displays.displays import display
from lumenar.app.errors import BadInputError, ConflictError, DoubtfulError, NotFoundError
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.menus import menu_map
from lumenar.app.setups import new_display, new_reviews, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.tuning import gains, tuning_views, tunings, typed_attempts
from lumenar.app.tuning.tune_file import tune_file
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tunings import Wish
from lumenar.bench.ports import RefusedError, SaturatedError
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import SimulatedColorimeter
from lumenar.core.menu.documents import document_of
from lumenar.core.menu.menu import renamed
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import TARGETS
from lumenar.core.tuning.base import Suspicion, white_error
from lumenar.store import reviews
from lumenar.store import tunings as stored

from ...conftest import MONITOR, PHONE, setup_of
from ...core.random_units import Display
from ..bench.test_bench import until

WHITE = Patch((1.0, 1.0, 1.0))
TELEVISION = "carrow-meridian-65.json"
GAINS = ["Picture > White > Red gain", "Picture > White > Green gain", "Picture > White > Blue gain"]


@pytest.fixture
def tuner(app, bench):
    return Tuner(app, bench)


def tuned(app, bench, tuner, review, name="Studio", **wish):
    number = tuner.start(review, setup_of(app, review, name).id, Wish(**{"goals": ["white"], **wish}))
    bench.occupancy.wait()
    return number


# -- on the bench -----------------------------------------------------------------------------------------------------


def test_shadows_are_lifted_and_judged_for_dark_games_alone(app, bench, tuner, monitor):
    """A purpose that asks for dark detail uses the shadow control, and its result is judged for that purpose."""
    setup = setup_of(app, monitor, "Studio")
    wish = tunings.wish_for(app, setup, "dark_games")
    assert "shadows" in wish.goals and "tone" not in wish.goals
    assert all("shadows" not in tunings.wish_for(app, setup, p).goals for p in ("colour_work", "evening_film", "play"))
    number = tuner.start(monitor, setup.id, replace(wish, goals=["shadows"], luminance=None))
    bench.occupancy.wait()
    seen = tuning_views.view(app, number)
    assert [(s.path, s.was, s.value) for s in seen.settings] == [("Picture > Shadow help", "0", "4")]
    assert seen.purpose == "dark_games" and [o.title for o in seen.outcomes] == ["Lifted shadows"]
    figures = [a.figure for a in seen.attempts]
    assert figures[0] - figures[-1] > 0.4 and {a.unit for a in seen.attempts} == {"L*"}
    tunings.keep(app, number, "Studio dark")
    gains.prove(app, bench, number)
    bench.runs.finish()
    own, other = gains.worth(app, number), gains.worth(app, number, "colour_work")
    assert own.gain.figure == "points.dark_games" and own.worth_it and "Seeing in dark games" in own.sentence
    lift = next(f for f in own.figures if f.figure == "near_black.shadow_lift_lstar")
    assert lift.after - lift.before > 0.4
    assert other.gain.figure == "points.colour_work" and other.gain.gain < own.gain.gain
    # Without being asked for, shadows are not lifted.
    assert (
        "shadows"
        not in tunings.opened(app, tunings.begin(app, monitor, setup_of(app, monitor, "Handset").id, Wish())).row.goals
    )


def test_a_purpose_that_nobody_knows_is_refused_before_anything_is_stored(app, tuner, monitor):
    with pytest.raises(BadInputError, match="no purpose 'attic'") as e:
        tuner.start(monitor, setup_of(app, monitor, "Studio").id, Wish(["white"], purpose="attic"))
    assert e.value.place == "purpose" and tuning_views.listed(app, monitor) == []


def test_white_is_found_kept_proven_and_worth_it(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    seen = tuning_views.view(app, number)
    assert seen.state == "found" and seen.step is None and not seen.by_hand
    assert [a.number for a in seen.attempts] == list(range(1, len(seen.attempts) + 1))
    assert seen.attempts[0].figure > 2 and min(a.figure for a in seen.attempts) < 0.6
    assert {s.path for s in seen.settings} <= {*GAINS, *(p.replace("gain", "offset") for p in GAINS)} and seen.settings
    assert seen.readings == sum(a.readings for a in seen.attempts) < 30
    made = tunings.keep(app, number, "Studio tuned")
    assert setup_of(app, monitor, "Studio tuned").id == made
    assert gains.worth(app, number).worth_it is None
    gains.prove(app, bench, number)
    bench.runs.finish()
    judged = gains.worth(app, number)
    assert judged.proven and judged.worth_it and judged.sentence.startswith("Worth it")
    by_name = {f.figure: f for f in judged.figures}
    white = by_name["white_black.white_de2000"]
    assert white.after < 1 < white.before and white.gain == pytest.approx(white.before - white.after)
    assert white.low < white.gain < white.high
    row = next(r for r in board.board(app, monitor).rows if r.name == "Studio tuned")
    assert any(c.state == "measured" for c in row.cells)
    with pytest.raises(ConflictError, match="measured already"):
        gains.prove(app, bench, number)


def test_the_display_is_left_at_what_was_found(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    final = tunings.final_values(tunings.opened(app, number))
    unit = bench.equipment.bench.remote
    assert {p: unit.values["Studio"][p] for p in GAINS} == {p: final[p] for p in GAINS}
    assert final != tunings.opened(app, number).plan.values


def test_the_best_curve_is_left_though_others_were_tried_after_it(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor, "Handset", goals=["tone"])
    final = tunings.final_values(tunings.opened(app, number))
    paths = ("Picture > Tone", "Picture > Shadow help")
    last = stored.attempts(app.db.connection(), number)[-1]
    assert any(last.entered[p] != final[p] for p in paths), "else the test says nothing"
    assert {p: bench.equipment.bench.remote.values["Handset"][p] for p in paths} == {p: final[p] for p in paths}


def test_curve_luminance_and_white_of_a_monitor_take_under_150_readings(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor, goals=["white", "luminance", "tone"], luminance=120)
    seen = tuning_views.view(app, number)
    assert seen.state == "found" and seen.goals == ["tone", "luminance", "white"] and seen.readings < 150
    goals = list(dict.fromkeys(a.goal for a in seen.attempts))
    assert goals[:3] == ["tone", "luminance", "white"]
    whites = [a.Y for a in seen.attempts if a.Y is not None and a.goal != "tone"]
    assert whites[-1] == pytest.approx(120, rel=0.03)


def test_all_goals_of_a_monitor_take_under_150_readings(app, bench, tuner, monitor):
    number = tuned(
        app, bench, tuner, monitor, "Daybreak", goals=["white", "luminance", "tone", "colours"], luminance=120
    )
    seen = tuning_views.view(app, number)
    by_goal = {g: sum(a.readings for a in seen.attempts if a.goal == g) for g in ("tone", "white", "colours")}
    assert seen.state == "found" and seen.readings < 150 and by_goal["colours"] > 80
    assert "at the start" in next(o.reason for o in seen.outcomes if o.goal == "colours")


def test_six_colours_are_tuned_or_left_with_a_reason(app, bench, tuner, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    correct_for(app, bench, review)
    seen = tuning_views.view(app, tuned(app, bench, tuner, review, "Reel", goals=["colours"]))
    assert seen.state == "found" and seen.readings < 160
    assert all(s.path.startswith("Image > Hues") for s in seen.settings)
    figures = [a.figure for a in seen.attempts if a.figure is not None]
    assert figures and "dE" in seen.outcomes[0].reason


def test_a_table_of_points_is_tuned(app, bench, tuner, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    correct_for(app, bench, review)
    seen = tuning_views.view(app, tuned(app, bench, tuner, review, "Reel", goals=["white", "points"]))
    points = [a for a in seen.attempts if a.goal == "points"]
    checks = [a for a in points if "once more to decide" in a.why]
    # Three readings a point set the table; where it is in doubt one ramp, and no more, decides.
    assert seen.state == "found" and points and sum(a.readings for a in points if a not in checks) <= 30
    assert [a.readings for a in checks] == [10]


def test_what_cannot_be_tuned_is_said(app, bench, tuner, monitor):
    paper = setup_of(app, monitor, "Paper").id
    why = {g.key: g.why_not for g in tuning_views.choices(app, monitor, paper)}
    assert why["luminance"] == "" and "No control" in why["points"]
    with pytest.raises(BadInputError, match="cannot be tuned"):
        tuner.start(monitor, paper, Wish(["points"]))
    with pytest.raises(BadInputError, match="no goal 'hue'"):
        tuner.start(monitor, paper, Wish(["hue"]))
    with pytest.raises(BadInputError, match="1 to 10,000"):
        tuner.start(monitor, paper, Wish(["luminance"], 0.0))
    assert stored.of_review(app.db.connection(), monitor) == []


def test_a_killed_session_goes_on_where_it_stood(tmp_path, units):
    app = Application(tmp_path / "data")
    bench = BenchService(app, speed=20.0)
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    setup = setup_of(app, review, "Studio").id
    number = Tuner(app, bench).start(review, setup, Wish(["tone", "white"]))
    until(lambda: len(stored.attempts(app.db.connection(), number)) >= 2)
    bench.close()
    app.close()
    app = Application(tmp_path / "data")
    before = stored.attempts(app.db.connection(), number)
    assert stored.get(app.db.connection(), number).state == "paused"
    bench = BenchService(app, speed=0.0)
    tuner = Tuner(app, bench)
    tuner.resume(number)
    bench.occupancy.wait()
    after = stored.attempts(app.db.connection(), number)
    assert tuning_views.view(app, number).state == "found"
    assert after[: len(before)] == before and len(after) > len(before)
    tried = [(a.goal, a.stage, json.dumps(a.entered)) for a in after]
    assert len(set(tried[: len(before) + 1])) == len(before) + 1, "nothing is tried twice"
    bench.close()
    app.close()


def test_stopped_it_leaves_the_best_state(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    # As if it stood before its end: one more attempt to come.
    whole = stored.attempts(app.db.connection(), number)
    typed_attempts.go_back(app, number, 2)
    assert tuning_views.view(app, number).state == "paused"
    tuner.halt(number, "stopped")
    seen = tuning_views.view(app, number)
    assert seen.state == "stopped" and [a.dropped for a in seen.attempts] == [False] * 2 + [True] * (len(whole) - 2)
    figures = [a.figure for a in seen.attempts[:2]]
    best = whole[int(np.argmin(figures))]
    assert {p: tunings.final_values(tunings.opened(app, number))[p] for p in GAINS} == {
        p: best.entered[p] for p in GAINS
    }
    with pytest.raises(ConflictError, match="over"):
        tuner.halt(number, "stopped")


def test_going_back_goes_on_from_there(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    count = len(stored.attempts(app.db.connection(), number))
    typed_attempts.go_back(app, number, 2)
    tuner.resume(number)
    bench.occupancy.wait()
    seen = tuning_views.view(app, number)
    assert seen.state == "found" and len(seen.attempts) > count and seen.attempts[2].dropped
    with pytest.raises(NotFoundError):
        typed_attempts.go_back(app, number, 3)


def test_one_tuning_of_a_display_at_a_time(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    typed_attempts.go_back(app, number, 1)
    with pytest.raises(ConflictError, match="tuned already"):
        tuner.start(monitor, setup_of(app, monitor, "Arena").id, Wish(["white"]))


def test_what_the_display_refuses_pauses_and_says_so(app, bench, tuner, monitor, monkeypatch):
    setup = setup_of(app, monitor, "Studio")
    # The menu map does not know of a lock that the display has.

    real = SimulatedUnit.apply

    def locked(self, control, value):
        if control == GAINS[0] and value != 100:
            raise RefusedError(f"{control} is greyed out")
        real(self, control, value)

    monkeypatch.setattr(SimulatedUnit, "apply", locked)
    number = tuner.start(monitor, setup.id, Wish(["white"]))
    bench.occupancy.wait()
    seen = tuning_views.view(app, number)
    assert seen.state == "paused" and "greyed out" in seen.message and seen.attempts
    monkeypatch.undo()
    tuner.resume(number)
    bench.occupancy.wait()
    assert tuning_views.view(app, number).state == "found"


def test_a_setting_that_the_display_ignores_is_noticed(app, bench, tuner, monitor, monkeypatch):

    real = SimulatedUnit.apply
    monkeypatch.setattr(SimulatedUnit, "apply", lambda s, c, v: None if c == GAINS[2] else real(s, c, v))
    number = tuned(app, bench, tuner, monitor)
    seen = tuning_views.view(app, number)
    assert seen.state == "paused" and "Blue gain is 100, not" in seen.message


def test_a_meter_that_is_blinded_pauses_and_no_number_is_made_up(app, bench, tuner, monitor, monkeypatch):
    read = SimulatedColorimeter.read
    calls = []

    def blinded(self, cancel=None):
        calls.append(1)
        if len(calls) == 7:
            raise SaturatedError("too bright for the meter")
        return read(self)

    monkeypatch.setattr(SimulatedColorimeter, "read", blinded)
    number = tuned(app, bench, tuner, monitor)
    seen = tuning_views.view(app, number)
    assert seen.state == "paused" and "Too bright for the meter" in seen.message
    assert all(v is not None for a in stored.attempts(app.db.connection(), number) for v in a.XYZ[:4])
    tuner.resume(number)
    bench.occupancy.wait()
    assert tuning_views.view(app, number).state == "found"


def test_a_bench_that_is_taken_meanwhile_leaves_a_tuning_that_can_go_on(app, bench, tuner, monitor, monkeypatch):
    def taken(job, first=None):
        raise ConflictError("bench", "The bench is in use; stop what is on it first.")

    with monkeypatch.context() as m:
        m.setattr(bench.occupancy, "take", taken)
        number = tuner.start(monitor, setup_of(app, monitor, "Studio").id, Wish(["white"]))
    seen = tuning_views.view(app, number)
    assert seen.state == "paused" and "when it is free" in seen.message
    tuner.resume(number)
    bench.occupancy.wait()
    assert tuning_views.view(app, number).state == "found"


def test_an_unknown_purpose_is_named(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    with pytest.raises(BadInputError, match="no purpose 'cinema'"):
        gains.worth(app, number, "cinema")


def test_where_nothing_better_is_found_nothing_is_kept(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    made = tunings.keep(app, number, "Studio tuned")
    again = tuner.start(monitor, made, Wish(["luminance"], 200.0))
    bench.occupancy.wait()
    tunings.keep(app, again, "Studio bright")
    third = tuner.start(monitor, setup_of(app, monitor, "Studio bright").id, Wish(["luminance"], 200.0))
    bench.occupancy.wait()
    with pytest.raises(ConflictError, match="as good as it gets"):
        tunings.keep(app, third, "Studio brighter")


def test_a_result_that_gains_nothing_is_left_alone(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    tunings.keep(app, number, "Studio tuned")
    # Measured as it came out, against itself.
    with app.db.transaction() as db:
        row = stored.get(db, number)
        db.execute("UPDATE tuning SET setup_id = ? WHERE id = ?", (row.result_id, number))
    gains.prove(app, bench, number)
    bench.runs.finish()
    judged = gains.worth(app, number)
    assert judged.proven and judged.worth_it is False and judged.sentence.startswith("Leave it alone")


def test_a_control_called_otherwise_ends_the_session_in_a_sentence(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    unit = reviews.units_of(app.db.connection(), monitor)[0].id

    menu = renamed(display(app, unit).menu, GAINS[0], "Picture > White > R")
    with app.db.transaction() as db:
        db.execute("UPDATE menu SET document = ?", (json.dumps(document_of(menu)),))
    app.forget()
    with pytest.raises(ConflictError, match="Red gain is gone from the menu"):
        tuning_views.view(app, number)
    # It can still be ended, and another begun.
    tunings.set_state(app, number, "paused")
    with pytest.raises(ConflictError, match="tuned already"):
        tuner.start(monitor, setup_of(app, monitor, "Studio").id, Wish(["luminance"], 120.0))
    tuner.halt(number, "stopped")
    assert [(t.id, t.state) for t in tuning_views.listed(app, monitor)] == [(number, "stopped")]
    assert tuner.start(monitor, setup_of(app, monitor, "Studio").id, Wish(["luminance"], 120.0)) > number


# -- by hand ----------------------------------------------------------------------------------------------------------

MENU = """Picture
  Light 0..100 = 60 (luminance)
  White
    Red gain 0..100 = 100 (red gain)
    Green gain 0..100 = 100 (green gain)
    Blue gain 0..100 = 100 (blue gain)
    Warm 12 notches = 6"""


@pytest.fixture
def by_hand(app):
    return new_display.add(
        app,
        NewDisplay(
            maker="Tern Street", model="Wall 55", kind="television", panel="lcd", modes="Evening, srgb", controls=MENU
        ),
    )


def person(screen, app, tuner, review, most=40, slip=None):
    """Somebody who enters what is asked and types what the meter shows; slip: at which attempt a hand slips, and how far. What
    was entered wrongly stands until it is entered anew, or somebody looks because it is asked about."""
    setup = setup_of(app, review, "Evening").id
    number = tuner.start(review, setup, Wish(["white"]))
    stands = dict.fromkeys(GAINS, 100.0)
    really = dict(stands)
    asked = []
    for _ in range(most):
        seen = tuning_views.view(app, number)
        if seen.question is not None:
            asked.append(seen.question)
            path = seen.question.path
            typed_attempts.answer(app, number, seen.question.number, False, really[path])
            stands[path] = really[path]
            continue
        if seen.step is None:
            break
        for e in seen.step.entries:
            steps = float(e.value) - stands[e.path]
            assert float(e.was) == stands[e.path] and e.presses == f"{abs(steps):g} {'up' if steps > 0 else 'down'}"
            stands[e.path] = really[e.path] = float(e.value)
        if slip is not None and seen.step.number == slip[0]:
            really[GAINS[2]] = stands[GAINS[2]] + slip[1]
        texts = []
        for p in seen.step.patches:
            XYZ = screen.read(Patch(p.rgb), {**screen.values, **really})
            texts.append("-" if not np.isfinite(XYZ).all() else " ".join(f"{v:.4f}" for v in XYZ))
        typed_attempts.typed_in(app, number, seen.step.number, "XYZ", texts)
    return number, asked


def test_a_person_enters_and_types_and_white_is_found(app, tuner, by_hand):
    screen = Display(0)
    number, asked = person(screen, app, tuner, by_hand)
    seen = tuning_views.view(app, number)
    assert seen.by_hand and seen.state == "found" and asked == []
    final = tunings.final_values(tunings.opened(app, number))
    left = float(white_error(screen.true(WHITE, {**screen.values, **{p: final[p] for p in GAINS}}), TARGETS["srgb"]))
    assert left < 1 and seen.attempts[0].figure > 10
    assert tunings.keep(app, number, "Evening tuned")


def test_a_wrong_entry_is_asked_about_and_what_really_stood_there_is_kept(app, tuner, by_hand):
    number, asked = person(Display(0), app, tuner, by_hand, slip=(4, -9))
    assert (
        len(asked) == 1
        and asked[0].path == GAINS[2]
        and asked[0].sentence.startswith("This reads as if Blue gain were")
    )
    row = next(a for a in stored.attempts(app.db.connection(), number) if a.number == asked[0].number)
    assert row.proposed is not None and row.proposed[GAINS[2]] - row.entered[GAINS[2]] == 9
    assert float(asked[0].seems) == pytest.approx(row.entered[GAINS[2]], abs=3)
    assert tuning_views.view(app, number).state == "found"


def test_a_wrong_entry_that_nobody_can_look_at_any_more_is_named_and_never_gone_back_to(app, tuner, by_hand):
    number, asked = person(Display(0), app, tuner, by_hand, slip=(2, 12))
    seen = tuning_views.view(app, number)
    doubted = [a for a in seen.attempts if a.doubt]
    assert asked == [] and seen.state == "found" and [a.number for a in doubted] == [2]
    assert re.fullmatch(r"reads as if Blue gain had been \d+, not \d+; taken as that", doubted[0].doubt)
    seems, entered = map(int, re.findall(r"\d+", doubted[0].doubt))
    assert seems - entered == pytest.approx(12, abs=3)
    t = tunings.opened(app, number)
    bad = next(a for a in t.stored if a.number == 2)
    assert any(tunings.best_so_far(t)[p] != bad.entered[p] for p in GAINS)


def test_what_stands_is_kept_of_all_attempts_that_were_asked_about(app, tuner, by_hand, monkeypatch):
    number, _ = person(Display(0), app, tuner, by_hand, most=5)
    kept = [a for a in stored.attempts(app.db.connection(), number) if not a.dropped]
    entered = kept[-1].entered[GAINS[1]]
    asked = Suspicion(GAINS[1], entered, entered - 5, 2)
    monkeypatch.setattr(tunings.session, "suspect", lambda plan, tried: asked)
    typed_attempts.answer(app, number, kept[-1].number, True)
    now = [a for a in stored.attempts(app.db.connection(), number) if not a.dropped]
    assert [a.entered[GAINS[1]] for a in now[-2:]] == [entered - 5] * 2
    assert [a.proposed is not None for a in now] == [False] * (len(now) - 2) + [True] * 2


def test_what_is_doubted_is_no_state_to_leave(app, tuner, by_hand, monkeypatch):
    number, _ = person(Display(0), app, tuner, by_hand, most=5)
    t = tunings.opened(app, number)
    figures = [tunings.session.figure(t.plan, x) for x in t.tried]
    best = int(np.argmin(figures))
    assert tunings.best_so_far(t)[GAINS[2]] == t.tried[best].attempt.values[GAINS[2]]
    monkeypatch.setattr(tunings.session, "doubts", lambda plan, tried: {best: None})
    left = tunings.best_so_far(t)
    assert any(left[p] != t.tried[best].attempt.values[p] for p in GAINS)


def test_an_answer_that_the_control_cannot_have_is_refused(app, tuner, by_hand, monkeypatch):
    answer = typed_attempts.answer

    def looked(app, number, place, as_it_seems, stands):
        with pytest.raises(BadInputError, match="250"):
            answer(app, number, place, False, 250.0)
        assert all(a.proposed is None for a in stored.attempts(app.db.connection(), number)), "nothing was stored"
        answer(app, number, place, as_it_seems, stands)

    monkeypatch.setattr(typed_attempts, "answer", looked)
    _, asked = person(Display(0), app, tuner, by_hand, slip=(4, -9))
    assert asked


def test_a_mistyped_number_is_asked_about_beside_earlier_attempts(app, tuner, by_hand):
    number, _ = person(Display(0), app, tuner, by_hand, most=3)
    before = len(stored.attempts(app.db.connection(), number))
    t = tunings.opened(app, number)
    step = t.following
    X, Y, Z = step.proposal.expected[0]
    with pytest.raises(DoubtfulError, match=r"^white: X of about .* was expected") as e:
        typed_attempts.typed_in(app, number, before + 1, "XYZ", [f"{10 * X:.4f} {Y:.4f} {Z:.4f}"])
    assert e.value.place == "texts.0" and len(stored.attempts(app.db.connection(), number)) == before
    typed_attempts.typed_in(app, number, before + 1, "XYZ", [f"{10 * X:.4f} {Y:.4f} {Z:.4f}"], True)
    assert len(stored.attempts(app.db.connection(), number)) == before + 1


def test_a_luminance_that_jumps_because_it_was_set_is_not_asked_about(app, tuner):
    menu = MENU.replace("0..100 = 60", "0..100 = 100")
    wall = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street", model="Wall 43", kind="television", panel="lcd", modes="Evening, srgb", controls=menu
        ),
    )
    number = tuner.start(wall, setup_of(app, wall, "Evening").id, Wish(["luminance"], 300.0))
    typed_attempts.typed_in(app, number, 1, "Y", ["60"])
    step = tunings.opened(app, number).following
    # Light stands at its upper end, so nothing says yet what its middle gives.
    assert step.proposal.expected is None and step.proposal.values == {"Picture > Light": 50.0}
    typed_attempts.typed_in(app, number, 2, "Y", ["250"])
    assert len(stored.attempts(app.db.connection(), number)) == 2


def test_bad_readings_are_named_and_nothing_is_stored(app, tuner, by_hand):
    number = tuner.start(by_hand, setup_of(app, by_hand, "Evening").id, Wish(["white"]))
    good = ["95 100 108", "41 21 2", "35 71 12", "18 7 95", "0.02 0.02 0.02"]
    with pytest.raises(BadInputError, match="5 patches, 2 were typed"):
        typed_attempts.typed_in(app, number, 1, "XYZ", good[:2])
    with pytest.raises(BadInputError, match="'bright' is no number") as e:
        typed_attempts.typed_in(app, number, 1, "XYZ", [*good[:3], "bright 1 2", good[4]])
    assert e.value.place == "texts.3"
    with pytest.raises(BadInputError, match="needs colour"):
        typed_attempts.typed_in(app, number, 1, "Y", ["100"] * 5)
    with pytest.raises(ConflictError, match="gone on meanwhile"):
        typed_attempts.typed_in(app, number, 2, "XYZ", good)
    assert stored.attempts(app.db.connection(), number) == []
    typed_attempts.typed_in(app, number, 1, "XYZ", good)
    assert len(stored.attempts(app.db.connection(), number)) == 1
    with pytest.raises(ConflictError, match="Nothing is asked"):
        typed_attempts.answer(app, number, 1, True)


def test_ended_by_hand_it_says_what_to_leave(app, tuner, by_hand):
    number = tuner.start(by_hand, setup_of(app, by_hand, "Evening").id, Wish(["white"]))
    typed_attempts.typed_in(app, number, 1, "XYZ", ["95 100 148", "41 21 2", "35 71 12", "18 7 135", "-"])
    typed_attempts.typed_in(app, number, 2, "XYZ", ["94 99 112"])
    tuner.halt(number, "stopped")
    seen = tuning_views.view(app, number)
    assert (
        seen.state == "stopped" and seen.message.startswith("Leave it at the best so far: ") and "gain" in seen.message
    )


def test_notches_without_numbers_are_counted_from_the_right(app, by_hand):
    unit = reviews.units_of(app.db.connection(), by_hand)[0].id
    assert unit and menu_map  # the map is what says it
    t = tunings.opened(app, tunings.begin(app, by_hand, setup_of(app, by_hand, "Evening").id, Wish(["white"])))
    said = tuning_views._entry(t, "Picture > White > Warm", 6.0, 5.0)
    assert said.value == "7 notches from the right" and said.presses == "1 down"


# -- from a file -------------------------------------------------------------------------------------------------------


def test_a_unit_file_is_tuned_and_described(units):
    found = tune_file(units[PHONE], PHONE, "Faithful", ["luminance"], 200.0)
    assert found["format"] == "lumenar-tuning" and found["mode"] == "Faithful" and found["goal"] == "luminance"
    assert found["readings"] == len(found["attempts"]) <= 6
    assert found["attempts"][-1]["figure"] <= 2 or "nearest" in found["reason"]
    assert list(found["settings"]) == ["Screen > Brightness"]
    assert found["before"]["white_black"]["white_cd_m2"] != pytest.approx(200, rel=0.02)
    assert found["after"]["white_black"]["white_cd_m2"] == pytest.approx(200, rel=0.03)
    json.dumps(found, allow_nan=False)


def test_another_white_is_aimed_at(units):
    found = tune_file(units[MONITOR], MONITOR, "Studio", ["white"], white=(0.33, 0.34))
    before, after = (found[k]["white_black"]["white_de2000"] for k in ("before", "after"))
    assert after < 1 < before and found["settings"]
    usual = tune_file(units[MONITOR], MONITOR, "Studio", ["white"])
    assert usual["settings"] != found["settings"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"mode": "Nowhere"}, "no mode 'Nowhere'"),
        ({"white": (0.9, 0.9)}, "chromaticity|outside"),
        ({"target": "x"}, "unknown target"),
    ],
)
def test_a_wrong_wish_is_one_clear_line(units, change, words):
    with pytest.raises(BadInputError, match=words):
        tune_file(units[MONITOR], MONITOR, **{"mode": "Studio", "goals": ["white"], **change})


def test_setups_of_a_tuning_can_be_deleted(app, bench, tuner, monitor):
    number = tuned(app, bench, tuner, monitor)
    made = tunings.keep(app, number, "Studio tuned")
    setups.delete(app, monitor, made)
    assert stored.get(app.db.connection(), number).result_id is None
    assert gains.worth(app, number).worth_it is None


def begun(app, tuner, review):
    number = tuner.start(review, setup_of(app, review, "Evening").id, Wish(["white"]))
    return number, tuning_views.view(app, number)


@pytest.mark.parametrize(
    ("text", "says"),
    [("95 100 108", "All patches have the same reading"), ("0", "no light of any patch"), ("-", "no light")],
)
def test_readings_that_make_no_sense_are_refused_and_nothing_is_stored(app, tuner, by_hand, text, says):
    number, seen = begun(app, tuner, by_hand)
    with pytest.raises(BadInputError, match=says):
        typed_attempts.typed_in(app, number, seen.step.number, "XYZ", [text] * len(seen.step.patches))
    assert not stored.attempts(app.db.connection(), number)
    assert tuning_views.view(app, number).step.number == seen.step.number


@pytest.mark.parametrize("XYZ", [[95.0, 100.0, 108.0], [0.0, 0.0, 0.0], None])
def test_a_tuning_that_holds_nonsense_can_be_looked_at_gone_back_in_and_ended(app, tuner, by_hand, XYZ):
    """As earlier versions stored it."""
    number, _ = begun(app, tuner, by_hand)
    t = tunings.opened(app, number)
    for _ in range(3):
        end = t.following
        if not isinstance(end, tunings.TuningStep):
            break
        tunings.commit(app, t, end, [XYZ] * len(end.proposal.patches), 0.0)
        t = tunings.opened(app, number)
    assert tuning_views.view(app, number).attempts
    typed_attempts.go_back(app, number, 1)
    assert tuning_views.view(app, number)
    tuner.halt(number, "stopped")
    assert tuning_views.view(app, number).state == "stopped"


def test_an_odd_reading_is_asked_about_and_taken_from_who_is_sure(app, tuner, by_hand):
    number, seen = begun(app, tuner, by_hand)
    screen = Display(0)
    texts = [" ".join(f"{v:.4f}" for v in screen.read(Patch(p.rgb), screen.values)) for p in seen.step.patches]
    red = next(i for i, p in enumerate(seen.step.patches) if p.rgb == (1.0, 0.0, 0.0))
    X, Y, Z = map(float, texts[red].split())
    odd = [*texts[:red], f"{10 * X:.4f} {10 * Y:.4f} {10 * Z:.4f}", *texts[red + 1 :]]
    with pytest.raises(DoubtfulError, match="red: Brighter than white") as asked:
        typed_attempts.typed_in(app, number, seen.step.number, "XYZ", odd)
    assert asked.value.place == f"texts.{red}" and not stored.attempts(app.db.connection(), number)
    typed_attempts.typed_in(app, number, seen.step.number, "XYZ", texts)
    assert len(stored.attempts(app.db.connection(), number)) == 1


def test_of_two_submits_at_once_one_is_told_and_nothing_is_stored_twice(app, tuner, by_hand):
    number, _ = begun(app, tuner, by_hand)
    one, two = tunings.opened(app, number), tunings.opened(app, number)
    screen = Display(0)
    XYZ = [list(screen.read(p, screen.values)) for p in one.following.proposal.patches]
    tunings.commit(app, one, one.following, XYZ, 0.0)
    with pytest.raises(ConflictError, match="gone on meanwhile"):
        tunings.commit(app, two, two.following, XYZ, 0.0)
    assert len(stored.attempts(app.db.connection(), number)) == 1
    with pytest.raises(ConflictError, match="being tuned already"):
        begun(app, tuner, by_hand)


@pytest.mark.parametrize(
    ("after", "reached"), [(120.0, True), (125.9, True), (126.1, False), (113.9, False), (114.1, True)]
)
def test_asked_for_luminance_alone_having_it_is_the_success(after, reached):
    light = gains.PairedFigure(
        figure="white_black.white_cd_m2",
        title="Luminance",
        unit="cd/m²",
        decimals=1,
        before=300.0,
        after=after,
        gain=None,
        low=None,
        high=None,
    )
    found = gains.Worth(
        proven=True,
        worth_it=False,
        sentence="Leave it alone.",
        gain=None,
        figures=[light],
        before=1,
        after=2,
        missing=0,
    )
    seen = gains._as_asked(found, 120.0)
    assert seen.worth_it is reached and seen.sentence.startswith("As asked." if reached else "Not reached.")


def test_a_process_that_ended_before_it_could_say_so_finishes_at_the_next_start(app, tuner, by_hand):
    number, _ = person(Display(0), app, tuner, by_hand)
    tunings.set_state(app, number, "waiting")
    tunings.recover(app)
    assert tuning_views.view(app, number).state == "found"
    # One in which something is left to try stays open.
    typed_attempts.go_back(app, number, 1)
    tunings.recover(app)
    assert tuning_views.view(app, number).state == "waiting"
