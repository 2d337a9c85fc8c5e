"""From an unmeasured display to a published report, in the real interface."""

import re

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from lumenar.publish.verify import verify

from .driver import sized
from .person import STORY_S

pytestmark = pytest.mark.web
MODES = ["Studio", "Daybreak", "Matinee", "Arena", "Handset", "Paper"]
HDR = ["Studio HDR", "Matinee HDR", "Handset HDR", "Arena HDR"]
REVIEW, STUDIO = 5, 25
"""The demonstration's monitor, which nobody has measured, and its first mode."""
ROWS = "[role=grid] tbody th[scope=row]"
FEW = ("white_black", "grey_ramp", "gamut", "brightness_ladder")


def _the_shelf_and_an_unmeasured_board(page):
    page.go()
    entry = page.find("[data-testid=shelf-entry]", "Ostrel Fen 32")
    assert "not measured yet" in entry.text
    page.press("/")
    page.press("phone")
    page.until(lambda: len(page.all("[data-testid=shelf-entry]")) == 1)
    assert "Tessary Pell 6" in page.find("[data-testid=shelf-entry]").text
    page.press(Keys.ESCAPE)
    page.find("a", "Ostrel Fen 32").click()
    page.find("[role=grid]")
    rows = [e.text.split("\n")[0] for e in page.all(ROWS)]
    assert rows == [*MODES, *HDR, *(f"{m} (sample B)" for m in MODES), *(f"{m} (sample B)" for m in HDR)]
    assert page.states() == ["unmeasured"] * (12 * 16 + 8 * 10)
    assert "First pass" in page.find("[data-testid=plan]").text
    page.find("[aria-label='Filter the rows']").send_keys("1.04")
    page.until(lambda: len(page.all(ROWS)) == 10)
    page.press(Keys.ENTER)


def select_few(page):
    """Select four measurements of the first sample's modes, by row and column with the keys."""
    for mode in MODES:
        for measurement in FEW:
            ActionChains(page.driver).key_down(Keys.SHIFT).click(page.cell(mode, measurement)).key_up(
                Keys.SHIFT
            ).perform()


def _cells_are_selected_and_measured_with_pause_resume_and_a_closed_tab(page):
    plan = page.find("[data-testid=plan]", "readings")
    page.press("a")
    page.until(lambda: "Selected: 136 cells" in plan.text)
    page.press("a")
    page.until(lambda: "Selected" not in plan.text)
    page.cell("Studio", "white_black").click()
    page.until(lambda: "Selected: 1 cell" in plan.text and "2 readings" in plan.text)
    page.press(Keys.ARROW_DOWN, "x")
    page.until(lambda: page.cell("Daybreak", "white_black").get_attribute("aria-selected") == "true")
    page.press("1")
    page.until(lambda: "Selected: 30 cells" in plan.text)
    page.press(Keys.ESCAPE)
    page.until(lambda: not page.all("[aria-selected=true]"))
    select_few(page)
    plan = page.find("[data-testid=plan]", "Selected: 24 cells")
    page.until(lambda: "294 readings" in plan.text)
    page.press("m")
    page.until(lambda: "measuring" in page.states())
    live = page.find("[data-testid=live]")
    page.until(lambda: any(ch.isdigit() for ch in live.text))
    page.until(lambda: page.cell("Studio", "gamut").get_attribute("data-state") == "measured")
    bar = page.find("footer").text
    assert "Ostrel Fen 32 · " in bar and ("window 10 %" in bar or "setting " in bar)
    assert "Corrected, emissive" in bar
    page.press("p")
    page.find("footer button", "Resume")
    done = page.until(lambda: page.api("/bench")["state"] == "paused" and page.api("/bench")["done"])
    # The tab is closed and opened again; the run stands where it stood.
    page.driver.switch_to.new_window("tab")
    page.driver.switch_to.window(page.driver.window_handles[0])
    page.driver.close()
    page.driver.switch_to.window(page.driver.window_handles[0])
    page.go(f"/review/{REVIEW}")
    page.find("footer button", "Resume").click()
    page.until(lambda: page.api("/bench")["done"] > done)
    page.clock("0")
    page.until(lambda: page.states().count("measured") == 24, 60)
    page.find("footer", "Bench at rest")
    assert page.find('[data-cell="Studio grey_ramp"]').text.startswith("1.")


def _plates_change_with_the_target_and_take_an_overlay(page):
    page.cell("Studio", "grey_ramp").click()
    page.find("[data-chart=curve_error] svg path")
    before = page.find("[data-headline=curve_error]").text
    readings = page.api("/reviews")[0]["cells_measured"]
    Select(page.find("[data-testid=target]")).select_by_value("gamma24")
    page.find('[data-target="gamma24"]')
    page.until(lambda: page.find("[data-headline=curve_error]").text != before)
    assert page.api("/reviews")[0]["cells_measured"] == readings
    page.choose("[data-testid=overlay]", "Daybreak")
    page.until(lambda: "→" in page.find("[data-headline=curve_error]").text)
    page.find("[data-chart=curve_error] svg text", "Daybreak")
    page.find("button", "Numbers").click()
    rows = page.until(lambda: page.all("[data-chart=curve_error] tbody tr"))
    assert len(rows) == 21
    ActionChains(page.driver).move_to_element_with_offset(page.find("[data-chart=curve_error] svg"), 0, 0).perform()
    told = page.find("[data-chart=curve_error] [data-found]").text
    level = told.split(" %")[0]
    row = next(r for r in rows if r.text.split()[0] == f"{float(level):.0f}").text.split()
    assert 30 < float(level) < 70
    assert re.search(rf"Studio +{re.escape(row[1])}\d* ", told) and re.search(
        rf"Daybreak +{re.escape(row[2])}\d* ", told
    )
    for measurement, chart, words in (
        ("gamut", "gamut_plane", "% of BT.2020"),
        ("white_black", "reach", "Duv"),
        ("brightness_ladder", "ladder", "120 cd/m²"),
    ):
        page.go(f"/review/{REVIEW}/plates/{STUDIO}/{measurement}")
        page.find(f"[data-chart={chart}] svg")
        assert words in page.find("[data-testid=words]").text
    assert len(page.all("[data-chart=coverage] svg")) == 0
    page.go(f"/review/{REVIEW}/plates/{STUDIO}/gamut")
    page.until(
        lambda: {"sRGB / BT.709", "P3", "opRGB", "BT.2020"} <= set(page.find("[data-chart=coverage]").text.split("\n"))
    )
    page.press(Keys.ESCAPE)
    page.find("[role=grid]")


def _scores_open_into_where_the_points_went(page):
    page.press("v")
    points = page.find("[data-testid=points]")
    assert "Coverage of the target" in points.text and "Contrast" in points.text
    names = [b.text.split("\n")[0] for b in page.all("button[aria-pressed]")]
    assert sorted(names) == sorted(MODES + [f"{m} (sample B)" for m in MODES]) and names[0] == "Studio"
    page.find("button[aria-pressed]", "Arena").click()
    page.find("h2", "Where the points went: Arena")


def _a_recipe_with_reasons_and_evidence(page):
    recipe = page.find("[data-testid=recipe]")
    assert "Picture › Mode" in recipe.text and "Studio" in recipe.text
    assert (
        "Picture › Light by room" in recipe.text
        and "80 cd/m² (dark room)" in recipe.text
        and "Locked in Studio" in recipe.text
    )
    next(a for a in recipe.find_elements(By.TAG_NAME, "a") if a.text == "evidence").click()
    page.find("[data-chart]")
    page.go(f"/review/{REVIEW}/verdict")


def _publishing_leaves_a_report_and_a_package_that_verifies(page):
    page.find("[data-testid=publish]").click()
    page.find("[data-testid=editions]", "Edition 1")
    edition = page.api(f"/reviews/{REVIEW}/editions")[0]
    check = verify(page.server.data / "editions" / edition["address"].removeprefix("/published/").strip("/"))
    assert check.agrees and check.compared > 4000
    page.find("[data-testid=editions] a", "Report").click()
    assert "Ostrel Fen 32" in page.find("h1").text
    assert "Studio is the most accurate mode" in page.find(".lede").text
    assert len(page.all(".found svg")) > 3
    asked = page.driver.execute_script("return performance.getEntriesByType('resource').map(e => e.name)")
    assert asked and all(a.startswith(page.server.url) for a in asked)
    for width in (1280, 390):
        sized(page.driver, width)
        fits = page.driver.execute_script("return document.documentElement.scrollWidth <= innerWidth")
        assert fits, f"something sticks out at the side at {width} pixels"
    sized(page.driver, 1280)


@pytest.mark.timeout(STORY_S)
def test_from_the_shelf_to_a_report_that_verifies(page):
    """A display from the Shelf to its first published edition. Each step goes on from the one before."""
    _the_shelf_and_an_unmeasured_board(page)
    _cells_are_selected_and_measured_with_pause_resume_and_a_closed_tab(page)
    _plates_change_with_the_target_and_take_an_overlay(page)
    _scores_open_into_where_the_points_went(page)
    _a_recipe_with_reasons_and_evidence(page)
    _publishing_leaves_a_report_and_a_package_that_verifies(page)


def test_wrong_input_is_told_and_nothing_is_lost(page, tmp_path):
    page.go()
    before = len(page.until(lambda: page.all("[data-testid=shelf-entry]")))
    (tmp_path / "mine.json").write_text('{"format": "lumenar-unit", "version": 1, "colour": "red"}')
    page.find("input[type=file]").send_keys(str(tmp_path / "mine.json"))
    alert = page.find("[role=alert]")
    assert "mine.json" in alert.text
    page.go("/review/77")
    assert "no review 77" in page.find("[role=alert]").text
    page.go()
    assert len(page.until(lambda: page.all("[data-testid=shelf-entry]"))) == before


def test_themes_help_and_a_quiet_console(page):
    page.go()
    page.find("[data-testid=shelf-entry]")
    page.errors()
    page.press("n")
    page.until(lambda: "light" in page.driver.find_element(By.TAG_NAME, "html").get_attribute("class"))
    page.press("n")
    page.press("?")
    page.find("dialog[open]", "measure the selected cells")
    page.press(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"))
    review = page.review("Pell 6")
    setup = page.api(f"/reviews/{review}/board")["rows"][0]["setup"]
    for path in (f"/review/{review}", f"/review/{review}/plates/{setup}/grey_ramp", f"/review/{review}/verdict"):
        page.go(path)
        page.find("main svg")
    assert page.errors() == []
