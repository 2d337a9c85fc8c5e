"""Recipes: in an order in which nothing is undone, replayed literally, and seen to fail where they would."""

import json
from dataclasses import asdict

import numpy as np
import pytest

from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.menus import menu_edits
from lumenar.app.recipes import recipes
from lumenar.app.recipes.replay import Replayer, proof_patches
from lumenar.app.setups import new_display, setup_notes, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.setups.setups import Edit
from lumenar.app.tuning import gains, tunings
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tunings import Wish
from lumenar.app.verdict import verdict
from lumenar.bench.plan import Cell
from lumenar.bench.ports import RefusedError
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.menu.controls import Control, MenuError
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.recipes.steps import SettingNote, ordered_steps
from lumenar.core.targets import TARGETS, Anchor
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify
from lumenar.store import replays, reviews
from lumenar.store import tunings as stored_tunings

from ...conftest import MONITOR, setup_of

GAINS = ["Picture > White > Red gain", "Picture > White > Green gain", "Picture > White > Blue gain"]


@pytest.fixture
def replayer(app, bench):
    return Replayer(app, bench)


def replayed(app, bench, replayer, review, setup, unit=None):
    number = replayer.start(review, setup, unit)
    bench.occupancy.wait()
    return replays.get(app.db.connection(), number)


# -- order ------------------------------------------------------------------------------------------------------------


def controls(**more):
    light = Control("Light", "slider", default=50.0, role="luminance")
    gain = Control("White > Red gain", "slider", default=100.0, role="red gain")
    green = Control("White > Green gain", "slider", default=100.0, role="green gain")
    power = Control("Power", "choice", choices=("Full", "Low"), default="Low", resets=("Light", "White > Red gain"), scope="unit",
                    locks={"Low": ("White > Red gain",)})  # fmt: skip
    return (light, gain, green, power)


def test_what_resets_and_unlocks_comes_first_and_shared_values_are_said():
    menu = Menu((Mode("Film", "sdr", "srgb"),), controls())
    changes = {"Light": 40.0, "White > Red gain": 93.0, "Power": "Full"}
    steps = ordered_steps(menu, menu.modes[0], changes, {"Light": "Bright enough."}, "Best.")
    assert [(s.kind, s.path) for s in steps[:4]] == [
        ("set", "Mode"), ("set", "Power"), ("set", "Light"), ("set", "White > Red gain"),
    ]  # fmt: skip
    assert steps[1].scope == "for all modes at a time" and steps[2].why == "Bright enough." and steps[3].value == "93"
    assert [(s.kind, s.path, s.value) for s in steps[4:]] == [("leave", "White > Green gain", "100")]


def test_what_would_undo_a_setting_is_checked():
    menu = Menu((Mode("Film", "sdr", "srgb"),), controls())
    menu = Menu(menu.modes, tuple(c if c.path != "Power" else Control(
        "Power", "choice", choices=("Full", "Low"), default="Full", resets=("Light",), locks={"Low": ("White > Green gain",)}
    ) for c in menu.controls))  # fmt: skip
    steps = ordered_steps(menu, menu.modes[0], {"Light": 40.0, "White > Green gain": 90.0}, {}, "")
    check = next(s for s in steps if s.kind == "check")
    assert check.path == "Power" and check.value == "Full" and "Light" in check.why and "Green gain" in check.why
    assert [s.kind for s in steps].index("check") == 1


def test_settings_that_undo_one_another_are_no_recipe():
    a = Control("A", "slider", default=0.0, resets=("B",))
    b = Control("B", "slider", default=0.0, resets=("A",))
    menu = Menu((Mode("Film", "sdr", "srgb"),), (a, b))
    with pytest.raises(MenuError, match="undo one another"):
        ordered_steps(menu, menu.modes[0], {"A": 1.0, "B": 1.0}, {}, "")


# -- replay -----------------------------------------------------------------------------------------------------------


@pytest.fixture
def tuned(app, bench, monitor):
    number = Tuner(app, bench).start(monitor, setup_of(app, monitor, "Studio").id, Wish(["luminance", "white"], 120.0))
    bench.occupancy.wait()
    made = tunings.keep(app, number, "Studio tuned")
    gains.prove(app, bench, number)
    bench.runs.finish()
    return made


def test_a_recipe_is_replayed_and_gives_what_it_promises(app, bench, monitor, tuned, replayer):
    before = recipes.recipe(app, monitor, tuned)
    assert any("Not replayed yet" in c for c in before.caveats) and before.replays == []
    sets = [s for s in before.steps if s.kind == "set"]
    assert sets[0].value == "Studio" and {s.path for s in sets[1:]} == set(
        setup_of(app, monitor, "Studio tuned").changes
    )
    assert all(s.why.startswith("Tuned: ") for s in sets[1:])
    assert next(s for s in before.steps if s.kind == "check").path == "System > Power"
    row = replayed(app, bench, replayer, monitor, tuned)
    assert row.state == "done" and len(row.XYZ) == len(row.patches) == len(
        proof_patches(app, setup_of(app, monitor, "Studio tuned"))
    )
    seen = recipes.recipe(app, monitor, tuned)
    assert seen.replays[0].kept is True and all(f.kept for f in seen.promised)
    by_name = {f.figure: f for f in seen.promised}
    assert by_name["white_black.white_cd_m2"].replayed == pytest.approx(120, rel=0.04)
    assert by_name["white_black.white_de2000"].replayed < 1
    assert any("Replayed from a factory reset" in c for c in seen.caveats)


def test_on_another_sample_the_spread_is_told(app, bench, monitor, tuned, replayer):
    replayed(app, bench, replayer, monitor, tuned)
    other = next(u for u in reviews.units_of(app.db.connection(), monitor) if u.sample == "B")
    row = replayed(app, bench, replayer, monitor, tuned, other.id)
    assert row.state == "done" and row.unit_id == other.id
    seen = recipes.recipe(app, monitor, tuned)
    white = next(f for f in seen.promised if f.figure == "white_black.white_de2000")
    assert set(white.others) == {"B"} and white.others["B"] != white.replayed
    assert any("On sample B it" in c for c in seen.caveats) and any("Samples differ" in c for c in seen.caveats)
    assert [r.sample for r in seen.replays] == ["B", "A"]


def test_a_wrong_order_is_seen_to_fail_on_the_reset_trap(app, bench, monitor, replayer, monkeypatch):
    made = setups.add(app, monitor, setup_of(app, monitor, "Studio").id, "Late power", Edit(values={GAINS[0]: 90.0}))
    setup = setup_of(app, monitor, "Late power")
    real = recipes.written_steps(app, setup)
    # Somebody toggles the power setting after all else: the display puts the gain back.
    power = next(s for s in real if s.kind == "check")
    wrong = [*real, *(type(power)("set", power.path, v, "", "") for v in ("Thrifty", "Full"))]
    monkeypatch.setattr("lumenar.app.recipes.replay.written_steps", lambda app, setup: wrong)
    row = replayed(app, bench, replayer, monitor, made)
    assert (
        row.state == "failed"
        and row.message == "All was entered, but Red gain is 100, not 90: a later step put it back."
    )
    seen = recipes.recipe(app, monitor, made)
    assert seen.replays[0].kept is False and any("Its replay failed" in c for c in seen.caveats)
    monkeypatch.undo()
    assert replayed(app, bench, replayer, monitor, made).state == "done"


def test_a_step_that_the_display_refuses_fails_with_its_number(app, bench, monitor, replayer, monkeypatch):
    made = setups.add(app, monitor, setup_of(app, monitor, "Studio").id, "Dim", Edit(values={"Picture > Light": 40.0}))
    apply = SimulatedUnit.apply

    def refuse(self, control, value):
        if control == "Picture > Light":
            raise RefusedError("Light is greyed out")
        apply(self, control, value)

    monkeypatch.setattr(SimulatedUnit, "apply", refuse)
    row = replayed(app, bench, replayer, monitor, made)
    steps = row.steps
    at = next(i for i, s in enumerate(steps, 1) if s["path"] == "Picture > Light")
    assert row.state == "failed" and row.message == f"Step {at}, Picture > Light = 40: Light is greyed out."


def test_a_figure_that_is_not_kept_is_said(app, bench, monitor, tuned, replayer):
    row = replayed(app, bench, replayer, monitor, tuned)
    dimmer = [None if v is None else [0.8 * c for c in v] for v in row.XYZ]
    with app.db.transaction() as db:
        replays.finish(db, row.id, "done", "", dimmer)
    seen = recipes.recipe(app, monitor, tuned)
    kept = {f.figure: f.kept for f in seen.promised}
    assert kept["white_black.white_cd_m2"] is False and kept["white_black.white_de2000"] is True
    assert seen.replays[0].kept is False
    assert any("Its replay failed on" in c and "Luminance" in c and "instead of" in c for c in seen.caveats)
    said = verdict.verdict(app, monitor)
    best = next(p.recipe for p in said.purposes if p.recipe is not None and p.recipe.setup == str(tuned))
    assert best.replay_failed and not best.replayed and any("Its replay failed" in c for c in best.caveats)
    assert any(g.startswith("Replayed from a factory reset, and failed") for g in said.gaps)
    unproven = next((g for g in said.gaps if g.startswith("Not replayed after")), "")
    assert best.name not in unproven, "it was replayed, though it failed"
    bluer = [None if v is None else [v[0], v[1], 1.1 * v[2]] for v in row.XYZ]
    with app.db.transaction() as db:
        replays.finish(db, row.id, "done", "", bluer)
    kept = {f.figure: f.kept for f in recipes.recipe(app, monitor, tuned).promised}
    assert kept["white_black.white_cd_m2"] is True and kept["white_black.white_de2000"] is False
    # The newest replay counts, the older one stays in the list with what it missed.
    replayed(app, bench, replayer, monitor, tuned)
    seen = recipes.recipe(app, monitor, tuned)
    assert all(f.kept for f in seen.promised) and [r.kept for r in seen.replays] == [True, False]
    said = verdict.verdict(app, monitor)
    best = next(p.recipe for p in said.purposes if p.recipe is not None and p.recipe.setup == str(tuned))
    unproven = {r.name for p in said.purposes if (r := p.recipe) is not None and r.setup != str(tuned)}
    listed = next((g for g in said.gaps if g.startswith("Not replayed after")), "")
    assert best.replayed and best.name not in listed and all(name in listed for name in unproven)


def test_a_replay_begins_with_a_factory_reset_whatever_stood_there(app, bench, monitor, replayer, monkeypatch):
    made = setups.add(app, monitor, setup_of(app, monitor, "Studio").id, "Dim", Edit(values={"Picture > Light": 40.0}))
    assemble = bench.equipment.assemble

    def left_thrifty(unit, seed, on_s=0.0):
        found = assemble(unit, seed, on_s)
        found.remote.select("Studio")
        found.remote.apply("System > Power", "Thrifty")
        return found

    monkeypatch.setattr(bench.equipment, "assemble", left_thrifty)
    assert replayed(app, bench, replayer, monitor, made).state == "done"


def test_a_replay_that_finds_the_bench_taken_waits_for_nobody(app, bench, monitor, replayer, monkeypatch):
    setup = setup_of(app, monitor, "Studio")

    def taken(job, first=None):
        raise ConflictError("bench", "The bench is in use; stop what is on it first.")

    with monkeypatch.context() as m:
        m.setattr(bench.occupancy, "take", taken)
        with pytest.raises(ConflictError, match="in use"):
            replayer.start(monitor, setup.id)
    assert [r.state for r in recipes.recipe(app, monitor, setup.id).replays] == ["stopped"]
    assert replayed(app, bench, replayer, monitor, setup.id).state == "done"


# -- by hand ------------------------------------------------------------------------------------------------------------


@pytest.fixture
def by_hand(app):
    menu = "Light 0..100 = 60 (luminance)\nRed gain 0..100 = 100 (red gain)"
    return new_display.add(
        app,
        NewDisplay(
            maker="Tern Street", model="Wall 55", kind="television", panel="lcd", modes="Evening, srgb", controls=menu
        ),
    )


def test_a_person_replays_and_types_the_proof(app, replayer, by_hand):
    first = setup_of(app, by_hand, "Evening")
    made = setups.add(app, by_hand, first.id, "Evening set", Edit(values={"Red gain": 93.0}))
    number = replayer.start(by_hand, made)
    row = replays.get(app.db.connection(), number)
    assert row.state == "waiting" and recipes.recipe(app, by_hand, made).by_hand
    rgb = np.array(row.patches)
    XYZ = TARGETS["srgb"].XYZ(rgb, Anchor(np.array(120.0), np.array(0.1)))
    texts = [" ".join(f"{v:.4f}" for v in r) for r in XYZ]
    with pytest.raises(BadInputError, match=f"{len(texts)} patches, 2 were"):
        replayer.typed_in(number, "XYZ", texts[:2])
    with pytest.raises(BadInputError, match="is no number") as e:
        replayer.typed_in(number, "XYZ", [*texts[:3], "a 1 2", *texts[4:]])
    assert e.value.place == "texts.3" and replays.get(app.db.connection(), number).XYZ == []
    replayer.typed_in(number, "XYZ", texts)
    seen = recipes.recipe(app, by_hand, made)
    got = {f.figure: f.replayed for f in seen.promised}
    assert got["white_black.white_de2000"] < 0.1 and got["grey_ramp.de2000_mean"] < 0.3
    assert seen.replays[0].state == "done" and seen.replays[0].kept is None, "nothing was promised"
    with pytest.raises(ConflictError, match="Nothing is waited for"):
        replayer.typed_in(number, "XYZ", texts)


def test_a_step_that_cannot_be_entered_by_hand_ends_it(app, replayer, by_hand):
    made = setups.add(app, by_hand, setup_of(app, by_hand, "Evening").id, "Set", Edit(values={"Red gain": 93.0}))
    number = replayer.start(by_hand, made)
    with pytest.raises(ConflictError, match="no such step"):
        replayer.failed_at(number, 9, "")
    replayer.failed_at(number, 2, "greyed out")
    row = replays.get(app.db.connection(), number)
    assert row.state == "failed" and row.message == "Step 2, Red gain = 93: greyed out."
    with pytest.raises(NotFoundError):
        replayer.failed_at(99, 1, "")


def test_a_recipe_is_plain_data(app, monitor):
    seen = recipes.recipe(app, monitor, setup_of(app, monitor, "Matinee").id)
    json.dumps(asdict(seen), allow_nan=False)
    assert [s.kind for s in seen.steps[:1]] == ["set"] and seen.promised == []
    left = [s.path for s in seen.steps if s.kind == "leave"]
    assert any("Red gain / Green gain / Blue gain" in p for p in left) and "Picture > Six hues" in left


# -- what people write to it, and what it is good for ---------------------------------------------------------------------


def test_what_is_written_stands_in_recipe_verdict_and_edition(app, bench, monitor, tuned, replayer, tmp_path):
    replayed(app, bench, replayer, monitor, tuned)
    for note in (
        SettingNote("why", GAINS[1], "", "By eye and meter."),
        SettingNote("check", "Home or shop", "home", "Asked at the first start."),
        SettingNote("workaround", "Clamp", "off", "It leaks.", "0.9"),
        SettingNote("say", "", "", "For a white wall."),
    ):
        setup_notes.write(app, monitor, tuned, note)
    seen = recipes.recipe(app, monitor, tuned)
    steps = {s.path: s for s in seen.steps}
    assert steps[GAINS[1]].why == "By eye and meter." and steps["Home or shop"].kind == "check"
    assert "with 1.04 see whether it still is" in steps["Clamp"].why and seen.text == ["For a white wall."]
    assert [n.kind for n in seen.notes] == ["why", "check", "workaround", "say"]
    shown = verdict.verdict(app, monitor)
    best = shown.purposes[0].recipe
    assert best.name == "Studio tuned" and best.text == ("For a white wall.",) and best.replayed
    assert [(s.kind, s.path, s.value, s.why) for s in best.steps][1:7] == [
        (s.kind, s.path, s.value, s.why) for s in seen.steps
    ][1:7]
    assert not any("Not replayed" in g and "Studio tuned" in g for g in shown.gaps)
    edition = next((tmp_path / "data" / "editions").glob(f"*/{publish(app, monitor).number}"))
    assert verify(edition).agrees
    page = (edition / "index.html").read_text()
    assert "By eye and meter." in page and "For a white wall." in page and "Replayed from a factory reset" in page
    said = json.loads((edition / "data" / "advice.json").read_text())
    assert [len(v) for v in said["notes"].values()] == [4] and len(said["replays"]) == 1
    # Another reason takes the place of the first; what was published stays.
    setup_notes.write(app, monitor, tuned, SettingNote("why", GAINS[1], "", "Read twice."))
    assert len(setup_notes.of_setup(app, tuned)) == 4 and verify(edition).agrees
    note = next(n for n in setup_notes.of_setup(app, tuned) if n.kind == "say")
    setup_notes.write(app, monitor, tuned, SettingNote("say", "", "", "For a grey wall."), note.id)
    setup_notes.forget(app, monitor, tuned, next(n.id for n in setup_notes.of_setup(app, tuned) if n.kind == "check"))
    again = recipes.recipe(app, monitor, tuned)
    assert again.text == ["For a grey wall."] and "Home or shop" not in {s.path for s in again.steps}


def test_a_replay_enters_what_only_some_models_have_and_counts_steps_as_they_are_read(
    app, bench, monitor, tuned, replayer
):
    unit = reviews.unit_of(app.db.connection(), monitor).id
    menu_edits.change_control(app, monitor, unit, GAINS[1], {"only": "a fine menu"})
    setup_notes.write(app, monitor, tuned, SettingNote("check", "Home or shop", "home", "Asked at the first start."))
    steps = [s for s in recipes.recipe(app, monitor, tuned).steps if s.kind != "leave"]
    assert ("only-if", GAINS[1]) in [(s.kind, s.path) for s in steps]
    row = replayed(app, bench, replayer, monitor, tuned)
    assert row.state == "done" and [s["path"] for s in row.steps[: len(steps)]] == [s.path for s in steps]
    assert (
        bench.equipment.bench.remote.values["Studio"][GAINS[1]]
        == setup_of(app, monitor, "Studio tuned").changes[GAINS[1]]
    )
    assert recipes.recipe(app, monitor, tuned).replays[0].kept is True


def test_a_note_that_makes_no_sense_is_named(app, monitor, tuned):
    for note, place in (
        (SettingNote("shout", "", "", "No"), "kind"),
        (SettingNote("say", "", "", " "), "words"),
        (SettingNote("why", "", "", "Because"), "path"),
        (SettingNote("say", "", "", "x" * 601), "words"),
    ):
        with pytest.raises(BadInputError) as e:
            setup_notes.write(app, monitor, tuned, note)
        assert e.value.place == place
    other = setup_of(app, monitor, "Arena").id
    made = setup_notes.write(app, monitor, tuned, SettingNote("say", "", "", "Here"))
    for act in (
        lambda: setup_notes.write(app, monitor, other, SettingNote("say", "", "", "There"), made),
        lambda: setup_notes.forget(app, monitor, other, made),
        lambda: setup_notes.forget(app, monitor, tuned, 999),
    ):
        with pytest.raises(NotFoundError):
            act()
    assert [n.words for n in setup_notes.of_setup(app, tuned)] == ["Here"]


def test_it_says_what_it_is_good_for_and_the_light_for_other_rooms(app, bench, monitor, tuned):
    ladder = [Cell(setup_of(app, monitor, "Studio").id, "brightness_ladder")]
    bench.runs.start(monitor, ladder)
    bench.runs.finish()
    seen = recipes.recipe(app, monitor, tuned)
    work = next(p for p in seen.purposes if p.purpose == "colour_work")
    assert (work.best_setup, work.best_name) == (tuned, "Studio tuned") and work.value == work.best_value
    assert seen.luminance == "Picture > Light"
    table = {s.wanted_cd_m2: s.setting for s in seen.by_room if s.in_reach}
    assert {"Colour work", "Unmanaged desktop"} <= set(
        next(s.wanted_for for s in seen.by_room if s.wanted_cd_m2 == 120)
    )
    assert table[80.0] < table[120.0] < table[200.0]
    # What the table says is what the display does: entered, white has that light.
    unit = SimulatedUnit(parse_unit(shipped_units()[MONITOR]))
    for path, value in setup_of(app, monitor, "Studio tuned").changes.items():
        unit.apply(path, value)
    for wanted, value in table.items():
        unit.apply("Picture > Light", value)
        assert unit.XYZ((1, 1, 1))[1] == pytest.approx(wanted, rel=0.03)


def test_values_are_carried_to_another_mode_and_judged_there(app, bench, monitor, tuned):
    number = stored_tunings.of_review(app.db.connection(), monitor)[0].id
    daybreak, paper = (setup_of(app, monitor, n) for n in ("Daybreak", "Paper"))
    made, _ = gains.carry(app, bench, number, daybreak.id, "Daybreak with them")
    bench.runs.finish()
    (there,) = gains.carried(app, number)
    assert (there.setup, there.from_name) == (made, "Daybreak") and there.worth.proven
    assert there.worth.sentence.startswith(("Worth it.", "Leave it alone."))
    tuned_values = setup_of(app, monitor, "Studio tuned").changes
    assert {
        p: v for p, v in setup_of(app, monitor, "Daybreak with them").changes.items() if p in tuned_values
    } == tuned_values
    # In Paper the gains are locked: only what is free is carried.
    gains.carry(app, bench, number, paper.id, "Paper with them")
    assert set(setup_of(app, monitor, "Paper with them").changes) == {"Picture > Light"}
    bench.runs.finish()
    with pytest.raises(BadInputError, match="another mode"):
        gains.carry(app, bench, number, tuned, "Again")
    setups.delete(app, monitor, made)
    assert [c.from_name for c in gains.carried(app, number)] == ["Paper"]
