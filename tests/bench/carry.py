"""Carrying a measurement out on the simulated bench, without a database."""

import json

import numpy as np

from lumenar.bench.panel_timing import PANEL_TIMINGS, PanelTiming
from lumenar.bench.plan import Cell, plan_run
from lumenar.bench.runner import Runner
from lumenar.bench.runner_port import RunnerStep, SetupState
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.meter import COLORIMETER
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.analysis import analyse
from lumenar.core.measurements import Context
from lumenar.core.readings.collecting import collect
from lumenar.core.targets import TARGETS

from .test_runner import Notes


def unit(text, light=None, behaviour=None, **mode):
    """A unit file with its first mode, light and behaviour changed."""
    document = json.loads(text)
    document["light"] |= light or {}
    document["behaviour"] = behaviour or {}
    document["modes"][0] |= mode
    document["samples"] = []
    return parse_unit(json.dumps(document))


def context_of(file, **more):
    mode = file.modes[0]
    return Context(
        luminance_levels=file.luminance_levels(mode), target=TARGETS[mode.target], bits=file.light.input_bits,
        modulation_levels=file.modulation_levels(mode), **more,
    )  # fmt: skip


def carry_out(file, measurement, context=None, habits: PanelTiming | None = None, seed=1):
    """Readings of one measurement in the unit's first mode, by a real runner with an ideal colorimeter."""
    habits = habits or PANEL_TIMINGS[file.panel]
    plan = plan_run(
        [Cell(1, measurement)], lambda _: context or context_of(file), habits, lambda _, patches: [0.5] * len(patches)
    )
    luminance = file.luminance_control
    state = SetupState(1, "It", file.modes[0].name, file.defaults(file.modes[0]), luminance.path if luminance else None)
    notes = Notes([RunnerStep(i, state, p.patch) for i, p in enumerate(plan.patches)])
    bench = simulated_bench(file, SimulatedClock(start=36_000.0), seed, ideal=True)
    assert Runner(bench, notes, habits).work() == "done", notes.states
    XYZ = np.array([r.XYZ if r else (np.nan,) * 3 for _, _, r, _ in notes.done])
    below = np.array([outcome == "below_floor" for _, outcome, _, _ in notes.done])
    traces = [r.trace if r else None for _, _, r, _ in notes.done]
    times = np.array([t for *_, t in notes.done])
    limits = COLORIMETER.limits
    return collect([notes.steps[n].patch for n, *_ in notes.done], XYZ, below, limits, times, traces), bench


def figures(file, measurement, **options):
    """The analysis of a measurement that was carried out, and the bench it was carried out on."""
    readings, bench = carry_out(file, measurement, **options)
    return analyse(measurement, readings, TARGETS[file.modes[0].target]), bench
