"""Whole jobs through the interface: modes and uniformity, colour volume, a laptop, instruments, failures, two tabs."""

import re
from xml.etree import ElementTree

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

pytestmark = pytest.mark.web
PHONE, LAPTOP, PROJECTOR, TELEVISION, MONITOR = 1, 2, 3, 4, 5


def board(page, review):
    page.go(f"/review/{review}")
    page.find("[role=grid]")


def setup(page, review, name):
    return next(r["setup"] for r in page.api(f"/reviews/{review}/board")["rows"] if r["name"] == name)


def rows(page):
    return [e.text.split("\n")[0] for e in page.all("[role=grid] tbody th[scope=row]")]


def keys(page, *pressed):
    """Keys for the page as a whole, wherever the focus was."""
    page.driver.execute_script("document.activeElement.blur()")
    page.press(*pressed)


def test_the_board_shows_every_measurement_filters_and_sorts(page):
    board(page, PHONE)
    # Of its mode for HDR white, curve and gamut are measured.
    assert (
        page.states()[:64] == ["measured"] * 64 and sorted(page.states()[64:]) == ["measured"] * 3 + ["unmeasured"] * 7
    )
    fits = page.driver.execute_script("const b = document.querySelector('main'); return b.scrollWidth <= b.clientWidth")
    assert fits, "sixteen measurements stand side by side at 1280 pixels"
    assert rows(page) == ["Faithful", "Lively", "Hearth", "Cinder", "Clip HDR"]
    page.find("th button", "Grey").click()
    page.until(lambda: rows(page)[0] == "Hearth" and rows(page)[3:] == ["Faithful", "Clip HDR"])
    page.find("th button", "Grey").click()
    page.until(lambda: rows(page)[0] == "Faithful")
    page.find("[role=group] button", "Tone").click()
    page.find("th button", "Gamma")
    assert len(page.all("[data-cell]")) == 4 * 3 + 2
    page.find("[role=group] button", "All").click()
    page.find("[aria-label='Filter the rows']").send_keys("srgb hearth")
    page.until(lambda: rows(page) == ["Hearth"])
    page.press(Keys.ESCAPE)
    page.until(lambda: len(rows(page)) == 5)


def test_case_g_uniformity_in_percent_and_as_seen(page):
    page.go(f"/review/{PHONE}/plates/1/uniformity")
    drawn = page.find("[data-chart=zones_white] svg")
    texts = [t.text for t in drawn.find_elements(By.CSS_SELECTOR, "text")]
    assert sum(t.endswith("%") for t in texts) == 25 and len(texts) == 50
    assert "worst" in page.find("[data-headline=zones_white]").text
    assert page.find("[data-chart=zones_dark] svg") and page.find("[data-chart=zones_near_black] svg")
    page.find("button", "Numbers").click()
    page.until(lambda: len(page.all("[data-chart=zones_white] tbody tr")) == 25)
    assert "corrected by Stand-in spectroradiometer" in page.find("[data-testid=provenance]").text


def test_case_m_a_colour_volume_with_pinned_targets_zoomed_and_exported(page):
    page.go(f"/review/{PHONE}/plates/1/volume")
    assert "% of sRGB" in page.find("[data-headline=rings]").text
    before = len(page.all("[data-chart=rings] svg path"))
    page.choose("[data-testid=overlay]", "P3 D65, sRGB curve")
    page.until(lambda: len(page.all("[data-chart=rings] svg path")) > before)
    page.choose("[data-testid=overlay]", "Lively")
    page.until(lambda: "→" in page.find("[data-testid=figures]").text)
    assert "measurable" in page.find("[data-testid=figures]").text
    first = page.find("[data-headline=rings]").text
    Select(page.find("[data-testid=target]")).select_by_value("oprgb")
    page.until(lambda: "opRGB" in page.find("[data-headline=rings]").text)
    assert page.find("[data-headline=rings]").text != first

    def ticks(chart):
        texts = page.driver.execute_script(
            f"return [...document.querySelectorAll('[data-chart={chart}] svg text')].map(t => t.textContent)"
        )
        return [float(t.replace("−", "-")) for t in texts if t.replace("−", "").replace(".", "").isdigit()]

    whole = ticks("rings")
    zoom = """const s = document.querySelector('[data-chart=rings] svg'), b = s.getBoundingClientRect();
        s.dispatchEvent(new WheelEvent('wheel', {ctrlKey: true, deltaY: -300, bubbles: true, cancelable: true,
          clientX: b.left + b.width / 2, clientY: b.top + b.height / 2}))"""
    page.driver.execute_script(zoom)
    page.find("[data-chart=rings] button", "whole picture")
    page.until(lambda: ticks("rings") != whole)
    assert max(abs(t) for t in ticks("rings")) < max(abs(t) for t in whole) / 2
    page.find("[data-chart=rings] button", "whole picture").click()
    page.until(lambda: ticks("rings") == whole)
    page.driver.execute_script("document.querySelector('[data-chart=rings] svg').focus()")
    page.press("+", "+")
    page.until(lambda: ticks("rings") != whole)
    near = ticks("rings")
    page.press(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    page.until(lambda: ticks("rings") != near)
    assert page.find("[data-chart=rings]"), "the arrows move the picture and leave the view where it is"
    page.press("0")
    page.until(lambda: ticks("rings") == whole)
    page.driver.execute_script("navigator.clipboard.writeText = t => { window.copied = t; return Promise.resolve() }")
    page.choose("[data-chart=rings] figcaption button", "CSV")
    copied = page.until(lambda: page.driver.execute_script("return window.copied"))
    assert copied.startswith('"Hue, °",Target,Measured') or copied.startswith("Hue")
    assert len(copied.split("\r\n")) == 31
    page.driver.execute_script(
        """window.made = []; const real = URL.createObjectURL;
        URL.createObjectURL = b => { made.push(b.type); b.text().then(t => window.saved ??= t); return real(b) }"""
    )
    for kind, mime in (("SVG", "image/svg+xml"), ("PNG", "image/png")):
        page.choose("[data-chart=rings] figcaption button", kind)
        page.until(lambda mime=mime: mime in page.driver.execute_script("return window.made"))
    saved = page.until(lambda: page.driver.execute_script("return window.saved"))
    assert ElementTree.fromstring(saved).tag == "{http://www.w3.org/2000/svg}svg"
    assert "Spline Sans Mono" in saved and not re.search(r"oklch|var\(|class=", saved), (
        "drawn alike outside of the page"
    )


def test_case_q_a_laptop_with_the_meter_running_free(page):
    board(page, LAPTOP)
    ladder = setup(page, LAPTOP, "Plain")
    page.go(f"/review/{LAPTOP}/plates/{ladder}/brightness_ladder")
    page.find("button", "Numbers").click()
    page.find("[data-chart=ladder_contrast] tbody tr")
    assert len(page.all("[data-chart=ladder_contrast] tbody tr")) == 11, "the eleven steps of its keys"
    board(page, LAPTOP)
    keys(page, "f")
    free = page.find("[data-testid=free]", "Plain: the meter runs free")
    reading = page.find("[data-testid=free-reading]")
    page.until(lambda: reading.text[:1].isdigit())
    Select(free.find_element(By.CSS_SELECTOR, "[aria-label='Control to move']")).select_by_value(
        "Host > Fine brightness"
    )
    slider = page.find("[data-testid=free] input[type=range][aria-label='Host > Fine brightness']")
    assert page.api("/free")["control"] == "Host > Fine brightness"
    page.driver.execute_script(
        """const s = arguments[0];
        Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(s, 45);
        s.dispatchEvent(new Event('input', {bubbles: true}))""",
        slider,
    )
    page.until(lambda: "45" in page.find("[data-testid=free]").text)
    page.until(lambda: 110 < float(reading.text) < 130)
    keys(page, " ")
    page.find("[data-testid=captured]", "45")
    page.find("[data-testid=free] button", "as the setting").click()
    page.until(lambda: page.cell("Plain", "white_black").get_attribute("data-state") == "stale")
    keys(page, Keys.ESCAPE)
    page.until(lambda: not page.all("[data-testid=free]"))
    # The profile off, as a setup of its own beside the mode.
    page.until(lambda: page.api("/bench")["state"] == "idle")
    keys(page, "e")
    profile = page.find("[id='control-Host > Colour profile']")
    Select(profile).select_by_visible_text("off")
    page.find("[aria-label='Name of a new setup']").send_keys("Plain, no profile")
    page.find("[data-testid=save-as]").click()
    page.until(lambda: "Plain, no profile" in rows(page))
    page.clock("0")
    page.cell("Plain, no profile", "gamut").click()
    page.find("[data-testid=plan]", "Selected: 1 cell")
    keys(page, "m")
    page.until(lambda: page.cell("Plain, no profile", "gamut").get_attribute("data-state") == "measured")
    page.go(f"/review/{LAPTOP}/plates/{ladder}/modulation")
    assert "220 Hz" in page.find("[data-testid=words]").text
    page.find("[data-chart=waveform] svg path")


def test_settings_make_figures_stale_and_can_be_undone(page):
    board(page, PHONE)
    keys(page, Keys.ARROW_DOWN, "e")
    blue = page.find("[id='control-Screen > Tone > Blue']")
    blue.clear()
    blue.send_keys("88")
    page.find("[data-testid=save-settings]").click()
    page.until(lambda: page.cell("Lively", "grey_ramp").get_attribute("data-state") == "stale")
    assert "Measure again what is stale" in page.find("[data-testid=plan]").text
    assert page.cell("Faithful", "grey_ramp").get_attribute("data-state") == "measured"
    keys(page, "u")
    page.until(lambda: page.cell("Lively", "grey_ramp").get_attribute("data-state") == "measured")


def test_comparing_modes_of_two_displays(page):
    one, two = setup(page, PHONE, "Faithful"), setup(page, TELEVISION, "Reel")
    page.go("/compare")
    page.find("main", "Add two to four modes")
    for value, name in ((one, "Faithful"), (two, "Reel")):
        page.pick("[data-testid=add-setup]", name)
        page.until(lambda v=value: f"setup={v}" in page.driver.current_url)
    table = page.find("[data-testid=comparison]", "Carrow Meridian 65")
    page.until(lambda: "≈ same" in table.text or "+" in table.text)
    page.find("[data-chart=curve_error] svg path")
    page.find("[data-testid=comparison] button", "Gamut").click()
    page.find("[data-chart=gamut_plane] svg path")


def test_findings_are_read_with_the_keyboard_and_lead_to_their_charts(page):
    page.go("/review/1/verdict")
    page.find("[data-testid=points]")
    page.press("f")
    first = page.find("[data-testid=finding]")
    stored = page.api("/reviews/1/findings")["findings"]
    assert stored[0]["sentence"] in first.text and stored[0]["evidence"][0]["name"] in first.text
    groups = [s.get_attribute("aria-label") for s in page.all("main section[aria-label]")]
    kinds = {(f["kind"], f["kind"] != "fault" or f["reported"]) for f in stored}
    titles = {
        "Faults for the report": ("fault", True), "Strengths": ("strength", True), "Modes compared": ("note", True),
        "More faults": ("fault", False),
    }  # fmt: skip
    wanted = [title for title, kind in titles.items() if kind in kinds]
    wanted += ["Behaviour"] if page.api("/reviews/1/findings")["behaviour"] else []
    assert groups == wanted and len(groups) > 2
    assert len(page.all("section[aria-label='Faults for the report'] [data-testid=finding]")) == sum(
        f["reported"] and f["kind"] == "fault" for f in stored
    )
    # The tab is part of the address, so a link to it and the way back lead there.
    assert "tab=findings" in page.driver.current_url
    link = page.find("[data-testid=finding] a")
    link.send_keys(Keys.ENTER)
    page.find("[data-chart]")
    page.driver.back()
    page.find("[data-testid=finding]")
    page.press("f")
    page.find("[data-testid=points]")
    assert "tab=findings" not in page.driver.current_url


def test_how_a_mode_looks(page):
    board(page, PHONE)
    keys(page, Keys.ARROW_DOWN, "l")
    page.find("h1", "Lively")
    loaded = "return [...document.querySelectorAll('[data-scene] img')].filter(i => i.complete && i.naturalWidth > 100).length"
    page.until(lambda: page.driver.execute_script(loaded) == 8)
    assert len(page.all("[data-swatch]")) > 140
    Select(page.find("[data-testid=factor]")).select_by_value("3")
    page.find("figure", "error times 3")
    assert "mapped to sRGB" in page.find("main").text


def test_a_correction_is_made_and_a_meter_that_is_unplugged_loses_nothing(page):
    page.go("/instruments")
    page.find(f"[data-testid=correction-display] option[value='{MONITOR}']")
    Select(page.find("[data-testid=correction-display]")).select_by_value(str(MONITOR))
    before = len(page.api("/instruments")["corrections"])
    page.find("button", "Make a correction").click()
    result = page.find("[data-testid=correction-result]")
    assert "skin tone" in result.text and "before it by" in result.text
    page.find("button", "Save it for emissive panels").click()
    page.until(lambda: len(page.api("/instruments")["corrections"]) == before + 1)
    page.clock("20")
    board(page, MONITOR)
    page.cell("Studio", "volume").click()
    keys(page, "m")
    page.until(lambda: page.api("/bench")["done"] >= 2)
    page.go("/instruments")
    page.until(lambda: page.find("#fault").is_enabled())
    Select(page.find("#fault")).select_by_value("unplugged")
    page.find("[data-testid=bench-message]", "Plug the meter in")
    done = page.api("/bench")["done"]
    assert page.api("/bench")["state"] == "paused"
    Select(page.find("#fault")).select_by_value("")
    page.find("footer button", "Resume").click()
    page.until(lambda: page.api("/bench")["done"] > done)


def test_two_tabs_steer_one_run(page):
    # In real time the run lasts for minutes, however long the tabs take.
    page.clock("1")
    assert page.api("/bench")["state"] == "running"
    first = page.driver.current_window_handle
    board(page, MONITOR)
    page.driver.switch_to.new_window("tab")
    second = page.driver.current_window_handle
    board(page, MONITOR)
    page.find("footer button", "Pause").click()
    page.find("footer button", "Resume")
    page.driver.switch_to.window(first)
    page.find("footer button", "Resume").click()
    page.until(lambda: page.api("/bench")["state"] == "running")
    page.driver.switch_to.window(second)
    page.find("footer button", "Pause")
    page.clock("0")
    page.until(lambda: page.cell("Studio", "volume").get_attribute("data-state") == "measured", 30)
    page.driver.close()
    page.driver.switch_to.window(first)
    page.until(lambda: page.cell("Studio", "volume").get_attribute("data-state") == "measured")
    readings = page.api("/bench")
    assert readings["state"] == "idle"
    bad = ("favicon",)
    assert [e for e in page.errors() if not any(b in e for b in bad)] == []
