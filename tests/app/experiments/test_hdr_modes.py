"""Questions about HDR modes on the bench: an SDR mode that shows in them, those that are the same, reach over signals."""

import numpy as np
import pytest

from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.experiments import experiment_views as views
from lumenar.app.experiments import experiments, typed_stages
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.recipes.recipes import recipe
from lumenar.app.recipes.replay import Replayer
from lumenar.app.setups import new_display, new_reviews, setup_notes, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.tuning import gains, tuning_views, tunings
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tunings import Wish
from lumenar.bench.plan import Cell
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.core.colour.transfer import pq
from lumenar.core.experiments.base import Act, StageRead
from lumenar.core.experiments.hdr_modes import SameModes
from lumenar.core.experiments.visible_effects import short_set
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import Metadata, SignalFormat
from lumenar.core.targets import TARGETS
from lumenar.core.tuning import session
from lumenar.core.tuning.base import Noise, white_error

from ...conftest import MONITOR, setup_of

TELEVISION = "carrow-meridian-65.json"
GREEN = Patch((0.0, 0.58, 0.0))


@pytest.fixture
def experimenter(app, bench):
    return Experimenter(app, bench)


def asked(app, bench, experimenter, review, kind, name, **more):
    number = experimenter.start(review, Question(kind=kind, setup=setup_of(app, review, name).id, **more))
    bench.occupancy.wait()
    return views.view(app, number)


def changed(units, *pairs):
    text = units[TELEVISION]
    for a, b in pairs:
        assert a in text
        text = text.replace(a, b)
    return text


def test_a_leak_is_found_named_and_becomes_a_workaround_of_this_firmware(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "carry", "Match day HDR")
    assert seen.state == "done" and seen.sentence.startswith("Match day shows in Match day HDR when left active: ")
    assert "shrinks the gamut" in seen.sentence
    rows = {r[0]: r[1] for r in seen.rows}
    assert len(rows) == 6 and all("nothing measurable" in rows[m] for m in ("Parlour", "Reel", "Dozing"))
    assert seen.workaround.startswith("Enter the SDR mode Shopfront before HDR begins")
    for _ in range(2):
        views.learn(app, seen.id)
    steps = [s for s in recipe(app, review, seen.setup).steps if s.kind == "workaround"]
    assert len(steps) == 1 and steps[0].why.endswith("Needed with firmware 3.11.")
    assert [n.until for n in setup_notes.of_setup(app, seen.setup)] == ["3.11"]


def test_another_firmware_has_no_leak(app, bench, experimenter, units):
    review = new_reviews.add_review(app, changed(units, ('"firmware": "3.11"}],', '"firmware": "2.0"}],')), TELEVISION)
    seen = asked(app, bench, experimenter, review, "carry", "Match day HDR")
    assert seen.sentence == "Match day HDR is the same whichever SDR mode was left active." and seen.workaround == ""


def test_the_mode_the_others_are_held_against_may_be_the_one_that_shows(app, bench, experimenter, units):
    review = new_reviews.add_review(
        app, changed(units, ('{"mode": "Match day", "clamp"', '{"mode": "Shopfront", "clamp"')), TELEVISION
    )
    seen = asked(app, bench, experimenter, review, "carry", "Match day HDR")
    assert seen.sentence.startswith("Shopfront shows in Match day HDR when it was left active")
    assert "Enter the SDR mode Parlour" in seen.workaround


def test_modes_that_are_the_same_are_named_and_the_one_with_most_peak(app, bench, experimenter, units):
    text = units[TELEVISION]
    at = text.index('    {"name": "Reel HDR"')
    line = text[at : text.index("\n", at)]
    twin = line.replace('"Reel HDR"', '"Show HDR"')
    review = new_reviews.add_review(app, text.replace(line, f"{line}\n{twin}"), TELEVISION)
    seen = asked(app, bench, experimenter, review, "alike", "Reel HDR")
    assert seen.sentence.startswith("Reel HDR and Show HDR are the same. ")
    assert " has most peak: " in seen.sentence
    same = {r[0]: r[2] for r in seen.rows}
    assert same == {
        "Reel HDR": "Show HDR",
        "Show HDR": "Reel HDR",
        "Match day HDR": "no other",
        "Player HDR": "no other",
    }
    peak = {r[0]: r[1] for r in seen.rows}
    assert f"{max(peak, key=peak.get)} " in seen.sentence


def test_questions_are_of_their_signal(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    hdr = {k.key for k in views.choices(app, review, setup_of(app, review, "Reel HDR").id).kinds}
    sdr = {k.key for k in views.choices(app, review, setup_of(app, review, "Reel").id).kinds}
    assert hdr == {"carry", "alike", "metadata", "ends", "byitself", "does", "difference", "comfort", "notches"}
    assert hdr & sdr == {"does", "difference", "comfort", "notches", "byitself"}
    with pytest.raises(BadInputError, match="Reel is an SDR setup"):
        asked(app, bench, experimenter, review, "carry", "Reel")
    with pytest.raises(BadInputError, match="1 mode for HLG"):
        asked(app, bench, experimenter, review, "alike", "Reel HLG")


def test_how_far_a_control_reaches_over_signals(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "scope", "Reel", control="Image > Contrast")
    assert "belongs to each mode" in seen.sentence and "Reel HDR" in seen.sentence
    assert any(
        "PQ" in w or "pq" in w
        for s in views.experiments.opened(app, seen.id).made.stages
        for w in [a.words for a in s.acts]
    )


def test_a_leak_begins_with_the_mode_and_ends_with_the_signal(units):
    unit = SimulatedUnit(parse_unit(units[TELEVISION]))

    def green(sdr, then="Match day HDR"):
        unit.receive(SignalFormat("sdr", "limited", 10))
        unit.select(sdr)
        unit.receive(SignalFormat("pq", "limited", 10))
        unit.select(then)
        return unit.seen(GREEN, 0.0) @ unit.channel_XYZ

    clean, leaky = green("Reel"), green("Match day")
    assert leaky[0] / leaky[1] > 1.02 * clean[0] / clean[1]
    # From one HDR signal to another it stays.
    unit.receive(SignalFormat("hlg", "limited", 10))
    assert unit.leak is not None and unit.leak.mode == "Match day"
    assert green("Reel") == pytest.approx(clean)
    unit.receive(SignalFormat("sdr", "limited", 10))
    assert unit.leak is None


def test_a_leak_of_a_mode_that_is_not_there_is_refused(units):
    with pytest.raises(UnitFileError, match="a leak comes from 'Reel HDR', which is no SDR mode"):
        parse_unit(changed(units, ('{"mode": "Match day", "clamp"', '{"mode": "Reel HDR", "clamp"')))


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("Reel HDR", "Reel HDR goes by the mastering peak"),
        ("Match day HDR", "Match day HDR ignores metadata."),
        ("Player HDR", "Player HDR ignores metadata."),
    ],
)
def test_what_a_mode_makes_of_metadata(app, bench, experimenter, units, name, says):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "metadata", name)
    assert seen.state == "done" and seen.sentence.startswith(says)
    assert [r[0] for r in seen.rows] == [
        "no metadata", "mastering peak 4,000, MaxCLL 4,000 cd/m²", "mastering peak 4,000, MaxCLL 1,000 cd/m²",
        "mastering peak 1,000, MaxCLL 1,000 cd/m²", "mastering peak 1,000, MaxCLL 400 cd/m²",
    ]  # fmt: skip
    ends = [r[2] for r in seen.rows]
    if "ignores" in says:
        assert max(ends) < 1.15 * min(ends) and "depending on the metadata" not in seen.sentence
    else:
        # Mastered to 4,000, light still comes where the signal asks for much more.
        assert ends[1] > 1.5 * ends[3] and "depending on the metadata" in seen.sentence
    measured = {s.name: s.setup for s in seen.charts[0].series if s.role == "measured"}
    assert len(seen.charts) == 1 and len(measured) == 5
    # Those to 4,000 are drawn alike, and otherwise only where something was told apart.
    assert measured["4,000 / 4,000"] == measured["4,000 / 1,000"]
    assert ("ignores" in says) == (len(set(measured.values())) == 1)
    # Nothing of what was sent is left.
    assert views.experiments.opened(app, seen.id).made.back[0].words == "send no metadata"


def test_a_mode_that_goes_by_maxcll_is_told_from_one_that_goes_by_the_peak(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units["ostrel-fen-32.json"], "ostrel-fen-32.json")
    seen = asked(app, bench, experimenter, review, "metadata", "Studio HDR")
    assert seen.sentence.startswith("Studio HDR goes by MaxCLL and not by the mastering peak.")
    same = asked(app, bench, experimenter, review, "alike", "Matinee HDR")
    assert same.sentence.startswith("Matinee HDR and Handset HDR are the same.")
    capped = {r[0]: r[1] for r in same.rows}
    assert capped["Studio HDR"] == pytest.approx(420, rel=0.06) and capped["Arena HDR"] > 700


def test_what_an_option_does_to_pq(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "does", "Reel HDR", control="Image > Vigour")
    assert "lifts mid-tones" in seen.sentence and "kept" in seen.sentence
    assert "PQ is followed best at off: " in seen.sentence and seen.heads[2] == "PQ error, % of code rms"
    error = {r[0]: r[2] for r in seen.rows}
    assert error["off, as it stands"] < 0.6 < error["some"] < error["much"]
    twins = asked(
        app, bench, experimenter, review, "difference", "Reel HDR", setups=[setup_of(app, review, "Player HDR").id]
    )
    assert twins.state == "done" and twins.sentence.startswith("Player HDR")
    with pytest.raises(BadInputError, match="Reel HLG is not for PQ"):
        asked(app, bench, experimenter, review, "metadata", "Reel HLG")
    with pytest.raises(BadInputError, match="this question needs one"):
        asked(app, bench, experimenter, review, "locks", "Reel HDR", control="Image > Vigour")


def test_white_is_tuned_in_hdr_proven_and_replayed(app, bench, units):
    """By gains alone, with the luminance it costs; the signal is sent before the recipe is entered."""
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    correct_for(app, bench, review)
    tuner = Tuner(app, bench)
    setup = setup_of(app, review, "Match day HDR")
    offered = {c.key: c.why_not for c in tuning_views.choices(app, review, setup.id)}
    assert offered["white"] == "" and {w for g, w in offered.items() if g != "white"} == {session.HDR}
    number = tuner.start(review, setup.id, Wish(["white"]))
    bench.occupancy.wait()
    view = tuning_views.view(app, number)
    assert view.state == "found" and all(" offset" not in s.path for s in view.settings) and view.settings
    made = tunings.keep(app, number, "Match day HDR tuned")
    gains.prove(app, bench, number)
    bench.runs.finish()
    said = gains.worth(app, number)
    white = next(f for f in said.figures if f.figure == "white_black.white_de2000")
    assert white.after < 1.5 < 3 < white.before and said.proven
    # Beyond what the meter says: the display's own light, without noise.
    unit = SimulatedUnit(parse_unit(units[TELEVISION]))
    unit.receive(SignalFormat("pq", "limited", 10))
    unit.select("Match day HDR")
    light = [unit.XYZ((1, 1, 1))]
    for s in view.settings:
        unit.apply(s.path, int(s.value))
    light.append(unit.XYZ((1, 1, 1)))
    before, after = (float(white_error(x, TARGETS["bt2020_pq"])) for x in light)
    assert after < 1 < 3 < before
    # Asked what it is worth for colour work, which is for SDR, it says so for HDR film.
    assert said.gain.figure == "points.hdr_film"
    assert any(f.figure == "pq_tracking.code_rms_percent" for f in said.figures)
    Replayer(app, bench).start(review, made, setup.unit_id)
    bench.occupancy.wait()
    (replay,) = recipe(app, review, made).replays
    assert (replay.state, replay.message) == ("done", "") and replay.kept is not False


def test_metadata_and_a_leak_by_hand(app):
    """A person sends, enters and types; what is to be done says so in words, and only what changes."""
    review = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street",
            model="Wall 55",
            kind="television",
            panel="lcd",
            modes="Film, srgb\nShow, srgb\nHall HDR, pq, p3_d65_pq",
        ),
    )
    hall = setup_of(app, review, "Hall HDR")
    number = experiments.begin(app, review, Question(kind="metadata", setup=hall.id))
    said = []
    while (seen := views.view(app, number)).now is not None:
        said.append(seen.now.acts)
        light = [min(float(pq(rgb[0])), 600.0) for rgb in seen.now.rgb]
        typed_stages.typed_in(
            app, number, seen.read, "XYZ", [f"{0.95 * Y:.4g} {Y:.4g} {1.09 * Y:.4g}" for Y in light], {}, [], []
        )
    assert said[0] == ["send no metadata", "mode Hall HDR"]
    assert said[1] == ["send mastering peak 4,000, MaxCLL 4,000 cd/m²"]
    assert seen.state == "done" and seen.sentence == "Hall HDR ignores metadata. Output clips at 594 cd/m²."
    number = experiments.begin(app, review, Question(kind="carry", setup=hall.id))
    acts, read = [], 0
    while (seen := views.view(app, number)).now is not None:
        acts += seen.now.acts
        read += 1
        leaky = "after Show" in seen.now.title
        texts = []
        for r, g, b in seen.now.rgb:
            light = [min(float(pq(v)), 600.0) * (0.8 if leaky else 1.0) * (1 + 0.0004 * (read % 3)) for v in (r, g, b)]
            X, Y, Z = np.array([[0.41, 0.36, 0.18], [0.21, 0.72, 0.07], [0.02, 0.12, 0.95]]) @ light
            texts.append(f"{X:.5g} {Y:.5g} {Z:.5g}")
        typed_stages.typed_in(app, number, seen.read, "XYZ", texts, {}, [], [])
    assert acts[:4] == ["send SDR", "mode Film", "send PQ", "mode Hall HDR"]
    assert seen.sentence.startswith("Show shows in Hall HDR when left active: after Show it dims white by 20 %")
    views.learn(app, seen.id)
    assert any(s.kind == "workaround" for s in recipe(app, review, hall.id).steps)


def test_hdr_modes_are_read_there_and_back_so_that_drift_is_no_difference():
    x = SameModes(("A", "B", "C"), "pq", Noise())
    assert [s.acts[0].value for s in x.stages] == list("ABCCBAABC")
    base = np.array([[0.9 * Y, Y, Y] for Y in pq(np.array([p.rgb for p in short_set("pq")]).max(axis=1)) + 0.01])
    rng, drifting = np.random.default_rng(3), []
    for i in range(9):
        # Half a percent a reading, ten times the noise.
        drifting.append(StageRead(base * (1 - 0.005 * i) * (1 + 0.0005 * rng.standard_normal(base.shape))))
    assert x.conclude(drifting).sentence.startswith("A, B and C are the same. ")


def test_notches_are_ranked_by_how_pq_is_followed(app, bench, experimenter, units):
    """Vigour as the maker meant it against what follows PQ best; white's error and a curve are other questions."""
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "notches", "Reel HDR", control="Image > Vigour", by="pq")
    assert seen.title == "Vigour, step by step, ranked by PQ error"
    assert [r[1] for r in seen.rows] == ["off", "some", "much"]
    errors = [float(r[2]) for r in seen.rows]
    assert errors[0] < 0.3 < errors[1] < errors[2] and seen.sentence.startswith("PQ error is least at Vigour off")
    choices = views.choices(app, review, setup_of(app, review, "Reel HDR").id)
    assert list(choices.by) == ["pq", "white", "luminance"]
    for name, by in (("Reel HDR", "curve"), ("Reel", "pq")):
        with pytest.raises(BadInputError, match="cannot be ranked by"):
            asked(app, bench, experimenter, review, "notches", name, control="Image > Vigour", by=by)


def test_a_display_that_leaves_a_mode_by_itself_is_found_out(app, bench, experimenter, units):
    """A flag on the content sends it to another mode; chosen anew before each signal, and kept as a check of the recipe."""
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    seen = asked(app, bench, experimenter, review, "byitself", "Player HDR")
    assert seen.state == "done" and seen.title == "Does the display leave Player HDR automatically?"
    assert seen.sentence == (
        "The display leaves Player HDR by itself: with content flagged as film it goes to Reel HDR; "
        "with content flagged as game it goes to Match day HDR."
    )
    assert [r[1] for r in seen.rows] == [
        "it stays",
        "Reel HDR",
        "Match day HDR",
        "it stays",
        "it stays",
        "it stays",
        "it stays",
    ]
    setup = setup_of(app, review, "Player HDR")
    views.learn(app, seen.id)
    assert any("See that Player HDR still stands" in n.words for n in setup_notes.of_setup(app, setup.id))
    reel = asked(app, bench, experimenter, review, "byitself", "Reel HDR")
    assert "as film" not in reel.sentence and "with content flagged as game it goes to Match day HDR" in reel.sentence
    calm = asked(app, bench, experimenter, review, "byitself", "Reel")
    assert calm.sentence == "The display stays in Reel, whatever is said of the content."


def test_by_hand_a_mode_that_left_is_chosen_again_and_the_menu_is_looked_at(app):
    review = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street",
            model="Wall 55",
            kind="television",
            panel="lcd",
            modes="Film, pq\nPlay, pq\nDay",
            controls="",
        ),
    )
    film = setup_of(app, review, "Film")
    number = experiments.begin(app, review, Question(kind="byitself", setup=film.id))
    said = []
    while (now := views.view(app, number).now) is not None:
        said.append(now.acts)
        mode = "Play" if any("as game" in a for a in now.acts) else "Film"
        assert now.look == [("Mode", "Film")]
        # Where nothing is typed it is as it should be.
        typed_stages.typed_in(app, number, len(said) - 1, "XYZ", [], {"Mode": mode} if mode != "Film" else {}, [], [])
    assert said[2] == ["send content without a flag", "send content flagged as game"]
    # It left: the mode is chosen again before the next signal.
    assert said[3][:2] == ["send content without a flag", "mode Film"]
    assert "with content flagged as game it goes to Play" in views.view(app, number).sentence
    with pytest.raises(BadInputError, match="not among Film, Play"):
        second = experiments.begin(app, review, Question(kind="byitself", setup=film.id))
        typed_stages.typed_in(app, second, 0, "XYZ", [], {"Mode": "Night"}, [], [])


def test_a_light_control_that_bends_pq_is_freed_by_an_option_and_ranked(app, bench, experimenter, units):
    """At the top as the maker meant it PQ is followed best; freed and lowered it bends the curve rather than scaling it."""
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    matinee = setup_of(app, review, "Matinee HDR")
    with pytest.raises(BadInputError, match="is locked while Picture > HDR light > Free is off"):
        asked(
            app, bench, experimenter, review, "notches", "Matinee HDR", control="Picture > HDR light > Level", by="pq"
        )
    setups.add(app, review, matinee.id, "Freed", setups.Edit(values={"Picture > HDR light > Free": "on"}))
    seen = asked(app, bench, experimenter, review, "notches", "Freed", control="Picture > HDR light > Level", by="pq")
    errors = {r[1]: float(r[2]) for r in seen.rows}
    assert min(errors, key=errors.get) == "100" and errors["0"] > errors["50"] > 1
    lower = asked(app, bench, experimenter, review, "does", "Freed", control="Picture > HDR light > Level")
    assert "darkens mid-tones" in lower.sentence or "lowers mid-tones" in lower.sentence, lower.sentence


def test_a_host_whose_hdr_is_off_sends_none(app, bench, units):
    """From a computer: what the display shows is SDR, and the run says so."""
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    off = setups.add(
        app, review, setup_of(app, review, "Studio HDR").id, "Host off", setups.Edit(values={"Host > HDR": "off"})
    )
    bench.runs.start(review, [Cell(off, "white_black")])
    with pytest.raises(ConflictError, match="the display says it shows SDR"):
        bench.runs.finish()
    bench.runs.stop()


def test_sdr_is_sent_without_what_only_hdr_says(app, bench):
    """Going to SDR and back, a source takes its metadata along for HDR only."""
    sent = []

    class Sender:
        def send(self, shown):
            sent.append(shown)

    runner = Experimenter(app, bench)
    runner._format = SignalFormat("pq", chroma="422", metadata=Metadata(1000, 0.005, 1000, 400), content="film")
    for to in ("sdr", "pq"):
        runner._do(Sender(), None, Act("signal", "", to))
    assert sent[0] == SignalFormat("sdr", chroma="422") and sent[1] == runner._format
