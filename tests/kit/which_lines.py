"""A pytest plugin for `make mutants`: notes for each test the lines of src that it runs, its fixtures included, and its time."""

import os
import time
from pathlib import Path

import coverage
import pytest


class _Noted:
    def __init__(self):
        self.durations = {}
        self.tracer = coverage.Coverage(
            data_file=os.environ["WHICH_LINES"], source=[os.environ["WHICH_SOURCE"]], config_file=False
        )

    @pytest.hookimpl(hookwrapper=True)
    def pytest_runtest_protocol(self, item):
        self.tracer.switch_context(item.nodeid)
        begun = time.monotonic()
        yield
        self.durations[item.nodeid] = time.monotonic() - begun
        self.tracer.switch_context("")


def pytest_configure(config):
    noted = _Noted()
    noted.tracer.start()
    config.pluginmanager.register(noted, "which-lines")


def pytest_unconfigure(config):
    noted = config.pluginmanager.get_plugin("which-lines")
    noted.tracer.stop()
    noted.tracer.save()
    lines = [f"{seconds:.2f}\t{nodeid}\n" for nodeid, seconds in noted.durations.items()]
    Path(os.environ["WHICH_LINES"] + ".times").write_text("".join(lines))
