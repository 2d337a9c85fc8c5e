"""Refresh docs/screenshots from the demonstration, by really measuring in the interface."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from tests.web.driver import Server, browser
from tests.web.test_first_light import Person

FOLDER = Path(__file__).parent.parent.parent / "docs" / "screenshots"


def main() -> None:
    """Measure the demonstration's monitor and take one picture of each main view."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data", "demo")
        try:
            with browser() as driver:
                take(Person(driver, server))
        finally:
            server.stop()


def take(page: Person) -> None:
    """Walk through the views."""

    def shot(name: str, wait: float = 0.6) -> None:
        time.sleep(wait)
        page.driver.save_screenshot(str(FOLDER / f"{name}.png"))

    def still(name: str, path: str, css: str = "[data-chart] svg", wait: float = 1.0) -> None:
        page.go(path)
        page.find(css)
        shot(name, wait)

    still("shelf", "/", "[data-testid=shelf-entry]")
    still("board", "/review/4", "[role=grid]")
    still("plates-grey", "/review/1/plates/1/grey_ramp?overlay=2")
    still("plates-gamut", "/review/1/plates/4/gamut?overlay=2")
    still("plates-saturation", "/review/1/plates/2/saturation")
    still("plates-uniformity", "/review/1/plates/1/uniformity")
    still("plates-volume", "/review/1/plates/1/volume?overlay=2&pin=display_p3")
    still("plates-additivity", "/review/3/plates/10/additivity")
    still("plates-modulation", "/review/2/plates/5/modulation")
    still("compare", "/compare?setup=1&setup=4&setup=17")
    still("look", "/review/1/look/2?factor=2", "[data-scene] img", 2.0)
    still("instruments", "/instruments", "[data-testid=corrections]")
    page.go("/review/2")
    page.find("[role=grid]")
    page.press("f")
    page.find("[data-testid=free]")
    for _ in range(3):
        page.press(Keys.ARROW_LEFT)
        time.sleep(0.8)
        page.press(" ")
        time.sleep(0.4)
    shot("free-running")
    page.press(Keys.ESCAPE)
    page.until(lambda: page.api("/bench")["state"] == "idle")
    page.go("/review/5")
    page.find("[role=grid]")
    page.press("1")
    page.press("m")
    page.until(lambda: page.cell("Daybreak", "grey_ramp").get_attribute("data-state") == "measuring", 60)
    page.until(lambda: page.api("/bench")["done"] >= 36)
    shot("board-measuring", 0.3)
    page.clock("0")
    page.until(lambda: page.states().count("measured") >= 36, 60)
    still("verdict", "/review/1/verdict", "[data-testid=recipe]")
    page.find("[data-testid=editions] a", "Report").click()
    page.find(".lede")
    shot("report")
    page.go("/review/5")
    page.find("[role=grid]")
    page.press("n")
    shot("board-daylight")


if __name__ == "__main__":
    main()
