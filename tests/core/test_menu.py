"""The menu: what is locked, what is reset, in which order settings are entered; and menus as text."""

import csv
import io
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.menu.controls import Control, MenuError
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Menu, Mode, renamed
from lumenar.core.menu.mode_text import menu_from_text, modes_from
from lumenar.core.menu.roles import Role, role_of
from lumenar.core.menu.tables import csv_of, menu_from_csv
from lumenar.core.menu.text_reading import MenuTextError, controls_from
from lumenar.core.menu.text_writing import text_of_controls, text_of_modes

TELEVISION = """
Picture
  Light 0..100 = 80 (luminance)
  Contrast 0..100 step 5 = 50
  Tone 1.8 2.0 [2.2] 2.4
  Blue filter off* 1 2 3
  Warmth 13 notches
  Colour mixer: Red one | Green one* | Blue one
  White table 5 10 30 100 % x Red Green Blue -50..50 = 0
  Shadow detail low medium* high (this mode)
System
  Power low normal* high
  Sensor on off*
Host
  Night tint on off* (all modes)
System > Power = low locks Light, Contrast
Sensor = on locks Light
Power resets Light, Contrast, Tone
"""


@pytest.fixture(scope="module")
def menu():
    return menu_from_text("Film, bt709_bt1886\nVivid, sRGB\nCinema PQ, pq", TELEVISION)


def film(menu):
    return menu.mode("Film")


def test_a_menu_is_read_as_it_stands(menu):
    by = menu.by_path
    assert by["Picture > Light"] == Control("Picture > Light", "slider", 0, 100, 1, default=80.0, role="luminance")
    assert by["Picture > Contrast"].step == 5 and by["Picture > Tone"].choices == ("1.8", "2.0", "2.2", "2.4")
    assert by["Picture > Tone"].default == "2.2" and by["Picture > Blue filter"].default == "off"
    assert by["Picture > Warmth"].kind == "notches" and by["Picture > Warmth"].maximum == 13
    assert by["Picture > Warmth"].default is None, "what was not said is not known"
    assert by["Picture > Colour mixer"].choices == ("Red one", "Green one", "Blue one")
    assert by["Picture > Shadow detail"].choices == ("low", "medium", "high")
    assert by["Picture > Shadow detail"].scope == "mode" and by["Host > Night tint"].scope == "unit"
    assert by["Host > Night tint"].place == "host" and by["System > Sensor"].kind == "switch"
    cells = [c for c in menu.controls if c.group == "Picture > White table"]
    assert len(cells) == 12 and cells[4].path == "Picture > White table > 10 > Green" and cells[4].minimum == -50
    assert [(m.name, m.signal, m.target) for m in menu.modes] == [
        ("Film", "sdr", "bt709_bt1886"), ("Vivid", "sdr", "srgb"), ("Cinema PQ", "pq", "bt2020_pq"),
    ]  # fmt: skip
    assert menu.luminance_levels(film(menu)) == tuple(range(0, 101, 10))


def test_text_and_document_give_the_same_menu_again(menu):
    assert menu_from_text(text_of_modes(menu), text_of_controls(menu)) == menu
    assert menu_from(document_of(menu)) == menu


@pytest.mark.parametrize(
    ("line", "place", "said"),
    [
        ("Light 100..0", "line 1, column 7:", "100 is not below 0"),
        ("Light 0..100 = 120", "line 1", "outside 0..100"),
        ("Light 0..100 step 10 = 33", "line 1", "30 is nearest"),
        ("Light: 0..", "line 1", "neither a range"),
        ("Tone: 2.2", "line 1", "one value only"),
        ("Tone 1.8* 2.0 2.2*", "line 1", "both 1.8 and 2.2"),
        ("Tone: A | B | A", "line 1", "stands there twice"),
        ("Table: x Red Green -5..5", "line 1", "neither a range"),
        ("Table: 5 10 x Red Green -5...5", "line 1", "is not a range"),
        ("Light 0..100 (lumnance)", "line 1, column 14", "(lumnance) is not known"),
        ("A 0..1\nA 0..2", "line 2", "line 1 already"),
        ("A 0..1\nB = on locks A", "line 2", "B: there is none such"),
        ("A 0..1\nB on off\nB = blue locks A", "line 3, column 5", "'blue' is not among on, off"),
        ("A 0..1\nB on off\nB locks A", "line 3", "at which value"),
        ("A 0..1\nB on off\nB resets B", "line 3", "resets itself"),
        ("X\n  A 0..1\nY\n  A 0..1\nB on off\nB resets A", "line 6, column 10", "X > A or Y > A"),
    ],
)
def test_what_cannot_be_read_is_pointed_at(line, place, said):
    with pytest.raises(MenuTextError) as e:
        controls_from(line)
    assert str(e.value).startswith(place) and said in str(e.value)


def test_modes_that_cannot_be_read_are_pointed_at():
    for text, said in [
        ("Film\nFilm", "line 2, column 1: the mode Film stands there twice"),
        ("Film, sdr, nonsense", "line 1, column 12: 'nonsense' is neither"),
        ("Film, pq, srgb", "the target srgb is for sdr"),
        (", sdr", "a mode without a name"),
    ]:
        with pytest.raises(MenuTextError, match=said):
            modes_from(text)


def test_a_name_may_end_in_a_number():
    controls = controls_from("Preset 2 0..100 = 50\nSlot 3 7 notches\nZone 1: off* | on")
    assert [c.path for c in controls] == ["Preset 2", "Slot 3", "Zone 1"]
    assert controls[0].default == 50 and controls[1].maximum == 7 and controls[2].kind == "switch"


def test_decimal_commas_are_read_as_such():
    assert controls_from("Gamma 1,8..2,6 step 0,1 = 2,2")[0].default == 2.2


def test_a_circle_of_locks_is_named():
    controls = controls_from("A on off\nB on off\nC on off\nA = on locks B\nB = on locks C\nC = on locks A")
    with pytest.raises(MenuError, match="A locks B locks C locks A"):
        Menu((Mode("M", "sdr", "srgb"),), controls)


def test_consequences_are_told_before(menu):
    state = {**menu.defaults(film(menu)), "Picture > Light": 40.0, "Picture > Tone": "2.4"}
    told = menu.consequences(state, film(menu), "System > Power", "low")
    assert told.resets == (("Picture > Light", 40.0, 80.0), ("Picture > Tone", "2.4", "2.2"))
    assert told.locks == ("Picture > Light", "Picture > Contrast") and told.frees == ()
    low = menu.change(state, film(menu), "System > Power", "low")
    with pytest.raises(MenuError, match="Light is locked while System > Power is low"):
        menu.change(low, film(menu), "Picture > Light", 10)
    assert menu.consequences(low, film(menu), "System > Power", "high").frees == (
        "Picture > Light",
        "Picture > Contrast",
    )
    with pytest.raises(MenuError, match="33 is between the steps"):
        menu.change(state, film(menu), "Picture > Contrast", 33)


def test_settings_are_entered_so_that_none_undoes_another(menu):
    wanted = {"Picture > Light": 40.0, "Picture > Tone": "2.4", "System > Power": "high", "System > Sensor": "on"}
    order = menu.order(film(menu), wanted)
    assert order.index("System > Power") < order.index("Picture > Light") < order.index("System > Sensor")
    assert menu.entered(film(menu), wanted) == {**menu.defaults(film(menu)), **wanted}
    with pytest.raises(MenuError, match="Light is locked while"):
        menu.order(film(menu), {"System > Power": "low", "Picture > Light": 40.0})


def random_menus():
    paths = st.integers(2, 7)

    @st.composite
    def make(draw):
        n = draw(paths)
        controls = []
        for i in range(n):
            later = [f"C{j}" for j in range(i + 1, n)]
            locks = {"2": tuple(draw(st.sets(st.sampled_from(later), max_size=2)))} if later else {}
            resets = tuple(draw(st.sets(st.sampled_from(later), max_size=2))) if later else ()
            controls.append(
                Control(
                    f"C{i}", "slider", 0, 5, 1, default=0.0, locks={k: v for k, v in locks.items() if v}, resets=resets
                )
            )
        menu = Menu((Mode("M", "sdr", "srgb"),), tuple(draw(st.permutations(controls))))
        wanted = {c.path: float(draw(st.integers(0, 5))) for c in controls if draw(st.booleans())}
        return menu, wanted

    return make()


@settings(max_examples=200, deadline=None)
@given(random_menus())
def test_an_order_reaches_what_is_wanted_or_says_what_cannot_be(pair):
    menu, wanted = pair
    mode = menu.modes[0]
    try:
        order = menu.order(mode, wanted)
    except MenuError as e:
        assert "undo one another" in str(e) or "locked" in str(e) or "reset" in str(e)
        return
    state = menu.defaults(mode)
    for path in order:
        state = menu.change(state, mode, path, wanted[path])
    assert all(state[p] == v for p, v in wanted.items())


def sets(menu):
    """Controls in whatever order their locks and resets are named."""
    return [
        replace(c, locks={k: frozenset(v) for k, v in c.locks.items()}, resets=frozenset(c.resets))
        for c in menu.controls
    ]


@settings(max_examples=60, deadline=None)
@given(random_menus())
def test_menus_survive_being_written_down(pair):
    menu, _ = pair
    again = menu_from_text(text_of_modes(menu), text_of_controls(menu))
    assert sets(again) == sets(menu) and menu_from(document_of(menu)) == menu


def test_the_stand_ins_obey_the_menu(units):
    """A stand-in refuses what its menu says is locked, and resets what it says is reset."""
    from lumenar.bench.drivers.simulated import menu_of as menu_of_file

    file = parse_unit(units["ostrel-fen-32.json"])
    menu, unit = menu_of_file(file), SimulatedUnit(file)
    mode = menu.modes[0]
    unit.select(mode.name)
    state = menu.defaults(mode)
    assert state == unit.values[mode.name]
    for path, value in [("Picture > Light", 30), ("System > Power", "Thrifty")]:
        unit.apply(path, value)
        state = menu.change(state, mode, path, value)
        assert state == unit.values[mode.name]
    for c in menu.controls:
        assert menu.why_locked(state, mode, c.path) == unit.locked(c.path)


WORDY = """Picture
  Light 0..100 = 80 (luminance) (promise: as bright as the room needs)
  Blue filter off* 1 2 3 (only: models with the sensor) (note: emits more blue at 3) (evidence: spectra of 26 Nov)
Service
  Drive 0..7 = 3 (route: Mute 1 8 2 Power) (scope) 
Host
  Brightness 0..100 = 50 (luminance)
"""


def test_words_routes_and_two_controls_of_one_quantity_are_kept():
    controls = controls_from(WORDY.replace(" (scope) ", ""))
    menu = Menu((Mode("Film", "sdr", "srgb"),), controls)
    light, blue, drive, host = controls
    assert light.promise == "as bright as the room needs" and drive.route == "Mute 1 8 2 Power"
    assert (blue.only, blue.note, blue.evidence) == (
        "models with the sensor",
        "emits more blue at 3",
        "spectra of 26 Nov",
    )
    assert host.place == "host" and menu.luminance_control is light, "the unit's, though the host's moves luminance too"
    assert controls_from(text_of_controls(menu)) == controls and menu_from(document_of(menu)) == menu
    with pytest.raises(MenuTextError, match=r"line 5, column 44.*\(scope\).*route: \.\.\."):
        controls_from(WORDY)
    with pytest.raises(MenuError, match="round brackets"):
        Menu((), (replace(light, note="a (b)"),))


def test_a_mode_keeps_what_is_its_own_when_the_menu_is_written_down():
    controls = controls_from("Picture\n  Light 0..100 = 80\n  Tone 1.8 [2.2] 2.4\n")
    text = 'Film, sdr, bt709_bt1886\n  Light = 60\n  locks Tone\n"Game, fast", sdr, srgb'
    film, game = modes_from(text, controls=controls)
    assert film.defaults == {"Picture > Light": 60} and film.locks == ("Picture > Tone",) and game.name == "Game, fast"
    menu = Menu((film, game), controls)
    assert modes_from(text_of_modes(menu), controls=controls) == (film, game)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("Film\n  Light = 600", "line 2, column 11.*outside"), ("Film\n  Nothing = 1", "line 2, column 3.*none such"),
        ("Film\n  bright", "line 2, column 3.*neither"), ("Film\n  Light = 1\n  Light = 2", "line 3, column 3.*already"),
        ("Film\n  locks Light, Sound", "line 2, column 9.*Sound"), ("Film\n  Tone = wide", "line 2.*not among"),
    ],
)  # fmt: skip
def test_what_cannot_be_under_a_mode_is_pointed_at(text, where):
    with pytest.raises(MenuTextError, match=where):
        modes_from(text, controls=controls_from("Light 0..100 = 80\nTone 1.8 [2.2] 2.4"))


def test_a_table_of_the_menu_comes_back_as_it_was(units):
    from lumenar.bench.drivers.simulated import arrive

    for name, text in units.items():
        menu = arrive(text, name)[0].menu
        again = menu_from_csv(csv_of(menu), menu.mode_path)
        assert sets(again) == sets(menu) and [dict(vars(m)) for m in again.modes] == [dict(vars(m)) for m in menu.modes]
        # As a spreadsheet of another country writes it.
        semicolons = io.StringIO()
        csv.writer(semicolons, delimiter=";").writerows(csv.reader(io.StringIO(csv_of(menu))))
        assert sets(menu_from_csv("\ufeff" + semicolons.getvalue())) == sets(menu)


def test_a_table_keeps_names_that_look_like_its_own_marks():
    names = ("low; dim", 'the "bright" one', "eco: on", "off")
    locks = {"eco: on": ("Red; green",), "off": ("B",)}
    mixed = Control("Mixed", "choice", choices=names, default="low; dim", locks=locks)
    power = Control("Power", "switch", resets=("Red; green", "B"))
    film = Mode("Film", "sdr", "srgb", {}, ("Red; green",))
    menu = Menu((film,), (mixed, Control("Red; green", "slider"), Control("B", "slider"), power))
    assert menu_from_csv(csv_of(menu), menu.mode_path) == menu


@settings(max_examples=60, deadline=None)
@given(random_menus())
def test_menus_survive_a_spreadsheet(pair):
    menu, _ = pair
    assert sets(menu_from_csv(csv_of(menu))) == sets(menu)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("", "row 1"), ("path,kind\nA,slider", "column entry"), ("entry,path,colour\ncontrol,A,red", "column colour"),
        ("entry,path,kind,maximum\ncontrol,A,slider,many", "row 2, column maximum"),
        ("entry,path,kind,choices\ncontrol,A,choice,one", "row 2, column path.*two values"),
        ("entry,path,kind,default\ncontrol,A,slider,200", "row 2, column default.*outside"),
        ("entry,path,kind,locks\ncontrol,A,switch,B", "row 2, column locks"), ("entry,path\nknob,A", "row 2, column entry"),
        ("entry,path,signal\nmode,A,fm", "row 2, column signal"), ("entry,path,target\nmode,A,nothing", "row 2, column target"),
        ("entry,path,default in Film (sdr)\ncontrol,A,3", "no mode 'Film"),
        ("entry,path,signal\nmode,A,sdr\nmode,A,sdr", "twice"),
        ("entry,path,minimum\ncontrol,A,nan", "row 2.*are numbers"), ("entry,path,maximum\ncontrol,A,inf", "row 2.*are numbers"),
        ("entry,path,step\ncontrol,A,nan", "row 2.*are numbers"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_of_a_table_is_said_with_row_and_column(text, where):
    with pytest.raises(MenuError, match=where):
        menu_from_csv(text)


def test_a_renamed_control_is_renamed_wherever_it_is_named(menu):
    after = renamed(menu, "Picture > Light", "Picture > Backlight")
    assert "Picture > Light" not in str(document_of(after)) and len(after.controls) == len(menu.controls)
    assert renamed(after, "Picture > Backlight", "Picture > Light") == menu
    with pytest.raises(MenuError, match="twice"):
        renamed(menu, "Picture > Light", "Picture > Tone")
    with pytest.raises(MenuError, match="no entry"):
        renamed(menu, "Picture > Lamp", "Picture > Tone")


def test_what_a_control_is_for_is_said_in_round_brackets_and_comes_back():
    text = """Picture
  Tone: 1.8 | 2.2* | 2.4 (tone)
  Shadows: 0..4 = 0 (shadows)
  White
    Red gain: 0..100 = 50 (red gain)
    Blue offset: -20..20 = 0 (blue offset)
    Points: 5 10.5 100 x Red Green Blue -50..50 = 0 (white)
  Colours: Red Cyan x Hue Saturation Lightness -20..20 = 0 (colours)
  Mixer: Yellow x Red Green Blue 0..100 = 50 (colours)"""
    controls = controls_from(text)
    roles = {c.path.removeprefix("Picture > "): c.role for c in controls}
    assert roles["White > Points > 10.5 > Green"] == "green at 10.5 %" and roles["Colours > Cyan > Hue"] == "cyan hue"
    assert roles["Mixer > Yellow > Green"] == "green in yellow" and roles["White > Red gain"] == "red gain"
    assert role_of("green at 10.5 %") == Role("point", 1, level=0.105)
    assert role_of("green in yellow") == Role("mix", 1, "yellow") and role_of("cyan hue") == Role("hue", axis="cyan")
    assert text_of_controls(Menu(modes_from("Film"), controls)) == text


@pytest.mark.parametrize(
    "role", ["red", "gain", "violet hue", "red at 0 %", "red at 140 %", "red in violet", "red gain 2"]
)
def test_what_nobody_understands_is_no_role(role):
    assert role_of(role) is None
    with pytest.raises(MenuError, match="role is unknown"):
        Menu(modes_from("Film"), (Control("A", "slider", role=role),))


def test_the_note_of_a_table_fits_a_table_only():
    with pytest.raises(MenuError, match="note of a table"):
        controls_from("Hue 0..100 = 50 (colours)")


@pytest.mark.parametrize("written", ["0..100", "0-100", "0 - 100", "0 to 100", "0…100", "0–100"])
@pytest.mark.parametrize("more", ["", " = 80", " step 5", " in steps of 5", " step 5 = 80"])
def test_a_range_is_understood_however_it_is_written(written, more):
    (control,) = controls_from(f"Light {written}{more}")
    assert (control.path, control.kind, control.minimum, control.maximum) == ("Light", "slider", 0, 100)
    assert control.step == (5 if "step" in more else 1) and control.default == (80 if "80" in more else None)
    (signed,) = controls_from(f"Tint -50{written[1:-3]}50")
    assert (signed.minimum, signed.maximum) == (-50, 50)


def test_bullets_and_tabs_of_a_pasted_list_are_no_part_of_names():
    text = "Picture\n- Light\t0..100 = 80\n  • Tone\t1.8 2.0 [2.2]\n* Warm 13 notches"
    assert [c.path.split(" > ")[-1] for c in controls_from(text)] == ["Light", "Tone", "Warm"]


def test_a_name_with_a_hyphen_or_a_number_stays_a_name():
    assert [c.path for c in controls_from("Auto-dim on off*\nPreset 2 0..100\nHDMI-1 level 0-10")] == [
        "Auto-dim", "Preset 2", "HDMI-1 level",
    ]  # fmt: skip
