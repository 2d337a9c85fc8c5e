"""The recipe for a purpose: which setup, in which order, by the room, for another taste, and with what people wrote to it."""

from dataclasses import replace

import numpy as np
import pytest

from lumenar.core.analysis import Analysis
from lumenar.core.menu.controls import Control
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.recipes.luminance import room_settings
from lumenar.core.recipes.purpose import Advice, Candidate, luminance_by_room, recommend
from lumenar.core.recipes.shared_steps import with_shared
from lumenar.core.recipes.steps import OrderedStep, SettingNote, annotated
from lumenar.core.scoring.score import score

from .test_scoring import RUBRIC, analyses, with_draws

GAINS = ("Picture > White > Red gain", "Picture > White > Blue gain")
MENU = Menu(
    tuple(Mode(m, "sdr", "srgb") for m in ("Plain", "True", "Dim")),
    (
        Control("Picture > Light", "slider", default=50.0, role="luminance"),
        *(Control(p, "slider", default=100.0, role="white") for p in GAINS),
        Control("Power", "switch", default="on", scope="unit", resets=GAINS),
        Control("Fence", "slider", default=3.0, only="the large panel"),
    ),
    "Picture > Mode",
)
NOTHING = Advice({}, {})


def ladder(top):
    x = np.linspace(0, 100, 11)
    return Analysis("brightness_ladder", "srgb", {"settings": x, "white_cd_m2": 20 + (top - 20) * x / 100})


def candidate(name, de, top=300, changes=None, draws=False, **figures):
    a = with_draws(de, 0.2) if draws else analyses(grey_ramp__own_white_de2000_mean=de)
    for key, value in figures.items():
        m, k = key.split("__")
        a[m] = Analysis(m, "srgb", {**a[m].figures, k: np.array(float(value))}, draws=a[m].draws)
    if top:
        a["brightness_ladder"] = ladder(top)
    mode = name.split()[0]
    return Candidate(name, name, mode, "sdr", not changes, changes or {}, score(RUBRIC, "colour_work", a), a)


def recipe(*candidates, advice=NOTHING, samples=1, firmware="1.0", menu=MENU):
    return recommend("colour_work", "Colour work", candidates, menu, advice, samples, firmware)


def by_room(settings):
    """By wanted luminance the value of the control, None out of reach."""
    return {s.wanted_cd_m2: s.setting if s.in_reach else None for s in settings}


def kinds(found):
    return [(s.kind, s.path, s.value) for s in found.steps]


def test_it_names_the_best_mode_and_what_stays():
    found = recipe(candidate("Plain", 3), candidate("True", 0.8))
    assert (found.mode, found.luminance) == ("True", "Picture > Light")
    assert kinds(found)[0] == ("set", "Picture > Mode", "True")
    assert kinds(found)[-1] == ("leave", "Picture > White > Red gain / Blue gain", "100")
    assert "tuning it has not been tried" in found.steps[-1].why and found.steps[-1].evidence == "white_black"
    assert "the other setup" in found.steps[0].why and found.steps[0].evidence == "grey_ramp"
    assert by_room(found.by_room) == {80.0: 21.0, 120.0: 36.0, 160.0: 50.0, 200.0: 64.0}
    assert not found.replayed and any("Not replayed yet" in c for c in found.caveats)
    assert recipe() is None and recipe(candidate("Gone", 1)) is None, "what the menu does not know cannot be entered"


def test_a_locked_white_says_that_it_is_locked_and_nothing_of_tuning():
    """Of two modes only one locks the gains: what the line says goes by the mode, not by its name."""
    modes = tuple(replace(m, locks=frozenset(GAINS) if m.name == "Dim" else m.locks) for m in MENU.modes)
    menu = replace(MENU, modes=modes)
    for mode, said in (("Dim", "Locked in Dim."), ("True", "tuning it has not been tried")):
        found = recipe(candidate(mode, 0.8), menu=menu)
        assert said in next(s.why for s in found.steps if "Red gain" in s.path)


def test_a_tuned_setup_is_written_in_an_order_in_which_nothing_is_undone():
    tuned = candidate("Plain tuned", 0.6, changes={GAINS[0]: 90.0, "Picture > Light": 42.0})
    found = recipe(candidate("Plain", 4), tuned)
    assert kinds(found)[:4] == [
        ("set", "Picture > Mode", "Plain"), ("check", "Power", "on"), ("set", "Picture > Light", "42"), ("set", GAINS[0], "90"),
    ]  # fmt: skip
    assert "as shipped this mode scores" in found.steps[0].why
    assert found.setup == "Plain tuned" and "leave it alone" not in " ".join(found.caveats)


def test_what_ships_and_is_as_good_is_left_alone():
    tuned = candidate("Plain tuned", 2.0, changes={GAINS[0]: 90.0}, draws=True)
    found = recipe(candidate("Plain", 2.05, draws=True), tuned)
    assert (
        found.name == "Plain"
        and "Plain tuned was tried too and is not measurably better: leave it alone." in found.caveats
    )
    assert "tuned, it is not measurably better" in next(s.why for s in found.steps if "gain" in s.path)
    assert recipe(candidate("Plain", 6, draws=True), tuned).name == "Plain tuned"
    less = candidate("Plain tuned", 2.0, changes={GAINS[0]: 90.0}, draws=True, gamut__own_white_de2000_max=np.nan)
    found = recipe(candidate("Plain", 2.05, draws=True), less)
    assert found.name == "Plain" and not any("leave it alone" in c for c in found.caveats)
    assert "Plain tuned may be better, but is not measured as far" in " ".join(s.why for s in found.steps)


def test_without_a_ladder_of_its_own_that_of_the_mode_is_scaled():
    shipped = candidate("Plain", 3)
    half = float(np.interp(42, [0, 100], [20, 300])) / 2
    tuned = candidate("Plain tuned", 0.6, top=0, changes={"Picture > Light": 42.0}, white_black__white_cd_m2=half)
    table = by_room(luminance_by_room(tuned, [shipped, tuned], MENU))
    # Half the light at each value.
    assert table[80.0] == pytest.approx(round((160 - 20) / 2.8), abs=1) and table[160.0] is None
    assert luminance_by_room(tuned, [tuned], MENU) == ()
    assert luminance_by_room(shipped, [shipped], Menu(MENU.modes, (), "Mode")) == ()


def test_steps_count_from_the_lowest_value():
    odd = Control("Picture > Light", "slider", 7.0, 97.0, 10.0, default=47.0, role="luminance")
    menu = Menu(MENU.modes, (odd,), "Picture > Mode")
    x = np.array([7.0, 97.0])
    lit = Analysis("brightness_ladder", "srgb", {"settings": x, "white_cd_m2": 2 * x})
    found = candidate("Plain", 1, top=0)
    found = replace(found, analyses={**found.analyses, "brightness_ladder": lit})
    assert by_room(luminance_by_room(found, [found], menu)) == {80.0: 37.0, 120.0: 57.0, 160.0: 77.0, 200.0: None}


def test_a_luminance_out_of_reach_says_what_the_end_gives():
    found = recipe(candidate("Dim", 1, top=90)).by_room
    words = {s.wanted_cd_m2: s.words for s in found}
    assert words[80.0] == "80 cd/m² (dark room): 86"
    assert words[120.0] == "120 cd/m² (dim room) is out of reach: 100 gives 90 cd/m², the most that was measured"
    assert not found[1].in_reach and found[1].gives_cd_m2 == pytest.approx(90)


@pytest.mark.parametrize(
    "settings, light, wanted, words",
    [
        # Fractional steps keep their decimals, and the least is named where it is too bright.
        ((0.05, 0.15, 0.35, 0.55), (60, 80, 120, 160), 80.0, "80 cd/m²: 0.15"),
        ((0.05, 0.15, 0.35, 0.55), (60, 80, 120, 160), 120.0, "120 cd/m²: 0.35"),
        ((0.05, 0.15, 0.35, 0.55), (60, 80, 120, 160), 50.0,
         "50 cd/m² is out of reach: 0.05 gives 60 cd/m², the least that was measured"),
        # A control that dims as it rises.
        ((0.05, 0.15, 0.35, 0.55), (160, 120, 80, 60), 300.0,
         "300 cd/m² is out of reach: 0.05 gives 160 cd/m², the most that was measured"),
    ],
)  # fmt: skip
def test_values_have_their_decimals_and_ends_their_luminance(settings, light, wanted, words):
    control = Control("Light", "slider", 0.05, 0.55, 0.05, default=0.05, role="luminance")
    found = room_settings(control, np.array(settings), np.array(light, float), {wanted: ()})
    assert found[0].words == words


@pytest.mark.parametrize("gives, said", [(97.2, False), (96.8, True), (102.8, False), (103.2, True)])
def test_a_coarse_step_says_what_it_gives(gives, said):
    control = Control("Light", "slider", 0, 2, 1, default=0, role="luminance")
    settings, light = np.array([0.0, 1.0, 2.0]), np.array([gives - 60, gives, gives + 60])
    found = room_settings(control, settings, light, {100.0: ("Evening film",)})[0]
    words = "100 cd/m² (Evening film): 1"
    assert found.words == (f"{words}, which gives {gives:.0f} cd/m²" if said else words)


def test_a_purpose_has_its_own_luminance_in_its_recipe():
    own = recommend("x", "Wall", [candidate("Plain", 1)], MENU, NOTHING, luminance=250.0).by_room
    assert [s.wanted_cd_m2 for s in own] == [80, 120, 160, 200, 250] and own[-1].wanted_for == ("Wall",)
    both = recommend("x", "Wall", [candidate("Plain", 1)], MENU, NOTHING, luminance=120.0).by_room
    assert both[1].words.startswith("120 cd/m² (dim room, Wall)")


def test_notches_are_counted_from_their_nearer_end():
    warm = Control("Picture > Warmth", "notches", 0, 12, 1, default=6.0, role="white")
    said = {v: warm.said(float(v)) for v in (0, 1, 6, 9, 11, 12)}
    assert said == {
        0: "at the left end", 1: "1 notch from the left end", 6: "6 notches from the left end",
        9: "3 notches from the right end", 11: "1 notch from the right end", 12: "at the right end",
    }  # fmt: skip
    menu = Menu(MENU.modes, (*MENU.controls, warm), "Picture > Mode")
    found = recipe(candidate("Plain", 4), candidate("Plain tuned", 0.6, changes={warm.path: 9.0}), menu=menu)
    step = next(s for s in found.steps if s.path == warm.path)
    assert (step.value, step.said) == ("9", "3 notches from the right end")
    assert found.steps[0].said == ""


def test_what_changes_nothing_is_not_set():
    idle = Control("Picture > Extra", "slider", default=3.0, bears=False)
    key = replace(idle, path="Picture > Key", resets=("Picture > Light",))
    menu = Menu(MENU.modes, (*MENU.controls, idle, key), "Picture > Mode")
    changes = {idle.path: 9.0, key.path: 4.0, GAINS[0]: 90.0}
    found = recipe(candidate("Plain", 4), candidate("Plain tuned", 0.6, changes=changes), menu=menu)
    assert {s.path for s in found.steps if s.kind == "set"} == {"Picture > Mode", key.path, GAINS[0]}


def test_a_second_recipe_says_that_it_starts_from_a_reset_and_what_it_shares():
    def made(purpose, changes, mode="Plain"):
        return replace(recipe(candidate(f"{mode} x", 1, changes=changes)), purpose=purpose)

    light, red = "Picture > Light", GAINS[0]
    told = with_shared(
        {
            "a": made("a", {light: 40.0, red: 90.0}),
            "b": made("b", {light: 40.0, red: 90.0}),
            "c": made("c", {light: 20.0, red: 90.0}),
            "d": made("d", {light: 40.0}),
            "e": made("e", {light: 77.0}, "Dim"),
            "f": None,
        },
        {k: f"Use {k}" for k in "abcdef"},
    )
    said = {k: r.shares for k, r in told.items() if r}
    assert said["a"] == "" and told["f"] is None
    assert said["b"] == "The same steps as for use a."
    assert said["c"] == "Starts from a reset. Mode and Red gain are as for use a; Light differs."
    assert said["d"] == "Starts from a reset. Mode and Light are as for use a; Red gain stays at the default."
    assert said["e"] == "Starts from a reset: it shares no step with the recipes above."


def test_other_tastes_are_named_with_what_they_score():
    plain = {"gamut__coverage_p3_uv_percent": 76, "white_black__white_cd_m2": 100}
    found = recipe(
        candidate("True", 0.5, **plain),
        candidate("Plain", 3, gamut__coverage_p3_uv_percent=97, white_black__white_cd_m2=124),
        candidate("Dim", 4, gamut__coverage_p3_uv_percent=80, white_black__white_cd_m2=130, white_black__cct_k=5900),
    )
    assert [a.split(";")[0] for a in found.alternatives] == [
        "For a wider gamut: Plain, 97 % of P3", "For a warmer white: Dim, 5900 K", "For more light: Dim, 130 cd/m²",
    ]  # fmt: skip
    assert recipe(candidate("True", 0.5, **plain)).alternatives == ()


def test_a_control_that_only_some_models_have_is_only_if():
    found = recipe(candidate("Plain tuned", 0.5, changes={"Fence": 5.0}))
    step = next(s for s in found.steps if s.path == "Fence")
    assert step.kind == "only-if" and step.why.startswith("Where the model has the large panel.")


def test_the_caveats_count_samples_and_tell_of_the_replay():
    one, two = (recipe(candidate("Plain", 3), samples=n).caveats[0] for n in (1, 2))
    assert "one sample" in one and "2 samples" in two
    done = recipe(candidate("Plain", 3), advice=Advice({}, {"Plain": "Replayed from a factory reset on a day."}))
    assert done.replayed and "Replayed from a factory reset on a day." in done.caveats
    failed = recipe(candidate("Plain", 3), advice=Advice({}, {"Plain": "Its replay failed: step 3."}))
    assert not failed.replayed and "Its replay failed: step 3." in failed.caveats


# -- what people write --------------------------------------------------------------------------------------------------

STEPS = [
    OrderedStep("set", "Mode", "Film", "It is best."), OrderedStep("check", "Power", "on", "It would undo."),
    OrderedStep("set", "Light", "40", "Tuned."), OrderedStep("leave", "Tone", "2.2", "As it ships."),
]  # fmt: skip


def test_what_people_wrote_stands_where_it_belongs():
    notes = [
        SettingNote("say", "", "", "For a wall behind the screen."),
        SettingNote("why", "Light", "", "Bright enough for us."),
        SettingNote("choose", "Motion", "off or low", "By taste."),
        SettingNote("check", "Home or shop", "home", "Asked at the first start."),
        SettingNote("workaround", "Clamp", "off", "It leaks into HDR.", "1.0"),
        SettingNote("only-if", "Fence", "3", "Where there is one."),
    ]
    done = annotated(STEPS, notes, "1.0")
    assert [(s.kind, s.path) for s in done] == [
        ("set", "Mode"), ("check", "Power"), ("check", "Home or shop"), ("set", "Light"), ("choose", "Motion"),
        ("workaround", "Clamp"), ("only-if", "Fence"), ("leave", "Tone"),
    ]  # fmt: skip
    assert done[3].why == "Bright enough for us." and done[3].value == "40"
    assert done[5].why == "It leaks into HDR. Needed with firmware 1.0."
    assert "with 1.1 see whether it still is" in annotated(STEPS, notes, "1.1")[5].why
    assert annotated(STEPS, [], "1.0") == STEPS


def test_what_people_wrote_survives_what_is_measured_anew():
    advice = Advice(
        {
            "Plain": [
                SettingNote("why", "Picture > Mode", "", "We like it."),
                SettingNote("say", "", "", "Mind the sun."),
            ]
        },
        {},
    )
    for de in (3, 1):
        found = recipe(candidate("Plain", de), advice=advice)
        assert found.steps[0].why == "We like it." and found.text == ("Mind the sun.",)
