"""Texts and files of menus that would keep a parser busy, or are none: refused at once, with the place."""

import json
import random
import time

import pytest

from lumenar.core.menu.controls import MOST_CONTROLS, Control, MenuError
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.menu.mode_text import menu_from_text, modes_from
from lumenar.core.menu.tables import csv_of, menu_from_csv
from lumenar.core.menu.text_reading import MenuTextError, controls_from

from ..pace import pace

LONGEST_S = 1.0
WHOLE = """Picture
  Light 0..100 = 80 (luminance)
  Tone 1.8 2.0 [2.2] 2.4
  Warmth 13 notches
  White table 5 10 30 x Red Green Blue -50..50 = 0 (white)
Power off* low high
Power = low locks Light, Tone
Power resets everything"""


def quickly(work, text):
    begun = time.perf_counter()
    try:
        work(text)
    except MenuError as e:
        assert str(e)
    assert time.perf_counter() - begun < LONGEST_S * pace()


LINES = [
    "Light" + " " * 8000 + "0..100",
    "a" + " " * 900 + "x" * 50,
    "a x " * 200,
    "=" * 900 + " locks A",
    "A = " * 200 + "locks B",
    "(" * 900,
    "()" * 400,
    "A " + "1" * 900,
    "A " + "0..1 " * 180,
    "T " + "1 " * 100 + "x " + "a " * 100 + "0..1",
    "Choice " + " ".join(f"v{i}" for i in range(19000)),
    "Choice: " + "|".join(str(i) for i in range(150)),
]


@pytest.mark.parametrize("line", LINES, ids=range(len(LINES)))
def test_no_line_keeps_the_reader_busy(line):
    quickly(controls_from, line)
    quickly(controls_from, "\n".join([line] * 150))
    quickly(modes_from, line)


def test_many_rules_and_many_names_are_read_quickly():
    controls = "\n".join(f"C{i} 0..9" for i in range(900))
    quickly(controls_from, controls + "\n" + "\n".join(f"C{i} resets everything" for i in range(900)))
    quickly(controls_from, controls + "\n" + "\n".join(f"C{i} resets C{i + 1}" for i in range(890)))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("A" * 1001, "line 1, column 1000: the line has 1,001 characters"),
        ("x\n" * 100_001, "the text has 200,002 characters"),
        ("\n".join(f"C{i} 0..9" for i in range(MOST_CONTROLS + 1)), "more than 1,000 controls"),
        ("T " + " ".join(map(str, range(40))) + " x " + " ".join(f"c{i}" for i in range(40)) + " 0..1", "a table of 1,600 cells"),
        ("Choice: " + "|".join(f"v{i}" for i in range(201)), "201 values; a choice has at most 200"),
    ],
)  # fmt: skip
def test_what_is_too_much_is_refused_with_its_place(text, says):
    with pytest.raises(MenuTextError, match="line") as refused:
        controls_from(text)
    assert says in str(refused.value)


def test_as_much_as_is_possible_is_read():
    assert len(controls_from("\n".join(f"C{i} 0..9" for i in range(MOST_CONTROLS)))) == MOST_CONTROLS
    assert len(controls_from("Choice: " + "|".join(f"v{i}" for i in range(200)))[0].choices) == 200


WRONG = [
    ({"choices": [1, 2]}, "controls[0].choices"),
    ({"bears": "no"}, "controls[0].bears"),
    ({"minimum": "0"}, "controls[0].minimum"),
    ({"default": True}, "controls[0].default"),
    ({"locks": []}, "controls[0].locks"),
    ({"locks": {"1": "A"}}, "controls[0].locks"),
    ({"path": "A\rB"}, "control characters"),
    ({"path": "A" * 301}, "301 characters"),
    ({"role": 3}, "controls[0].role"),
    ({"colour": 3}, "has no 'colour'"),
    ({"note": None}, "controls[0].note"),
]


@pytest.mark.parametrize(("change", "says"), WRONG, ids=[str(w[0]) for w in WRONG])
def test_a_file_with_a_wrong_field_names_it(change, says):
    control = {"path": "Tone", "kind": "choice", "choices": ["1", "2"], **change}
    with pytest.raises(MenuError) as refused:
        menu_from({"modes": [], "controls": [control]})
    assert says in str(refused.value)


@pytest.mark.parametrize(
    "mode", [None, 3, {}, {"name": "A"}, {"name": "A", "signal": "sdr", "target": "srgb", "defaults": {"x": None}}]
)
def test_a_mode_that_is_none_is_refused(mode):
    with pytest.raises(MenuError, match=r"modes\[0\]"):
        menu_from({"modes": [mode], "controls": []})


def test_mutated_files_are_read_whole_or_refused():
    """Whatever becomes of a file, it is a menu that can be written and read again, or a MenuError."""
    menu = menu_from_text("Film, sdr, srgb\nDay", WHOLE)
    rng = random.Random(1)
    strange = [None, True, -1, 1e308, "", "x" * 400, [], {}, [None], "a\rb", "\u2028", 3.5, ["1", 2]]

    def mutate(value, depth=0):
        if rng.random() < 0.012 and depth:
            return rng.choice(strange)
        if isinstance(value, dict):
            return {k: mutate(v, depth + 1) for k, v in value.items() if rng.random() > 0.01}
        if isinstance(value, list):
            return [mutate(v, depth + 1) for v in value]
        return value

    kept = 0
    for _ in range(1500):
        document = mutate(json.loads(json.dumps(document_of(menu))))
        try:
            read = menu_from(document)
        except MenuError:
            continue
        kept += 1
        assert menu_from(json.loads(json.dumps(document_of(read)))) == read
        csv_of(read)
    assert kept > 20
    table = csv_of(menu)
    for _ in range(500):
        at = rng.randrange(len(table))
        text = (
            table[:at]
            + rng.choice(["\r", '"', ";", "\0", "\n", "x" * 200, "\t,", "－"])
            + table[at + rng.randrange(3) :]
        )
        try:
            menu_from_csv(text)
        except (MenuError, ValueError) as e:
            assert str(e)


def test_a_menu_with_too_many_links_is_refused():
    paths = [f"C{i}" for i in range(200)]
    controls = tuple(Control(p, "slider", resets=tuple(q for q in paths if q != p)) for p in paths)
    with pytest.raises(MenuError, match="39,800 locks and resets"):
        Menu((Mode("A", "sdr", "srgb"),), controls)
