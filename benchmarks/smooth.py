"""How steadily a browser draws the Board while a run at 20 x goes on: tasks of more than 50 ms."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from benchmarks.__main__ import line
from benchmarks.load import Client, pace, start
from tests.web.driver import Server, browser

SECONDS = 20.0
WATCH = """window.tasks = []; new PerformanceObserver(l => window.tasks.push(...l.getEntries().map(e => e.duration)))
.observe({type: 'longtask'})"""


def main() -> None:
    """Print the table."""
    line("what", "here", "wanted")
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data", "demo")
        try:
            client = Client(server)
            review = start(client, 20.0)
            with browser() as driver:
                driver.get(f"{server.url}/review/{review}")
                WebDriverWait(driver, 20).until(lambda d: d.find_elements(By.CSS_SELECTOR, "[role=grid]"))
                time.sleep(3)
                driver.execute_script(WATCH)
                # A long task of our making shows that they are seen.
                driver.execute_script("setTimeout(() => { const t = Date.now(); while (Date.now() - t < 120); })")
                WebDriverWait(driver, 5).until(lambda d: d.execute_script("return window.tasks.length"))
                driver.execute_script("window.tasks.length = 0")
                rate = pace(client, SECONDS)
                tasks: list[float] = driver.execute_script("return window.tasks")
            line("readings a second meanwhile", f"{rate:.0f}", "")
            line(f"tasks over 50 ms in {SECONDS:.0f} s of a run at 20 x", str(len(tasks)), "< 5")
            line("the longest of them", f"{max(tasks, default=0):.0f} ms", "")
            client.call("POST", "/bench/stop")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
