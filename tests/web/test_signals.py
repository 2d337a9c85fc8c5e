"""What is sent and what the display says it shows, in the browser: on a stand-in whose decoder has to be told, and by hand."""

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.setups import new_display, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.setups.setups import Edit
from lumenar.bench.plan import Cell
from lumenar.core.colour import transfer

from ..conftest import setup_of
from .driver import Server
from .person import STORY_S
from .test_eyes_and_keys import violations

pytestmark = pytest.mark.web
DEEP = "Inputs\n  Deep signal off* on (only while SDR shows) (all modes)\n"


@pytest.fixture(scope="module")
def server(demo_folder, port, tmp_path_factory):
    """The demonstration with a display of one's own beside it, a run of PQ waiting for its readings."""
    import shutil

    folder = tmp_path_factory.mktemp("signals") / "data"
    shutil.copytree(demo_folder, folder)
    app = Application(folder)
    bench = BenchService(app)
    review = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street",
            model="Wall 55",
            kind="television",
            panel="oled",
            modes="Film, pq, bt2020_pq",
            controls=DEEP,
        ),
    )
    deep = setups.add(
        app, review, setup_of(app, review, "Film").id, "Deep", Edit(values={"Inputs > Deep signal": "on"})
    )  # fmt: skip
    bench.runs.start(review, [Cell(deep, "pq_tracking")])
    bench.close()
    app.close()
    made = Server(folder, "serve", "--speed", "0", port=port)
    yield made
    made.stop()


def about(page, mode):
    """The dialog of a setup at its target, room and signal."""
    page.find(f"button[title='Settings of {mode} (e)']").click()
    page.find("dialog button[role=tab]", "Target, room and signal").click()


def saved(page):
    page.find("[data-testid=save-settings]").click()
    page.until(lambda: not page.all("dialog"))


def measured(page, mode, measurement):
    page.cell(mode, measurement).click()
    page.find("[data-testid=plan]", "Selected: 1 cell")
    page.press("m")


@pytest.mark.timeout(STORY_S)
def test_a_run_of_pq_by_hand_from_its_settings_to_a_pasted_ramp(page):
    """A run of PQ by hand. Each step goes on from the one before."""
    _by_hand_it_is_said_what_to_set_to_send_and_to_look_at(page)
    _a_pasted_ramp_asks_for_the_codes_where_it_ends(page)


def test_a_source_without_a_flag_is_noticed_and_the_decoder_told(page):
    """From the Board: a setup without a flag pauses the run; once the service menu says PQ, it is measured."""
    review = page.review("Meridian 65")
    page.go(f"/review/{review}")
    page.find("[role=grid]")
    about(page, "Match day HDR")
    Select(page.find("dialog select:has(option[value=none])")).select_by_visible_text("not sent")
    saved(page)
    page.until(lambda: "no HDR flag" in page.find("[role=grid]").text)
    measured(page, "Match day HDR", "near_black")
    page.find("[data-testid=bench-message]", "the display says it shows SDR. See to its input")
    assert violations(page) == []
    page.find("button", "Stop").click()
    page.until(lambda: page.api("/bench")["state"] == "idle")
    page.find("button[title='Settings of Match day HDR (e)']").click()
    Select(page.find("[id='control-Service > Decoding > Curve']")).select_by_visible_text("PQ")
    saved(page)
    measured(page, "Match day HDR", "near_black")
    page.until(lambda: page.cell("Match day HDR", "near_black").get_attribute("data-state") == "measured", 60)
    about(page, "Match day HDR")
    page.find("dialog", "Shown, as the display said")
    assert "PQ, 10 bits, limited range" in page.find("dialog").text
    page.press(Keys.ESCAPE)


def _by_hand_it_is_said_what_to_set_to_send_and_to_look_at(page):
    review = page.review("Wall 55")
    run = page.api(f"/reviews/{review}/board")["by_hand"][0]
    page.go(f"/review/{review}/hand/{run}")
    page.find("[data-testid=hand-show]", "white")
    steps = [e.text for e in page.all("main ol li, ol li")]
    assert any("Deep signal: on, before HDR is sent" in s for s in steps)
    assert any(s.startswith("Send PQ, 10 bits, full range") for s in steps)
    Select(page.find("[data-testid=hand-shown]")).select_by_visible_text("SDR")
    page.find("li", "not what is to be sent")
    page.find("[data-testid=hand-input]").send_keys("600 620 640", Keys.ENTER)
    page.find("[data-testid=hand-told]", "The display shows SDR, and this is for PQ")
    assert page.find("[data-testid=hand-input]").get_attribute("value") == "600 620 640", (
        "what was typed is still there"
    )
    Select(page.find("[data-testid=hand-shown]")).select_by_visible_text("PQ")
    page.until(lambda: not any("not what is to be sent" in e.text for e in page.all("li")))
    assert violations(page) == []


def typed(page, text):
    page.driver.execute_script(
        "const data = new DataTransfer(); data.setData('text', arguments[1]);"
        "arguments[0].dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));",
        page.find("[data-testid=hand-input]"), text,
    )  # fmt: skip


def _a_pasted_ramp_asks_for_the_codes_where_it_ends(page):
    review = page.review("Wall 55")
    run = page.api(f"/reviews/{review}/board")["by_hand"][0]

    def lines(patches):
        Y = np.minimum(transfer.pq(np.array([p["rgb"][1] for p in patches])), 640.0)
        return [" ".join(f"{v:.5g}" for v in y * np.array([0.9505, 1.0, 1.0891])) for y in Y]

    sheet = page.api(f"/runs/{run}/sheet")
    page.go(f"/review/{review}/hand/{run}")
    page.find("[data-testid=hand-input]")
    typed(page, "\n".join(lines(sheet["patches"])))
    page.until(lambda: page.api(f"/runs/{run}/sheet")["total"] > sheet["total"])
    # The view goes on to what was asked for besides.
    while (now := page.api(f"/runs/{run}/sheet"))["state"] != "done":
        left = next(p for p in now["patches"] if not p["outcome"])
        page.find("[data-testid=hand-show]", left["show"])
        page.find("[data-testid=hand-input]").clear()
        page.find("[data-testid=hand-input]").send_keys(lines([left])[0], Keys.ENTER)
        page.until(lambda done=now["done"]: page.api(f"/runs/{run}/sheet")["done"] > done)
    assert now["total"] > sheet["total"]

    def clipped():
        row = next(r for r in page.api(f"/reviews/{review}/board")["rows"] if r["name"] == "Deep")
        return next((f for c in row["cells"] for f in c["figures"] if f["figure"] == "clip_cd_m2"), None)

    # Its figures are worked out while nobody waits.
    page.until(clipped)
    clip = clipped()
    assert 620 < float(clip["text"].replace(" ", "")) < 660


def test_when_it_can_be_set_stands_on_the_map(page):
    review = page.review("Wall 55")
    page.go(f"/review/{review}/menu")
    page.find("main", "set only while SDR shows")
    assert violations(page) == []
