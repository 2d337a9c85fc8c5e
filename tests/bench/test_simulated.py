"""The simulated display behaves like one, and the analysis finds the truth that was put in."""

import json

import numpy as np
import pytest

from lumenar.bench.ports import BelowFloorError, NotConnectedError, RefusedError, TimedOutError
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import COLORIMETER, noisy
from lumenar.bench.simulated.shaping import turned
from lumenar.bench.simulated.unit_controls import UnitControl
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.colour import gamut, spaces
from lumenar.core.readings.patches import Patch

from ..conftest import MONITOR, PHONE

WHITE = np.ones(3)


@pytest.fixture
def monitor(units):
    return SimulatedUnit(parse_unit(units[MONITOR]))


@pytest.fixture
def phone_unit(units):
    return SimulatedUnit(parse_unit(units[PHONE]))


def test_native_white_is_as_the_file_says(monitor):
    monitor.select("Arena")
    XYZ = monitor.XYZ(WHITE)
    assert XYZ[1] == pytest.approx(338, rel=1e-3)
    assert spaces.XYZ_to_xy(XYZ) == pytest.approx([0.2985, 0.3105], abs=1e-4)


def test_emissive_black_is_dark_and_a_liquid_crystal_leaks(monitor, phone_unit):
    assert monitor.XYZ(np.zeros(3))[1] == 0
    leak = phone_unit.XYZ(np.zeros(3))[1] / phone_unit.XYZ(WHITE)[1]
    assert 1 / 2000 < leak < 1 / 1000


def test_a_clamp_makes_the_primaries_of_its_space(monitor):
    monitor.select("Studio")
    primaries = spaces.XYZ_to_uv(monitor.XYZ(np.eye(3)))
    wanted = spaces.xy_to_uv(np.array(spaces.BT709.primaries))
    assert np.abs(primaries - wanted).max() < 0.004
    monitor.select("Arena")
    assert gamut.area_percent(spaces.XYZ_to_uv(monitor.XYZ(np.eye(3))), wanted) > 130


def test_light_follows_the_control_and_only_where_its_scope_says(monitor, phone_unit):
    monitor.select("Matinee")
    before = monitor.XYZ(WHITE)[1]
    monitor.apply("Picture > Light", 100)
    assert monitor.XYZ(WHITE)[1] > before * 1.8
    monitor.select("Paper")
    assert monitor.values["Paper"]["Picture > Light"] == 50, "scope is one mode"
    phone_unit.apply("Screen > Brightness", 10)
    phone_unit.select("Lively")
    assert phone_unit.values["Lively"]["Screen > Brightness"] == 10, "scope is the whole unit"


def test_gains_bend_white_and_locks_are_obeyed(monitor):
    monitor.select("Daybreak")
    before = spaces.XYZ_to_xy(monitor.XYZ(WHITE))
    monitor.apply("Picture > White > Blue gain", 80)
    assert spaces.XYZ_to_xy(monitor.XYZ(WHITE))[0] > before[0] + 0.005
    monitor.select("Paper")
    with pytest.raises(RefusedError, match="locked in the mode Paper"):
        monitor.apply("Picture > White > Blue gain", 80)
    with pytest.raises(RefusedError, match=r"outside 0\.\.100"):
        monitor.apply("Picture > Light", 101)
    with pytest.raises(RefusedError, match="no entry"):
        monitor.apply("Picture > Sparkle", 1)
    with pytest.raises(RefusedError, match="no mode"):
        monitor.select("Cinema")


def test_the_panel_has_steps(units):
    file = json.loads(units[PHONE])
    file["light"]["panel_bits"] = 6
    unit = SimulatedUnit(parse_unit(json.dumps(file)))
    unit.select("Lively")
    Y = unit.XYZ(np.repeat(np.linspace(0, 1, 256)[:, None], 3, axis=1))[:, 1]
    assert np.all(np.diff(Y) >= -1e-9)
    assert len(np.unique(unit.drive(np.repeat(np.linspace(0, 1, 256)[:, None], 3, axis=1))[:, 1])) <= 64


def test_noise_is_what_the_meter_says():
    XYZ = np.tile([95.0, 100.0, 109.0], (20_000, 1))
    got = noisy(XYZ, COLORIMETER, np.random.default_rng(5))
    assert got.std(axis=0) / XYZ[0] == pytest.approx(COLORIMETER.repeatability, rel=0.03)
    assert got.mean(axis=0) == pytest.approx(XYZ[0], rel=1e-4)
    dark = noisy(np.full((20_000, 3), 0.02), COLORIMETER, np.random.default_rng(5))
    assert dark.std() / 0.02 > 5 * COLORIMETER.repeatability, "the noise grows in the dark"


def reading(units, speed=0.0, rgb=(0.5, 0.5, 0.5), seed=None, name=MONITOR):
    bench = simulated_bench(parse_unit(units[name]), SimulatedClock(speed), seed)
    bench.source.show(Patch(rgb))
    return bench, bench.meter.read()


def test_readings_repeat_exactly_for_a_seed_and_take_time(units):
    one, two, other = (reading(units, seed=s)[1] for s in (1, 1, 2))
    assert one == two != other
    bench, bright = reading(units, rgb=(1, 1, 1))
    assert bench.clock.now() == pytest.approx(bright.exposure_s) == pytest.approx(0.4)
    assert reading(units, rgb=(0.02,) * 3, name=PHONE)[1].exposure_s > 1


def test_the_meter_fails_as_real_ones_do(units):
    bench, _ = reading(units)
    bench.source.show(Patch((0, 0, 0)))
    with pytest.raises(BelowFloorError):
        bench.meter.read()
    bench.meter.fault = "time-out"
    with pytest.raises(TimedOutError):
        bench.meter.read()
    bench.meter.fault = "unplugged"
    with pytest.raises(NotConnectedError):
        bench.meter.read()


def test_the_analysis_finds_the_gamut_that_was_put_in(app, bench, measured, units):
    from lumenar.app.board import board

    unit = SimulatedUnit(parse_unit(units[PHONE]))
    for row in board.board(app, measured).rows:
        if row.signal != "sdr":
            continue
        unit.select(row.name)
        black = unit.XYZ(np.zeros(3))
        assert black[1] > 0
        triangle = spaces.XYZ_to_uv(unit.XYZ(np.eye(3)))
        true = float(gamut.coverage_percent(triangle, spaces.xy_to_uv(np.array(spaces.P3_D65.primaries))))
        figure = next(f for c in row.cells for f in c.figures if f.figure == "coverage_p3_uv_percent")
        assert abs(figure.raw - true) < 4 * figure.uncertainty
        white = next(f for c in row.cells for f in c.figures if f.figure == "white_cd_m2")
        assert abs(white.raw - unit.XYZ(WHITE)[1]) < 4 * white.uncertainty


# -- curves, shadows, tables of points and six hues ------------------------------------------------------------------


def greys(unit, levels):
    """Luminance (n,) of greys beside white."""
    V = np.repeat(np.asarray(levels, float)[:, None], 3, axis=1)
    return unit.XYZ(V)[:, 1] / unit.XYZ(WHITE)[1]


@pytest.fixture
def television(units):
    unit = SimulatedUnit(parse_unit(units["carrow-meridian-65.json"]))
    unit.select("Parlour")
    return unit


def test_a_curve_control_bends_the_middle_and_leaves_the_ends(television):
    soft, standard, deep = [], [], []
    for choice, kept in (("Soft", soft), ("Standard", standard), ("Deep", deep)):
        television.apply("Image > Curve", choice)
        kept += [greys(television, [0.25, 0.5])[1], television.XYZ(WHITE)[1]]
    assert soft[0] > 1.08 * standard[0] > 1.15 * deep[0]
    assert soft[1] == pytest.approx(standard[1]) == pytest.approx(deep[1])
    gamma = np.log(deep[0]) / np.log(standard[0])
    assert gamma == pytest.approx(2.42 / 2.2, rel=0.01), "as the file says, beside the mode's own"


def test_a_shadow_control_lifts_the_dark_alone(television):
    before = greys(television, [0.05, 0.1, 0.6])
    black = television.XYZ(np.zeros(3))[1]
    television.apply("Image > Shadow detail", 5)
    after = greys(television, [0.05, 0.1, 0.6])
    assert after[0] > 1.15 * before[0] and after[1] > 1.1 * before[1]
    assert after[2] == pytest.approx(before[2], rel=0.005) and television.XYZ(np.zeros(3))[1] == black


def test_a_point_of_a_table_moves_its_level_and_a_little_of_its_neighbours(television):
    levels = np.array([0.3, 0.4, 0.45, 0.5, 0.8])
    V = np.repeat(levels[:, None], 3, axis=1)
    before = television.amounts(V)
    television.apply("Image > White balance > Points > 40 % > Red", 50)
    moved = television.amounts(V) / before
    assert moved[1, 0] > 1.1 and 1 < moved[2, 0] < moved[1, 0]
    assert moved[[0, 4], 0] == pytest.approx(1, abs=0.02) and moved[:, 1:] == pytest.approx(1, abs=1e-9)


def test_a_control_of_a_hue_moves_that_hue_and_leaves_greys(television):
    colours = {"red": (1, 0, 0), "yellow": (1, 1, 0), "cyan": (0, 1, 1), "grey": (0.5, 0.5, 0.5), "pale": (1, 0.7, 0.7)}
    V = np.array([*colours.values()], float)
    before = television.XYZ(V)
    for part in ("Hue", "Saturation", "Lightness"):
        television.apply(f"Image > Hues > Red > {part}", -20)
        moved = dict(zip(colours, np.abs(television.XYZ(V) / before - 1).max(axis=1), strict=True))
        assert moved["red"] > 0.02 and moved["grey"] < 1e-9 and moved["cyan"] < 1e-9, part
        assert moved["yellow"] < 0.02 * moved["red"] + 1e-9
        television.apply(f"Image > Hues > Red > {part}", 0)
    assert television.XYZ(V) == pytest.approx(before)


def test_hue_turns_and_comes_back_all_the_way_round():
    rng = np.random.default_rng(3)
    rgb = rng.uniform(0, 1, (200, 3))
    every = [
        (
            UnitControl(path=a, kind="slider", minimum=-99, maximum=99, default=0, effect="hue", axis=a, amount=0.01),
            50.0,
        )
        for a in ("red", "yellow", "green", "cyan", "blue", "magenta")
    ]
    out = rgb
    for _ in range(12):
        # Half of the way to the next hue each time: twelve of them are once round.
        out = turned(out, every)
    assert out == pytest.approx(rgb, abs=1e-9)
    once = turned(rgb, every)
    assert once.max(axis=1) == pytest.approx(rgb.max(axis=1)) and once.min(axis=1) == pytest.approx(rgb.min(axis=1))
    assert np.abs(once - rgb).max() > 0.2


@pytest.mark.parametrize(("effect", "grows"), [("axis_saturation", "saturation"), ("axis_lightness", "top")])
def test_a_step_up_makes_a_hue_more_saturated_or_lighter_and_never_more_than_pure(effect, grows):
    control = UnitControl(
        path="a", kind="slider", minimum=-99, maximum=99, default=0, effect=effect, axis="red", amount=0.01
    )
    rgb = np.array([[0.5, 0.3, 0.3], [0.5, 0.0, 0.0]])

    def of(colours):
        top = colours.max(axis=-1)
        return 1 - colours.min(axis=-1) / top if grows == "saturation" else top

    more, less = (turned(rgb, [(control, v)]) for v in (20.0, -20.0))
    assert of(more)[0] > 1.05 * of(rgb)[0] > 1.1 * of(less)[0]
    assert more.min() >= 0 and (of(more)[1] <= 1)


def test_a_mix_adds_to_its_channel_where_its_hue_is(monitor):
    monitor.select("Studio")
    before = monitor.amounts(np.array([[1.0, 1.0, 0.0], [0.0, 0.0, 1.0]]))
    monitor.apply("Picture > Six hues > Yellow > Green", 20)
    after = monitor.amounts(np.array([[1.0, 1.0, 0.0], [0.0, 0.0, 1.0]]))
    assert after[0, 1] < 0.97 * before[0, 1] and after[1] == pytest.approx(before[1])


@pytest.mark.parametrize(
    ("control", "reason"),
    [
        ({"kind": "choice", "choices": ["a", "b"], "default": "a", "effect": "tone"}, "a number for each of"),
        ({"kind": "choice", "choices": ["a", "b"], "default": "a", "effect": "tone", "by_choice": {"a": 2, "b": 9}}, "0.2 and 5"),
        ({"kind": "slider", "default": 0, "effect": "point", "channel": "red"}, "needs a level"),
        ({"kind": "slider", "default": 0, "effect": "hue"}, "needs an axis"),
        ({"kind": "slider", "default": 0, "effect": "mix", "axis": "red"}, "needs a channel"),
        ({"kind": "switch", "default": "on", "effect": "hue", "axis": "red"}, "has numbers or notches"),
    ],
)  # fmt: skip
def test_an_effect_that_says_too_little_is_refused(units, control, reason):
    document = json.loads(units[MONITOR])
    document["controls"].append({"path": "New", **control})
    with pytest.raises(ValueError, match=reason):
        parse_unit(json.dumps(document))
