"""Refresh docs/screenshots from the demonstration, by really measuring in the interface."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from lumenar.core.targets import TARGETS, Anchor
from tests.web.driver import Server, browser
from tests.web.person import Person

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
    rows = {r["name"]: r["setup"] for r in page.api("/reviews/4/board")["rows"]}
    still("plates-pq", f"/review/4/plates/{rows['Reel HDR']}/pq_tracking?overlay={rows['Match day HDR']}")
    still("conditions", "/review/4/conditions", "[data-testid=state]")
    still("camera", "/review/2/camera", "[data-testid=camera-check] img")
    metadata = next(e["id"] for e in page.api("/reviews/4/experiments") if e["kind"] == "metadata")
    still("findout", f"/review/4/findout?experiment={metadata}", "[data-testid=answer]")
    still("compare", f"/compare?setup=1&setup=4&setup={rows['Reel, lamp on']}")
    still("look", "/review/1/look/2?factor=2", "[data-scene] img", 2.0)
    still("instruments", "/instruments", "[data-testid=corrections]")
    page.go("/review/5")
    page.find("[role=grid]")
    page.press("1")
    page.press("m")
    page.until(lambda: page.cell("Daybreak", "grey_ramp").get_attribute("data-state") == "measuring", 60)
    page.until(lambda: page.api("/bench")["done"] >= 36)
    shot("board-measuring", 0.3)
    page.clock("0")
    page.until(lambda: page.states().count("measured") >= 36, 60)
    still("verdict", "/review/1/verdict", "[data-testid=recommended]")
    still("report-view", "/review/1/report", "[data-testid=told]", 3.0)
    page.go(page.api("/reviews/1/editions")[0]["address"])
    page.find(".lede")
    shot("report")
    tuned(page, shot)
    by_hand(page, shot)


def tuned(page: Person, shot: Callable[..., None]) -> None:
    """The monitor's best mode as it was tuned, proven, and replayed on both samples; what its menu does; and what it is for."""
    tuning = page.api("/reviews/5/tunings")[-1]["id"]
    page.go(f"/review/5/tuning?tuning={tuning}")
    page.find("[data-testid=worth-sentence]")
    shot("tuning", 1.0)
    page.press("n")
    page.find("[data-testid=to-recipe]").click()
    page.find("[data-testid=replay]", "sample B")
    shot("recipe", 1.0)
    page.press("n")
    studio = next(r["setup"] for r in page.api("/reviews/5/board")["rows"] if r["name"] == "Studio")
    for kind, control in (("locks", "System > Power"), ("scope", "Eyes > Blue step"), ("does", "Eyes > Blue step")):
        question = {"kind": kind, "setup": studio, "control": control}
        number = page.send("POST", "/reviews/5/experiments", question)["id"]
        page.until(lambda number=number: page.api(f"/experiments/{number}")["state"] == "done", 60)
    page.go("/purposes?review=1")
    page.find("[data-testid=scores] li")
    shot("purposes", 1.0)


MODES = "Film\nStandard\nGame, srgb\nSport"
CONTROLS = """Picture
  Light 0..50 = 30 (luminance)
  Contrast 0..100 = 90
  Tone 2.0 [2.2] 2.4
  Shadow detail low medium* high
  White table 5 10 30 50 100 x Red Green Blue -50..50 = 0 (white)
  Warmth 13 notches
System
  Saving low off*
  Light sensor on off*
Host
  Night tint on off* (all modes)
Saving = low locks Light, Contrast
Light sensor = on locks Light
Saving resets Tone, Shadow detail"""


def by_hand(page: Person, shot: Callable[..., None]) -> None:
    """A television without a stand-in: named, its menu, a run by hand, and readings from a file."""
    page.go("/")
    page.find("button", "A display of your own").click()
    page.until(lambda: field(page, "Maker"))
    for name, text in (
        ("Maker", "Tern Street"),
        ("Model", "Wall 55"),
        ("Picture modes", MODES),
        ("Controls", CONTROLS),
    ):
        field(page, name).send_keys(text)
    page.find("button", "Check the menu").click()
    page.find("[data-testid=menu-read]")
    page.find("button", "Start the review").click()
    page.find("[role=grid]")
    review = int(page.driver.current_url.rsplit("/", 1)[1])
    film = page.api(f"/reviews/{review}/board")["rows"][0]["setup"]
    page.send(
        "PATCH", f"/reviews/{review}/setups/{film}", {"settings": {"Picture > Tone": "2.4", "Picture > Light": 22}}
    )
    page.send(
        "POST", f"/reviews/{review}/setups", {"like": film, "name": "Film, night", "settings": {"Picture > Light": 8}}
    )
    page.go(f"/review/{review}/menu")
    page.find("[data-testid=menu-control]")
    shot("menu-map")
    wanted = [{"setup": film, "measurement": m} for m in ("white_black", "grey_ramp", "gamut")]
    run = page.send("POST", "/runs", {"review": review, "cells": wanted, "options": {"grey_step": 10}})["id"]
    patches = page.api(f"/runs/{run}/sheet")["patches"]
    XYZ = TARGETS["bt709_bt1886"].XYZ(np.array([p["rgb"] for p in patches]), Anchor(np.array(180.0), np.array(0.09)))
    typed = [
        {"patch": p["patch"], "text": " ".join(f"{v:.4g}" for v in row)} for p, row in zip(patches, XYZ, strict=True)
    ]
    page.send("POST", f"/runs/{run}/readings", {"form": "XYZ", "readings": typed[:9]})
    page.go(f"/review/{review}/hand/{run}")
    page.find("[data-testid=hand-input]").send_keys("1.1 1.2 1.4", Keys.ENTER)
    shot("by-hand")


def field(page: Person, name: str) -> WebElement | None:
    """The field under a label of the open dialog."""
    for root in page.all("dialog [data-scope=field][data-part=root]"):
        if root.find_element("css selector", "label").text == name:
            return root.find_element("css selector", "input, textarea, select")
    return None


if __name__ == "__main__":
    main()
