"""Many figures at once, in two processes: this one, and a helper that reads the same data folder.

Python computes on one core at a time. The helper takes half of the work when a whole review has to be computed, as after
an update, and leaves the server free to answer meanwhile. It only reads, gets its tasks through its standard input, and
ends when that does: with the server, however the server ends.
"""

from __future__ import annotations

import os
import pickle
import select
import subprocess
import sys
import threading
from collections import deque
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from lumenar.app import memory
from lumenar.app.data import Data
from lumenar.app.figures.loading import setup_readings
from lumenar.core import measurements
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.targets import resolve
from lumenar.core.uncertainty import DRAWS


@dataclass(frozen=True)
class FigureTask:
    """The figures of one cell of one run against one target."""

    run_id: int
    setup_id: int
    measurement: str
    target: str
    uncertain: bool = True
    draws: int = DRAWS


class HelperError(Exception):
    """The helper ended, or could not be started; what it was asked has to be computed here."""


Found = list[Analysis | None]
"""One for each task, None where it could not be computed."""


def figures(data: Data, tasks: Sequence[FigureTask]) -> Found:
    """The analyses of tasks that belong to one setup in one run."""
    if not tasks:
        return []
    try:
        loaded = setup_readings(data, tasks[0].run_id, tasks[0].setup_id)
    except Exception:
        return [None] * len(tasks)
    found: Found = []
    for task in tasks:
        try:
            found.append(
                analyse(task.measurement, loaded.of(task.measurement), resolve(task.target), task.uncertain, task.draws)
            )
        except Exception:
            # Whoever asks for this one cell is told what is wrong with it.
            found.append(None)
    return found


def compute(data: Data, helper: Helper | None, tasks: Sequence[FigureTask]) -> dict[FigureTask, Analysis]:
    """The analyses of all tasks that can be computed, shared with the helper where there is one."""
    groups: dict[tuple[int, int], list[FigureTask]] = {}
    for task in tasks:
        groups.setdefault((task.run_id, task.setup_id), []).append(task)
    # Setups of one target mostly share their plan: as neighbours they are computed where that is known already.
    waiting = deque(sorted(groups.values(), key=lambda group: group[0].target))
    done: dict[FigureTask, Analysis] = {}

    def keep(group: Sequence[FigureTask], found: Found) -> None:
        done.update({task: a for task, a in zip(group, found, strict=True) if a is not None})

    def beside(helper: Helper) -> None:
        while waiting:
            try:
                # From the other end, so that the two meet in the middle.
                group = waiting.pop()
            except IndexError:
                return
            try:
                keep(group, helper.ask(group))
            except HelperError:
                waiting.append(group)
                return

    def here() -> None:
        while waiting:
            try:
                group = waiting.popleft()
            except IndexError:
                return
            keep(group, figures(data, group))

    other = threading.Thread(target=beside, args=(helper,), name="beside") if helper and len(groups) > 1 else None
    if other is not None:
        other.start()
    here()
    if helper is not None and other is not None:
        other.join(PATIENCE_S)
        if other.is_alive():
            helper.give_up()
            other.join()
        # What the helper gave back when it ended.
        here()
    return done


PATIENCE_S = 20.0
"""How long a helper may be at its last setup after all else is done, which takes a second at most."""


IDLE_S = 120.0
"""After so long without a task a helper ends and gives back its memory; it is started again when there is one."""


class Helper:
    """The other process. It starts when it is asked first, and again after it ended."""

    def __init__(self, folder: Path, idle_s: float = IDLE_S) -> None:
        self._folder, self._idle_s, self._lock = folder, idle_s, threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None

    def _started(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            command = [sys.executable, "-m", "lumenar.app.figures.helper", str(self._folder), str(self._idle_s)]
            try:
                # In a session of its own: Ctrl-C is for the server, which then ends the helper.
                self._process = subprocess.Popen(
                    command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True
                )
            except OSError as e:
                raise HelperError(str(e)) from e
        return self._process

    def ask(self, tasks: Sequence[FigureTask]) -> Found:
        """The analyses of tasks of one setup in one run. HelperError where the helper ends before it answers."""
        with self._lock:
            process = self._started()
            assert process.stdin is not None and process.stdout is not None
            try:
                pickle.dump(list(tasks), process.stdin)
                process.stdin.flush()
                found: Found = pickle.load(process.stdout)
            except (OSError, EOFError, pickle.UnpicklingError) as e:
                self._end()
                raise HelperError(str(e)) from e
            return found

    @property
    def pid(self) -> int | None:
        """The helper's process, None while there is none."""
        return self._process.pid if self._process is not None and self._process.poll() is None else None

    def give_up(self) -> None:
        """End a helper that does not answer; whoever waits for it gets a HelperError."""
        process = self._process
        if process is not None:
            process.kill()

    def close(self) -> None:
        """End the helper."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        assert process.stdin is not None and process.stdout is not None
        with suppress(OSError):
            process.stdin.close()
        try:
            process.wait(2)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        process.stdout.close()


def several_cores() -> bool:
    """Whether a second process has a core to run on."""
    return len(os.sched_getaffinity(0)) > 1


def main() -> None:
    """The helper's own work: tasks from standard input, analyses to standard output, until the input ends or stays empty."""
    answers = os.fdopen(os.dup(1), "wb")
    # Whatever else is printed must not come between the answers.
    os.dup2(2, 1)
    # The server and the bench come first.
    with suppress(OSError):
        os.nice(10)
    memory.share_arenas()
    data, idle_s = Data(Path(sys.argv[1])), float(sys.argv[2])
    measurements.prepare()
    while select.select([sys.stdin.buffer], [], [], idle_s)[0]:
        try:
            tasks = pickle.load(sys.stdin.buffer)
        except EOFError:
            return
        try:
            pickle.dump(figures(data, tasks), answers, pickle.HIGHEST_PROTOCOL)
            answers.flush()
        except BrokenPipeError:
            # The server has ended meanwhile. What is left to be written has nowhere to go, so nothing more is flushed.
            os._exit(0)
        memory.give_back()


if __name__ == "__main__":
    main()
