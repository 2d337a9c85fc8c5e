"""Experiments on menus: what is true of a unit is found out, what noise makes is not, and all is put back."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenar.app.displays.unit_files import shipped_units
from lumenar.bench.ports import RefusedError
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.experiments.base import StageRead, another_value, few_values, name_of
from lumenar.core.experiments.effect import WhatItDoes, judged, promised
from lumenar.core.experiments.locks import LocksAndResets
from lumenar.core.experiments.ranked import NotchByNotch
from lumenar.core.experiments.scope import ScopeOfControl
from lumenar.core.experiments.state_comparison import ComparedState, ShadowRanking, TwoSetups
from lumenar.core.experiments.visible_effects import SET, Effect, changed, effects, in_words, white_words
from lumenar.core.menu.controls import Control
from lumenar.core.targets import TARGETS
from lumenar.core.tuning.base import Noise

NOISE = Noise(0.001, 0.0003)
FEN = json.loads(shipped_units()["ostrel-fen-32.json"])
BLUE, TONE, SHADOW, LIGHT = "Eyes > Blue step", "Picture > Tone", "Picture > Shadow help", "Picture > Light"
GAINS = [f"Picture > White > {c} gain" for c in ("Red", "Green", "Blue")]


def unit(**changes):
    """The monitor with some entries of its controls changed, by path."""
    document = json.loads(json.dumps(FEN))
    for c in document["controls"]:
        c.update(changes.get(c["path"], {}))
        if changes.get(c["path"], {}).get("scope") == "unit":
            # What all modes share ships with one value.
            for m in document["modes"]:
                m.get("defaults", {}).pop(c["path"], None)
    return SimulatedUnit(parse_unit(json.dumps(document)))


def control(of, path):
    c = next(c for c in of.file.controls if c.path == path)
    return Control(path, c.kind, c.minimum, c.maximum, c.step, tuple(c.choices), c.default, promise=c.promise)


class Remote:
    """Carries an experiment out on a unit, literally, with a meter that has noise."""

    def __init__(self, of, seed=1):
        self.unit, self.rng = of, np.random.default_rng(seed)

    def act(self, acts):
        refused = {}
        for a in acts:
            try:
                self.unit.select(a.value) if a.kind == "mode" else self.unit.apply(a.path, a.value)
            except RefusedError as e:
                refused[a.path] = str(e)
        return refused

    def read(self, patches):
        XYZ = np.array([self.unit.XYZ(p.rgb) for p in patches]).reshape(-1, 3)
        relative = NOISE.repeatability * np.sqrt(0.5)
        XYZ = XYZ * (
            1 + relative * self.rng.standard_normal((len(XYZ), 1)) + relative * self.rng.standard_normal(XYZ.shape)
        )
        XYZ = XYZ + NOISE.absolute * self.rng.standard_normal(XYZ.shape)
        return np.where(XYZ[:, 1:2] > 0.002, XYZ, np.nan)

    def stage(self, s):
        refused = self.act(s.acts)
        stands = {p: v for p, v in self.unit.values[self.unit.mode.name].items() if p in s.look}
        return StageRead(self.read(s.patches), stands, frozenset(p for p in s.look if self.unit.locked(p)), refused)

    def of(self, experiment):
        before = json.dumps([self.unit.mode.name, self.unit.values], sort_keys=True)
        reads = [self.stage(s) for s in experiment.stages]
        self.act(experiment.back)
        assert json.dumps([self.unit.mode.name, self.unit.values], sort_keys=True) == before, "all is put back"
        return experiment.conclude(reads)


def now(of, path):
    return of.values[of.mode.name][path]


# -- what noise makes, and what it does not -----------------------------------------------------------------------------


def test_of_nothing_nothing_is_seen():
    fen = unit()
    seen = 0
    for seed in range(60):
        remote = Remote(fen, seed)
        found = effects(remote.read(SET), remote.read(SET), NOISE)
        seen += any(e.there for e in found)
        assert {e.key for e in found} >= {"luminance", "black", "shadows", "white", "saturation", "hue"}
    assert seen <= 3, "95 times of 100 nothing is said where nothing is"


@settings(max_examples=25, deadline=None)
@given(share=st.floats(0.03, 0.5), seed=st.integers(0, 1000))
def test_light_alone_is_light_alone(share, seed):
    """Dimmed as a whole, a display keeps its tone and colours."""
    remote = Remote(unit(), seed)
    one = remote.read(SET)
    two = remote.read(SET) * (1 - share)
    there = {e.key: e for e in effects(one, two, NOISE) if e.there}
    assert set(there) == {"luminance"} and there["luminance"].amount == pytest.approx(-100 * share, abs=1)
    assert in_words([*there.values()]).startswith("dims white by")


def test_a_change_is_told_from_noise_and_from_drift():
    fen = unit()
    remote = Remote(fen)
    one, again = remote.read(SET), remote.read(SET)
    fen.apply(GAINS[0], 97.0)
    two = remote.read(SET)
    assert changed(one, again, NOISE) == 0
    assert changed(one, two, NOISE) > 1
    assert changed(one, two, NOISE, drift=changed(one, two, NOISE)) == 0, "the display drifts by more than that"


# -- what a control does ------------------------------------------------------------------------------------------------


def test_what_a_control_does_and_whether_it_keeps_its_promise():
    fen = unit()
    end = Remote(fen).of(WhatItDoes(control(fen, BLUE), "Studio", 0.0, NOISE))
    assert "kept at 1, 2, 4; the opposite at 3" in end.sentence
    cooler = dict(end.rows)["3"]
    assert "makes white cooler" in cooler and all("warmer" in dict(end.rows)[v] for v in "124")
    shadows = Remote(fen).of(WhatItDoes(control(fen, SHADOW), "Studio", 0.0, NOISE))
    assert "lifts shadows" in shadows.sentence and "“lifts shadows”: " in shadows.sentence
    nothing = Remote(fen).of(WhatItDoes(control(fen, "System > Pixel walk"), "Studio", "on", NOISE))
    assert nothing.sentence == "Pixel walk does nothing measurable in Studio."


def test_a_promise_is_judged_by_going_to_more():
    of = unit(**{LIGHT: {"promise": "brighter"}, "System > Pixel walk": {"promise": "dims", "effect": "none"}})
    end = Remote(of).of(WhatItDoes(control(of, LIGHT), "Studio", 80.0, NOISE))
    assert end.sentence.endswith("It promises “brighter”: kept."), "less of it dims, more of it brightens"
    idle = Remote(of).of(WhatItDoes(control(of, "System > Pixel walk"), "Studio", "on", NOISE))
    assert idle.sentence.endswith("It promises “dims”: not kept.")


def test_a_value_that_is_refused_is_said_to_be():
    fen = unit()
    fen.apply("System > Power", "Thrifty")
    end = Remote(fen).of(WhatItDoes(control(fen, LIGHT), "Studio", now(fen, LIGHT), NOISE))
    assert end.sentence.startswith("Light could not be set in Studio") and "refused" in end.rows[0][1]


@pytest.mark.parametrize(
    ("promise", "about"),
    [
        ("less blue", ("blue", -1)), ("Low blue", ("blue", -1)), ("a warmer white", ("cct", -1)), ("cooler", ("cct", 1)),
        ("brighter", ("luminance", 1)), ("saves energy", ("luminance", -1)), ("Lifts shadows", ("shadows", 1)),
        ("deeper blacks", ("shadows", -1)), ("more vivid", ("saturation", 1)), ("smoother motion", None),
    ],
)  # fmt: skip
def test_promises_are_understood_or_left(promise, about):
    assert promised(promise) == about


def test_a_promise_is_kept_not_kept_or_turned_round():
    def one(amount, there):
        return [Effect("blue", amount, "%", 0.1, "", there)]

    assert [judged("less blue", one(*x)) for x in ((-3, True), (3, True), (-3, False))] == [
        "kept", "the opposite", "not kept",
    ]  # fmt: skip
    assert judged("warmer", one(-3, True)) == "kept" and judged("smoother", one(-3, True)) == "not told"


# -- how far it reaches, what it locks and resets -----------------------------------------------------------------------

MODES = ("Studio", "Daybreak", "Handset", "Arena")


@pytest.mark.parametrize("path", [BLUE, LIGHT, GAINS[1], TONE])
@pytest.mark.parametrize("scope", ["mode", "unit"])
def test_the_reach_is_found_whatever_it_is(path, scope):
    of = unit(**{path: {"scope": scope, "resets": []}})
    of.select("Studio")
    end = Remote(of).of(ScopeOfControl(control(of, path), MODES, now(of, path), NOISE))
    assert [(c.path, c.entry, c.value) for c in end.changes] == [(path, "scope", scope)], end.sentence
    seen = {row[0]: row[1] for row in end.rows}
    assert seen["Studio"] > 0 and all((seen[m] > 0) == (scope == "unit") for m in MODES[1:])


def test_a_reach_that_cannot_be_told_is_not_told():
    of = unit()
    end = Remote(of).of(ScopeOfControl(control(of, "Picture > Contrast"), MODES, 50.0, NOISE))
    assert "its reach cannot be found this way" in end.sentence and end.changes == ()


@settings(max_examples=20, deadline=None)
@given(data=st.data())
def test_locks_and_resets_are_found_whatever_they_are(data):
    paths = [LIGHT, *GAINS, SHADOW, "Picture > Contrast"]
    resets = data.draw(st.lists(st.sampled_from(paths), unique=True, max_size=4))
    locks = data.draw(st.lists(st.sampled_from(paths), unique=True, max_size=4))
    of = unit(**{"System > Power": {"resets": resets, "locks": {"Thrifty": locks}}})
    others = tuple(control(of, p) for p in paths)
    start = dict(of.values["Studio"])
    end = Remote(of).of(LocksAndResets(control(of, "System > Power"), others, "Studio", start, NOISE))
    learned = {c.entry: c.value for c in end.changes}
    assert set(learned.get("resets", ())) == set(resets), end.sentence
    assert learned.get("locks", {}) == ({"Thrifty": sorted(locks)} if locks else {})
    assert set(end.notes) == {"System > Power", *resets}
    if not resets and not locks:
        assert end.sentence == f"Power neither locks nor resets any of {len(paths)} others."


def test_each_change_is_told_once_and_what_was_locked_before_is_not_blamed():
    of = unit(**{"System > Power": {"resets": [GAINS[0]], "locks": {"Thrifty": [LIGHT]}}})
    others = tuple(control(of, p) for p in (GAINS[0], LIGHT, "Picture > Colour"))
    start = dict(of.values["Studio"])
    end = Remote(of).of(LocksAndResets(control(of, "System > Power"), others, "Studio", start, NOISE))
    assert end.rows == (
        ("Thrifty", "Red gain fell to 100; Light cannot be set"), ("Full", "nothing else changed"),
    ), "Colour is locked in Studio whatever Power is"  # fmt: skip
    assert "Not told of Colour" in end.sentence


def test_what_falls_back_unseen_is_told_by_the_light():
    """A reset of something that the menu does not show."""
    of = unit(**{"System > Power": {"resets": [GAINS[2]], "locks": {}}})
    of.apply(GAINS[2], 60.0)
    start = dict(of.values["Studio"])
    experiment = LocksAndResets(control(of, "System > Power"), (control(of, LIGHT),), "Studio", start, NOISE)
    remote = Remote(of)
    end = experiment.conclude([remote.stage(s) for s in experiment.stages])
    assert "falls back unseen" in end.sentence and end.changes == ()


# -- states compared ----------------------------------------------------------------------------------------------------


def test_two_modes_that_show_the_same_values_and_differ():
    of = unit()
    same = {TONE: "2.2", SHADOW: 0.0}
    studio, arena = ComparedState("Studio", "Studio", same), ComparedState("Arena", "Arena", same)
    end = Remote(of).of(TwoSetups(studio, arena, True, NOISE))
    assert end.sentence.startswith("Arena differs from Studio, though the menu shows the same values: it ")
    there = {r[0] for r in end.rows if r[3] == "there"}
    assert {"Saturation", "Mid-tones"} <= there
    itself = Remote(of).of(TwoSetups(studio, ComparedState("Again", "Studio", same), True, NOISE))
    assert itself.sentence == "Studio and Again are the same as far as can be measured."


def test_shadows_are_ranked_by_what_is_lifted():
    of = unit()
    start = dict(of.values["Studio"])
    states = tuple(ComparedState(f"help {v}", "Studio", {**start, SHADOW: float(v)}) for v in (0, 4, 2))
    end = Remote(of).of(ShadowRanking(states, NOISE))
    assert [r[1] for r in end.rows] == ["help 4", "help 2", "help 0"] and [r[0] for r in end.rows] == [1, 2, 3]
    assert "help 4 lifts shadows most" in end.sentence
    # Of the first, which the others are held against, nothing has changed; what is less than noise is nothing.
    first = next(r for r in end.rows if r[1] == "help 0")
    assert first[-3:] == (0.0, 0.0, 0.0)
    changes = [v for r in end.rows if r is not first for v in r[-3:]]
    assert all(v == 0 or abs(v) >= 0.1 for v in changes) and all(v == round(v, 1) for v in changes)
    at_ten = [r[6] for r in end.rows]
    assert at_ten == sorted(at_ten, reverse=True) and {r[8] for r in end.rows} == {0.0}, "black stays where it is"
    alike = Remote(of).of(ShadowRanking((states[0], ComparedState("same", "Studio", states[0].values)), NOISE))
    assert [r[0] for r in alike.rows] == [1, 1] and alike.sentence == "None lifts shadows more than help 0."


def test_notch_by_notch_the_best_is_found_and_ties_are_said():
    of = unit()
    start = dict(of.values["Studio"])

    def ranked(paths, by):
        return Remote(of).of(
            NotchByNotch(tuple(control(of, p) for p in paths), "Studio", start, TARGETS["srgb"], by, NOISE)
        )

    blue = ranked([BLUE], "blue")
    assert [r[1] for r in blue.rows] == ["4", "2", "1", "0", "3"], "the third step raises blue"
    both = ranked([SHADOW, TONE], "curve")
    assert len(both.rows) == 20 and both.rows[0][2] == "2.2" and both.rows[0][3] == min(r[3] for r in both.rows)
    idle = ranked(["System > Pixel walk"], "white")
    assert [r[0] for r in idle.rows] == [1, 1] and "1 more cannot be told from it" in idle.sentence
    light = ranked([LIGHT], "luminance")
    assert light.rows[0][1] == "100" and [r[2] for r in light.rows] == sorted((r[2] for r in light.rows), reverse=True)


# -- values that are worth a look ---------------------------------------------------------------------------------------


@settings(max_examples=200)
@given(low=st.integers(-50, 50), steps=st.integers(1, 200), step=st.sampled_from([0.5, 1.0, 3.0]), data=st.data())
def test_values_are_such_that_the_control_takes_them(low, steps, step, data):
    c = Control("A > B", "slider", low, low + steps * step, step, default=float(low))
    stands = low + step * data.draw(st.integers(0, steps))
    other = another_value(c, stands)
    c.check(other)
    assert other != stands
    for v in few_values(c, stands):
        c.check(v)
        assert v != stands
    assert 1 <= len(few_values(c, stands)) <= 5


def test_a_name_says_which_of_many_it_is():
    assert name_of("Picture > Six hues > Red > Hue") == "Six hues › Red › Hue"
    assert name_of("Picture > Light") == "Light" and name_of("Red") == "Red"


def reach_of(role):
    from lumenar.core.experiments.scope import ScopeOfControl
    from lumenar.core.menu.controls import Control
    from lumenar.core.tuning.base import Noise

    return ScopeOfControl(
        Control("Colour > Knob", "slider", 0, 100, 1, default=50.0, role=role), ("Film", "Day"), 50.0, Noise()
    )


@pytest.mark.parametrize(
    ("role", "reads"),
    [
        (None, "white, grey 30 %, red and blue"),
        ("cyan hue", "white, grey 30 %, red, blue, R 0 G 75 B 75 and R 40 G 75 B 75"),
        ("green at 40 %", "white, grey 30 %, red, blue and grey 40 %"),
        ("shadows", "white, grey 30 %, red, blue, grey 5 %, grey 10 % and grey 20 %"),
    ],
)
def test_a_control_without_effect_says_what_was_read(role, reads):
    from lumenar.core.experiments.base import StageRead

    made = reach_of(role)
    XYZ = np.array([[95.0, 100.0, 108.0]] * len(made.patches))
    told = made.conclude([StageRead(XYZ, {}, frozenset(), {}) for _ in made.stages])
    assert told.sentence == f"Knob does not change {reads} in Film, so its reach cannot be found this way."
    assert not told.changes


@pytest.mark.parametrize("seed", range(8))
def test_notch_by_notch_keeps_what_is_set_on_a_faultless_display(seed):
    """A gain that is raised past the end of its channel leaves white as it is and tints the greys below it."""
    target = TARGETS["srgb"]
    gain = Control("White > Blue gain", "slider", 45, 55, 5, default=50.0)
    made = NotchByNotch((gain,), "Studio", {gain.path: 50.0}, target, "white", Noise(0.002, 0.001))
    rng = np.random.default_rng(seed)

    def read(value, patch):
        drive = np.minimum(np.array(patch.rgb) ** 2.2 * np.array([1, 1, 1 + (value - 50) / 20]), 1.0)
        noise = 1 + 0.002 * np.sqrt(0.5) * (rng.standard_normal() + rng.standard_normal(3))
        return 100 * drive @ target.space.matrix.T * noise

    values = [s.acts[-1].value for s in made.stages]
    told = made.conclude(
        [StageRead(np.array([read(v, p) for p in s.patches])) for v, s in zip(values, made.stages, strict=True)]
    )
    assert sorted(values) == [45.0, 50.0, 55.0]
    assert "Blue gain 50, as it is set" in told.sentence
    by_value = {row[1]: row[2] for row in told.rows}
    assert by_value["55"] > 2 and by_value["50"] < 0.6, "white alone would not tell 55 from 50"


@pytest.mark.parametrize(
    ("one", "two", "said"),
    [
        ((0.3127, 0.3290), (0.3127, 0.3290 + 0.01), "makes white greener (dE 3.0)"),
        ((0.3127, 0.3290), (0.3115, 0.3250), "pinker"),
        ((0.3127, 0.3290), (0.3457, 0.3585), "warmer by 15"),
        ((0.3457, 0.3585), (0.3127, 0.3290), "cooler by 15"),
        ((0.3127, 0.3290), (0.3130, 0.3293), "moves white by dE 3.0 (Δu′v′ 0.0002)"),
    ],
)
def test_a_change_of_white_is_said_by_what_it_looks_like(one, two, said):
    def XYZ(xy):
        return 100 * np.array([xy[0] / xy[1], 1.0, (1 - sum(xy)) / xy[1]])

    assert said in white_words(XYZ(one), XYZ(two), 3.0)
