"""The house: rooms stay small, and every one says what it is for."""

import ast
from pathlib import Path

import pytest

import lumenar

APP = Path(lumenar.__file__).parent / "app"
ROOMS = sorted(p for p in APP.iterdir() if p.is_dir() and p.name not in ("rubrics", "__pycache__"))
MOST_MODULES = 12


def test_there_are_rooms():
    assert {"bench", "board", "figures", "tuning", "verdict"} <= {r.name for r in ROOMS}


@pytest.mark.parametrize("room", ROOMS, ids=lambda r: r.name)
def test_a_room_is_small_and_says_what_it_is_for(room):
    modules = [p for p in room.glob("*.py") if p.name != "__init__.py"]
    assert 0 < len(modules) <= MOST_MODULES
    assert ast.get_docstring(ast.parse((room / "__init__.py").read_text()))


def test_rooms_are_in_the_documentation():
    text = (Path(__file__).parent.parent / "docs" / "architecture.md").read_text()
    assert [r.name for r in ROOMS if f"    {r.name}/ " not in text] == []
