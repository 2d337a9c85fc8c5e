"""Somebody in front of the interface, as tests act."""

import json
import time
import urllib.error
import urllib.request
from contextlib import suppress

from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    StaleElementReferenceException,
)
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select, WebDriverWait

from ..pace import pace

STORY_S = 900
"""A case that is carried through in one test may take this long, on a slow and busy machine."""
WAIT_S = 30
"""How long a person waits for the interface on a machine of the usual speed, before a test fails."""
BLOCKED = (ElementClickInterceptedException, ElementNotInteractableException)


FIRST_WITH = """
const [css, text] = arguments, seen = (e) => (e.innerText ?? e.textContent).replaceAll("\\u00a0", " ");
return [...document.querySelectorAll(css)].find((e) => text === null || (e.getClientRects().length && seen(e).includes(text)));
"""
"""The first element of a selector that shows some text, found in one step."""


EMPTY_IN_BAR = """
const box = arguments[0].getBoundingClientRect(), middle = box.left + box.width / 2, y = box.top + box.height / 2;
const empty = (x) => [-4, 0, 4].every((d) => !document.elementFromPoint(x + d, y)?.closest("a, button, nav"));
for (let x = box.left + 10; x < box.right; x += 3) if (empty(x)) return Math.round(x - middle);
return 0;
"""
"""Where in the top bar nothing is, from its middle in px."""


class Found(WebElement):
    """An element that finds itself again: a view may draw it anew between two steps of a test, as it may between the look and
    the click of a person, who then clicks what is there."""

    def __init__(self, element, look):
        super().__init__(element._parent, element._id)
        self._look = look

    def _execute(self, command, params=None):
        try:
            return super()._execute(command, params)
        except StaleElementReferenceException:
            end = time.monotonic() + 5 * pace()
            while (element := self._look()) is None:
                if time.monotonic() > end:
                    raise
                time.sleep(0.05)
            self._id = element._id
            return super()._execute(command, params)

    def click(self):
        """Click as soon as nothing covers it."""
        end = time.monotonic() + 5 * pace()
        while True:
            try:
                return super().click()
            except BLOCKED:
                if time.monotonic() > end:
                    raise
                time.sleep(0.05)


class Person:
    """Somebody in front of the interface."""

    def __init__(self, driver, server):
        self.driver, self.server = driver, server

    def go(self, path="/"):
        self.driver.get(self.server.url + path)

    def until(self, true, seconds=WAIT_S):
        """Wait until something is true, and give it. The limit is for a machine of the usual speed."""
        with suppress(Exception):
            if found := true():
                return found
        return WebDriverWait(self.driver, seconds * pace(), 0.05, [Exception]).until(lambda _: true())

    def find(self, css, text=None):
        """The first element of a selector, with some text in it where one is named; waits for it."""

        def look():
            return self.driver.execute_script(FIRST_WITH, css, text)

        return Found(self.until(look), look)

    def all(self, css):
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def press(self, *keys):
        for key in keys:
            self.until(lambda key=key: self._struck(key))

    def _struck(self, key):
        """Whether a key was pressed: what has the focus may be drawn anew at that moment, and then nothing was."""
        try:
            self.driver.switch_to.active_element.send_keys(key)
        except (StaleElementReferenceException, ElementNotInteractableException):
            return False
        return True

    def cell(self, mode, measurement):
        return self.find(f'[data-cell="{mode} {measurement}"]')

    def states(self):
        """Of all cells at one moment: asked for cell by cell, a run may be over before the last has answered."""
        return self.driver.execute_script(
            "return [...document.querySelectorAll('[data-cell]')].map(c => c.dataset.state)"
        )

    def clock(self, speed):
        Select(self.find("#clock")).select_by_value(speed)
        self.until(lambda: self.api("/bench")["speed"] == float(speed))
        # A list that was chosen from gives the focus back to the page.
        self.until(lambda: self.driver.switch_to.active_element.tag_name != "select")

    def api(self, path):
        with urllib.request.urlopen(f"{self.server.url}/api/v1{path}", timeout=60) as answer:
            return json.load(answer)

    def send(self, method, path, body):
        """Something that a person could do, done through the API."""
        request = urllib.request.Request(
            f"{self.server.url}/api/v1{path}",
            method=method,
            data=json.dumps(body).encode(),
            headers={"Content-Type": "application/json", "Sec-Fetch-Site": "same-origin", "If-Match": "*"},
        )
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return json.loads(answer.read() or b"null")
        except urllib.error.HTTPError as e:
            raise AssertionError(f"{method} {path}: {e.read().decode()}") from e

    def review(self, name):
        """The number of the review of a display by a part of its name."""
        return next(e["id"] for e in self.api("/reviews") if name in e["name"])

    def choose(self, trigger, words):
        """Something to do, from the menu that a button opens."""
        self.find(trigger).click()
        self.find("[role=menuitem]", words).click()
        self.until(lambda: not self.all("[role=menuitem]"))

    def pick(self, field, words):
        """Something found by typing its name."""
        self.find(field).send_keys(words)
        self.find("[role=option]", words).click()
        self.until(lambda: not self.all("[role=option]"))

    def aside(self):
        """A click beside everything: where the top bar is empty."""
        header = self.find("header")
        x = self.driver.execute_script(EMPTY_IN_BAR, header)
        ActionChains(self.driver).move_to_element_with_offset(header, x, 0).click().perform()

    def tick(self, words, inside="body"):
        """A box or a switch by what stands beside it."""
        self.find(f"{inside} label:has(input[type=checkbox])", words).click()

    def errors(self):
        return [e["message"] for e in self.driver.get_log("browser") if e["level"] == "SEVERE"]
