"""A television that no stand-in is, carried by hand from its name to its figures, at the keyboard alone."""

import time

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from lumenar.core.targets import TARGETS, Anchor

from .driver import Server
from .test_eyes_and_keys import theme, violations

pytestmark = pytest.mark.web
CONTROLS = """Picture
  Light 0..50 = 30 (luminance)
  Tone 2.0 [2.2] 2.4
  White table 5 10 30 100 x Red Green Blue -50..50 = 0
System
  Saving low off*
Saving = low locks Light
Saving resets Tone"""


@pytest.fixture(scope="module")
def server(port, tmp_path_factory):
    made = Server(tmp_path_factory.mktemp("hand") / "data", port=port)
    yield made
    made.stop()


SIMPLE = "\n".join(line for line in CONTROLS.split("\n") if "White" not in line)


@pytest.fixture
def wall(page):
    """A display of one's own with two modes and three controls; the Board is open."""
    body = {"maker": "Tern Street", "model": "Wall 55", "kind": "television", "panel": "lcd"}
    review = page.send("POST", "/displays", {**body, "modes": "Evening\nBright, srgb", "controls": SIMPLE})["id"]
    page.go(f"/review/{review}")
    page.find("[role=grid]")
    return review


def box(page, name):
    """The field under a label of the open dialog."""
    for root in page.all("dialog [data-scope=field][data-part=root]"):
        if root.find_element(By.CSS_SELECTOR, "label").text == name:
            return root.find_element(By.CSS_SELECTOR, "input, textarea, select")
    raise AssertionError(name)


def test_a_name_is_enough_and_a_wrong_menu_is_pointed_at(page):
    page.go()
    page.find("button", "A display of your own").click()
    page.until(lambda: box(page, "Maker"))
    assert page.driver.switch_to.active_element == box(page, "Maker")
    page.press("Tern Street", Keys.TAB, "Wall 55")
    box(page, "Picture modes").send_keys("Evening\nBright, srgb")
    box(page, "Controls").send_keys("Light 100..0")
    box(page, "Model").send_keys(Keys.ENTER)
    wrong = page.find("dialog [data-part=error-text]")
    assert "line 1, column 7: 100 is not below 0" in wrong.text
    assert box(page, "Maker").get_attribute("value") == "Tern Street", "what was typed is still there"
    box(page, "Controls").send_keys(Keys.CONTROL, "a")
    box(page, "Controls").send_keys(Keys.DELETE)
    box(page, "Model").send_keys(Keys.ENTER)
    assert "2 picture modes and 0 controls were understood" in page.find("[data-testid=menu-read]").text
    page.press(Keys.ENTER)
    page.find("[role=grid]")
    assert [e.text.split("\n")[0] for e in page.all("[role=grid] tbody th")] == ["Evening", "Bright"]
    assert "firmware not recorded" in page.find("header").text


@pytest.mark.parametrize("day", [False, True])
def test_a_pasted_menu_is_shown_and_guesses_are_confirmed_before_the_review_starts(page, day):
    page.go()
    theme(page, day)
    page.find("button", "A display of your own").click()
    page.until(lambda: box(page, "Maker"))
    page.press("Tern Street", Keys.TAB, "Glass 48")
    box(page, "Picture modes").send_keys("Evening")
    box(page, "Controls").send_keys(
        "Backlight 0-100 = 80\nGamma 2.0 [2.2] 2.4\nR Gain 0 to 100 = 50\nSharpness 0..10 = 5"
    )
    box(page, "Model").send_keys(Keys.ENTER)
    rows = {
        r.text.split("\n")[0].split(" 0 ")[0]: r for r in page.until(lambda: page.all("[data-testid=control-read]"))
    }
    assert [w for w in ("luminance", "tone", "red gain") for r in rows.values() if w in r.text] == [
        "luminance",
        "tone",
        "red gain",
    ]
    assert violations(page, "dialog") == []
    page.find("button", "Back to the text").click()
    page.until(lambda: box(page, "Controls").is_displayed())
    box(page, "Model").send_keys(Keys.ENTER)
    page.find("[data-testid=menu-read]")
    # One guess is wrong.
    page.find("[aria-label='Gamma sets tone']").find_element(By.XPATH, "..").click()
    page.find("button", "Start the review").click()
    page.find("[role=grid]")
    review = int(page.driver.current_url.rsplit("/", 1)[1])
    controls = {c["path"]: c["role"] for c in page.api(f"/reviews/{review}/menu")["controls"]}
    assert controls == {"Backlight": "luminance", "Gamma": None, "R Gain": "red gain", "Sharpness": None}


def test_a_menu_is_pasted_seen_and_taken_back(page):
    body = {"maker": "Tern Street", "model": "Wall 55", "kind": "television", "panel": "lcd", "modes": "Evening"}
    page.go(f"/review/{page.send('POST', '/displays', body)['id']}")
    page.find("[role=grid]")
    page.press("t")
    page.until(lambda: page.driver.current_url.endswith("/menu"))
    page.find("h1", "Menu map")
    page.press("e")
    area = page.find("textarea[aria-label=Controls]")
    area.send_keys("Light 0..100\n  Tone 2.2\n")
    page.find("button", "Save the menu").click()
    assert "line 2" in page.find("[role=alert]").text and "one value only" in page.find("[role=alert]").text
    page.driver.execute_script(
        "const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set;"
        "set.call(arguments[0], arguments[1]); arguments[0].dispatchEvent(new Event('input', {bubbles: true}));",
        area, CONTROLS,
    )  # fmt: skip
    page.find("button", "Save the menu").click()
    page.until(lambda: len(page.all("[data-testid=menu-control]")) == 4)
    saving = page.find("[data-testid=menu-control]", "Saving")
    assert "low locks Light; resets Tone" in saving.text
    page.find("button[role=tab]", "Changes (1)").click()
    page.find("button", "Take it back").click()
    page.until(lambda: not page.all("[data-testid=menu-control]"))
    page.press("e")
    page.find("textarea[aria-label=Controls]").send_keys(SIMPLE)
    page.find("button", "Save the menu").click()
    page.until(lambda: len(page.all("[data-testid=menu-control]")) == 3)
    page.press(Keys.ESCAPE)
    page.find("[role=grid]")


def test_what_a_setting_brings_with_it_is_told_before_it_is_saved(page, wall):
    page.cell("Evening", "white_black").click()
    page.press("e")
    Select(page.find("[id='control-Picture > Tone']")).select_by_visible_text("2.4")
    Select(page.find("[id='control-System > Saving']")).select_by_visible_text("low")
    told = page.find("[data-testid=consequences]")
    assert told.text == "Saving at low resets Tone 2.4 → 2.2 and locks Light."
    Select(page.find("[id='control-System > Saving']")).select_by_visible_text("off")
    page.until(lambda: not page.all("[data-testid=consequences]"))
    Select(page.find("[id='control-Picture > Tone']")).select_by_visible_text("2.2")
    page.find("button", "Close").click()
    page.until(lambda: not page.all("dialog[open]"))


def readings(sheet, white=180.0, black=0.09):
    XYZ = TARGETS["bt709_bt1886"].XYZ(
        np.array([p["rgb"] for p in sheet["patches"]]), Anchor(np.array(white), np.array(black))
    )
    return {p["patch"]: " ".join(f"{v:.4g}" for v in row) for p, row in zip(sheet["patches"], XYZ, strict=True)}


def run_of(page):
    return int(page.driver.current_url.rsplit("/", 1)[1])


def test_a_first_pass_is_typed_without_a_mouse(page, wall):
    page.cell("Evening", "white_black").click()
    page.cell("Evening", "gamut")
    page.press(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    page.press("x")
    page.until(lambda: "by hand" in page.find("[data-testid=plan]").text)
    page.press("m")
    page.until(lambda: "/hand/" in page.driver.current_url)
    told = page.find("[data-testid=hand-told]")
    page.find("[data-testid=hand-input]")
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("data-testid") == "hand-input")
    sheet = page.api(f"/runs/{run_of(page)}/sheet")
    texts = readings(sheet)
    begun = time.monotonic()
    for i, p in enumerate(sheet["patches"]):
        page.until(lambda p=p: page.find("[data-testid=hand-show]").text == p["show"])
        if i == 1:
            page.press("12 13", Keys.ENTER)
            page.until(lambda told=told: "2 numbers, but X Y Z takes three" in told.text)
            page.press(Keys.CONTROL + "a", Keys.DELETE)
        if i == 2:
            # Back one: it was read already, and is typed again.
            page.press(Keys.BACKSPACE)
            page.until(lambda told=told: "Read already" in told.text)
            page.press(texts[sheet["patches"][1]["patch"]], Keys.ENTER)
            page.until(lambda p=p: page.find("[data-testid=hand-show]").text == p["show"])
        page.press(texts[p["patch"]], Keys.ENTER)
        if i == 3:
            # The tab is closed and opened, the server killed and started: the list goes on where it was.
            page.until(lambda: page.api(f"/runs/{run_of(page)}/sheet")["done"] == 4)
            page.server.kill()
            page.server.start()
            page.driver.refresh()
            # What was asked of the server as it was killed got no answer, and the browser says so.
            page.errors()
            told = page.find("[data-testid=hand-told]")
            page.until(lambda: page.driver.switch_to.active_element.get_attribute("data-testid") == "hand-input")
    page.find("[role=grid]")
    assert time.monotonic() - begun < 60 * len(sheet["patches"])
    page.until(lambda: page.cell("Evening", "white_black").get_attribute("data-state") == "measured")
    assert "180" in page.cell("Evening", "white_black").text


@pytest.mark.parametrize("day", [False, True])
def test_the_list_and_the_dialog_are_for_every_eye(page, wall, day):
    page.go()
    theme(page, day)
    page.find("button", "A display of your own").click()
    page.until(lambda: box(page, "Maker"))
    page.until(lambda: not violations(page, "dialog"))
    page.go(f"/review/{wall}")
    page.cell("Bright", "white_black").click()
    page.press("o")
    page.find("[data-testid=options]", "reads down to")
    assert violations(page) == []
    # A decimal comma is a point, typed or pasted; taken for a mark between thousands it would be 35.
    field = page.find("[aria-label='repeats within, %']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("0,35")
    assert field.get_attribute("value") == "0.35"
    page.aside()
    assert field.get_attribute("value") == "0.35"
    page.press("m")
    page.until(lambda: "/hand/" in page.driver.current_url)
    page.find("[data-testid=hand-input]")
    page.press("1 2", Keys.ENTER)
    page.until(lambda: "takes three" in page.find("[data-testid=hand-told]").text)
    assert violations(page) == []
    page.find("button", "End the run here").click()
    page.find("[role=grid]")


def test_a_column_is_pasted_and_what_is_odd_is_asked_about(page, wall):
    assert page.api(f"/reviews/{wall}/board")["can"]["reads"] is False
    page.cell("Bright", "grey_ramp").click()
    page.press("m")
    page.until(lambda: "/hand/" in page.driver.current_url)
    page.find("[data-testid=hand-input]")
    sheet = page.api(f"/runs/{run_of(page)}/sheet")
    texts = readings(sheet)
    lines = [texts[p["patch"]] for p in sheet["patches"]]
    odd = next(i for i, p in enumerate(sheet["patches"]) if abs(p["rgb"][0] - 0.5) < 0.01)
    right, lines[odd] = lines[odd], "1 1 1"
    page.driver.execute_script(
        "const data = new DataTransfer(); data.setData('text', arguments[0]);"
        "const pasted = {clipboardData: data, bubbles: true, cancelable: true};"
        "document.activeElement.dispatchEvent(new ClipboardEvent('paste', pasted));",
        "\n".join(lines),
    )  # fmt: skip
    page.until(lambda: "Darker than" in page.find("[data-testid=hand-told]").text)
    assert page.find("[data-testid=hand-show]").text == sheet["patches"][odd]["show"]
    assert page.find("[data-testid=hand-progress]").text.startswith(f"{sheet['total'] - 1} of {sheet['total']}")
    page.press(right, Keys.ENTER)
    page.find("[role=grid]")
    page.until(lambda: page.cell("Bright", "grey_ramp").get_attribute("data-state") == "measured")
    page.cell("Bright", "grey_ramp").click()
    page.find("[data-chart] svg")
    # What was refused on purpose, and the events that a killed server broke off, are all that the browser complains of.
    wanted = ("status of 422", "ERR_INCOMPLETE_CHUNKED_ENCODING", "ERR_CONNECTION_REFUSED")
    assert [e for e in page.errors() if not any(w in e for w in wanted)] == []


TABLE = "Which;R;G;B;X;Y;Lum z\n" + "\n".join(
    f"Film;{r};{g};{b};{x};{y};{z}".replace(".", ",")
    for r, g, b, x, y, z in [
        (255, 255, 255, 114.1, 120, 130.7), (0, 0, 0, 0.1, 0.1, 0.1), (128, 128, 128, 24.6, 25.9, 28.2),
        (255, 0, 0, 49.5, 25.5, 2.3), (0, 255, 0, 42.9, 85.8, 14.3), (0, 0, 255, 21.6, 8.7, 114),
        (0, 255, 255, 64.5, 94.5, 128), (255, 0, 255, 71, 34.2, 116), (255, 255, 0, 92.4, 111.3, 16.6),
    ]
)  # fmt: skip


def test_a_table_is_understood_column_by_column_and_stored(page, tmp_path):
    (tmp_path / "mine.csv").write_text(TABLE)
    page.go("/")
    page.find("a", "Readings from a file").click()
    page.find("h1", "Import readings")
    page.driver.find_element(By.CSS_SELECTOR, "[data-testid=import-file]").send_keys(str(tmp_path / "mine.csv"))
    assert "no columns X, Y, Z" in page.find("[role=alert]").text
    Select(page.find("[data-testid='column-Lum z']")).select_by_value("Z")
    told = page.find("[data-testid=understood]")
    assert "Signals run 0..255, since the highest is 255." in told.text and "Not used: Which." in told.text
    Select(page.find("[data-testid=column-Which]")).select_by_value("setup")
    page.until(lambda: page.find("[data-testid=understood-setup]").text.startswith("Film"))
    assert "Gamut" in page.find("[data-testid=understood-setup]").text
    store = page.find("button", "Store as a new review")
    assert not store.is_enabled(), "the file does not say what display it is"
    for field, text in zip(page.all("[data-testid=understood] input"), ("Tern Street", "Wall 60"), strict=True):
        field.send_keys(text)
    page.until(store.is_enabled)
    store.click()
    page.until(lambda: page.cell("Film", "white_black").get_attribute("data-state") == "measured")
    assert "120" in page.cell("Film", "white_black").text and "Tern Street Wall 60" in page.find("header").text
    assert page.find("a", "CGATS").get_attribute("href").endswith("/readings?format=cgats")
