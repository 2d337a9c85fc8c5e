"""State a meter's floor in the charts of a run that was typed without it."""

import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.setups import new_display
from lumenar.app.setups.new_display import NewDisplay

from ..app.instruments import test_stated_floor as typed_run
from .driver import Server

pytestmark = pytest.mark.web


@pytest.fixture(scope="module")
def server(port, tmp_path_factory):
    folder = tmp_path_factory.mktemp("floor") / "data"
    app = Application(folder)
    bench = BenchService(app, speed=0.0)
    display = NewDisplay(maker="Tern Street", model="Glass 48", kind="television", panel="oled", modes=typed_run.MODES)
    typed_run.typed(app, bench, new_display.add(app, display))
    bench.close()
    app.close()
    made = Server(folder, port=port)
    yield made
    made.stop()


def test_a_floor_is_stated_beside_the_figure_and_a_wrong_one_loses_nothing(page):
    page.go("/review/1/plates/1/white_black")
    row = "[data-testid=meter-floor]"
    assert "0.002 cd/m² is assumed" in page.find(row).text and "floor?" in page.find("[data-testid=figures]").text
    field = page.find(f"{row} input")
    field.send_keys("dark\n")
    page.until(lambda: "isn't a number" in page.find(row).text)
    for _ in "dark":
        field.send_keys("\ue003")
    field.send_keys("200\n")
    page.until(lambda: "at most 100" in page.find(row).text)
    assert field.get_attribute("value") == "200"
    for _ in "200":
        field.send_keys("\ue003")
    field.send_keys("0,006\n")
    page.until(lambda: "≥ 30 000" in page.find("[data-testid=figures]").text.replace("\u2009", " "))
    assert "was stated after the run" in page.find(row).text
