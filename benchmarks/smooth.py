"""How much of a browser's main thread the Board takes while a run goes on: seconds of script, and long tasks."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webdriver import WebDriver
from selenium.webdriver.support.ui import WebDriverWait

from benchmarks.__main__ import line
from benchmarks.load import going_on
from tests.web.driver import Server, browser

SECONDS = 20.0
WATCH = """window.tasks = []; new PerformanceObserver(l => window.tasks.push(...l.getEntries().map(e => e.duration)))
.observe({type: 'longtask'})"""


def _spent(driver: WebDriver) -> np.ndarray:
    """Seconds of script, and of style and layout, so far."""
    measured = {m["name"]: m["value"] for m in driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]}
    return np.array([measured["ScriptDuration"], measured["RecalcStyleDuration"] + measured["LayoutDuration"]])


def watched(server: Server, driver: WebDriver, speed: float) -> tuple[int, np.ndarray, list[float]]:
    """Cells of the Board, seconds of script and of layout, and tasks over 50 ms in ms, beside a run at this speed."""
    with going_on(server, speed) as review:
        driver.get(f"{server.url}/review/{review}")
        WebDriverWait(driver, 20).until(lambda d: d.find_elements(By.CSS_SELECTOR, "[role=grid]"))
        time.sleep(3)
        driver.execute_script(WATCH)
        # A long task of our making shows that they are seen.
        driver.execute_script("setTimeout(() => { const t = Date.now(); while (Date.now() - t < 120); })")
        WebDriverWait(driver, 5).until(lambda d: d.execute_script("return window.tasks.length"))
        driver.execute_script("window.tasks.length = 0")
        driver.execute_cdp_cmd("Performance.enable", {})
        before = _spent(driver)
        time.sleep(SECONDS)
        spent = _spent(driver) - before
        tasks: list[float] = driver.execute_script("return window.tasks")
        cells = len(driver.find_elements(By.CSS_SELECTOR, "[role=gridcell]"))
    return cells, spent, tasks


def main() -> None:
    """Print the table."""
    line("what", "here", "wanted")
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data", "demo")
        try:
            with browser() as driver:
                for speed, named in ((20.0, "at 20 x"), (0.0, "without waiting")):
                    cells, spent, tasks = watched(server, driver, speed)
                    line(
                        f"a run {named} beside a Board of {cells} cells: script in {SECONDS:.0f} s",
                        f"{spent[0]:.2f} s",
                        "< 1 s",
                    )
                    line("... style and layout", f"{spent[1]:.2f} s", "")
                    line("... tasks over 50 ms", str(len(tasks)), "")
                    line("... the longest of them", f"{max(tasks, default=0):.0f} ms", "< 100 ms")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
