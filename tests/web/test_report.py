"""Writing a report in the browser: from sentences that write themselves to a published edition, with the keyboard."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from lumenar.publish.verify import verify

from .driver import sized

AT = "/review/1/report"


@pytest.fixture(autouse=True)
def at_the_report(page):
    page.go(AT)
    page.find("[data-testid=told]")


def report(page):
    return page.api("/reviews/1/report")


def saved(page):
    page.until(lambda: page.find("[data-testid=saved]").text == "Saved")


def in_preview(page, selector=".lede"):
    """The text of a part of the page in the preview, empty while it is being made."""
    return page.driver.execute_script(
        "return document.querySelector('[data-testid=preview] iframe')?.contentDocument"
        "?.querySelector(arguments[0])?.textContent ?? ''",
        selector,
    )


def told(page):
    return [e.get_attribute("id").removeprefix("finding-") for e in page.all("[data-testid=told]")]


def test_a_headline_is_typed_seen_saved_taken_back_and_made_again(page):
    automatic = report(page)["headline"]["automatic"]
    headline = page.find("textarea")
    assert headline.get_attribute("placeholder") == automatic
    page.until(lambda: in_preview(page) == automatic)
    headline.send_keys("A phone for the evening")
    page.until(lambda: in_preview(page) == "A phone for the evening")
    saved(page)
    assert report(page)["headline"]["text"] == "A phone for the evening"
    headline.send_keys(Keys.ESCAPE)
    page.press("z")
    page.until(lambda: in_preview(page) == automatic and headline.get_attribute("value") == "")
    page.press("Z")
    page.until(lambda: headline.get_attribute("value") == "A phone for the evening")
    # After a restart of the browser's page it is still there, and undo still works.
    page.go(AT)
    page.until(lambda: page.find("textarea").get_attribute("value") == "A phone for the evening")
    page.press("z")
    page.until(lambda: report(page)["headline"]["text"] is None)


def test_findings_are_moved_reworded_and_left_out_with_the_keyboard(page):
    before = told(page)
    page.press(Keys.ARROW_DOWN)
    page.press(Keys.ARROW_DOWN)
    page.press(Keys.SHIFT + Keys.ARROW_UP + Keys.NULL)
    page.until(lambda: told(page)[:2] == [before[1], before[0]])
    page.press("e")
    page.find("[data-testid=told] textarea").send_keys(" Mine." + Keys.ESCAPE)
    page.until(lambda: in_preview(page, ".found > section h3").endswith("Mine."))
    page.press("c")
    page.until(lambda: in_preview(page, ".found > section:first-child .chart title") == "")
    page.press(Keys.ARROW_DOWN)
    page.press("x")
    page.until(lambda: before[0] not in told(page))
    page.press("x")
    page.until(lambda: before[0] in told(page))
    saved(page)
    stored = report(page)["findings"]
    assert stored[0]["key"] == before[1] and stored[0]["wording"]["text"].endswith("Mine.") and not stored[0]["chart"]


def test_the_preview_is_shown_at_three_widths_and_runs_nothing(page):
    frame = page.find("[data-testid=preview] iframe")
    assert frame.get_attribute("sandbox") == "allow-same-origin"
    widths = []
    for _ in range(3):
        page.until(lambda: in_preview(page) != "")
        frame = page.find("[data-testid=preview] iframe")
        widths.append(frame.value_of_css_property("width"))
        page.press("v")
    assert widths == ["1280px", "390px", "794px"]
    page.until(lambda: in_preview(page) != "")
    links = page.driver.execute_script(
        "return [...document.querySelector('[data-testid=preview] iframe').contentDocument.querySelectorAll('a[href]')]"
        ".map(a => a.getAttribute('href'))"
    )
    assert all(link.startswith("#") for link in links)


def test_a_claim_is_typed_as_the_maker_writes_it_and_tested(page):
    field = page.find("section[aria-label=Claims] input[aria-label^='A claim']")
    field.send_keys("99 % sRGB and 2000 nits" + Keys.ENTER)
    page.until(lambda: len(page.all("[data-testid=claim]")) == 2)
    page.until(lambda: all(e.text for e in page.all("[data-testid=outcome]")))
    said = [e.text for e in page.all("[data-testid=outcome]")]
    assert said[0].startswith("holds") and " ± " in said[0] and said[1].startswith("fails")
    page.until(lambda: "2000 nits" in in_preview(page, ".claims"))
    # One that came with the display is offered until it is taken.
    page.find("section[aria-label=Claims] button", "Add “Covers all of P3”").click()
    page.until(lambda: len(page.all("[data-testid=claim]")) == 3)
    page.until(lambda: not [b for b in page.all("section[aria-label=Claims] button") if "Covers all" in b.text])
    saved(page)
    assert [c["number"] for c in report(page)["claims"]] == [99, 2000, 100]
    page.press(Keys.ESCAPE)


def test_two_tabs_put_together_what_each_changed_and_ask_where_both_did(page):
    # The other tab saves within the pause after which this one would.
    page.find("textarea").send_keys("Mine")
    page.send("PUT", "/reviews/1/report", {"headline": "Theirs", "author": "Them"})
    clash = page.find("[data-testid=clash]")
    assert "Mine" in clash.text and "Theirs" in clash.text
    clash.find_element(By.XPATH, ".//button[.='Use yours']").click()
    saved(page)
    page.until(lambda: report(page)["headline"]["text"] == "Mine")
    assert report(page)["author"] == "Them"


def test_what_clashes_with_another_tab_is_not_published(page):
    editions = len(page.api("/reviews/1/editions"))
    page.find("textarea").send_keys(" once more")
    page.send("PUT", "/reviews/1/report", {"headline": "Theirs again"})
    page.driver.execute_script("document.querySelector('[data-testid=publish]').click()")
    page.find("[data-testid=clash]")
    page.find("section[aria-label=Publication] [role=alert]", "nothing was published")
    assert len(page.api("/reviews/1/editions")) == editions
    page.find("[data-testid=clash] button", "Use theirs").click()
    page.until(lambda: not page.all("[data-testid=clash]"))


def test_what_was_typed_and_not_saved_is_there_after_the_window_was_closed(page):
    # Nothing is saved while the server does not answer.
    page.server.kill()
    author = page.find("section[aria-label=Imprint] input")
    author.send_keys(" and another")
    typed = author.get_attribute("value")
    page.find("[role=alert]")
    page.server.start()
    page.go(AT)
    page.until(lambda: report(page)["author"] == typed.strip())


def test_a_report_is_published_from_here_and_verifies(page):
    editions = len(page.api("/reviews/1/editions"))
    page.find("textarea").send_keys(Keys.CONTROL + "a" + Keys.NULL + "Straight to print")
    page.find("[data-testid=publish]").click()
    page.until(lambda: len(page.api("/reviews/1/editions")) == editions + 1)
    edition = page.api("/reviews/1/editions")[0]
    check = verify(page.server.data / "editions" / edition["address"].removeprefix("/published/").strip("/"))
    assert check.agrees and "headline: Straight to print" in check.edited
    page.go(edition["address"])
    assert page.find(".lede").text == "Straight to print"
    for name in ("mode-1.html", "settings-colour-work.html", "findings.html", "rubric.html", "method.html"):
        for width in (1280, 390):
            page.go(edition["address"] + name)
            sized(page.driver, width)
            fits = page.driver.execute_script("return document.documentElement.scrollWidth <= innerWidth")
            assert fits and page.find("h1").text, (name, width)
    sized(page.driver, 1280)


@pytest.mark.parametrize("review", [1, 4])
def test_a_report_is_read_in_a_few_screens(page, review):
    """The phone, and the television with the most modes, findings and experiments."""
    address = page.send("POST", f"/reviews/{review}/editions", {})["address"]
    for height, width in ((5500, 1280), (11_000, 390)):
        sized(page.driver, width)
        page.go(address)
        page.find(".lede")
        assert page.driver.execute_script("return document.documentElement.scrollHeight") <= height
        assert page.driver.execute_script("return document.documentElement.scrollWidth") <= width
    sized(page.driver, 1280)
