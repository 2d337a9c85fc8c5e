"""Rules of the house that no other tool holds: keys of measurements stand in their own files, and files stay short."""

import ast
from pathlib import Path

import pytest

import lumenar
from lumenar.core.measurements import MEASUREMENTS

SOURCE = Path(lumenar.__file__).parent
HOMONYMS = {"saturation", "gamut", "contrast", "peak", "hold", "volume", "modulation", "uniformity"}
"""Words that mean something else too, such as kinds of controls."""
KEYS = set(MEASUREMENTS) - HOMONYMS
MODULES = sorted(p for p in SOURCE.rglob("*.py") if "core/measurements" not in p.as_posix())


def keys_in(code):
    """Keys in code, with their lines."""
    for node in ast.walk(ast.parse(code)):
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
            if text in KEYS or (" " not in text and "." in text and text.partition(".")[0] in KEYS):
                yield node.lineno, text


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.relative_to(SOURCE).as_posix())
def test_keys_of_measurements_stand_with_their_measurement_alone(path):
    """Elsewhere `white_black.MEASUREMENT.key` or a Figure: a mistyped one is found by the type checker."""
    assert list(keys_in(path.read_text())) == []


def test_the_rule_sees_keys():
    code = 'a = "white_black"\nb = "grey_ramp.curve_"\nc = "gamut"\nd = "white_black is measured"\n'
    assert list(keys_in(code)) == [(1, "white_black"), (2, "grey_ramp.curve_")]


MOST_POSITIONAL = 6


def long_calls(code):
    """Lines of calls with so many positional arguments that nobody sees which is which."""
    for node in ast.walk(ast.parse(code)):
        if isinstance(node, ast.Call) and len(node.args) > MOST_POSITIONAL:
            yield node.lineno


@pytest.mark.parametrize("path", sorted(SOURCE.rglob("*.py")), ids=lambda p: p.relative_to(SOURCE).as_posix())
def test_no_call_has_more_than_six_positional_arguments(path):
    assert list(long_calls(path.read_text())) == []


def test_the_rule_sees_long_calls():
    assert list(long_calls("f(1, 2, 3, 4, 5, 6)\ng(1, 2, 3, 4, 5, 6, 7)\n")) == [2]


def test_a_class_name_has_one_meaning():
    where = {}
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                where.setdefault(node.name, []).append(path.relative_to(SOURCE).as_posix())
    assert {name: paths for name, paths in where.items() if len(paths) > 1} == {}


MOST_LINES_OF_A_FUNCTION = 50


def body_lines(function):
    """How many lines a function has below its head and its docstring."""
    has_words = ast.get_docstring(function) is not None and len(function.body) > 1
    return function.end_lineno - function.body[1 if has_words else 0].lineno + 1


def test_functions_stay_short():
    long = {
        f"{path.relative_to(SOURCE)}: {node.name}"
        for path in SOURCE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and body_lines(node) > MOST_LINES_OF_A_FUNCTION
    }
    assert long == set()


MOST_LINES = 425
LONGER = {"bench/simulated/light.py", "core/tuning/colours.py", "core/tuning/points.py", "core/tuning/stage.py"}
"""One class each, whose parts share most of what they know."""


def test_files_stay_short():
    lines = {p.relative_to(SOURCE).as_posix(): len(p.read_text().splitlines()) for p in SOURCE.rglob("*.py")}
    assert {name for name, count in lines.items() if count > MOST_LINES} == LONGER
