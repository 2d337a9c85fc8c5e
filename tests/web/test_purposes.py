"""Purposes in the browser: the Board and the Shelf scored for one at a time, and one that a person writes."""

import pytest
from selenium.webdriver.common.keys import Keys

from .person import STORY_S
from .test_eyes_and_keys import violations

pytestmark = pytest.mark.web
SERVE = ("serve", "--speed", "0")


def shown(page):
    """The scores that stand in the Purposes view, by setup."""
    lines = [li.text.split("\n") for li in page.all("[data-testid=scores] li")]
    return {line[0]: line[-1] for line in lines}


def _a_key_scores_the_board_and_the_shelf_for_another_purpose(page):
    phone = page.review("Pell 6")
    page.go(f"/review/{phone}")
    scores = {p: page.api(f"/reviews/{phone}/board?purpose={p}") for p in ("colour_work", "evening_film")}
    best = {p: round(next(h["value"] for h in b["headline"] if h["purpose"] == p)) for p, b in scores.items()}
    assert best["colour_work"] != best["evening_film"]
    page.until(lambda: page.find("[data-testid=headline]").text.startswith(str(best["colour_work"])))
    page.press("w")
    page.until(lambda: page.find("[data-testid=headline]").text.startswith(str(best["evening_film"])))
    assert page.find("[role=grid] th", "Evening").text.split() == ["Evening", "film"]
    page.go("/")
    entry = page.find("[data-testid=shelf-entry]", "Pell 6")
    assert "Evening film · Faithful" in entry.text and f"colour work {best['colour_work']}" in entry.text
    page.press("W")
    page.until(lambda: "Colour work · Faithful" in page.find("[data-testid=shelf-entry]", "Pell 6").text)


def _the_board_selects_what_a_purpose_still_needs(page):
    laptop = page.review("Slate 14")
    page.go(f"/review/{laptop}")
    page.find("[role=grid]")
    page.press("w")
    board = page.api(f"/reviews/{laptop}/board?purpose=evening_film")
    needs = next(p["needs"] for p in board["purposes"] if p["key"] == "evening_film")
    open_ = [c for r in board["rows"] for c in r["cells"] if c["measurement"] in needs and c["state"] == "unmeasured"]
    page.until(lambda: page.find("[role=grid] th", "Evening"))
    page.press("3")
    page.until(lambda: f"Selected: {len(open_)} cells" in page.find("[data-testid=plan]").text)
    page.press(Keys.ESCAPE)


def _a_person_writes_a_purpose_and_sees_at_once_how_setups_score(page):
    phone = page.review("Pell 6")
    page.go(f"/purposes?review={phone}")
    page.until(lambda: len(shown(page)) == 4)
    assert not violations(page)
    page.press("a")
    page.find("[data-testid=purpose-form]")
    before = shown(page)
    assert not violations(page)
    weight = page.find("input[aria-label='Weight of Melanopic daylight ratio of white']")
    weight.send_keys("900")
    page.until(lambda: shown(page) != before and len(shown(page)) == 4)
    # Kept without a title it is refused, where the title is missing, and nothing that was typed is lost.
    page.find("button", "Save the purpose").click()
    page.find("[data-testid=purpose-form]", "needs a title")
    assert weight.get_attribute("value") == "900"
    page.find("[data-testid=purpose-form] input").send_keys("Bedside")
    light = page.find("[data-testid=purpose-form] input[placeholder=any]")
    assert light.get_attribute("value") == "100", "that of the purpose it was begun from"
    light.send_keys(Keys.CONTROL, "a")
    light.send_keys("60")
    seen = shown(page)
    page.find("button", "Save the purpose").click()
    page.find("h2", "Bedside")
    assert page.api("/purposes")["purposes"][-1]["luminance"] == 60
    page.until(lambda: shown(page) == seen)
    page.go(f"/review/{phone}/verdict")
    page.find("h1", "")
    page.until(lambda: page.find("select[aria-label=Purpose]").get_attribute("value") == "bedside")
    assert [round(m["score"]["value"]) for m in page.api(f"/reviews/{phone}/verdict")["purposes"][-1]["modes"]] == [
        int(v) for v in seen.values()
    ]


def _one_that_was_deleted_elsewhere_gives_way_to_the_usual_one(page):
    page.send("DELETE", "/purposes/bedside", None)
    page.go(f"/review/{page.review('Pell 6')}")
    page.until(lambda: page.find("select[aria-label='Score the rows for']").get_attribute("value") == "colour_work")
    assert [e for e in page.errors() if "422" not in e] == []


@pytest.mark.timeout(STORY_S)
def test_purposes_from_choosing_one_to_writing_one(page):
    """Purposes chosen by key, selected for, written, and deleted elsewhere. Each step goes on from the one before."""
    _a_key_scores_the_board_and_the_shelf_for_another_purpose(page)
    _the_board_selects_what_a_purpose_still_needs(page)
    _a_person_writes_a_purpose_and_sees_at_once_how_setups_score(page)
    _one_that_was_deleted_elsewhere_gives_way_to_the_usual_one(page)
