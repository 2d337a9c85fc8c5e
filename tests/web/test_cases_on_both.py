"""Cases A (menu), D (recall), H (own targets) and K (taken over), each on the kind of display it is not carried through on in
test_menu_and_setups.py: A, D and K on stand-ins, H by hand."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from .test_menu_and_setups import closed, put, row, tab, to, write

pytestmark = pytest.mark.web


@pytest.fixture(scope="module")
def television(page):
    return next(r["id"] for r in page.api("/reviews") if r["name"] == "Carrow Meridian 65")


@pytest.fixture(scope="module")
def monitor(page):
    return next(r["id"] for r in page.api("/reviews") if r["name"] == "Ostrel Fen 32")


def figure(page, review, row, measurement, name):
    cells = page.api(f"/reviews/{review}/board")["rows"][row]["cells"]
    figures = next(c for c in cells if c["measurement"] == measurement)["figures"]
    return next(f["raw"] for f in figures if f["figure"] == name)


def measured(page, mode, measurement):
    """Measure a cell from the Board and wait for it."""
    page.clock("0")
    page.driver.execute_script("arguments[0].focus()", page.cell(mode, measurement))
    page.press("x", "m")
    page.until(lambda: page.cell(mode, measurement).get_attribute("data-state") == "measured", 60)
    page.until(lambda: page.api("/bench")["state"] == "idle")


def test_case_a_a_stand_ins_menu_is_corrected_and_a_feature_switched_off_unlocks(page, television):
    page.go(f"/review/{television}/menu")
    row(page, "Image > Thrift")
    page.aside()
    assert "on locks Backlight" in row(page, "Image > Thrift").text
    # What the map did not say yet: it locks the contrast too. The stand-in itself is not touched by that.
    to(page, "Image > Thrift")
    page.press("l")
    Select(page.find("[data-testid=drawing] select")).select_by_visible_text("on")
    page.aside()
    to(page, "Image > Contrast")
    page.press("x")
    page.press(Keys.ENTER)
    page.until(lambda: "on locks Backlight, Contrast" in row(page, "Image > Thrift").text)
    to(page, "Image > Thrift")
    page.press(Keys.ENTER)
    form = page.find("[data-testid=control-form]")
    fields = {
        f.text.split("\n")[0]: f for f in form.find_elements(By.CSS_SELECTOR, "[data-scope=field][data-part=root]")
    }
    fields["Promise"].find_element(By.CSS_SELECTOR, "textarea").send_keys("saves power at no cost")
    form.find_element(By.CSS_SELECTOR, "button[type=submit]").click()
    closed(page)
    page.until(lambda: "saves power at no cost" in row(page, "Image > Thrift").text)
    page.go(f"/review/{television}")
    page.find("[role=grid]")
    page.press("e")
    thrift = Select(page.find("[id='control-Image > Thrift']"))
    thrift.select_by_visible_text("on")
    assert page.find("[data-testid=consequences]").text == "Thrift at on locks Backlight, Contrast."
    page.find("[data-testid=save-settings]").click()
    closed(page)
    page.aside()
    page.press("e")
    assert not page.find("[id='control-Image > Backlight']").is_enabled()
    Select(page.find("[id='control-Image > Thrift']")).select_by_visible_text("off")
    assert page.find("[data-testid=consequences]").text == "Thrift at off frees Backlight, Contrast."
    page.find("[data-testid=save-settings]").click()
    closed(page)


def test_case_d_on_a_stand_in_a_reset_is_predicted_and_recalled_and_measured_to_be_back(page, monitor):
    page.go(f"/review/{monitor}")
    page.find("[role=grid]")
    page.press("e")
    write(page.find("[id='control-Picture > Light']"), "62")
    write(page.find("[id='control-Picture > White > Red gain']"), "93")
    page.find("[data-testid=save-settings]").click()
    closed(page)
    page.until(lambda: "2 settings changed" in page.find("[role=grid]").text)
    measured(page, "Studio", "white_black")
    before = {k: figure(page, monitor, 0, "white_black", k) for k in ("white_cd_m2", "cct_k")}
    # Told before it is touched; and then it happens.
    page.aside()
    page.press("e")
    Select(page.find("[id='control-System > Power']")).select_by_visible_text("Thrifty")
    told = page.find("[data-testid=consequences]").text
    assert "resets Light 62 → 80, Red gain 93 → 100" in told and "locks Light" in told
    page.find("[data-testid=save-settings]").click()
    # Settings that cannot all be had are refused with the reason, and nothing typed is lost.
    problem = page.find("dialog [role=alert]").text
    assert (
        "Light" in problem
        and Select(page.find("[id='control-System > Power']")).first_selected_option.text == "Thrifty"
    )
    write(page.find("[id='control-Picture > Light']"), "80")
    page.find("[data-testid=save-settings]").click()
    closed(page)
    page.until(lambda: page.cell("Studio", "white_black").get_attribute("data-state") == "stale")
    measured(page, "Studio", "white_black")
    page.aside()
    page.press("e")
    tab(page, "Changes")
    page.find("[data-testid=past-change]", "Power: Full → Thrifty")
    page.find("[data-testid=past-change] button").click()
    page.until(lambda: len(page.all("[data-testid=past-change]")) == 1)
    tab(page, "Recall list")
    page.until(lambda: len(page.all("[data-testid=recall-step]")) == 3)
    steps = [s.text.replace("\n", " ") for s in page.all("[data-testid=recall-step]")]
    assert "Mode Studio" in steps[0] and {"Light 62" in s or "Red gain 93" in s for s in steps[1:]} == {True}
    page.press(Keys.ESCAPE)
    closed(page)
    measured(page, "Studio", "white_black")
    after = {k: figure(page, monitor, 0, "white_black", k) for k in before}
    assert after["white_cd_m2"] == pytest.approx(before["white_cd_m2"], rel=0.01)
    assert after["cct_k"] == pytest.approx(before["cct_k"], rel=0.01)


def test_case_h_by_hand_a_target_of_ones_own_is_declared_measured_and_judged_by(page):
    review = page.send("POST", "/displays", {
        "maker": "Tern Street", "model": "Desk 27", "kind": "monitor", "panel": "lcd", "modes": "Work\nText",
        "controls": "Screen\n  Light 0..100 = 50 (luminance) (all modes)\n  Gain Red 0..100 = 100",
    })["id"]  # fmt: skip
    page.go("/targets")
    page.find("[data-testid=target-row]")
    page.press("a")
    form = page.find("[data-testid=target-form]")
    for field, text in zip(
        form.find_elements(By.CSS_SELECTOR, "input"),
        ("Desk white", "0.64 0.33", "0.3 0.6", "0.15 0.06", "0.3457 0.3585"),
        strict=False,
    ):
        put(page, field, text)
    put(page, form.find_elements(By.CSS_SELECTOR, "input")[-1], "160")
    form.find_element(By.CSS_SELECTOR, "button[type=submit]").click()
    page.find("[data-testid=target-row]", "Desk white")
    page.go(f"/review/{review}")
    page.find("[role=grid]")
    page.press("e")
    assert "shared by all modes" in page.find("dialog").text
    tab(page, "Target, room and signal")
    Select(page.find("dialog [data-part=content] select")).select_by_visible_text("Desk white")
    page.find("[data-testid=save-settings]").click()
    closed(page)
    page.until(lambda: "Desk white" in page.find("[role=grid]").text)
    page.cell("Work", "white_black").click()
    page.press("m")
    page.until(lambda: "/hand/" in page.driver.current_url)
    run = int(page.driver.current_url.rsplit("/", 1)[1])
    sheet = page.api(f"/runs/{run}/sheet")
    # 152 cd/m2 where 160 are wanted, at the white that the target asks for: x 0.3457, y 0.3585.
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("data-testid") == "hand-input")
    # Faster than anything can be kept: what is typed ahead is of the next patch.
    typed = ["146.58 152 125.41" if p["rgb"][0] else "0.14 0.15 0.16" for p in sheet["patches"]]
    page.press("".join(text + Keys.ENTER for text in typed))
    page.find("[role=grid]")
    page.until(lambda: page.cell("Work", "white_black").get_attribute("data-state") == "measured")
    page.cell("Work", "white_black").click()
    page.find("[data-chart] svg")
    read = page.api(f"/runs/{run}/sheet")["patches"]
    assert [p["XYZ"] for p in read] == [[float(v) for v in text.split()] for text in typed]
    assert "−5.0 % from the target's" in page.find("main").text
    Select(page.find("[data-testid=target]")).select_by_visible_text("sRGB")
    page.until(lambda: "from the target's" not in page.find("main").text)


def test_case_k_a_stand_ins_menu_serves_a_display_without_one(page, television):
    sibling = page.send("POST", "/displays", {
        "maker": "Carrow", "model": "Meridian 55", "kind": "television", "panel": "lcd", "modes": "Reel",
    })["id"]  # fmt: skip
    page.go(f"/review/{sibling}/menu")
    page.find("h1", "Menu map")
    tab(page, "Take over, files")
    menus = Select(page.find("[aria-label='Menu of']"))
    name = next(o.text for o in menus.options if "Meridian 65" in o.text)
    menus.select_by_visible_text(name)
    page.find("button", "Take it over").click()
    page.until(lambda: "Thrift" in page.find("main").text)
    modes = [m["name"] for m in page.api(f"/reviews/{sibling}/menu")["modes"]]
    assert modes == [
        "Shopfront", "Parlour", "Reel", "Reel, lamp on", "Match day", "Dozing",
        "Reel HDR", "Match day HDR", "Player HDR", "Reel HLG",
    ]  # fmt: skip
    assert not page.api(f"/reviews/{sibling}/board")["can"]["reads"], "it is measured by hand all the same"
