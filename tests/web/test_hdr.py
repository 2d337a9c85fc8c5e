"""HDR in the browser: a section of the Board with columns of its own, its plates, and the metadata that are sent."""

import pytest
from selenium.webdriver.common.keys import Keys

from .person import STORY_S
from .test_eyes_and_keys import violations

pytestmark = pytest.mark.web
SERVE = ("demo", "--speed", "0")


def heads(page):
    """The heads of the Board's columns, section by section."""
    found, section = [], []
    for row in page.all("[role=grid] tr"):
        names = [e.text.split("\n")[0] for e in row.find_elements("css selector", "th[scope=col] button")]
        if names:
            section = names
            found.append(section)
    return found


def rows(page):
    """The names of the Board's rows, from the top."""
    title = "Select all of "
    return [e.get_attribute("title").removeprefix(title) for e in page.all(f"[role=grid] button[title^='{title}']")]


def _each_signal_has_a_section_with_its_own_columns(page):
    review = page.review("Meridian 65")
    page.go(f"/review/{review}")
    page.find("[role=grid]")
    sdr, pq, hlg = page.until(lambda: len(h := heads(page)) == 3 and h)
    assert "Grey" in sdr and "PQ error" not in sdr
    assert {"PQ error", "Clip", "Peak 10 %"} <= set(pq) and "Grey" not in pq
    assert "HLG error" in hlg and "PQ error" not in hlg
    assert violations(page) == []
    # The cursor walks from one section into the next and stays on a cell that is there.
    page.cell("Dozing", "blue_light").click()
    page.press(Keys.ARROW_DOWN)
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("data-cell") == "Reel HDR uniformity")
    page.press(Keys.ESCAPE)
    # Sorted by a figure of HDR, the sections stay apart.
    page.find("[role=grid] button", "PQ error").click()
    page.until(lambda: rows(page)[6:] == ["Match day HDR", "Player HDR", "Reel HDR", "Reel HLG"])


def _a_purpose_for_hdr_scores_hdr_alone(page):
    review = page.review("Meridian 65")
    page.press("w")
    for _ in range(6):
        page.press("w")
    page.find("[role=grid] th", "HDR film")
    film = {r["name"]: r["score"] for r in page.api(f"/reviews/{review}/board?purpose=hdr_film")["rows"]}
    assert film["Reel HDR"] > film["Player HDR"] > film["Match day HDR"] and film["Reel"] is None
    for _ in range(3):
        page.press("w")
    page.find("[role=grid] th", "Colour work")


def _the_shelf_and_the_gaps_call_hdr_by_its_name(page):
    page.go("/")
    assert "HDR film" in page.find("[data-testid=shelf-entry]", "Meridian 65").text
    gaps = " ".join(page.api(f"/reviews/{page.review('Meridian 65')}/verdict")["gaps"])
    assert "near black" in gaps and "Near black" not in gaps
    page.go(f"/review/{page.review('Meridian 65')}")


def _plates_of_pq_say_where_it_ends(page):
    page.cell("Reel HDR", "pq_tracking").click()
    page.find("[data-chart=code_error] svg path")
    words = page.find("[data-testid=words]").text
    assert "Peak" in words and "and clips at 8" in words
    assert "clip" in page.find("[data-chart=light] svg").text
    assert violations(page) == []
    page.press("l")
    page.find("main", "Your own screen can't show its light")


@pytest.mark.timeout(STORY_S)
def test_hdr_from_the_board_to_its_plates(page):
    """HDR on the Board, for a purpose, on the Shelf and in its plates. Each step goes on from the one before."""
    _each_signal_has_a_section_with_its_own_columns(page)
    _a_purpose_for_hdr_scores_hdr_alone(page)
    _the_shelf_and_the_gaps_call_hdr_by_its_name(page)
    _plates_of_pq_say_where_it_ends(page)


def test_metadata_are_said_and_nonsense_is_refused(page):
    review = page.review("Meridian 65")
    page.go(f"/review/{review}")
    page.cell("Reel HDR", "white_black")
    page.find("button[title='Settings of Reel HDR (e)']").click()
    page.find("dialog")
    page.find("dialog button[role=tab]", "Target, room and signal").click()
    fields = page.until(lambda: page.all("dialog input[placeholder='none sent']"))
    field = dict(zip(("Mastering peak", "Mastering black", "MaxCLL", "MaxFALL"), fields, strict=True))
    for name, value in (("Mastering peak", "1000"), ("MaxCLL", "400"), ("MaxFALL", "500")):
        field[name].send_keys(value)
    page.find("[data-testid=save-settings]").click()
    page.find("dialog", "MaxFALL 500 is above MaxCLL 400")
    assert field["MaxCLL"].get_attribute("value") == "400"
    field["MaxFALL"].send_keys(Keys.CONTROL, "a")
    field["MaxFALL"].send_keys("200")
    page.find("[data-testid=save-settings]").click()
    page.until(lambda: "MaxCLL 400" in page.find("[role=grid]").text)
    rows = {r["name"]: r for r in page.api(f"/reviews/{review}/board")["rows"]}
    assert rows["Reel HDR"]["format"] == "peak 1,000, MaxCLL 400, MaxFALL 200 cd/m²"


def test_a_purpose_written_from_one_for_hdr_is_for_hdr(page):
    review = page.review("Meridian 65")
    page.go(f"/purposes?review={review}")
    page.find("[aria-label=Purposes] button", "HDR play").click()
    page.find("h2", "HDR play")
    page.press("a")
    form = page.find("[data-testid=purpose-form]")
    page.until(lambda: "Reel HDR" in page.find("[data-testid=scores]").text)
    form.find_element("css selector", "input").send_keys("Racing")
    page.find("button", "Save the purpose").click()
    page.find("h2", "Racing")
    assert page.api("/purposes")["purposes"][-1]["signal"] == "pq"
    page.until(lambda: "Player HDR" in page.find("[data-testid=scores]").text)
    assert "Parlour" not in page.find("[data-testid=scores]").text
