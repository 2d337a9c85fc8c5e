"""Experiments on the bench and by hand: committed stage by stage, cut off and gone on with, put back, and learned from."""

import threading
import time

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.displays.displays import display
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError, ConflictError, DoubtfulError, NotFoundError
from lumenar.app.experiments import experiment_views as views
from lumenar.app.experiments import experiments, questions, typed_stages
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds import KINDS, OBSERVED
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.menus import menu_edits
from lumenar.app.setups import new_display, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.tuning import tuning_views
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tunings import Wish
from lumenar.bench.ports import LostError, RefusedError
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import SimulatedColorimeter
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.targets import TARGETS, Anchor
from lumenar.store import reviews

from ...conftest import MONITOR, setup_of
from ..bench.test_bench import until

BLUE, POWER, SHADOW = "Eyes > Blue step", "System > Power", "Picture > Shadow help"


@pytest.fixture
def experimenter(app, bench):
    return Experimenter(app, bench)


def asked(app, bench, experimenter, review, kind, control="", name="Studio", **more):
    number = experimenter.start(
        review, Question(kind=kind, setup=setup_of(app, review, name).id, control=control, **more)
    )
    bench.occupancy.wait()
    return views.view(app, number)


# -- on the bench -----------------------------------------------------------------------------------------------------


def test_what_is_found_out_goes_into_the_map_with_its_readings(app, bench, experimenter, monitor):
    unit = reviews.unit_of(app.db.connection(), monitor).id
    menu_edits.change_control(app, monitor, unit, POWER, {"resets": [], "locks": {}})
    menu_edits.change_control(app, monitor, unit, BLUE, {"scope": "unknown"})
    seen = asked(app, bench, experimenter, monitor, "locks", POWER)
    assert seen.state == "done" and seen.read == len(seen.stages) and not seen.by_hand and seen.now is None
    assert [(c.entry, c.known) for c in seen.changes] == [("resets", False), ("locks", False)]
    views.learn(app, seen.id)
    power = display(app, unit).menu.control(POWER)
    assert "Picture > White > Red gain" in power.resets and power.locks == {"Thrifty": ("Picture > Light",)}
    assert power.evidence.startswith(f"experiment {seen.id} of ") and views.view(app, seen.id).applied
    assert all(c.known for c in views.view(app, seen.id).changes)
    reach = asked(app, bench, experimenter, monitor, "scope", BLUE)
    views.learn(app, reach.id)
    assert display(app, unit).menu.control(BLUE).scope == "unit"
    menu_edits.undo(app, monitor, unit)
    assert display(app, unit).menu.control(BLUE).scope == "unknown"
    found = views.found_out(app, monitor, None)
    assert (found[0].experiment, found[0].path) == (reach.id, BLUE)
    assert {f.path for f in found if f.experiment == seen.id} >= {POWER, "Picture > Light"}
    assert [x.state for x in views.lines(app, monitor)] == ["done", "done"]
    assert views.lines(app, monitor)[1].sentence == seen.sentence


def test_nothing_is_learned_where_nothing_was_found(app, bench, experimenter, monitor):
    seen = asked(app, bench, experimenter, monitor, "does", BLUE)
    assert "kept at 1, 2, 4; the opposite at 3" in seen.sentence and seen.changes == []
    with pytest.raises(ConflictError, match="Nothing was found out"):
        views.learn(app, seen.id)


def test_two_setups_and_shadows(app, bench, experimenter, monitor):
    arena = setup_of(app, monitor, "Arena").id
    same = asked(app, bench, experimenter, monitor, "difference", setups=[arena])
    assert same.title == "Are Studio and Arena the same?" and "Arena differs from Studio" in same.sentence
    made = setups.add(app, monitor, setup_of(app, monitor, "Studio").id, "Twin", setups.Edit(values={}))
    twin = asked(app, bench, experimenter, monitor, "difference", setups=[made])
    assert twin.sentence == "Studio and Twin are the same as far as can be measured."
    ranked = asked(app, bench, experimenter, monitor, "shadows", SHADOW, setups=[arena])
    assert ranked.rows[0][1] == "Shadow help 4" and len(ranked.rows) == 6
    notches = asked(app, bench, experimenter, monitor, "notches", SHADOW, second="Picture > Tone", by="curve")
    assert len(notches.rows) == 20 and notches.heads[:3] == ["Place", "Shadow help", "Tone"]


def test_what_it_will_take_is_said_beforehand(app, monitor):
    q = Question(kind="does", setup=setup_of(app, monitor, "Studio").id, control=BLUE)
    cost = questions.cost(app, monitor, q)
    assert cost.title == "What does Blue step do?" and len(cost.stages) == 6 and cost.readings == 6 * 22
    assert questions.cost(app, monitor, Question(kind="locks", setup=q.setup, control=POWER)).looks == 3
    assert views.lines(app, monitor) == []


def test_what_locks_others_itself_is_not_moved_and_all_is_put_back(app, bench, experimenter, monitor):
    unit = reviews.unit_of(app.db.connection(), monitor).id
    seen = asked(app, bench, experimenter, monitor, "locks", "Picture > Tone")
    assert POWER not in [c.path for c in experiments.opened(app, seen.id).made.others]
    assert seen.sentence.startswith("Tone neither locks nor resets any of ")
    stands = bench.equipment.bench.remote.values["Studio"]
    defaults = display(app, unit).menu
    assert stands == defaults.defaults(defaults.mode("Studio", "sdr"))


def test_what_cannot_be_put_back_is_said(app, bench, experimenter, monitor, monkeypatch):
    whole, refusing = SimulatedUnit.apply, []

    def stuck(unit, control, value):
        if control == BLUE and value == 4.0:
            refusing.append(True)
        elif control == BLUE and refusing and value == 0.0:
            raise RefusedError("Blue step is stuck")
        whole(unit, control, value)

    monkeypatch.setattr(SimulatedUnit, "apply", stuck)
    seen = asked(app, bench, experimenter, monitor, "does", BLUE)
    assert seen.state == "done" and seen.message == "Not put back: Blue step is stuck."


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        (LostError("the meter went away"), "Plug it in"),
        (ZeroDivisionError("what nobody thought of"), "what nobody thought of"),
    ],
)
def test_a_meter_that_fails_leaves_the_display_as_it_was(app, bench, experimenter, monitor, monkeypatch, fault, said):
    read, count = SimulatedColorimeter.read, []

    def failing(meter, *more):
        count.append(1)
        if len(count) == 30:
            raise fault
        return read(meter, *more)

    monkeypatch.setattr(SimulatedColorimeter, "read", failing)
    seen = asked(app, bench, experimenter, monitor, "does", BLUE)
    assert seen.state == "paused" and seen.read == 1 and said in seen.message
    assert bench.equipment.bench.remote.values["Studio"][BLUE] == 0.0
    experimenter.resume(seen.id)
    bench.occupancy.wait()
    assert "the opposite at 3" in views.view(app, seen.id).sentence


def test_who_has_said_the_last_word_is_waited_for(app, bench, experimenter, monitor, monkeypatch):
    """Told that it is done, somebody asks the next question before the bench was left."""
    begun = []
    tell = Experimenter.tell

    def at_once(who, number, state, **more):
        tell(who, number, state, **more)
        if state == "done" and not begun:
            asking = threading.Thread(
                target=lambda: begun.append(
                    Tuner(app, bench).start(monitor, setup_of(app, monitor, "Studio").id, Wish(["white"]))
                )
            )
            asking.start()
            time.sleep(0.3)
            threads.append(asking)

    threads = []
    monkeypatch.setattr(Experimenter, "tell", at_once)
    asked(app, bench, experimenter, monitor, "does", POWER)
    threads[0].join()
    bench.occupancy.wait()
    assert begun and tuning_views.view(app, begun[0]).state == "found"


def test_after_a_pause_what_was_done_is_done_again(app, bench, experimenter, monitor):
    whole = asked(app, bench, experimenter, monitor, "locks", POWER)
    number = whole.id
    with app.db.transaction() as db:
        db.execute("DELETE FROM stage_read WHERE experiment_id = ? AND number >= 1", (number,))
        db.execute("UPDATE experiment SET state = 'paused' WHERE id = ?", (number,))
    experimenter.resume(number)
    bench.occupancy.wait()
    assert views.view(app, number).rows == whole.rows, "the others stood moved off again"


def test_a_server_that_is_killed_goes_on_at_the_next_stage(app, bench, experimenter, monitor, tmp_path):
    number = experimenter.start(monitor, Question(kind="does", setup=setup_of(app, monitor, "Studio").id, control=BLUE))
    bench.occupancy.wait()
    whole = views.view(app, number)
    # As if the process had ended after two stages.
    with app.db.transaction() as db:
        db.execute("DELETE FROM stage_read WHERE experiment_id = ? AND number >= 2", (number,))
        db.execute("UPDATE experiment SET state = 'working' WHERE id = ?", (number,))
    kept = experiments.opened(app, number).read
    bench.close()
    app.close()
    again = Application(tmp_path / "data")
    service = BenchService(again, speed=0.0)
    stood = views.view(again, number)
    assert stood.state == "paused" and stood.read == 2 and "Nothing is lost" in stood.message
    assert stood.now.title == "Blue step 2"
    later = Experimenter(again, service)
    later.resume(number)
    service.occupancy.wait()
    seen = views.view(again, number)
    assert seen.state == "done" and experiments.opened(again, number).read[:2] == kept
    assert [r[0] for r in seen.rows] == [r[0] for r in whole.rows] and "the opposite at 3" in seen.sentence
    with pytest.raises(ConflictError, match="paused"):
        later.resume(number)
    service.close()
    again.close()


def test_it_is_paused_gone_on_with_and_ended(app, monitor):
    bench = BenchService(app, speed=200.0)
    experimenter = Experimenter(app, bench)
    number = experimenter.start(monitor, Question(kind="does", setup=setup_of(app, monitor, "Studio").id, control=BLUE))
    with pytest.raises(ConflictError, match="in use"):
        experimenter.start(monitor, Question(kind="does", setup=setup_of(app, monitor, "Studio").id, control=POWER))
    until(lambda: views.view(app, number).read >= 1)
    experimenter.halt(number, "paused")
    until(lambda: views.view(app, number).state == "paused")
    with pytest.raises(ConflictError, match="open"):
        experimenter.start(monitor, Question(kind="does", setup=setup_of(app, monitor, "Studio").id, control=POWER))
    experimenter.resume(number)
    experimenter.halt(number, "stopped")
    until(lambda: views.view(app, number).state == "stopped")
    seen = views.view(app, number)
    assert "nothing follows" in seen.message and seen.sentence == "" and seen.now is None
    with pytest.raises(ConflictError, match="over"):
        experimenter.halt(number, "stopped")
    bench.close()


@pytest.mark.parametrize(
    ("q", "place", "says"),
    [
        ({"control": "Nowhere"}, "control", "no entry 'Nowhere'"),
        ({}, "control", "Choose a control"),
        ({"control": "Picture > Colour"}, "control", "locked in the mode Studio"),
        ({"kind": "notches", "control": BLUE, "second": BLUE}, "second", "two different"),
        ({"kind": "notches", "control": BLUE, "by": "smell"}, "by", "cannot be ranked by 'smell'"),
        ({"kind": "notches", "control": "Picture > Light", "second": "Picture > Contrast"}, "second", "at most 150"),
        ({"kind": "difference"}, "setups", "choose one beside"),
        ({"kind": "shadows"}, "setups", "2 to 40"),
        ({"kind": "shadows", "setups": [99999]}, "setups", "one sample"),
        ({"kind": "why"}, "kind", "no question 'why'"),
    ],
)
def test_a_question_that_makes_no_sense_is_refused_with_its_place(app, monitor, q, place, says):
    question = Question(**{"kind": "does", "setup": setup_of(app, monitor, "Studio").id, **q})
    for ask in (questions.cost, experiments.begin):
        with pytest.raises(BadInputError, match=says) as e:
            ask(app, monitor, question)
        assert e.value.place == place
    assert views.lines(app, monitor) == []
    with pytest.raises(NotFoundError):
        views.view(app, 1)


# -- by hand ------------------------------------------------------------------------------------------------------------

CONTROLS = """Power: Full* Thrifty
Light: 0..100 = 80 (luminance)
Blue step: 0..4 = 0 (promise: less blue)
Detail: 0..100 = 50"""


@pytest.fixture
def mine(app):
    """A display of one's own, whose light is that of a stand-in that nobody told the application of."""
    modes = "Studio, sdr, srgb\nArena, sdr, srgb"
    new = NewDisplay(
        maker="Tern Street", model="Wall 55", kind="television", panel="lcd", modes=modes, controls=CONTROLS
    )
    review = new_display.add(app, new)
    return review, SimulatedUnit(parse_unit(shipped_units()[MONITOR]))


PATHS = {"Power": POWER, "Light": "Picture > Light", "Blue step": BLUE, "Detail": "Picture > Contrast"}


def by_hand(app, number, unit):
    """A person does every stage that is left: enters what is asked for in the view's own words, types what the meter shows."""
    rng = np.random.default_rng(3)
    while (v := views.view(app, number)).state == "waiting":
        for words in v.now.acts:
            if words.startswith("mode "):
                unit.select(words[5:])
                continue
            path, _, value = words.partition(" to ")
            control = next(c for c in unit.file.controls if c.path == PATHS[path])
            unit.apply(control.path, float(value) if control.numeric else value)
        now = {mine: unit.values[unit.mode.name][theirs] for mine, theirs in PATHS.items()}
        stands = {p: f"{now[p]:g}" if isinstance(now[p], float) else now[p] for p, _ in v.now.look}
        differs = {p: stands[p] for p, expected in v.now.look if stands[p] != expected}
        greyed = [p for p, _ in v.now.look if unit.locked(PATHS[p])]
        texts = [" ".join(f"{x * (1 + 0.001 * rng.standard_normal()):.4f}" for x in unit.XYZ(rgb)) for rgb in v.now.rgb]
        typed_stages.typed_in(app, number, v.read, "XYZ", texts, differs, greyed, [])
    return views.view(app, number)


def test_locks_and_resets_by_hand(app, bench, experimenter, mine):
    review, unit = mine
    number = experimenter.start(
        review, Question(kind="locks", setup=setup_of(app, review, "Studio").id, control="Power")
    )
    first = views.view(app, number)
    assert first.state == "waiting" and first.by_hand
    # Only what is not so already is to be entered.
    assert first.now.acts == ["mode Studio", "Light to 55", "Blue step to 1", "Detail to 25"]
    assert first.now.look == [("Light", "55"), ("Blue step", "1"), ("Detail", "25")]
    seen = by_hand(app, number, unit)
    assert seen.state == "done"
    assert [(c.entry, c.words) for c in seen.changes] == [
        ("resets", "Power resets Detail, Light"), ("locks", "Power locks Light at Thrifty"),
    ]  # fmt: skip
    assert seen.back == ["Light to 80", "Blue step to 0", "Detail to 50"]
    views.learn(app, number)
    assert display(app, reviews.unit_of(app.db.connection(), review).id).menu.control("Power").resets == (
        "Detail",
        "Light",
    )


def test_a_promise_by_hand(app, bench, experimenter, mine):
    review, unit = mine
    number = experimenter.start(
        review, Question(kind="does", setup=setup_of(app, review, "Studio").id, control="Blue step")
    )
    seen = by_hand(app, number, unit)
    assert "kept at 1, 2, 4; the opposite at 3" in seen.sentence


def test_what_is_typed_wrongly_is_named_and_nothing_stored(app, bench, experimenter, mine):
    review, _ = mine
    number = experimenter.start(
        review, Question(kind="locks", setup=setup_of(app, review, "Studio").id, control="Power")
    )
    good = ["90 100 110", "9 10 11", "40 20 2", "18 7 90"]

    def typed(stage=0, form="XYZ", texts=good, stands=None):
        typed_stages.typed_in(app, number, stage, form, texts, stands or {}, [], [])

    for wrong, place, says in (
        ({"texts": good[:3]}, "texts", "4 patches, 3"),
        ({"texts": [*good[:2], "40 20 z", good[3]]}, "texts.2", "'z' is no number"),
        ({"form": "Y"}, "form", "needs colour"),
        ({"stands": {"Light": "abc"}}, "stands.Light", "'abc' is no number"),
        ({"stands": {"Light": "300"}}, "stands.Light", "outside"),
    ):
        with pytest.raises(BadInputError, match=says) as e:
            typed(**wrong)
        assert e.value.place == place and views.view(app, number).read == 0
    with pytest.raises(ConflictError, match="gone on meanwhile"):
        typed(stage=1)
    typed()
    assert views.view(app, number).read == 1
    experimenter.halt(number, "stopped")
    assert views.view(app, number).back == ["Light to 80", "Blue step to 0", "Detail to 50"]
    with pytest.raises(ConflictError, match="gone on"):
        typed(stage=1)


def test_what_the_menu_refuses_by_hand_is_told_by_path(app, bench, experimenter, mine):
    review, _ = mine
    number = experimenter.start(
        review, Question(kind="does", setup=setup_of(app, review, "Studio").id, control="Power")
    )
    texts = [
        f"{90 * max(rgb):.1f} {100 * max(rgb):.1f} {110 * max(rgb):.1f}" for rgb in views.view(app, number).now.rgb
    ]
    for stage, refused in ((0, []), (1, ["Power"]), (2, [])):
        assert views.view(app, number).now.paths == [["", "Power", "Power"][stage]]
        typed_stages.typed_in(app, number, stage, "XYZ", texts, {}, [], refused, True)
    seen = views.view(app, number)
    assert seen.sentence == "Power could not be set in Studio." and "did not let it be set" in seen.rows[0][1]
    # Ended between the last step and the word that it is done, it is finished at the next start.
    experiments.set_state(app, number, "waiting")
    experiments.recover(app)
    assert views.view(app, number).state == "done"


def test_what_seems_to_do_nothing_is_entered_twice_by_hand(app, bench, experimenter, mine):
    review, _ = mine
    number = experimenter.start(
        review, Question(kind="does", setup=setup_of(app, review, "Studio").id, control="Detail")
    )

    def texts(red=1.0):
        rgb = np.array(views.view(app, number).now.rgb, float)
        XYZ = TARGETS["srgb"].XYZ(rgb, Anchor(np.array(150.0), np.array(0.1)))
        XYZ[(rgb == (1, 0, 0)).all(axis=1)] *= red
        return [" ".join(f"{v:.4f}" for v in row) for row in XYZ]

    def typed(stage, readings, **more):
        typed_stages.typed_in(app, number, stage, "XYZ", readings, {}, [], [], **more)

    typed(0, texts(), sure=True)
    with pytest.raises(DoubtfulError, match=r"All readings are the same as before Detail to .*Enter it again") as e:
        typed(1, texts())
    assert e.value.place == "texts.0" and views.view(app, number).read == 1, "nothing was stored"
    typed(1, texts(), sure=True)
    # A patch that differs beyond the meter's noise is an effect.
    typed(2, texts(red=1.05))
    assert views.view(app, number).read == 3


def test_the_bench_reads_what_it_can_read(app, bench, experimenter, monitor):
    number = asked(app, bench, experimenter, monitor, "does", BLUE).id
    with pytest.raises(ConflictError, match="typed readings aren"):
        typed_stages.typed_in(app, number, 0, "XYZ", [], {}, [], [])


def test_kinds_of_questions_are_found_in_their_order_and_those_that_are_told_in_reports():
    kinds = list(KINDS.values())
    assert [k.place for k in kinds] == list(range(1, len(kinds) + 1)) and kinds[0].key == "does"
    assert OBSERVED == ("conditions", "comfort", "samples", "carry", "alike", "metadata", "ends", "byitself")
    assert [k.key for k in kinds if k.beside] == ["metadata", "ends"]
