"""Figures computed in two processes are those of one, whatever happens to the other."""

import os
import signal
import sqlite3
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path
from shutil import copytree

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.board import board
from lumenar.app.figures import cells, stored_analyses
from lumenar.app.figures.helper import FigureTask, Helper, HelperError, compute, figures
from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.targets import TARGETS
from lumenar.store import computed, reviews

from ...web.driver import Server


@pytest.fixture
def tasks(whole):
    rows = cells.newest(whole, 1).complete
    return [FigureTask(r.run_id, c.setup, c.measurement, "srgb", uncertain=False) for c, r in rows.items()]


@pytest.fixture
def helper(whole):
    made = Helper(whole.folder)
    yield made
    made.close()


def same(one, two):
    """Whether two analyses are the same, number for number."""
    assert one.figures.keys() == two.figures.keys() and one.uncertainty == two.uncertainty
    for key, value in one.figures.items():
        np.testing.assert_array_equal(value, two.figures[key], err_msg=key)
    for key, value in one.draws.items():
        np.testing.assert_array_equal(value, two.draws[key], err_msg=key)
    assert one.noise_floor.keys() == two.noise_floor.keys() and one.range.keys() == two.range.keys()


def test_two_processes_find_what_one_does(whole, helper, tasks):
    alone, together = compute(whole, None, tasks), compute(whole, helper, tasks)
    assert alone.keys() == together.keys() == set(tasks)
    for task, analysis in alone.items():
        same(analysis, together[task])
    asked = [t for t in tasks if t.setup_id == 2]
    for mine, its in zip(figures(whole, asked), helper.ask(asked), strict=True):
        same(mine, its)
    assert helper.ask([]) == []


def test_what_the_helper_leaves_is_computed_here(whole, helper, tasks, monkeypatch):
    def ends(group):
        raise HelperError("it ended")

    monkeypatch.setattr(helper, "ask", ends)
    assert compute(whole, helper, tasks).keys() == set(tasks)


def test_a_helper_that_is_killed_at_work_says_so_and_comes_back(helper, tasks):
    group = [t for t in tasks if t.setup_id == 1][:2]
    helper.ask(group)
    first = helper.pid
    # Stopped, it cannot answer before it is killed.
    os.kill(first, signal.SIGSTOP)
    with ThreadPoolExecutor(1) as pool:
        asked = pool.submit(helper.ask, group)
        time.sleep(0.1)
        os.kill(first, signal.SIGKILL)
        with pytest.raises(HelperError):
            asked.result(20)
    assert len(helper.ask(group)) == 2 and helper.pid not in (None, first)
    # Between two questions it is simply started again.
    os.kill(helper.pid, signal.SIGKILL)
    while helper.pid is not None:
        time.sleep(0.01)
    assert len(helper.ask(group)) == 2


def test_a_helper_that_does_not_answer_is_not_waited_for(whole, helper, tasks, monkeypatch):
    monkeypatch.setattr("lumenar.app.figures.helper.PATIENCE_S", 0.2)
    helper.ask([])
    os.kill(helper.pid, signal.SIGSTOP)
    assert compute(whole, helper, tasks).keys() == set(tasks)


def test_one_cell_that_cannot_be_computed_spoils_no_other(whole, helper, tasks):
    known = [t for t in tasks if t.setup_id == 1][:2]
    unread = FigureTask(known[0].run_id, 99, "gamut", "srgb")
    assert figures(whole, [unread]) == helper.ask([unread]) == [None]
    assert compute(whole, helper, [unread, *known]).keys() == set(known)


def children(server):
    folder = Path(f"/proc/{server.process.pid}/task")
    return [int(p) for f in folder.glob("*/children") for p in f.read_text().split()]


def test_the_helper_ends_with_its_server_even_when_that_is_killed(whole_folder, tmp_path):
    if len(os.sched_getaffinity(0)) < 2:
        pytest.skip("a server on one core has no helper")
    # With figures to compute, or there is nothing to help with.
    copytree(whole_folder, tmp_path / "data")
    with closing(sqlite3.connect(tmp_path / "data" / "lumenar.db")) as db:
        db.execute("DELETE FROM computed")
        db.commit()
    server = Server(tmp_path / "data")
    end = time.monotonic() + 240
    while not (found := children(server)):
        assert time.monotonic() < end
        time.sleep(0.05)
    server.kill()
    while Path(f"/proc/{found[0]}").exists() and "Z" not in Path(f"/proc/{found[0]}/stat").read_text().split(")")[1]:
        assert time.monotonic() < end, "the helper is still there"
        time.sleep(0.05)


def test_a_helper_without_a_task_ends_and_comes_back(whole_folder, tasks):
    helper = Helper(whole_folder, idle_s=0.2)
    try:
        first = helper.ask(tasks[0:1])
        end = time.monotonic() + 60
        while helper.pid is not None:
            assert time.monotonic() < end
            time.sleep(0.05)
        same(helper.ask(tasks[0:1])[0], first[0])
    finally:
        helper.close()


def test_a_cold_board_computes_all_together_and_keeps_it(whole, helper):
    whole.helper = helper
    with whole.db.transaction() as db:
        db.execute("DELETE FROM computed")
    first = board.board(whole, 1)
    rows = cells.newest(whole, 1).complete
    target = {s.id: s.target for s in reviews.setups_of(whole.db.connection(), 1)}
    for cell, row in rows.items():
        key = computed.Key(row.run_id, cell.setup, cell.measurement, target[cell.setup], stored_analyses.VERSION)
        kept = stored_analyses.loads(computed.get(whole.db.connection(), key))
        same(kept, analyse(cell.measurement, cells.readings_of(whole, row), TARGETS[target[cell.setup]]))
    folder = whole.folder
    whole.close()
    again = Application(folder)
    assert board.board(again, 1) == first
    again.close()


def test_kept_analyses_are_bit_for_bit_what_was_computed(whole):
    for cell, row in cells.newest(whole, 1).complete.items():
        if cell.setup == 1:
            made = analyse(cell.measurement, cells.readings_of(whole, row), TARGETS["srgb"])
            kept = stored_analyses.loads(stored_analyses.dumps(made))
            same(made, kept)
            assert (kept.measurement, kept.target) == (MEASUREMENTS[cell.measurement].key, "srgb")
            for part in ("noise_floor", "range"):
                for key, value in getattr(made, part).items():
                    np.testing.assert_array_equal(value, getattr(kept, part)[key])
