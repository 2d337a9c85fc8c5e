"""Paths of a menu are shortened only as far as they stay unambiguous."""

from hypothesis import given
from hypothesis import strategies as st

from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.drivers.simulated import arrivals
from lumenar.core.menu.paths import endings, own_name, written

PARTS = st.lists(st.sampled_from(["Red", "Hue", "Colour", "Light"]), min_size=1, max_size=4)


@given(st.lists(PARTS.map(" > ".join), max_size=12))
def test_each_path_has_an_end_of_its_own(paths):
    found = endings(paths)
    assert found.keys() == set(paths) and len(set(found.values())) == len(found)
    for path, short in found.items():
        assert written(path).endswith(short)
        if " › " in short:
            shorter = short.split(" › ", 1)[1]
            others = [written(p) for p in found if p != path]
            assert any(p == shorter or p.endswith(f" › {shorter}") for p in others), "no longer than it has to be"


def test_a_name_alone_and_one_that_six_controls_have():
    assert own_name("Picture > Colour > Hue") == "Hue" and own_name("Light") == "Light"
    assert endings(["A > Hue", "B > Hue", "Hue"]) == {"A > Hue": "A › Hue", "B > Hue": "B › Hue", "Hue": "Hue"}


def test_no_two_controls_of_a_menu_are_called_alike():
    for name, text in shipped_units().items():
        menu = arrivals(text, name)[0].menu
        names = [menu.short(c.path) for c in menu.controls]
        assert len(set(names)) == len(names), name
