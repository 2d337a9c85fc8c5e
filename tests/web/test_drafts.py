"""Nothing that a person types is thrown away: not by Escape, a link, a tab or a closed window."""

import pytest
from selenium.webdriver.common.keys import Keys

from .driver import Server

pytestmark = pytest.mark.web


@pytest.fixture(scope="module")
def server(port, tmp_path_factory):
    made = Server(tmp_path_factory.mktemp("drafts") / "data", port=port)
    yield made
    made.stop()


@pytest.fixture
def wall(page):
    """A display of one's own, without a simulated one behind it."""
    body = {
        "maker": "Tern Street", "model": "Wall 55", "kind": "television", "panel": "lcd", "modes": "Evening, srgb",
        "controls": "Light 0..50 = 30 (luminance)\nRed gain 0..100 = 50 (red gain)\nGreen gain 0..100 = 50 (green gain)\n"
        "Blue gain 0..100 = 50 (blue gain)",
    }  # fmt: skip
    return page.send("POST", "/displays", body)["id"]


def test_a_new_display_that_was_not_saved_is_there_again(page):
    def opened():
        page.find("button", "A display of your own").click()
        page.find("dialog[open]")
        return page.all("dialog input")[:2], page.all("dialog textarea")

    page.go()
    (maker, _), (modes, _) = opened()
    maker.send_keys("Tern Street")
    modes.send_keys("Evening\nBright")
    page.press(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"))
    page.driver.refresh()
    (maker, _), (modes, _) = opened()
    assert maker.get_attribute("value") == "Tern Street" and modes.get_attribute("value") == "Evening\nBright"
    page.find("[data-testid=draft] button", "Discard it").click()
    page.until(lambda: page.all("dialog input")[0].get_attribute("value") == "")
    page.find("dialog button", "Close").click()
    page.until(lambda: not page.all("dialog[open]"))


def test_a_menu_that_was_being_written_is_there_again_until_it_is_saved(page, wall):
    page.go(f"/review/{wall}/menu")
    page.find("[data-testid=menu-control]")
    page.press("e")
    page.find("textarea[aria-label=Controls]").send_keys("\nSaving low off*")
    page.press(Keys.ESCAPE)
    page.go("/")
    page.go(f"/review/{wall}/menu")
    page.find("[data-testid=menu-control]")
    page.press("e")
    page.find("[data-testid=draft]")
    assert "Saving low off*" in page.find("textarea[aria-label=Controls]").get_attribute("value")
    page.find("button", "Save the menu").click()
    page.until(lambda: len(page.all("[data-testid=menu-control]")) == 5)
    page.press("e")
    page.find("textarea[aria-label=Controls]")
    assert not page.all("[data-testid=draft]")


def test_readings_of_a_tuning_survive_and_an_odd_one_is_asked_about(page, wall):
    setup = page.api(f"/reviews/{wall}/board")["rows"][0]["setup"]
    made = page.send("POST", f"/reviews/{wall}/tunings", {"setup": setup, "goals": ["white"]})
    page.go(f"/review/{wall}/tuning?tuning={made['id']}")
    page.find("[data-testid=reading]")
    patches = page.api(f"/tunings/{made['id']}")["step"]["patches"]
    texts = {
        "white": "95 100 118",
        "red": "412 213 20",
        "green": "35 71 12",
        "blue": "18 7 100",
        "black": "0.1 0.1 0.1",
    }
    for box, patch in zip(page.all("[data-testid=reading]"), patches, strict=True):
        box.send_keys(texts[patch["code"]])
    page.press(Keys.ESCAPE)
    page.go("/")
    page.go(f"/review/{wall}/tuning?tuning={made['id']}")
    page.find("[data-testid=reading]")
    kept = [b.get_attribute("value") for b in page.all("[data-testid=reading]")]
    assert kept == [texts[p["code"]] for p in patches]
    page.find("[data-testid=keep-readings]").click()
    assert "red: Brighter than white with 100 cd/m²" in page.find("[role=alert]", "Brighter").text
    page.find("button", "Type it again").click()
    red = page.driver.switch_to.active_element
    assert red.get_attribute("aria-label").endswith("red")
    # What is typed takes the place of what was odd.
    red.send_keys("41.2 21.3 2.0")
    assert red.get_attribute("value") == "41.2 21.3 2.0"
    page.find("[data-testid=keep-readings]").click()
    page.until(lambda: page.api(f"/tunings/{made['id']}")["attempts"])


def test_what_a_display_is_called_is_corrected(page, wall):
    page.go(f"/review/{wall}/menu")
    page.find("[data-testid=menu-control]")
    page.press("e")
    model = page.all("[data-testid=identity] input")[1]
    model.send_keys(Keys.CONTROL, "a")
    model.send_keys("Wall 65", Keys.ENTER)
    page.until(lambda: "Tern Street Wall 65" in page.find("header").text)


def test_a_reading_that_was_not_kept_is_in_its_field_again(page, wall):
    page.go(f"/review/{wall}")
    page.cell("Evening", "white_black").click()
    page.press("m")
    page.until(lambda: "/hand/" in page.driver.current_url)
    first = page.find("[data-testid=hand-show]").text
    page.find("[data-testid=hand-input]").send_keys("171 180 19")
    page.press(Keys.ESCAPE)
    page.find("[role=grid]")
    page.driver.back()
    field = page.find("[data-testid=hand-input]")
    assert page.find("[data-testid=hand-show]").text == first and field.get_attribute("value") == "171 180 19"
    # A question selects what was typed, so that a number typed now takes its place.
    page.press(Keys.CONTROL + "a")
    page.press("171 180 196", Keys.ENTER)
    page.until(lambda: page.find("[data-testid=hand-show]").text != first)
    assert page.find("[data-testid=hand-input]").get_attribute("value") == ""
    page.press("95 300 109", Keys.ENTER)
    page.until(lambda: "Press Enter to save it" in page.find("[data-testid=hand-told]").text)
    selected = "const f = document.activeElement; return f.value.slice(f.selectionStart, f.selectionEnd)"
    page.until(lambda: page.driver.execute_script(selected) == "95 300 109")
