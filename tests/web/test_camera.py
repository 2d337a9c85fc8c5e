"""The camera check in the browser: the stand-ins' camera, a photo of one's own, and what is none."""

import pytest
from selenium.webdriver.support.ui import Select

from ..app.experiments.test_camera_check import as_file, picture
from .test_eyes_and_keys import violations

pytestmark = pytest.mark.web
CHECK = "[data-testid=camera-check]"


def chosen(page, path):
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(path))


def test_the_stand_ins_camera_then_a_photo_of_ones_own_then_what_is_none(page, tmp_path):
    review = page.review("Slate")
    page.go(f"/review/{review}/conditions")
    page.find("main a", "Camera check").click()
    page.find("[data-testid=take-photo]").click()
    page.until(lambda: len(page.all(CHECK)) == 1)
    first = page.find(CHECK)
    assert first.get_attribute("data-verdict") == "bands" and "its light pulses" in first.text
    loaded = "return document.querySelector('[data-testid=camera-check] img').naturalWidth"
    page.until(lambda: page.driver.execute_script(loaded) == 1200)
    assert violations(page) == []
    photo = tmp_path / "photo.jpg"
    photo.write_bytes(as_file(picture(left=(0, 0), right=(9, 0.4))))
    Select(page.all("main select")[0]).select_by_visible_text("Plain")
    page.find("input[placeholder='1/1000 s']").send_keys("1/500 s")
    chosen(page, photo)
    page.until(lambda: len(page.all(CHECK)) == 2)
    assert page.find(CHECK).text.startswith("None seen at 1/500 s that are deeper than")
    assert page.errors() == []
    wrong = tmp_path / "notes.jpg"
    wrong.write_bytes(b"these are notes")
    chosen(page, wrong)
    page.until(lambda: "This is no photo that can be read" in page.find("main").text)
    assert len(page.all(CHECK)) == 2
    page.find("[aria-label='Forget this photo']").click()
    page.until(lambda: len(page.all(CHECK)) == 1)
    page.driver.refresh()
    page.until(lambda: page.find(CHECK).get_attribute("data-verdict") == "bands")
