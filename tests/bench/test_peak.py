"""The peak of an emissive panel that every reading tires: planned so that its bursts are true."""

import numpy as np
import pytest

from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.plan import Cell, plan_run
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS, Context, MissingPatchError
from lumenar.core.measurements.peak import WINDOWS
from lumenar.core.readings.patches import Patch
from lumenar.core.targets import TARGETS

from ..conftest import MONITOR
from .carry import carry_out, context_of, figures, unit

AREA = [[0, 1], [0.03, 1], [0.1, 0.8], [0.25, 0.55], [0.5, 0.4], [1, 0.28]]


@pytest.fixture
def tired(units):
    """A panel that a minute of light takes a quarter of its light from."""
    return unit(
        units[MONITOR], signal="pq", target="bt2020_pq", clamp=None, curve_table=None, white_gains=[1, 1, 1],
        tone_map={"gain": 3.0, "area_limit": AREA, "load_depth": 0.25, "load_tau_s": 45.0},
        defaults={"Picture > Light": 100},
    )  # fmt: skip


def truth(file, window, seconds=1.0):
    """What a window of white reaches on a rested panel after a second."""
    true = SimulatedUnit(file)
    patch = Patch((1.0, 1.0, 1.0), window)
    true.show(Patch((0.0, 0.0, 0.0)), 100_000.0)
    true.show(patch, 200_000.0)
    return float((true.seen(patch, 200_000.0 + seconds) @ true.channel_XYZ)[1])


def test_the_planned_order_reads_the_peak_and_the_naive_one_does_not(tired):
    a, _ = figures(tired, "peak")
    true = np.array([truth(tired, w) for w in WINDOWS])
    planned = np.abs(a.figures["burst_cd_m2"] / true - 1)
    assert planned.max() < 0.01, planned
    assert float(a.figures["peak_cd_m2"]) == pytest.approx(true.max(), rel=0.01)
    # Bright to dark without a rest: the whole screen first, the smallest window last.
    naive, now = SimulatedUnit(tired), 100_000.0
    read = []
    for w in WINDOWS[::-1]:
        patch = Patch((1.0, 1.0, 1.0), w)
        naive.show(patch, now)
        read.append(float((naive.seen(patch, now + 1) @ naive.channel_XYZ)[1]))
        now += 60
    assert (1 - np.array(read[::-1]) / true).max() > 0.05


def test_what_is_held_is_what_is_left(tired):
    f = figures(tired, "peak")[0].figures
    for i, w in enumerate(WINDOWS):
        assert f["sustained_cd_m2"][i] == pytest.approx(truth(tired, w, 120.0), rel=0.02)
    # The load follows the light of the whole screen, which a small window hardly changes.
    assert float(f["lost_percent"]) < 1 and f["sustained_cd_m2"][-1] < 0.85 * f["burst_cd_m2"][-1]
    assert float(f["sustained_full_cd_m2"]) == f["sustained_cd_m2"][-1]
    assert float(f["burst_10_cd_m2"]) == f["burst_cd_m2"][list(WINDOWS).index(0.1)]


def test_bursts_come_before_holds_and_rests_are_counted(tired):
    context = context_of(tired)
    plan = plan_run([Cell(1, "peak")], lambda _: context, PANEL_TIMINGS["oled"], lambda _, p: [0.5] * len(p))
    order = [p.patch for p in plan.patches]
    bursts = [p for p in order if p.at_s <= 2]
    assert order[: len(bursts)] == bursts and [p.window for p in bursts[::2]] == list(WINDOWS)
    held = [p for p in order if p.at_s > 2]
    assert [p.window for p in held] == sorted(p.window for p in held)
    # As long as it really takes on the bench, but for the signature's readings.
    _, bench = carry_out(tired, "peak")
    assert bench.clock.now() - 36_000 == pytest.approx(plan.seconds, rel=0.05)


def test_a_peak_can_be_asked_to_be_short_and_names_what_it_lacks(tired):
    context = context_of(tired, peak_s=10.0)
    assert max(p.at_s for p in MEASUREMENTS["peak"].patches(context)) == 10
    readings, _ = carry_out(tired, "peak", context=context)
    assert float(analyse("peak", readings, TARGETS["bt2020_pq"]).figures["held_s"].max()) == 10
    one = readings.take(np.flatnonzero(readings.window == 0.1))
    with pytest.raises(MissingPatchError, match="at least 2 windows"):
        analyse("peak", one, TARGETS["bt2020_pq"])
    assert len(MEASUREMENTS["peak"].patches(Context())) == 49
