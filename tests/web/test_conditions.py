"""Behaviour under conditions in the browser: on a stand-in from the plan to the grid, and by hand with a torch."""

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from lumenar.app.displays.unit_files import shipped_units
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit

from ..conftest import MONITOR
from .person import STORY_S
from .test_eyes_and_keys import theme, violations

pytestmark = pytest.mark.web
SAVER, DAYLIGHT, AUTO = "System > Room > Saver", "System > Room > Daylight match", "System > Room > Auto light"
SERVE = ("serve", "--speed", "0")


def text(page, css):
    return page.find(css).text


def bars(page, key):
    """What a state's bars say, by figure."""
    row = f"[data-testid=state][data-key='{key}']"
    return {c.get_attribute("data-figure"): c.text for c in page.all(f"{row} td[data-figure]") if c.text}


def _from_the_lights_and_features_to_what_should_be_switched_off(page):
    review = page.review("Meridian")
    page.go(f"/review/{review}/conditions")
    page.until(lambda: "Add a feature or a second room light" in text(page, "[data-testid=cost]"))
    Select(page.find("select[aria-label=Setup]")).select_by_visible_text("Reel")
    for _ in range(2):
        page.find("[data-testid=add-light]").click()
    for path in (SAVER, DAYLIGHT, AUTO):
        Select(page.find("[data-testid=add-factor]")).select_by_value(path)
    page.until(lambda: "The light is changed 4 times" in text(page, "[data-testid=cost]"))
    assert "14 states, and the baseline" in text(page, "[data-testid=cost]")
    promise = page.find("input[aria-label='What Auto light promises']")
    assert promise.get_attribute("value") == "brightens in a bright room"
    assert violations(page) == []
    lux = page.all("[data-testid=asked-light] input")[3]
    lux.send_keys(Keys.CONTROL, "a")
    lux.send_keys(Keys.DELETE)
    page.until(lambda: "Enter it for evening lamp" in text(page, "[data-testid=cost]"))
    lux.send_keys("50")
    page.until(lambda: "14 states" in text(page, "[data-testid=cost]"))
    # Of all 35 those that are chosen, each alone to begin with.
    Select(page.find("[data-testid=which-states]")).select_by_value("chosen")
    page.until(lambda: len(page.all("[data-testid=states] tbody tr")) == 12)
    both = "input[aria-label='Saver low + Daylight match on, daylight']"
    page.driver.execute_script("arguments[0].click()", page.find(both))
    page.until(lambda: "15 states" in text(page, "[data-testid=cost]"))
    assert violations(page) == []
    Select(page.find("[data-testid=which-states]")).select_by_value("alone")
    page.until(lambda: "14 states" in text(page, "[data-testid=cost]"))
    page.find("[data-testid=experiment-start]").click()
    advice = page.find("[data-testid=advice]").text.split("\n")
    # What is shown is of all that was read.
    assert advice[0] == "Keep Saver at off while measuring. Its effect is strong."
    assert advice[2] == "Auto light has no measurable effect. Leave it on or off."
    assert bars(page, "0.2.0.0") == {"luminance": "−38"} and bars(page, "0.0.0.1") == bars(page, "2.2.0.0") == {}
    assert set(bars(page, "2.0.1.0")) >= {"gamut", "shadows"}
    kept = [p.text.split("\n")[0] for p in page.all("[data-testid=promise]")]
    assert "Saver, “does nothing in the dark”: not kept" in kept
    assert "Daylight match, “leaves the peak unchanged”: kept" in kept
    assert "none measurable" in text(page, "[data-testid=in-words]").split("\n")[-1]
    assert violations(page) == [] and page.errors() == []


def _states_are_walked_and_chosen_by_keys_in_a_bright_room(page):
    review = page.review("Meridian")
    theme(page, True)
    page.go(f"/review/{review}/conditions")
    page.find("[data-testid=state]")

    def drawn():
        return [t.text for t in page.all("[data-chart=tone] svg text") if "," in t.text and "signal" not in t.text]

    before = page.find("[data-chart=tone]").text
    page.press("j", "j", "x")
    page.until(lambda: page.find("[data-chart=tone]").text != before)
    assert page.find("[data-testid=state][aria-selected=true]").get_attribute("data-key") == "0.0.1.0"
    assert any("Daylight match on, dark" in t for t in drawn())
    page.press("x", "k")
    page.until(lambda: not any("Daylight match on, dark" in t for t in drawn()))
    assert page.find("[data-testid=state][aria-selected=true]").get_attribute("data-key") == "0.0.0.1"
    assert violations(page) == []
    theme(page, False)
    page.press(Keys.ESCAPE)
    page.until(lambda: "/conditions" not in page.driver.current_url)
    # The questions about the menu are a list of their own.
    page.go(f"/review/{review}/findout")
    page.until(lambda: "What does it do?" in page.find("main").text)
    assert "in 3 lights" not in page.find("main").text


@pytest.mark.timeout(STORY_S)
def test_from_the_lights_to_the_states_that_were_read(page):
    """Conditions from the question to its states, walked by keys. Each step goes on from the one before."""
    _from_the_lights_and_features_to_what_should_be_switched_off(page)
    _states_are_walked_and_chosen_by_keys_in_a_bright_room(page)


def test_by_hand_with_a_torch_and_a_light_that_cannot_be_had(page):
    made = page.send(
        "POST", "/displays",
        {
            "maker": "Tern Street", "model": "Pocket 6", "kind": "phone", "panel": "oled", "modes": "Day, srgb",
            "controls": "Adaptive: on off*",
        },
    )  # fmt: skip
    unit = SimulatedUnit(parse_unit(shipped_units()[MONITOR]))
    page.go(f"/review/{made['id']}/conditions")
    for i, label in enumerate(("torch, 30 cm", "sunlight"), 1):
        page.find("[data-testid=add-light]").click()
        name, lux = page.all("[data-testid=asked-light] input")[2 * i : 2 * i + 2]
        for field in (name, lux):
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(Keys.DELETE)
        name.send_keys(label)
    Select(page.find("[data-testid=add-factor]")).select_by_value("Adaptive")
    baselines = page.find("input[aria-label='How often the baseline is read']")
    baselines.send_keys("6")
    page.until(lambda: "the baseline 6 times" in text(page, "[data-testid=cost]"))
    assert "You set the room light, enter the settings and type the readings" in text(page, "[data-testid=cost]")
    page.find("[data-testid=experiment-start]").click()
    page.find("[data-testid=stage]")
    number = page.api(f"/reviews/{made['id']}/experiments")[0]["id"]
    skipped, steps = 0, 0
    while (now := page.api(f"/experiments/{number}"))["now"]:
        stage, read = now["now"], now["read"]
        if any(a == "light: sunlight" for a in stage["acts"]):
            skipped += 1
            page.find("button", "Skip this light").click()
        elif steps < 2:
            # Typed by the person, as long as it shows what the view does.
            page.until(lambda read=read: f"Step {read + 1} of" in text(page, "[data-testid=stage]"))
            acts = [li.text for li in page.all("[data-testid=acts] li")]
            assert acts == stage["acts"]
            for field, rgb in zip(page.all("[data-testid=reading]"), stage["rgb"], strict=True):
                field.send_keys(" ".join(f"{v:.5f}" for v in np.asarray(unit.XYZ(rgb))))
            if steps == 0:
                assert violations(page) == []
            page.find("[data-testid=keep-readings]").click()
            steps += 1
        else:
            off, torch = "display off" in stage["title"], "torch" in stage["title"] and "Adaptive on" in stage["title"]
            gain = (1.4 if torch else 1.0) * (1 + 0.0004 * (read % 3 - 1))
            texts = ["-" if off else " ".join(f"{gain * v:.5f}" for v in unit.XYZ(rgb)) for rgb in stage["rgb"]]
            page.send("POST", f"/experiments/{number}/stages/{read}", {"form": "XYZ", "texts": texts})
            page.driver.refresh()
            continue
        page.until(lambda read=read: page.api(f"/experiments/{number}")["read"] > read)
    assert skipped == 1
    page.driver.refresh()
    assert text(page, "[data-testid=advice]") == "Keep Adaptive at off while measuring. Its effect is strong."
    out = page.find("[data-testid=state][data-key='2.1']").text
    assert "sunlight could not be had: the person could not make it" in out
    assert bars(page, "1.1")["luminance"] == "+40" and bars(page, "0.1") == {}
    assert page.errors() == []
