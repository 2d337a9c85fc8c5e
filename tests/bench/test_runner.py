"""The runner: pause, resume, stop, failures, and the settings it leaves behind."""

import threading

import pytest

from lumenar.bench.panel_timing import PANEL_TIMINGS, REST
from lumenar.bench.plan import Cell, is_free, plan_run
from lumenar.bench.runner import Runner
from lumenar.bench.runner_port import RunnerStep, SetupState
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat

from ..conftest import PHONE


class Notes:
    """A journal in memory."""

    def __init__(self, steps):
        self.steps, self.done, self.states, self.full = steps, [], [], False
        self.again, self.seen, self.signatures, self.is_warm = [], [], [], False
        self.told = threading.Event()
        self.on_commit = lambda: None

    def next_step(self):
        return self.steps[len(self.done)] if len(self.done) < len(self.steps) else None

    def commit(self, step, outcome, reading, at_s, attempt=1):
        if self.full:
            raise OSError("no space left on device")
        if attempt > 1:
            self.again.append((step.number, reading, attempt))
            return
        self.done.append((step.number, outcome, reading, at_s))
        self.on_commit()

    def watched(self, kind, setup, reading, at_s):
        self.seen.append((kind, reading.XYZ[1], at_s))

    def signed(self, setup, XYZ, changed, said):
        self.signatures.append((setup.key, XYZ, changed))

    def warm(self, warm):
        self.is_warm = warm

    def state(self, state, message):
        self.states.append((state, message))
        self.told.set()

    def showing(self, step):
        pass


@pytest.fixture
def equipment(units):
    file = parse_unit(units[PHONE])
    bench = simulated_bench(file, SimulatedClock())
    setup = SetupState(1, "Faithful", "Faithful", file.defaults(file.modes[0]), "Screen > Brightness")
    patches = [Patch((v,) * 3) for v in (1.0, 0.5, 0.2)] + [Patch((1.0,) * 3, level=v) for v in (100, 50)]
    notes = Notes([RunnerStep(i, setup, p) for i, p in enumerate(patches)])
    return bench, notes, Runner(bench, notes, PANEL_TIMINGS["lcd"])


def in_thread(runner):
    thread = threading.Thread(target=runner.work, daemon=True)
    thread.start()
    return thread


def test_a_run_reads_every_patch_once_and_puts_the_control_back(equipment):
    bench, notes, runner = equipment
    assert runner.work() == "done"
    assert [n for n, *_ in notes.done] == [0, 1, 2, 3, 4]
    assert notes.states[-1][0] == "done"
    assert bench.remote.values["Faithful"]["Screen > Brightness"] == 60
    bright, dimmer = notes.done[3][2].XYZ[1], notes.done[4][2].XYZ[1]
    assert bright > 2 * dimmer


def test_a_signal_that_the_input_does_not_take_pauses_the_run(units):
    file = parse_unit(units[PHONE])
    bits = file.light.input_bits
    setup = SetupState(
        1, "Faithful", "Faithful", file.defaults(file.modes[0]), None, None, SignalFormat("sdr", "limited", bits)
    )
    notes = Notes([RunnerStep(0, setup, Patch((1.0,) * 3))])
    runner = Runner(simulated_bench(file, SimulatedClock()), notes, PANEL_TIMINGS["lcd"])
    thread = in_thread(runner)
    assert notes.told.wait(5)
    for _ in range(100):
        if notes.states[-1][0] == "paused":
            break
        thread.join(0.05)
    assert f"takes {bits} bits in full range, not SDR, {bits} bits, limited range" in notes.states[-1][1]
    runner.stop()
    thread.join(5)
    assert not notes.done


def test_pause_stands_before_the_next_patch_and_resume_goes_on(equipment):
    _, notes, runner = equipment
    paused = threading.Event()

    def pause_after_two():
        if len(notes.done) == 2:
            runner.pause()
            paused.set()

    notes.on_commit = pause_after_two
    thread = in_thread(runner)
    assert paused.wait(5)
    thread.join(0.2)
    assert thread.is_alive() and len(notes.done) == 2
    runner.resume()
    thread.join(5)
    assert [n for n, *_ in notes.done] == [0, 1, 2, 3, 4]


def test_stop_keeps_what_was_read(equipment):
    _, notes, runner = equipment
    notes.on_commit = lambda: runner.stop() if len(notes.done) == 3 else None
    assert runner.work() == "stopped"
    assert len(notes.done) == 3


@pytest.mark.parametrize(
    ("fault", "said"), [("time-out", "three times"), ("unplugged", "Plug the meter in"), ("lost", "same patch")]
)
def test_a_failing_meter_pauses_the_run_says_what_to_do_and_nothing_is_lost(equipment, fault, said):
    bench, notes, runner = equipment
    notes.on_commit = lambda: setattr(bench.meter, "fault", fault) if len(notes.done) == 2 else None
    thread = in_thread(runner)
    while not any(state == "paused" for state, _ in notes.states):
        assert notes.told.wait(5)
        notes.told.clear()
    assert said in notes.states[-1][1]
    assert len(notes.done) == 2, "a failed reading never becomes a number"
    bench.meter.fault = None
    runner.resume()
    thread.join(5)
    assert [n for n, *_ in notes.done] == [0, 1, 2, 3, 4]


def test_a_time_out_is_tried_again(equipment):
    bench, notes, runner = equipment
    bench.meter.fault = "time-out"
    real = bench.clock.sleep

    def heal(seconds):
        real(seconds)
        if seconds == 4.0:  # the wait before the third try
            bench.meter.fault = None

    bench.clock.sleep = heal
    assert runner.work() == "done"
    assert not any(state == "paused" for state, _ in notes.states)


def test_a_full_disk_pauses_and_the_reading_is_taken_again(equipment):
    _, notes, runner = equipment
    notes.on_commit = lambda: setattr(notes, "full", True) if len(notes.done) == 1 else None
    thread = in_thread(runner)
    while not any(state == "paused" for state, _ in notes.states):
        assert notes.told.wait(5)
        notes.told.clear()
    assert "no space left" in notes.states[-1][1] and "safe" in notes.states[-1][1]
    notes.full = False
    notes.on_commit = lambda: None
    runner.resume()
    thread.join(5)
    assert [n for n, *_ in notes.done] == [0, 1, 2, 3, 4]


def test_a_plan_reads_shared_patches_once_and_groups_by_setup():
    cells = [Cell(s, m) for m in ("white_black", "grey_ramp", "gamut", "brightness_ladder") for s in (1, 2)]
    context = Context(luminance_levels=(0.0, 50.0, 100.0))
    plan = plan_run(cells, lambda _: context, PANEL_TIMINGS["lcd"], lambda _, patches: [0.5] * len(patches))
    keys = [(p.setup, p.patch) for p in plan.patches]
    assert len(set(keys)) == len(keys) == 2 * (21 + 6 + 6)
    assert plan.asked == 2 * (2 + 21 + 8 + 6)
    assert [p.setup for p in plan.patches] == [1] * 33 + [2] * 33
    white = next(p for p in plan.patches if p.patch == Patch((1.0, 1.0, 1.0)))
    assert set(white.measurements) == {"white_black", "grey_ramp", "gamut"}
    levels = [p.patch.level for p in plan.patches[:33]]
    assert levels == sorted(levels, key=lambda v: (v is not None, -(v or 0))), "the control is moved once per step"
    assert plan.seconds > 66 * 0.85 and plan.saved_seconds == pytest.approx(8 * 0.85)


@pytest.mark.parametrize("panel", ["lcd", "oled"])
def test_the_patches_of_a_setup_come_in_an_order_that_disturbs_the_display_least(panel):
    context = Context(luminance_levels=(0.0, 50.0, 100.0))
    plan = plan_run(
        [Cell(1, m) for m in MEASUREMENTS],
        lambda _: context,
        PANEL_TIMINGS[panel],
        lambda _, patches: [0.5] * len(patches),
    )
    patches = [p.patch for p in plan.patches]
    plain = [
        i
        for i, p in enumerate(patches)
        if is_free(p) and p.window == 0.1 and p.pattern == "window" and p.reads == "XYZ"
    ]
    light = [sum(patches[i].rgb) for i in plain]
    assert len(plain) > 500
    if panel == "lcd":
        assert light == sorted(light, reverse=True), "from bright to dark"
    else:
        assert light[::2] == sorted(light[::2], reverse=True) and light[1::2] == sorted(light[1::2])
        assert min(light[::2]) >= max(light[1::2]), "bright and dark in turn, so that it rests"
    for window, again in {(p.window, p.repeat) for p in patches if p.at_s is not None}:
        held = [p.at_s for p in patches if p.at_s is not None and (p.window, p.repeat) == (window, again)]
        assert held == sorted(held), "what is held is read as time goes by"
    levels = [p.level for p in patches if p.level is not None]
    assert levels == sorted(levels, reverse=True)
    first_moved = next(i for i, p in enumerate(patches) if p.level is not None)
    assert first_moved > max(plain), "the control is left alone until all plain patches are read"
    last_moved = max(i for i, p in enumerate(patches) if p.level is not None)
    loading = [i for i, p in enumerate(patches) if p.level is None and (p.window > 0.1 or p.at_s is not None)]
    assert min(loading) > last_moved, "what loads the panel comes after the ladder, which it would dim"


def greys(units, habits, levels=(1.0, 0.8, 0.6, 0.4, 0.2), **runner):
    file = parse_unit(units[PHONE])
    bench = simulated_bench(file, SimulatedClock())
    setup = SetupState(1, "Faithful", "Faithful", file.defaults(file.modes[0]), "Screen > Brightness")
    notes = Notes([RunnerStep(i, setup, Patch((v,) * 3)) for i, v in enumerate(levels)])
    return bench, notes, Runner(bench, notes, habits, **runner)


def test_an_odd_reading_is_read_again_and_all_attempts_are_kept(units):
    bench, notes, runner = greys(units, PANEL_TIMINGS["lcd"])
    notes.on_commit = lambda: setattr(bench.meter, "fault", "glitch") if len(notes.done) == 2 else None
    assert runner.work() == "done"
    # 12 % too bright does not reach the neighbour at 80 %, so make the steps small enough that it does.
    bench, notes, runner = greys(units, PANEL_TIMINGS["lcd"], (1.0, 0.99, 0.98, 0.97, 0.96))
    notes.on_commit = lambda: setattr(bench.meter, "fault", "glitch") if len(notes.done) == 2 else None
    assert runner.work() == "done"
    assert [(n, attempt) for n, _, attempt in notes.again] == [(2, 2), (2, 3)]
    first = notes.done[2][2].XYZ[1]
    assert all(first > 1.1 * reading.XYZ[1] for _, reading, _ in notes.again)


def test_emissive_panels_rest_and_a_reference_white_watches_drift(units):
    from dataclasses import replace

    shown = []
    bench, notes, runner = greys(
        units, replace(PANEL_TIMINGS["oled"], rest_every=2, reference_every_s=3.0), (0.9, 0.7, 0.5, 0.3) * 4
    )
    real = bench.source.show

    def show(patch):
        shown.append(patch)
        real(patch)

    bench.source.show = show
    assert runner.work() == "done"
    own = [p for p in shown if p in {s.patch for s in notes.steps}]
    rests = [i for i, p in enumerate(shown) if p == REST]
    assert len(own) >= 16 and len(rests) >= 7
    references = [Y for kind, Y, _ in notes.seen if kind == "reference"]
    assert len(references) >= 3 and max(references) / min(references) < 1.02


def test_a_cold_unit_is_warmed_up_until_it_is_steady(units):
    import json

    document = json.loads(units[PHONE])
    document["behaviour"] |= {"warm_up_depth": 0.12, "warm_up_tau_s": 500.0}
    file = parse_unit(json.dumps(document))
    bench = simulated_bench(file, SimulatedClock())
    setup = SetupState(1, "Faithful", "Faithful", file.defaults(file.modes[0]), "Screen > Brightness")
    notes = Notes([RunnerStep(0, setup, Patch((1.0,) * 3))])
    assert Runner(bench, notes, PANEL_TIMINGS["lcd"], warm_up=True).work() == "done"
    warm = [(t, Y) for kind, Y, t in notes.seen if kind == "warm_up"]
    assert notes.is_warm and warm[-1][0] > 1000
    before = min(warm, key=lambda w: abs(w[0] - (warm[-1][0] - 600)))
    assert abs(warm[-1][1] / before[1] - 1) < 0.012
    assert any("over ten minutes" in message for _, message in notes.states)
    assert notes.done[0][3] > warm[-1][0], "nothing is measured before"


@pytest.mark.parametrize(("warm", "change", "asked"), [(True, 1.07, True), (False, 1.07, False), (False, 1.2, True)])
def test_white_of_a_cold_unit_may_differ_more_but_not_by_anything(units, warm, change, asked):
    _bench, notes, runner = greys(units, PANEL_TIMINGS["lcd"])
    assert runner.work() == "done"
    [(_, signature, _)] = notes.signatures
    file = parse_unit(units[PHONE])
    then = tuple(tuple(change * v for v in XYZ) for XYZ in signature)
    setup = SetupState(1, "Faithful", "Faithful", file.defaults(file.modes[0]), "Screen > Brightness", then)
    notes = Notes([RunnerStep(0, setup, Patch((1.0,) * 3))])
    runner = Runner(simulated_bench(file, SimulatedClock(), seed=5), notes, PANEL_TIMINGS["lcd"], warm=warm)
    thread = in_thread(runner)
    while not any(state in ("paused", "done") for state, _ in notes.states):
        assert notes.told.wait(5)
        notes.told.clear()
    assert (notes.states[-1][0] == "paused") == asked
    if asked:
        runner.stop()
    thread.join(5)


def test_a_setup_that_looks_different_is_asked_about_once(units):
    _bench, notes, runner = greys(units, PANEL_TIMINGS["lcd"])
    assert runner.work() == "done"
    [(_, signature, changed)] = notes.signatures
    assert not changed

    def again(values, warm=True):
        file = parse_unit(units[PHONE])
        bench = simulated_bench(file, SimulatedClock(), seed=5)
        setup = SetupState(
            1, "Faithful", "Faithful", file.defaults(file.modes[0]) | values, "Screen > Brightness", signature
        )
        notes = Notes([RunnerStep(0, setup, Patch((1.0,) * 3))])
        return notes, Runner(bench, notes, PANEL_TIMINGS["lcd"], warm=warm)

    notes, runner = again({})
    assert runner.work() == "done" and notes.signatures[0][2] is False
    for values in ({"Screen > Brightness": 66}, {"Screen > Tone > Blue": 88}):
        notes, runner = again(values)
        thread = in_thread(runner)
        while not any(state == "paused" for state, _ in notes.states):
            assert notes.told.wait(5)
            notes.told.clear()
        assert "Did a setting change?" in notes.states[-1][1] and notes.done == []
        runner.resume()
        thread.join(5)
        assert len(notes.done) == 1 and notes.signatures[-1][2] is True
