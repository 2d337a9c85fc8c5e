"""Finding out what a menu does, in the browser: on a stand-in from the menu map, and by hand with a display of one's own."""

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from lumenar.app.displays.unit_files import shipped_units
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit

from ..conftest import MONITOR
from .test_eyes_and_keys import theme, violations

pytestmark = pytest.mark.web
POWER, LIGHT, CONTRAST = "System > Power", "Picture > Light", "Picture > Contrast"
SERVE = ("serve", "--speed", "0")


def text(page, css):
    return page.find(css).text


def test_1_from_the_menu_map_to_what_a_control_locks_and_back_into_the_map(page):
    review = page.review("Fen 32")
    unit = page.api(f"/reviews/{review}/menu")["unit"]
    page.send(
        "PATCH", f"/reviews/{review}/menu/controls?unit={unit}", {"path": POWER, "fields": {"resets": [], "locks": {}}}
    )
    page.go(f"/review/{review}/menu")
    page.find(f"[data-testid=menu-control][data-path='{POWER}'][aria-selected=true]")
    page.press("f")
    page.until(lambda: "What does Power do?" in text(page, "[data-testid=cost]"))
    assert violations(page) == []
    page.find("button", "What does it lock or reset?").click()
    page.until(lambda: "looks at the menu" in text(page, "[data-testid=cost]"))
    page.find("[data-testid=experiment-start]").click()
    answer = text(page, "[data-testid=answer]")
    assert answer.startswith("Changing Power resets Light, ") and answer.endswith("at Thrifty it locks Light.")
    assert violations(page) == []
    page.press("m")
    page.until(lambda: "from this experiment" in text(page, "[data-testid=learn]"))
    page.press(Keys.ESCAPE)
    row = page.find(f"[data-testid=menu-control][data-path='{POWER}']")
    page.until(lambda: "Thrifty locks Light" in page.find(f"[data-path='{POWER}']").text)
    assert answer in row.text
    page.find(f"[data-path='{POWER}'] [data-testid=finding] a").click()
    assert text(page, "[data-testid=answer]") == answer


def test_2_a_promise_and_a_ranking_in_a_bright_room(page):
    review = page.review("Fen 32")
    theme(page, True)
    page.go(f"/review/{review}/findout?new=&control=Eyes+%3E+Blue+step")
    page.until(lambda: "What does Blue step do?" in text(page, "[data-testid=cost]"))
    page.find("[data-testid=experiment-start]").click()
    assert "kept at 1, 2, 4; the opposite at 3" in text(page, "[data-testid=answer]")
    page.find("select[aria-label='Experiments of this review']")
    Select(page.find("select[aria-label='Experiments of this review']")).select_by_visible_text("A new question…")
    page.find("button", "What lifts shadows?").click()
    page.until(lambda: "Choose setups, or a control" in text(page, "[data-testid=cost]"))
    page.tick("Arena")
    page.tick("Matinee")
    page.until(lambda: "of 3 states" in text(page, "[data-testid=cost]"))
    page.find("[data-testid=experiment-start]").click()
    page.until(lambda: len(page.all("[data-testid=answer-row]")) == 3)
    rows = [r.text.split("\n")[0] for r in page.all("[data-testid=answer-row]")]
    assert rows[0].split()[:2] == ["1", "Arena"]
    assert violations(page) == []
    theme(page, False)


def test_3_by_hand_the_person_enters_looks_and_types(page):
    made = page.send(
        "POST", "/displays",
        {
            "maker": "Tern Street", "model": "Wall 55", "kind": "television", "panel": "lcd",
            "modes": "Studio, srgb", "controls": "Power: Full* Thrifty\nLight: 0..100 = 80\nDetail: 0..100 = 50",
        },
    )  # fmt: skip
    unit = SimulatedUnit(parse_unit(shipped_units()[MONITOR]))
    paths = {"Power": POWER, "Light": LIGHT, "Detail": CONTRAST}
    page.go(f"/review/{made['id']}/findout")
    page.find("button", "What does it lock or reset?").click()
    page.until(lambda: "You enter, look and type" in text(page, "[data-testid=cost]"))
    page.find("[data-testid=experiment-start]").click()
    for number in (1, 2, 3):
        page.until(lambda number=number: f"Step {number} of 3" in text(page, "[data-testid=stage]"))
        acts = [li.text for li in page.all("[data-testid=acts] li")]
        for act in acts:
            name, _, value = act.partition(" to ")
            if not act.startswith("mode "):
                unit.apply(paths[name], value if name == "Power" else float(value))
        for name in ("Light", "Detail"):
            stands = f"{unit.values['Studio'][paths[name]]:g}"
            field = page.find(f"input[aria-label='What {name} shows']")
            if field.get_attribute("placeholder") != stands:
                field.send_keys(stands)
            if unit.locked(paths[name]):
                page.find(f"label:has(input[aria-label='{name} cannot be set'])").click()
        number_of = page.api(f"/reviews/{made['id']}/experiments")[0]["id"]
        for rgb in page.api(f"/experiments/{number_of}")["now"]["rgb"]:
            field = next(f for f in page.all("[data-testid=reading]") if not f.get_attribute("value"))
            field.send_keys(" ".join(f"{v:.3f}" for v in np.asarray(unit.XYZ(rgb))))
        if number == 1:
            assert violations(page) == []
        page.find("[data-testid=keep-readings]").click()
    assert text(page, "[data-testid=answer]") == "Changing Power resets Light, Detail; at Thrifty it locks Light."
    assert text(page, "[data-testid=put-back]").split("\n")[1:] == ["Light to 80", "Detail to 50"]
    assert page.errors() == []
