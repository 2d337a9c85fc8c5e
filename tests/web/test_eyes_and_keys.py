"""The interface for every eye and hand: axe-core over all views, keys where they are meant, focus, titles, small windows."""

from pathlib import Path

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from .driver import sized

pytestmark = pytest.mark.web
AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
VIEWS = {
    "shelf": ("/", "Shelf"),
    "board": ("/review/1", "Tessary"),
    "grey": ("/review/1/plates/1/grey_ramp?overlay=2", "Grey"),
    "uniformity": ("/review/1/plates/1/uniformity", "Uniformity"),
    "volume": ("/review/1/plates/1/volume?pin=display_p3", "volume"),
    "white": ("/review/1/plates/1/white_black", "White"),
    "verdict": ("/review/1/verdict", "Tessary"),
    "findings": ("/review/1/verdict?tab=findings", "Verdict"),
    "report": ("/review/1/report", "Report"),
    "look": ("/review/1/look/1", "looks"),
    "compare": ("/compare?setup=1&setup=2", "Compare"),
    "instruments": ("/instruments", "Instruments"),
    "menu": ("/review/1/menu", "Tessary"),
    "targets": ("/targets", "Targets"),
    "import": ("/import", "Import"),
    "nowhere": ("/no/such/page", "No such page"),
}
"""Address, and words of the window's title once the view has its data."""


def violations(page, only=None, contrast_only=False):
    """What axe finds, each with the first element. contrast_only: of contrast alone, where the rest was looked at before."""
    # As part of the page's own policy no foreign script may run; the driver's may.
    page.driver.execute_script(AXE.read_text())
    found = page.driver.execute_async_script(
        """const done = arguments[arguments.length - 1];
        axe.run(arguments[1] ?? document, {runOnly: arguments[0], resultTypes: ["violations"]})
          .then(r => r.violations.map(v => [v, v.nodes[0]]))
          .then(found => done(found.map(([v, n]) => [v.id, v.nodes.length, n.html.slice(0, 160), n.failureSummary])))
          .catch(e => done([["failed", 1, String(e), ""]]));""",
        {"type": "rule", "values": ["color-contrast"]} if contrast_only else {"type": "tag", "values": RULES},
        only,
    )
    return [" | ".join(map(str, v)) for v in found]


def theme(page, day):
    """What the next page is shown in."""
    if not page.driver.current_url.startswith(page.server.url):
        page.go()
    page.driver.execute_script("localStorage.setItem('lumenar-theme', arguments[0])", "day" if day else "dim")


FOCUSED = """
const done = arguments[arguments.length - 1], bad = [], seen = new Set();
const what = document.querySelectorAll('a[href], button, input, select, textarea, [tabindex="0"]');
for (const e of what) {
  if (e.disabled || !e.getClientRects().length || e.closest('[hidden], [inert]')) continue;
  e.focus({focusVisible: true});
  if (document.activeElement !== e || !e.matches(':focus-visible')) continue;
  // A box that is drawn beside its hidden input shows the focus in its place.
  const shown = [e, e.nextElementSibling, e.parentElement, e.parentElement?.querySelector('[data-part=control]')];
  const ring = shown.some((x) => {
    if (!x) return false;
    const s = getComputedStyle(x);
    return s.outlineStyle !== 'none' && parseFloat(s.outlineWidth) >= 1 && !s.outlineColor.includes(', 0)');
  });
  const name = `${e.tagName} ${e.getAttribute('aria-label') || e.textContent.slice(0, 30) || e.type}`;
  if (!ring && !seen.has(name)) bad.push(name);
  seen.add(name);
}
done([seen.size, bad]);
"""
CUT_OFF = """
const what = 'header *, footer *, main h1, main button, main select, main input, dialog button, dialog input';
return [...document.querySelectorAll(what)]
  .filter(e => { const r = e.getBoundingClientRect();
    return r.width && r.height && r.right > innerWidth + 1 && !e.closest('[role=region], table, .chart') })
  .map(e => e.outerHTML.slice(0, 100))
"""


def hidden_in_small_windows(page):
    """By width of the window what is cut off in it."""
    found = {}
    try:
        for width in (640, 390):
            sized(page.driver, width)
            page.until(lambda width=width: page.driver.execute_script("return innerWidth") == width)
            # The view follows the window in its next frame.
            page.driver.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))")
            off = page.driver.execute_script(CUT_OFF)
            wide = page.driver.execute_script("return document.documentElement.scrollWidth > innerWidth + 1")
            if off or wide:
                found[width] = off or "the page is wider"
    finally:
        sized(page.driver, 1280)
    return found


@pytest.mark.parametrize("day", [False, True], ids=["dim", "day"])
@pytest.mark.parametrize("view", VIEWS)
def test_a_view_is_for_every_eye_and_hand(page, view, day):
    """axe finds nothing, the focus is seen on every control, and a small window hides nothing."""
    theme(page, day)
    path, title = VIEWS[view]
    page.go(path)
    page.find("main h1")
    page.until(lambda: "Loading" not in page.find("main").text)
    assert violations(page, contrast_only=day) == []
    page.until(lambda: title in page.driver.title)
    assert len(page.all("h1")) == 1
    count, unseen = page.driver.execute_async_script(FOCUSED)
    assert count > 3 and unseen == []
    if not day:
        assert hidden_in_small_windows(page) == {}


@pytest.mark.parametrize("day", [False, True], ids=["dim", "day"])
@pytest.mark.parametrize("key", ["?", "e", "o"])
def test_axe_finds_nothing_in_dialogs(page, key, day):
    theme(page, day)
    page.go("/review/5")
    page.find("[role=grid]")
    page.press(key)
    opened = "dialog[open]" if key != "o" else "[data-testid=options]"
    page.find(opened)
    page.until(lambda: "Loading" not in page.find("body").text)
    # The view around it was looked at above.
    assert violations(page, opened, contrast_only=day) == []
    page.press(Keys.ESCAPE)


def settings_tab(page, name):
    page.go("/review/1")
    page.find("[role=grid]")
    page.press("e")
    page.find("dialog[open] [role=tab]", name).click()


def by_hand(page):
    """A run by hand of a display of one's own, made through the API once."""
    mine = next((r for r in page.api("/reviews") if r["name"] == "Hallgarth Fen 24"), None)
    if mine is None:
        body = {"maker": "Hallgarth", "model": "Fen 24", "kind": "monitor", "panel": "lcd", "modes": "Standard\nFilm"}
        review = page.send("POST", "/displays", body)["id"]
        setup = page.api(f"/reviews/{review}/board")["rows"][0]["setup"]
        page.send("POST", "/runs", {"review": review, "cells": [{"setup": setup, "measurement": "white_black"}]})
    review = next(r["id"] for r in page.api("/reviews") if r["name"] == "Hallgarth Fen 24")
    run = page.api(f"/reviews/{review}/board")["by_hand"][0]
    page.go(f"/review/{review}/hand/{run}")


def opened(path, key, found):
    """A view, a key on it, and what that brings."""

    def act(page):
        page.go(path)
        page.find("main h1")
        page.until(lambda: "Loading" not in page.find("main").text)
        page.press(key)
        page.find(found)

    return act


PLACES = {
    "hand": by_hand,
    "own target": opened("/targets", "a", "[data-testid=target-form]"),
    "own meter": opened("/instruments", "a", "[data-testid=meter-form]"),
    "control": opened("/review/1/menu", Keys.ENTER, "dialog[open]"),
    "readings": opened("/review/1/plates/1/gamut", "r", "[data-testid=read-patch]"),
    "setup about": lambda page: settings_tab(page, "room and signal"),
    "setup recall": lambda page: settings_tab(page, "Recall"),
    "setup changes": lambda page: settings_tab(page, "Changes"),
}
"""What is reached by more than an address."""


@pytest.mark.parametrize("day", [False, True], ids=["dim", "day"])
@pytest.mark.parametrize("place", PLACES)
def test_axe_finds_nothing_in_forms_and_lists(page, place, day):
    theme(page, day)
    PLACES[place](page)
    page.until(lambda: "Loading" not in page.find("body").text)
    assert violations(page, "dialog[open]" if page.all("dialog[open]") else None, contrast_only=day) == []
    if not day:
        assert hidden_in_small_windows(page) == {}


def test_axe_finds_nothing_in_the_report(page):
    page.go("/")
    page.find("a", "Report").click()
    page.find("h2")
    report = page.driver.current_url
    signals = {"PQ": None, "sRGB": None}
    for row in page.all(".all tbody tr"):
        for kind in signals:
            if kind in row.text:
                signals[kind] = row.find_element(By.TAG_NAME, "a").get_attribute("href")
    # One mode of each kind of signal: the others are made of the same parts.
    others = ("settings-colour-work.html", "findings.html", "rubric.html", "method.html")
    for url in (report, *signals.values(), *(report + name for name in others)):
        page.driver.get(url)
        page.find("h1")
        assert violations(page) == [], url


def test_keys_act_only_where_they_are_meant(page):
    page.go("/review/1")
    page.find("[role=grid]")
    before = page.driver.current_url
    # A button and a link have their Enter to themselves.
    page.driver.execute_script("document.querySelector('button[title^=\"Select all of\"]').focus()")
    page.press(Keys.ENTER)
    assert page.driver.current_url == before
    page.until(lambda: "Selected: 16" in page.find("[data-testid=plan]").text)
    page.press(Keys.ESCAPE)
    # After the clock was chosen the next key is the Board's.
    page.go("/review/5")
    page.find("[role=grid]")
    Select(page.find("#clock")).select_by_value("0")
    page.until(lambda: page.api("/bench")["speed"] == 0)
    page.press("2")
    page.until(lambda: "Selected:" in page.find("[data-testid=plan]").text)
    assert page.api("/bench")["speed"] == 0
    page.press(Keys.ESCAPE)


def test_who_comes_back_from_the_plates_finds_the_cell_again(page):
    page.go("/review/1")
    page.cell("Lively", "gamut").click()
    page.find("[data-chart=gamut_plane]")
    page.press(Keys.ESCAPE)
    page.find("[role=grid]")
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("data-cell") == "Lively gamut")


def test_the_first_link_leads_past_the_bar(page):
    page.go("/review/1")
    page.find("[role=grid]")
    page.driver.execute_script("arguments[0].focus()", page.all("a[href$='#main']")[0])
    page.press(Keys.ENTER)
    assert page.driver.switch_to.active_element.tag_name == "main"


def test_a_cell_says_its_figures(page):
    page.go("/review/1")
    label = page.cell("Faithful", "white_black").get_attribute("aria-label")
    assert "White and black of Faithful: measured" in label and "cd/m²" in label and "points" in label
    assert page.cell("Faithful", "white_black").get_attribute("role") == "gridcell"


def test_a_dark_page_shows_its_way_back_and_letters_can_be_switched_off(page):
    page.go("/review/1")
    page.find("[role=grid]")
    page.press("d")
    assert "d brings it back" in page.find("body").text
    page.press("d")
    page.press("?")
    page.tick("work as shortcuts", "dialog[open]")
    page.press(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"))
    page.press("d")
    assert "d brings it back" not in page.find("body").text
    page.press("a")
    assert "Selected" not in page.find("[data-testid=plan]").text
    page.driver.execute_script("localStorage.removeItem('lumenar-letters')")


def test_escape_asks_before_edits_are_lost(page):
    page.go("/review/5")
    page.find("[role=grid]")
    page.press("e")
    field = page.find("dialog[open] input[role=spinbutton]:not([disabled])")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("44")
    page.press(Keys.ESCAPE)
    page.until(lambda: page.driver.switch_to.alert.text.startswith("Your changes to the settings"))
    page.driver.switch_to.alert.dismiss()
    assert page.all("dialog[open]")
    page.press(Keys.ESCAPE)
    page.until(lambda: page.driver.switch_to.alert.accept() is None)
    page.until(lambda: not page.all("dialog[open]"))


def test_who_deletes_goes_on_with_the_next(page):
    page.go()
    entries = page.until(lambda: (found := page.all("[data-testid=shelf-entry]"))[4:] and found)
    names = [e.find_element(By.CSS_SELECTOR, "a").text for e in entries]
    page.driver.execute_script("arguments[0].focus()", entries[1].find_element(By.XPATH, ".//button[text()='Delete']"))
    page.press(Keys.ENTER)
    page.until(lambda: "and its readings" in page.driver.switch_to.active_element.text)
    page.press(Keys.ENTER)
    page.until(lambda: len(page.all("[data-testid=shelf-entry]")) == len(names) - 1)
    page.until(lambda: page.driver.switch_to.active_element.text == names[2])


def test_at_twice_its_size_the_board_keeps_most_of_the_height(page):
    sized(page.driver, 640, 400, 2)
    try:
        page.go("/review/1")
        page.find("[role=grid]")
        top, bottom, lines = page.driver.execute_script(
            """const bars = [document.querySelector('header'), document.querySelector('main .bar')];
            return [bars[1].getBoundingClientRect().bottom, document.querySelector('.bench').getBoundingClientRect().top,
                    bars.map((b) => b.scrollHeight > b.clientHeight + 1)]"""
        )
        assert bottom - top >= 0.6 * 400 and lines == [False, False]
    finally:
        sized(page.driver, 1280)


def test_what_is_ticked_shows_where_a_persons_own_colours_rule(page):
    def forced(value):
        features = [{"name": "forced-colors", "value": value}]
        page.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": features})

    def ground(css):
        return page.driver.execute_script(
            "return getComputedStyle(document.querySelector(arguments[0])).backgroundColor", css
        )

    forced("active")
    try:
        page.go("/review/1/menu")
        page.find("[data-testid=menu-control]")
        off = ground("[class^=chakra-switch__control]")
        page.tick("only what setups differ in")
        page.until(lambda: ground("[class^=chakra-switch__control]") != off)
        assert ground("[class^=chakra-switch__thumb]") != ground("[class^=chakra-switch__control]")
        page.go("/review/1")
        page.find("[role=grid]")
        page.press("e")
        page.tick("read", "dialog[open]")
        page.until(lambda: page.all("dialog [class^=chakra-checkbox__control][data-state=checked]"))
        marked, plain = (
            ground(f"dialog [class^=chakra-checkbox__control][data-state={s}]") for s in ("checked", "unchecked")
        )
        assert marked != plain
    finally:
        forced("none")
        page.driver.execute_script("window.confirm = () => true")
        page.press(Keys.ESCAPE)


def test_small_targets_are_large_enough(page):
    page.go("/review/1")
    page.find("[role=grid]")
    small = page.driver.execute_script(
        """return [...document.querySelectorAll('button, select, input')].filter(e => {
          const r = e.getBoundingClientRect();
          return r.width && (r.height < 23.5 || r.width < 23.5) && e.type !== 'checkbox' })
          .map(e => [e.outerHTML.slice(0, 120), e.getBoundingClientRect().height])"""
    )
    assert small == []
