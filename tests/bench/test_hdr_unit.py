"""What a stand-in makes of PQ and HLG."""

import json

import numpy as np
import pytest

from lumenar.bench.drivers.simulated import arrive
from lumenar.bench.ports import RefusedError, Wanted
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.core.colour import spaces, transfer
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Metadata, SignalFormat

from ..conftest import MONITOR

PQ10 = SignalFormat("pq", "full", 10)


@pytest.fixture
def unit_of(units):
    """A monitor with one HDR mode besides its own."""

    def make(mode=None, **tone_map):
        document = json.loads(units[MONITOR])
        document["modes"] = [m for m in document["modes"] if m.get("signal", "sdr") == "sdr"]
        document["modes"].append(
            {"name": "Glow", "signal": "pq", "target": "bt2020_pq", "tone_map": {"gain": 3.0, **tone_map},
             "defaults": {"Picture > Light": 100}, **(mode or {})}
        )  # fmt: skip
        unit = SimulatedUnit(parse_unit(json.dumps(document)))
        unit.select("Glow")
        return unit

    return make


def grey(unit, V):
    return unit.XYZ((V, V, V))


def test_a_mode_that_clips_follows_pq_to_its_peak_in_the_targets_white(unit_of):
    unit = unit_of()
    for V in (0.2, 0.4, 0.58, 0.65):
        XYZ = grey(unit, V)
        assert XYZ[1] == pytest.approx(float(transfer.pq(round(V * 1023) / 1023)), rel=0.01)
        assert spaces.XYZ_to_xy(XYZ) == pytest.approx(spaces.D65_XY, abs=0.002)
    assert grey(unit, 1.0)[1] == pytest.approx(unit.believed_peak, rel=0.01)
    assert unit.believed_peak == pytest.approx(3 * 338, rel=0.15)


@pytest.mark.parametrize(("metadata", "follows"), [("obeyed", "mastering"), ("maxcll", "max_cll"), ("ignored", "")])
def test_metadata_are_followed_by_who_obeys_them(unit_of, metadata, follows):
    unit = unit_of(kind="rolloff", metadata=metadata, mastering_cd_m2=1000)

    def at(V, sent):
        unit.receive(SignalFormat("pq", "full", 10, metadata=sent))
        return float(grey(unit, V)[1])

    none, bright, pixel = (at(0.72, m) for m in (None, Metadata(4000), Metadata(1000, max_cll=4000)))
    assert (bright < none * 0.97) == (follows in ("mastering", "max_cll"))
    assert (pixel < none * 0.97) == (follows == "max_cll")


def test_a_table_bends_and_a_cap_caps(unit_of):
    plain = float(grey(unit_of(), 0.5)[1])
    assert float(grey(unit_of(table=[[0, 0], [0.5, 0.55], [1, 1]]), 0.5)[1]) > plain * 1.4
    assert float(grey(unit_of(peak_cd_m2=400), 1.0)[1]) == pytest.approx(400, rel=0.01)


def test_colours_are_cut_at_the_clamp_and_pale_towards_the_peak(unit_of):
    red = (0.5, 0.0, 0.0)
    wide, narrow = (spaces.XYZ_to_uv(u.XYZ(red)) for u in (unit_of(), unit_of({"clamp": "bt709"})))
    grey_uv = spaces.XYZ_to_uv(grey(unit_of(), 0.5))
    assert np.linalg.norm(narrow - grey_uv) < np.linalg.norm(wide - grey_uv) - 0.02
    bright = (0.75, 0.6, 0.6)
    full, pale = (spaces.XYZ_to_uv(u.XYZ(bright)) for u in (unit_of(), unit_of(desaturate=0.8)))
    assert np.linalg.norm(pale - grey_uv) < np.linalg.norm(full - grey_uv) * 0.6
    dark = (0.4, 0.3, 0.3)
    assert unit_of(desaturate=0.8).XYZ(dark) == pytest.approx(unit_of().XYZ(dark))


def test_the_panel_is_driven_otherwise_in_hdr(unit_of):
    unit = unit_of(area_limit=[[0, 1], [0.1, 0.5], [1, 0.3]], load_depth=0.2, load_tau_s=10)
    assert unit.panel.behaviour.load_depth == 0.2
    unit.select("Arena")
    assert unit.panel.behaviour == unit.behaviour and grey(unit, 1.0)[1] == pytest.approx(338, rel=0.01)
    unit.reset()
    assert unit.mode.name == "Studio"


def test_the_signal_decides_which_modes_there_are(unit_of):
    unit = unit_of()
    bench = simulated_bench(unit.file, SimulatedClock(), 1)
    bench.enter(Wanted("Glow", {}), PQ10)
    with pytest.raises(RefusedError, match="Arena is a mode for SDR, and PQ is sent"):
        bench.enter(Wanted("Arena", {}), PQ10)
    bench.source.show(Patch((1.0, 1.0, 1.0)))
    assert bench.meter.read().XYZ[1] > 700
    bench.enter(Wanted("Arena", {}), SignalFormat("sdr", "full", 10))
    with pytest.raises(RefusedError, match="no HLG"):
        bench.enter(Wanted("Glow", {}), SignalFormat("hlg", "full", 10))
    # Another signal takes the unit out of the mode it was in, and back to where its menu begins for it.
    unit.receive(PQ10)
    assert unit.mode.name == "Glow"
    unit.receive(SignalFormat("sdr", "full", 10))
    assert unit.mode.name == "Studio"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"signal": "sdr", "target": "srgb", "curve": "srgb"}, "a tone map is for PQ and HLG"),
        ({"target": "srgb"}, "is for sdr, the mode is pq"),
        ({"matrix": [[1, 0, 0], [0, 1, 0], [0, 0, 1]]}, "its light is absolute"),
        ({"tone_map": {"area_limit": [[0, 0.5], [1, 0.9]]}}, "area_limit is not monotone"),
        ({"tone_map": {"table": [[0, 0], [1, 0.9]]}}, None),
        ({"tone_map": {"table": [[0.1, 0], [1, 0.9]]}}, "must run from input 0 to 1"),
    ],
)
def test_a_mode_that_makes_no_sense_is_refused_by_name(units, change, says):
    document = json.loads(units[MONITOR])
    mode = {"name": "Glow", "signal": "pq", "target": "bt2020_pq", "tone_map": {}, **change}
    document["modes"].append(mode)
    if says is None:
        assert arrive(json.dumps(document), "unit.json")
        return
    with pytest.raises(UnitFileError, match=says):
        parse_unit(json.dumps(document), "unit.json")
