"""A headless Chromium for tests and screenshots, and a real server to point it at."""

from __future__ import annotations

import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

from ..pace import pace

FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-dev-shm-usage",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--force-device-scale-factor=1",
)  # fmt: skip


@contextmanager
def browser(width: int = 1280, height: int = 800) -> Iterator[webdriver.Chrome]:
    """A headless Chromium with a profile of its own and a viewport of the given size."""
    profile = tempfile.mkdtemp(prefix="lumenar-chromium-")
    options = Options()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for flag in (*FLAGS, f"--user-data-dir={profile}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options, Service(shutil.which("chromedriver") or "/usr/bin/chromedriver"))
    try:
        sized(driver, width, height)
        driver.set_script_timeout(120 * pace())
        yield driver
    finally:
        driver.quit()
        shutil.rmtree(profile, ignore_errors=True)


def sized(driver: webdriver.Chrome, width: int, height: int = 800, factor: float = 1) -> None:
    """Set the viewport of the current tab. factor: device pixels per CSS pixel."""
    size = {"width": width, "height": height, "deviceScaleFactor": factor, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)


def emptied(driver: webdriver.Chrome, url: str) -> None:
    """Leave one new tab open, with nothing stored for a site; scripts it has loaded before stay cached."""
    before = driver.window_handles
    driver.switch_to.new_window("tab")
    fresh = driver.current_window_handle
    for handle in before:
        driver.switch_to.window(handle)
        driver.close()
    driver.switch_to.window(fresh)
    driver.execute_cdp_cmd("Page.bringToFront", {})
    kinds = "local_storage,session_storage,cookies,indexeddb"
    driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": url, "storageTypes": kinds})
    driver.get_log("browser")
    sized(driver, 1280)


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Server:
    """A real `lumenar` process over a data folder; can be killed and started again. port: any that is free if 0."""

    def __init__(self, data: Path, *arguments: str, port: int = 0) -> None:
        self.data, self.arguments, self.port = data, arguments, port or free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        """Start and wait until it answers."""
        command = [sys.executable, "-m", "lumenar.cli", *(self.arguments or ("serve",))]
        command += ["--data", str(self.data), "--port", str(self.port)]
        self.process = subprocess.Popen(
            command,
            env={**os.environ, "PYTHONUNBUFFERED": "1"},
            stdout=subprocess.DEVNULL,
            # Whoever runs the tests in the background of a shell ignores Ctrl-C, and so would the server.
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
        )
        end = time.monotonic() + 60 * pace()
        while time.monotonic() < end:
            try:
                urllib.request.urlopen(f"{self.url}/api/v1/bench", timeout=1).read()
                return
            except OSError:
                if self.process.poll() is not None:
                    raise RuntimeError(f"the server ended with {self.process.returncode}") from None
                time.sleep(0.05)
        raise RuntimeError("the server did not answer in time")

    def kill(self) -> None:
        """Kill it the hard way, as a power cut would."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        """End it as Ctrl-C does."""
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
            try:
                self.process.wait(10 * pace())
            except subprocess.TimeoutExpired:
                self.process.kill()
                raise RuntimeError("the server did not end in time") from None


def slug(name: str) -> str:
    """A file name from a title."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")
