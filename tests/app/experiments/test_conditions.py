"""Experiments under conditions on the bench and by hand: what features do in which light, and whether they keep their promise."""

import pytest

from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.experiments import condition_views as conditions
from lumenar.app.experiments import experiment_views as views
from lumenar.app.experiments import experiments, questions, typed_stages
from lumenar.app.experiments.conditions import ConditionsAsked, FactorAsked, LightAsked
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.recipes.recipes import recipe
from lumenar.app.recipes.setting_reasons import reasons
from lumenar.app.setups import new_display, new_reviews
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.core.experiments.base import Act, Stage

from ...conftest import setup_of

TELEVISION = "carrow-meridian-65.json"
SAVER, DAYLIGHT, AUTO = "System > Room > Saver", "System > Room > Daylight match", "System > Room > Auto light"
LIGHTS = (LightAsked("dark", 0.0), LightAsked("evening lamp", 50.0), LightAsked("daylight", 500.0))
SAID = (
    FactorAsked(SAVER, ["low", "high"], "does nothing in the dark, dims in a bright room"),
    FactorAsked(DAYLIGHT, ["on"], "lifts shadows in a bright room and leaves the peak unchanged"),
    FactorAsked(AUTO, ["on"], "brightens in a bright room"),
)


@pytest.fixture
def television(app, units):
    return new_reviews.add_review(app, units[TELEVISION], TELEVISION)


@pytest.fixture
def experimenter(app, bench):
    return Experimenter(app, bench)


def question(app, review, name, **more):
    return Question(kind="conditions", setup=setup_of(app, review, name).id, conditions=ConditionsAsked(**more))


def asked(app, bench, experimenter, review, name, **more):
    number = experimenter.start(review, question(app, review, name, **more))
    bench.occupancy.wait()
    return views.view(app, number), conditions.view(app, number)


@pytest.mark.parametrize(("name", "white"), [("Reel", "White"), ("Match day HDR", "White")])
def test_three_features_in_three_lights(app, bench, experimenter, television, name, white):
    """The television of the demonstration, in SDR and in PQ: what is in its unit file is what is said of it."""
    seen, grid = asked(app, bench, experimenter, television, name, lights=LIGHTS, factors=SAID)
    assert (seen.state, seen.message, len(grid.states)) == ("done", "", 3 * 3 * 2 * 2 - 1)
    by_key = {s.key: {c.figure: c for c in s.cells} for s in grid.states}
    high = [by_key[f"{n}.2.0.0"]["luminance"] for n in range(3)]
    # Dimmed by 38 % in the dark, by 45 % of that at 50 lux, by nothing from 400 lux.
    for cell, true in zip(high, (-38.0, -17.1, 0.0), strict=True):
        assert cell.low - 0.5 < true < cell.high + 0.5 and cell.amount == pytest.approx(true, abs=1.0)
    assert [c.size for c in high] == ["strong", "strong", "none"]
    assert by_key["0.0.1.0"]["shadows"].size == "none" and by_key["2.0.1.0"]["gamut"].amount < -3
    assert all(by_key[f"{n}.0.0.1"][f.key].size == "none" for n in range(3) for f in grid.figures)
    assert [p.kept for p in grid.promises] == ["not kept", "not kept", "kept", "kept", "not kept"]
    assert grid.advice[0] == "Keep Saver at off while measuring. Its effect is strong."
    assert grid.advice[2] == "Auto light has no measurable effect. Leave it on or off."
    assert len(grid.tone.series) == 1 + len(grid.states) and grid.figures[0].title == white
    assert set(grid.tone.table.decimals[1:]) == {2} and len(grid.tone.table.decimals) == len(grid.tone.table.heads)


def test_what_follows_stands_in_the_menu_map_and_in_the_list(app, bench, experimenter, television):
    seen, grid = asked(app, bench, experimenter, television, "Reel", factors=[SAID[0]], baselines=6)
    assert seen.title == "Saver in one light (dark)" and "at the sensor" not in seen.title
    found = {f.path: f.sentence for f in views.found_out(app, television, None)}
    assert "Saver high dims white by 38 %." in found[SAVER]
    line = views.lines(app, television)[0]
    assert (line.kind, line.sentence) == ("conditions", grid.sentence) and line.paths == [SAVER]
    # What is left as it stands says why, in this mode, and in the others as the whole unit shares it.
    own = next(s for s in recipe(app, television, seen.setup).steps if s.path == SAVER)
    assert (own.kind, own.value) == ("leave", "off") and own.why.startswith("Default. Saver low dims white")
    other = setup_of(app, television, "Parlour").id
    assert next(s for s in recipe(app, television, other).steps if s.path == SAVER).why.endswith("Read in Reel.")
    # What belongs to each mode says nothing of the others.
    asked(app, bench, experimenter, television, "Reel", factors=[FactorAsked("Image > Contrast", ["90"])], baselines=6)
    whys = {name: reasons(app, television)[setup_of(app, television, name).id] for name in ("Reel", "Parlour")}
    assert "Image > Contrast" in whys["Reel"] and set(whys["Parlour"]) == {SAVER}
    with pytest.raises(NotFoundError, match="not about conditions"):
        blue = experimenter.start(
            television, Question(kind="does", setup=setup_of(app, television, "Reel").id, control="Image > Contrast")
        )
        bench.occupancy.wait()
        conditions.view(app, blue)


def test_all_is_put_back_and_a_light_beyond_the_lamps_is_left_out(app, bench, experimenter, television, monkeypatch):
    acts = []
    light, power = SimulatedUnit.illuminate, SimulatedUnit.power
    monkeypatch.setattr(SimulatedUnit, "illuminate", lambda self, lux: (acts.append(lux), light(self, lux))[1])
    monkeypatch.setattr(SimulatedUnit, "power", lambda self, on: (acts.append(on), power(self, on))[1])
    lights = (LightAsked("dark", 0.0), LightAsked("sun", 90_000.0), LightAsked("lamp", 50.0))
    seen, grid = asked(app, bench, experimenter, television, "Reel", lights=lights, factors=[SAID[0]], baselines=6)
    assert seen.state == "done" and seen.read == len(seen.stages)
    out = [s for s in grid.states if s.left_out]
    assert {s.light for s in out} == {1} and "sun could not be had: the lamps of the simulated room give" in out[
        0
    ].left_out
    assert [s.size for s in grid.states if s.light == 0] == ["strong", "strong"]
    # The display is on and the room dark at the end.
    assert [a for a in acts if isinstance(a, bool)][-1] is True
    assert [a for a in acts if not isinstance(a, bool)][-1] == 0.0


def test_a_killed_experiment_goes_on_in_its_light(app, bench, experimenter, television):
    q = question(app, television, "Reel", lights=LIGHTS[:2], factors=[SAID[0]], baselines=6)
    number = experiments.begin(app, television, q)
    experiments.set_state(app, number, "paused", "")
    whole = experiments.opened(app, number).made.stages
    experimenter.resume(number)
    experimenter.halt(number, "paused")
    stood = experiments.opened(app, number)
    assert stood.row.state in ("paused", "done") and len(stood.read) <= len(whole)
    part = conditions.view(app, number)
    assert part.experiment == number and len(part.states) < len(whole)
    if stood.row.state == "paused":
        experimenter.resume(number)
        bench.occupancy.wait()
    grid = conditions.view(app, number)
    high = {s.key: s for s in grid.states}
    assert "dims white by 38 %" in high["0.2"].sentence and "dims white by 17 %" in high["1.2"].sentence
    assert high["1.0"].sentence == "nothing measurable"


@pytest.mark.parametrize(
    ("more", "words", "place"),
    [
        ({}, "Add a feature or a second room light", "factors"),
        ({"factors": [FactorAsked("Nowhere", ["on"])]}, "no entry 'Nowhere'", "factors.0"),
        ({"factors": [FactorAsked(SAVER, [])]}, "Choose a value of Saver other than off", "factors.0"),
        ({"factors": [FactorAsked(SAVER, ["huge"])]}, "huge", "factors.0"),
        ({"factors": [SAID[0], FactorAsked("Image > Contrast", ["lots"])]}, "takes a number, not 'lots'", "factors.1"),
        ({"factors": [SAID[0], SAID[0]]}, "named twice", "factors"),
        ({"factors": [SAID[0]], "baselines": 2}, "3 to 24 times", "baselines"),
        ({"lights": [LightAsked("dark", 0.0), LightAsked(" ", 5.0)]}, "Say what the light is", "lights.1"),
        ({"lights": [LightAsked("dark", 0.0), LightAsked("Dark", 5.0)]}, "two lights called Dark", "lights.1"),
        ({"lights": [LightAsked("dark", 0.0), LightAsked("torch, 30 cm")]}, "Enter it for torch, 30 cm", "lights.1"),
        ({"lights": [LightAsked(f"L{i}", float(i)) for i in range(7)]}, "At most 6 lights", "lights"),
        (
            {"factors": [FactorAsked("Image > Contrast", [str(v) for v in range(90, 100)])]},
            "At most 4 values",
            "factors.0",
        ),
    ],
)
def test_what_makes_no_sense_is_said_with_its_place(app, television, more, words, place):
    q = question(app, television, "Reel", **more)
    for act in (questions.cost, experiments.begin):
        with pytest.raises(BadInputError, match=words) as e:
            act(app, television, q)
        assert e.value.place == place
    assert views.lines(app, television) == []


def test_states_that_were_chosen_are_those_that_are_read(app, bench, experimenter, television):
    chosen = [[0, 1, 0, 0], [0, 1, 1, 0], [2, 1, 1, 0]]
    q = question(app, television, "Reel", lights=LIGHTS, factors=SAID, chosen=chosen)
    assert questions.cost(app, television, q).notes[0].startswith("3 states")
    number = experimenter.start(television, q)
    bench.occupancy.wait()
    made = experiments.opened(app, number).made
    assert [list(k) for k in made.keys] == chosen
    for wrong in ([[0, 0, 0, 0]], [[0, 9, 0, 0]], [[0, 1]], [*chosen, [3, 0, 0, 0]]):
        with pytest.raises(BadInputError, match="There is no state") as e:
            questions.cost(
                app, television, question(app, television, "Reel", lights=LIGHTS, factors=SAID, chosen=wrong)
            )
        assert e.value.place == "chosen"


def test_what_it_takes_is_said_beforehand(app, television):
    few = questions.cost(
        app, television, question(app, television, "Reel", lights=LIGHTS, factors=SAID, together=False)
    )
    every = questions.cost(app, television, question(app, television, "Reel", lights=LIGHTS, factors=SAID))
    assert few.notes[0].startswith("14 states") and every.notes[0].startswith("35 states")
    assert few.notes[1] == "The light is changed 4 times; it begins and ends with dark (0 lux)."
    assert "A change of white of" in few.notes[2] and few.readings < every.readings
    offered = conditions.choices(app, television, setup_of(app, television, "Reel").id)
    saver = next(c for c in offered.controls if c.path == SAVER)
    assert (saver.stands, saver.every, saver.promise) == ("off", ["off", "low", "high"], SAID[0].promise)
    assert [x.label for x in offered.lights] == ["dark", "evening lamp", "daylight"] and offered.own_lights


def test_what_stands_already_is_no_act():
    def stage(*acts):
        return Stage("", tuple(Act(*a) for a in acts))

    dark, bright = ("light", "dark", 0.0), ("light", "lamp", 50.0)
    stages = [
        stage(("mode", "", "Day"), dark, ("set", "Saver", "off")),
        stage(dark, ("set", "Saver", "on")),
        stage(bright, ("set", "Saver", "on"), ("set", "Auto", "on")),
        stage(dark, ("set", "Saver", "off"), ("set", "Auto", "on")),
    ]
    assert questions.changing(stages) == 3 + 1 + 2 + 2


# -- by hand -----------------------------------------------------------------------------------------------------------


def test_a_torch_before_a_phone_by_hand(app):
    """No lux, a label and a distance; a light that cannot be had is left out, and the rest goes on."""
    new = NewDisplay(
        maker="Somebody", model="Phone", kind="phone", panel="oled", modes="Day, srgb", controls="Adaptive: on off*"
    )
    review = new_display.add(app, new)
    lights = (LightAsked("dark", 0.0), LightAsked("torch, 30 cm"), LightAsked("sunlight"))
    setup = experiments.cells.setup_of(app, review, new_display_setup(app, review))
    q = Question(
        kind="conditions",
        setup=setup.id,
        conditions=ConditionsAsked(
            lights=lights, factors=[FactorAsked("Adaptive", ["on"])], together=True, baselines=6
        ),
    )
    number = experiments.begin(app, review, q)
    seen = views.view(app, number)
    assert seen.by_hand and seen.now is not None and "light: dark, 0 lux" in seen.now.acts
    skipped, count = 0, 0
    while (seen := views.view(app, number)).now is not None:
        now, count = seen.now, count + 1
        assert count < 60
        if any(a == "light: sunlight" for a in now.acts):
            skipped += 1
            typed_stages.typed_in(app, number, seen.read, "XYZ", [], {}, [], ["sunlight"])
            continue
        boost = 1.5 if "torch" in now.title and "Adaptive on" in now.title else 1.0
        wobble = 1 + 0.0005 * (count % 3 - 1)
        texts = [_typed(rgb, boost * wobble) if "display off" not in now.title else "-" for rgb in now.rgb]
        typed_stages.typed_in(app, number, seen.read, "XYZ", texts, {}, [], [])
    assert skipped == 1 and seen.state == "done" and seen.back == []
    grid = conditions.view(app, number)
    by_key = {s.key: s for s in grid.states}
    assert "brightens white by 50 %" in by_key["1.1"].sentence and by_key["0.1"].size == by_key["1.0"].size == "none"
    assert by_key["2.1"].left_out == "sunlight could not be had: the person could not make it"
    assert "with torch, 30 cm" in grid.features[0].sentence


def new_display_setup(app, review):
    return next(s.id for s in experiments.reviews.setups_of(app.db.connection(), review))


def _typed(rgb, gain):
    light = [v**2.2 for v in rgb]
    rows = ((0.4, 0.35, 0.2), (0.2, 0.7, 0.1), (0.02, 0.35, 0.9))
    return " ".join(f"{gain * (0.05 + 200 * sum(w * v for w, v in zip(row, light, strict=True))):.5f}" for row in rows)
