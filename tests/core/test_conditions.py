"""Behaviour under conditions: the order of states, exact tests against a repeated baseline, words and promises."""

import re
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenar.core.colour.spaces import BT709
from lumenar.core.experiments import promises, significance
from lumenar.core.experiments.base import StageRead
from lumenar.core.experiments.condition_results import StateResult
from lumenar.core.experiments.conditions import Conditions, Factor, LightState
from lumenar.core.experiments.patch_sets import FEW, WHOLE
from lumenar.core.experiments.promises import Promise, in_light, meant, said_of
from lumenar.core.experiments.significance import PLACES, Baselines, Test, components, least_told
from lumenar.core.experiments.visible_effects import GREYS, short_set
from lumenar.core.tuning.base import Noise

NOISE = Noise(0.002, 0.0005)
DARK, LAMP, DAY = LightState("dark", 0.0), LightState("lamp", 50.0), LightState("daylight", 500.0)


def planned(lights=(DARK, LAMP, DAY), levels=(2, 2), baselines=6, **more):
    factors = tuple(Factor(f"Room > F{i}", ("off", *map(str, range(1, n)))) for i, n in enumerate(levels))
    return Conditions("M", "sdr", {}, lights, factors, NOISE, baselines, **more)


def display(rgb, gain=1.0, lift=0.0, paler=0.0):
    """A display of gamma 2.2 and 150 cd/m2."""
    V = np.clip(np.asarray(rgb) + lift * np.asarray(rgb) * (1 - np.asarray(rgb)), 0, 1) ** 2.2
    V = V + paler * (V.mean() - V)
    return gain * (0.03 * BT709.matrix.sum(axis=1) + 150 * (BT709.matrix @ V))


def reading(x, rng, does=lambda key: {}, drift=0.0, stray=lambda light: 0.0, noise=1.0):
    """What a meter reads of every step. does: what the display does in a state; drift: share of light a step."""
    reads = []
    for i, step in enumerate(x.steps):
        patches = x.stages[i].patches
        kept = {"gain": 1.0, **does(step.key)}
        kept["gain"] *= 1 + drift * i
        XYZ = np.array([np.zeros(3) if step.kind == "stray" else display(p.rgb, **kept) for p in patches])
        XYZ = XYZ + stray(step.key[0]) * BT709.matrix.sum(axis=1)
        common = NOISE.repeatability * np.sqrt(0.5)
        XYZ = XYZ * (1 + noise * common * (rng.standard_normal((len(XYZ), 1)) + rng.standard_normal(XYZ.shape)))
        reads.append(StageRead(XYZ + noise * NOISE.absolute * rng.standard_normal(XYZ.shape)))
    return reads


# -- the order ---------------------------------------------------------------------------------------------------------


@given(st.integers(1, 5), st.lists(st.integers(2, 4), min_size=1, max_size=3), st.integers(3, 12), st.integers(0, 1000))
@settings(max_examples=60, deadline=None)
def test_every_state_once_the_baseline_first_in_the_middle_and_last_and_few_changes_of_light(lights, levels, n, seed):
    x = planned(tuple(LightState(f"light {i}", 10.0 * i) for i in range(lights)), tuple(levels), n, seed=seed)
    kinds = [s.kind for s in x.steps if s.kind != "stray"]
    assert sorted(s.key for s in x.steps if s.kind == "state") == sorted(x.keys)
    assert len(x.keys) == lights * int(np.prod(levels)) - 1
    assert kinds.count("baseline") == max(n, 2 if lights > 1 else 1)
    assert kinds[0] == kinds[-1] == "baseline"
    # The baseline's light is left once for each half of the others, and they are lit once each.
    assert x.changes_of_light == (0 if lights == 1 else lights + (1 if lights > 2 else 0))
    visits = [k for k, other in pairwise([s.key[0] for s in x.steps] + [-1]) if k != other]
    assert all(visits.count(i) == 1 for i in range(1, lights))
    if len(kinds) > 8 and n >= 3:
        fifth = len(kinds) // 5
        assert "baseline" in kinds[fifth : 4 * fifth + 1]


@pytest.mark.parametrize(
    ("light", "said"),
    [
        (LightState("dark", 0.0), "in the dark"),
        (LightState("50 lux", 50.0), "at 50 lux"),
        (LightState("torch", 30.0), "with torch (30 lux)"),
        (LightState("torch at 30 lux", 30.0), "with torch at 30 lux"),
        (LightState("torch"), "with torch"),
    ],
)
def test_a_light_is_told_by_its_name_or_its_lux(light, said):
    assert in_light(light) == said


def test_the_plan_says_what_is_done_and_what_is_read_of_the_room():
    x = planned((DARK, LightState("torch, 30 cm")), (2,))
    words = [[a.words for a in s.acts] for s in x.stages]
    assert words[0] == ["mode M", "light: dark, 0 lux", "display on", "Room › F0 to off"]
    torch = next(i for i, s in enumerate(x.stages) if "torch" in s.title)
    assert words[torch] == ["light: torch, 30 cm", "display off"] and len(x.stages[torch].patches) == 3
    assert "display on" in words[torch + 1]
    assert [a.words for a in x.back][:2] == ["display on", "light: dark, 0 lux"]
    # In the dark nothing is read of the room.
    assert sum(s.kind == "stray" for s in x.steps) == 1


def test_each_control_alone_is_fewer_states():
    every = planned(levels=(3, 2))
    chosen = tuple(k for k in every.keys if sum(map(bool, k[1:])) <= 1)
    assert len(planned(levels=(3, 2), chosen=chosen).keys) == 3 * 4 - 1 < len(every.keys)


# -- what is measurable ------------------------------------------------------------------------------------------------


def test_what_was_chosen_is_read_and_two_of_which_none_was_read_alone_are_told_of_as_two():
    x = planned(chosen=((0, 1, 1), (1, 0, 1)))
    assert [s.key for s in x.steps if s.kind == "state"] == [(0, 1, 1), (1, 0, 1)]

    def does(key):
        return {"gain": 0.7 if key[1] and key[2] else 1.0}

    said = x.explain(reading(x, np.random.default_rng(2), does)).sentence
    assert said.startswith("F1: none measurable.")
    assert re.search(r"F0 1 \+ F1 1 dims white by 30 % in the dark\.$", said)


def test_light_alone_is_told_of_where_no_control_is_tried():
    x = planned(levels=())
    reads = reading(x, np.random.default_rng(3), lambda key: {"gain": (1.0, 0.8, 1.0)[key[0]]})
    said = x.explain(reads).sentence
    assert said == "With lamp (50 lux): dims white by 20 %. With daylight (500 lux): nothing measurable."


def test_features_are_named_with_the_light_they_work_in_and_nothing_else_is():
    x = planned(
        baselines=8,
        promises=(Promise("Room > F0", "does nothing in the dark"), Promise("Room > F0", "dims in a dim room")),
    )

    def does(key):
        dims = {0: 0.62, 1: 0.83, 2: 1.0}[key[0]] if key[1] else 1.0
        return {"gain": dims, "lift": 0.25 if key[2] and key[0] == 2 else 0.0}

    e = x.explain(reading(x, np.random.default_rng(1), does, stray=lambda n: (0.0, 0.1, 1.0)[n]))
    by_key = {s.key: s for s in e.states}
    assert by_key[0, 1, 0].tests["luminance"].amount == pytest.approx(-38, abs=1)
    assert by_key[0, 1, 0].size == "strong" and by_key[2, 1, 0].size == by_key[0, 0, 1].size == "none"
    assert {t.figure for t in by_key[2, 0, 1].there} >= {"shadows", "mid-tones"}
    assert "dims white by 38 % in the dark; dims white by 17 % with lamp (50 lux)" in e.features[0, 1]
    assert e.features[0, 1].endswith("(less with more light).") and e.features[1, 1].endswith("(more with more light).")
    assert [p.kept for p in e.promises] == ["not kept", "kept"] and e.interactions == []
    assert e.states[0].tone[-1] == pytest.approx(by_key[e.states[0].key].tone[-1])


def test_what_two_do_beyond_their_sum_is_named_once():
    x = planned(levels=(2, 2, 2), baselines=8)
    e = x.explain(reading(x, np.random.default_rng(2), lambda k: {"gain": 0.9 if k[1] and k[2] else 1.0}))
    assert {(i.key, i.test.figure) for i in e.interactions} == {((n, 1, 1, 0), "luminance") for n in range(3)}
    assert all(i.test.amount == pytest.approx(-10, abs=1.5) for i in e.interactions)


def test_drift_is_seen_and_taken_out():
    x = planned(baselines=8)
    e = x.explain(reading(x, np.random.default_rng(3), drift=-0.002))
    assert e.drift["luminance"] == pytest.approx(100 * 0.002 * (len(x.steps) - 1), rel=0.2)
    assert all(s.tests["luminance"].size == "none" for s in e.states)
    still = zip(reading(x, np.random.default_rng(3)), x.steps, strict=True)
    raw = Baselines(np.stack([r.XYZ for r, s in still if s.kind == "baseline"]), np.arange(8.0), NOISE)
    assert not raw.slope[0]


def test_the_intervals_hold_the_truth_and_a_feature_that_does_nothing_is_called_so():
    """A small run of what `make truth` prints in full."""
    x = planned(levels=(3, 2), baselines=8)
    held, alarms, missed = [], 0, 0
    for seed in range(16):
        e = x.explain(reading(x, np.random.default_rng(seed), lambda k: {"gain": 0.97 if k[1] == 1 else 1.0}))
        for s in e.states:
            t, true = s.tests["luminance"], -3.0 if s.key[1] == 1 else 0.0
            held.append(t.low <= true <= t.high)
            held += [s.tests[f].low <= 0 <= s.tests[f].high for f in ("shadows", "saturation", "gamut")]
            missed += s.key[1] == 1 and not t.measurable
        alarms += any(t.measurable for s in e.states for t in s.tests.values() if s.key[1] != 1)
    assert 0.91 < np.mean(held) < 0.99 and alarms <= 3 and missed <= 2


def test_a_black_under_the_floor_is_not_held_against_one_that_is_read():
    x = planned((DARK, DAY), (2,), 6)
    reads = reading(x, np.random.default_rng(4), stray=lambda n: 1.0 * n)
    dark = [i for i, s in enumerate(x.steps) if s.key[0] == 0]
    for i in dark:
        reads[i].XYZ[0] = np.nan
    e = x.explain(reads)
    assert all(s.tests["black"].size == "none" for s in e.states)


def test_few_baselines_tell_little_and_one_tells_nothing():
    x = planned((DARK,), (2,), 3)
    reads = reading(x, np.random.default_rng(5), lambda k: {"gain": 0.97 if k[1] else 1.0})
    e = x.explain(reads)
    assert e.baselines == 3 and e.states[0].size == "none"
    assert least_told(NOISE, 3, 8) > 3 * least_told(NOISE, 8, 8)
    nothing = x.explain(reads[:1])
    assert nothing.states == [] and "was not read twice" in nothing.sentence


def test_a_light_that_could_not_be_had_and_a_setting_that_was_refused_are_left_out_with_the_reason():
    x = planned(levels=(2,), baselines=6)
    reads = reading(x, np.random.default_rng(6))
    first = next(i for i, s in enumerate(x.steps) if s.key[0] == 2)
    reads[first] = StageRead(np.full((3, 3), np.nan), refused={"daylight": "no such lamp"})
    assert x.left_out(reads[: first + 1]) and not x.left_out(reads[:first])
    refused = next(i for i, s in enumerate(x.steps) if s.key == (1, 1))
    reads[refused] = StageRead(reads[refused].XYZ, refused={"Room > F0": "locked in M"})
    e = x.explain(reads)
    why = {s.key: s.left_out for s in e.states}
    assert why[2, 1] == why[2, 0] == "daylight could not be had: no such lamp"
    assert why[1, 1] == "could not be set: locked in M" and why[1, 0] == why[0, 1] == ""


@given(st.floats(0.7, 1.4), st.floats(0.0, 0.3))
@settings(max_examples=20, deadline=None)
def test_light_alone_moves_light_alone(gain, paler):
    base = np.array([display(p.rgb) for p in short_set("sdr")])
    bright = components(base * gain, base)
    assert bright[0] == pytest.approx(100 * np.log(gain), abs=1e-6) and np.abs(bright[1:]).max() < 1e-6
    pale = components(np.array([display(p.rgb, paler=paler) for p in short_set("sdr")]), base)
    assert pale[PLACES["gamut"][0]] <= 1e-9 and abs(pale[0]) < 1e-6


def test_the_short_set_of_hdr_has_the_same_places():
    assert len(short_set("pq")) == len(short_set("sdr"))
    greys = [p.rgb for p in short_set("pq")[: len(GREYS)]]
    assert greys[0] == (0, 0, 0) and greys[-1] == (1, 1, 1) and all(len(set(g)) == 1 for g in greys)


# -- promises ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "figures", "way", "where"),
    [
        ("leaves the peak unchanged", ("luminance",), "unchanged", ""),
        ("does nothing in the dark", tuple(PLACES), "unchanged", "dark"),
        ("saves power in a bright room", ("luminance",), "down", "bright"),
        ("lifts shadows", ("shadows",), "up", ""),
        ("brightens at night", ("luminance",), "up", "dark"),
        ("shrinks the gamut", ("gamut",), "down", ""),
    ],
)
def test_what_a_promise_is_about(text, figures, way, where):
    assert meant(text) == (figures, way, where)


def test_what_cannot_be_told_of_a_promise():
    assert meant("makes pictures come alive") is None and meant("peak") is None
    assert said_of("lifts shadows, and leaves the peak alone.") == ["lifts shadows", "leaves the peak alone"]


def test_promises_are_kept_not_kept_or_not_decidable():
    said = ("leaves the peak unchanged", "dims in a bright room", "brightens", "makes it sing", "saves power at night")
    x = planned((DARK, DAY), (2,), 8, promises=tuple(Promise("Room > F0", s) for s in said))
    dims = x.explain(reading(x, np.random.default_rng(7), lambda k: {"gain": 0.8 if k[1] else 1.0}))
    assert [p.kept for p in dims.promises] == ["not kept", "kept", "not kept", "not told", "kept"]
    assert "the opposite" in dims.promises[2].why and "dims white by 20 %" in dims.promises[0].why
    still = x.explain(reading(x, np.random.default_rng(8)))
    assert [p.kept for p in still.promises] == ["kept", "not kept", "not kept", "not told", "not kept"]
    few = planned((DARK, DAY), (2,), 3, promises=x.promises)
    unsure = few.explain(reading(few, np.random.default_rng(9), noise=12))
    assert [p.kept for p in unsure.promises][:2] == ["not decidable", "not decidable"]


def test_light_that_dims_by_itself_is_no_interaction_of_what_is_tried_in_it():
    x = planned(levels=(2, 2), baselines=8)

    def does(key):
        return {"gain": (1.0, 1.0, 0.8)[key[0]] * (0.9 if key[1] else 1.0) * (0.95 if key[2] else 1.0)}

    e = x.explain(reading(x, np.random.default_rng(11), does))
    assert e.interactions == []
    assert {s.key: s for s in e.states}[2, 0, 0].tests["luminance"].amount == pytest.approx(-20, abs=1)


def test_a_light_that_fails_once_and_is_had_again_loses_that_visit_alone():
    x = planned((DARK, LAMP, DAY), (2,), baselines=9)
    reads = reading(x, np.random.default_rng(12))
    visits = [i for i, s in enumerate(x.steps) if s.key[0] == 0 and (i == 0 or x.steps[i - 1].key[0] != 0)]
    assert len(visits) == 3
    reads[visits[1]] = StageRead(np.full_like(reads[visits[1]].XYZ, np.nan), refused={"dark": "the blind is broken"})
    why = x.why_left_out(reads)
    lost = [i for i, s in enumerate(x.steps) if s.key[0] == 0 and visits[1] <= i < visits[2] and i in why]
    assert set(why) == set(lost) and visits[2] not in why and why[visits[1]].startswith("dark could not be had")
    assert x.explain(reads).baselines < 9


def test_what_is_taken_out_of_a_reading_has_noise_of_its_own(monkeypatch):
    """Of black in a lit room nearly all is the room, read once with it and three times without."""
    monkeypatch.setattr(significance, "FEW", 6000)
    base = np.array([display(p.rgb) for p in short_set("sdr")])
    x = Baselines(np.stack([base] * 4), np.arange(4.0), NOISE)
    room = 3 * BT709.matrix.sum(axis=1)
    black = PLACES["black"][0]
    made = x.share(base[None], room[None])[0][black] * x.of_noise[black]

    def variance(Y):
        return (NOISE.repeatability * Y) ** 2 + NOISE.absolute**2

    # Near black L* goes with Y.
    per = 903.3 / base[len(GREYS) - 1, 1]
    assert made == pytest.approx(per**2 * (variance(3 + base[0, 1]) + variance(3) / WHOLE.strays), rel=0.1)
    dark = x.share(base[None], np.zeros((1, 3)))[0]
    assert dark == pytest.approx(np.ones(10), abs=0.25)


@pytest.mark.parametrize("look", [WHOLE, FEW], ids=["whole", "few"])
def test_the_room_is_read_as_often_as_the_noise_says(look, monkeypatch):
    """In a room brighter than the display, how often it is read decides."""
    monkeypatch.setattr(significance, "FEW", 6000)
    base = np.array([display(p.rgb) for p in look.patches["sdr"]])
    x = Baselines(np.stack([base] * 4), np.arange(4.0), NOISE, look)
    room, white = 900.0, base[look.greys - 1, 1]
    made = x.share(base[None], room * BT709.matrix.sum(axis=1)[None])[0][0] * x.of_noise[0]
    r2 = NOISE.repeatability**2
    assert made == pytest.approx(1e4 * r2 * ((room + white) ** 2 + room**2 / look.strays) / white**2, rel=0.1)


# -- few patches -------------------------------------------------------------------------------------------------------


def few(lights=(DARK, DAY), baselines=4, **more):
    """A switch in two lights, of which white, three greys and red are read."""
    return planned(lights, (2,), baselines, look=FEW, **more)


def test_a_switch_in_two_lights_takes_under_forty_readings_and_says_what_it_finds():
    x = few()
    assert sum(len(s.patches) for s in x.stages) < 40
    e = x.explain(reading(x, np.random.default_rng(1), lambda k: {"gain": 0.8 if k[1] and not k[0] else 1.0}))
    by_key = {s.key: s for s in e.states}
    assert by_key[0, 1].tests["luminance"].amount == pytest.approx(-20, abs=2) and by_key[0, 1].size == "strong"
    assert by_key[1, 1].size == "none" and set(by_key[0, 1].tests) == set(FEW.figures)
    assert "nothing is known about black and other colours" in e.sentence
    quiet = x.explain(reading(x, np.random.default_rng(2)))
    assert quiet.features[0, 1] == "F0 1: none measurable in white, three greys and red."


def test_few_patches_find_shadows_colour_and_the_greys_tint_and_claim_nothing_of_what_they_do_not_read():
    kept = (
        Promise("Room > F0", "lowers black"), Promise("Room > F0", "does nothing"), Promise("Room > F0", "dims"),
    )  # fmt: skip
    x = few(baselines=8, promises=kept)
    e = x.explain(reading(x, np.random.default_rng(3), lambda k: {"lift": 0.3 if k[1] else 0.0}))
    assert {t.figure for t in e.states[0].there} >= {"shadows", "mid-tones"}
    assert [p.kept for p in e.promises] == ["not decidable", "not kept", "not kept"]
    pale = x.explain(reading(x, np.random.default_rng(4), lambda k: {"paler": 0.2 if k[1] else 0.0}))
    assert "saturation" in {t.figure for t in pale.states[0].there}
    nothing = x.explain(reading(x, np.random.default_rng(5), noise=0.2)).promises[1]
    assert nothing.kept == "not decidable" and "black and gamut were not read" in nothing.why


def test_intervals_of_few_patches_hold_the_truth():
    x = few(baselines=5)
    held = []
    for seed in range(30):
        e = x.explain(reading(x, np.random.default_rng(seed), stray=lambda n: 0.5 * n))
        for s in e.states:
            held += [
                s.tests[f].low <= 0 <= s.tests[f].high for f in ("luminance", "shadows", "mid-tones", "saturation")
            ]
    assert 0.91 < np.mean(held) < 0.99


@pytest.mark.parametrize("signal", ["pq", "hlg"])
def test_few_patches_of_hdr_end_with_white_and_red(signal):
    patches = FEW.patches[signal]
    assert len(patches) == 5 and patches[3].rgb == (1.0, 1.0, 1.0) and patches[4].rgb[1:] == (0.0, 0.0)
    assert FEW.levels(signal) == sorted(FEW.levels(signal))


@pytest.mark.parametrize(
    "measurable, in_a_room, kept",
    [((True, True), True, "kept"), ((True, False), False, "kept"), ((True, False), True, "not decidable")],
)
def test_what_is_promised_of_a_room_has_to_happen_in_each_of_its_states(measurable, in_a_room, kept):
    class Lit:
        lights = (LightState("evening lamp", 50.0), LightState("daylight", 500.0))

        def words_of(self, key):
            return "Saver high"

    tests = [
        (StateResult((i, 1), {}, np.zeros(3)), Test("luminance", -20.0, -22.0, -18.0, 0.001, m, 8.0))
        for i, m in enumerate(measurable)
    ]
    said, why = promises._moved(Lit(), tests, -1, in_a_room)
    assert said == kept and "dims white by 20 %" in why
    assert ("in every state" in why) == (kept != "kept")
