"""What is sent and what the display says it shows: recorded, told, and a run that finds another signal pauses. Then what PQ is
measured for besides its curve: volume, sums, near black, the whole screen."""

import json
import re
from dataclasses import replace

import numpy as np
import pytest

from lumenar.app.bench.bench import BenchService
from lumenar.app.board import board, cell_charts
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange import importing
from lumenar.app.exchange.export import readings_document
from lumenar.app.experiments import experiment_views
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.figures import cells
from lumenar.app.manual import manual_runs
from lumenar.app.manual.manual_runs import Entry
from lumenar.app.menus import menu_edits
from lumenar.app.recipes.recipes import recipe
from lumenar.app.recipes.replay import Replayer, row_of
from lumenar.app.runs.planning import Options
from lumenar.app.setups import host_reports, new_display, new_reviews, setup_views, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.app.setups.setup_views import StatedFormat
from lumenar.app.setups.setups import Edit
from lumenar.bench.plan import Cell
from lumenar.core.colour import transfer
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.targets import resolve
from lumenar.publish.edition import publish
from lumenar.store import manual_runs as hand
from lumenar.store import reviews, runs

from ...conftest import MONITOR, TELEVISION, setup_of

CURVE, PORT, MAX_CLL, MASTERING = (
    "Service > Decoding > Curve", "Inputs > Player port", "Service > Decoding > MaxCLL", "Service > Decoding > Mastering peak",
)  # fmt: skip


@pytest.fixture
def television(app, units):
    return new_reviews.add_review(app, units[TELEVISION], TELEVISION)


def measured(app, bench, review, setup, *measurements, **options):
    bench.runs.start(review, [Cell(setup, m) for m in measurements], Options(**options))
    bench.runs.finish()
    found = next(s for s in reviews.setups_of(app.db.connection(), review) if s.id == setup)
    return cells.analyses_of(app, found, cells.newest(app, review))


# -- sent and shown -----------------------------------------------------------------------------------------------------


def test_a_run_that_finds_another_signal_pauses_and_says_so(app, bench, television):
    reel = setup_of(app, television, "Reel HDR")
    plain = setups.add(app, television, reel.id, "Plain port", Edit(values={PORT: "Plain signal"}))
    with pytest.raises(ConflictError, match=r"is sent, and the display says it shows SDR\. See to its input"):
        measured(app, bench, television, plain, "white_black")
    bench.runs.stop()
    assert setup_views.view(app, television, plain).shown == ""
    measured(app, bench, television, reel.id, "white_black")
    assert setup_views.view(app, television, reel.id).shown == "PQ, 10 bits, limited range"


def test_a_source_without_a_flag_and_a_decoder_that_is_told(app, bench, television):
    """The same light as with a flag, and all of it is in the files and back."""
    reel = setup_of(app, television, "Reel HDR")
    flagged = measured(app, bench, television, reel.id, "pq_tracking")["pq_tracking"]
    told = setups.add(
        app, television, reel.id, "Told", Edit(values={CURVE: "PQ"}, format=StatedFormat(flag="none"))
    )  # fmt: skip
    plain = measured(app, bench, television, told, "pq_tracking")["pq_tracking"]
    assert plain.scalar("clip_cd_m2") == pytest.approx(flagged.scalar("clip_cd_m2"), rel=0.01)
    assert plain.scalar("code_rms_percent") == pytest.approx(flagged.scalar("code_rms_percent"), abs=0.05)
    row = next(r for r in board.board(app, television).rows if r.setup == told)
    assert row.format == "no HDR flag" and row.state == "1 setting changed"
    first = recipe(app, television, told).steps[0]
    assert (first.path, first.value) == (CURVE, "PQ") and first.why.startswith("Before HDR is sent")
    document = readings_document(app, television)
    s = next(x for x in document["setups"] if x["name"] == "Told")
    assert s["format"]["flag"] == "none" and s["shown"] == {"transfer": "pq", "bits": 10, "range": "limited"}
    again = importing.import_readings(app, json.dumps(document), "Again.json")
    assert setup_views.view(app, again, setup_of(app, again, "Told").id).shown == "PQ, 10 bits, limited range"
    assert readings_document(app, again)["setups"] == document["setups"]
    publish(app, television)
    page = next((app.folder / "editions").glob("*/1/method.html")).read_text()
    assert "PQ, 10 bits, limited range, no HDR flag, which the display said it showed" in page


def test_a_setup_says_what_its_content_is_flagged_as_and_keeps_its_mode(app, bench, television):
    """A display that goes to another mode by a flag is put back to the setup's, and reads the same there."""
    player = setup_of(app, television, "Player HDR")
    plain = measured(app, bench, television, player.id, "pq_tracking", "white_black")["pq_tracking"]
    film = setups.add(app, television, player.id, "Player, film", Edit(format=StatedFormat(content="film")))
    flagged = measured(app, bench, television, film, "pq_tracking")["pq_tracking"]
    assert bench.equipment.bench.remote.format.content == "film"
    assert flagged.scalar("clip_cd_m2") == pytest.approx(plain.scalar("clip_cd_m2"), rel=0.01)
    assert next(r for r in board.board(app, television).rows if r.setup == film).format == "flagged as film"
    document = readings_document(app, television)
    assert next(x for x in document["setups"] if x["name"] == "Player, film")["format"]["content"] == "film"
    again = importing.import_readings(app, json.dumps(document), "Again.json")
    assert readings_document(app, again)["setups"] == document["setups"]
    # Another flag is another signal: what was measured is stale.
    setups.change(app, television, player.id, Edit(format=StatedFormat(content="game")))
    assert "signal content flag none → game" in next(
        why for c, why in cells.newest(app, television).stale.items() if c.setup == player.id
    )


def test_all_that_is_known_of_a_signal_goes_with_its_readings(app, bench, television):
    """Resolution, what codes mean, what the content was mastered on: on the Board, in the file and back, and stale where
    metadata differ."""
    reel = setup_of(app, television, "Reel HDR").id
    sent = StatedFormat(
        resolution="3840x2160", container="bt2020", mastering_primaries="p3_d65", mastering_cd_m2=1000,
        mastering_black_cd_m2=0.0, chroma="4:2:2",
    )  # fmt: skip
    setups.change(app, television, reel, Edit(format=sent))
    measured(app, bench, television, reel, "white_black")
    row = next(r for r in board.board(app, television).rows if r.setup == reel)
    assert row.format == "4:2:2, 3840 x 2160, peak 1,000, black 0 cd/m², in BT.2020, mastered in P3 D65"
    document = readings_document(app, television)
    s = next(x for x in document["setups"] if x["name"] == "Reel HDR")
    assert s["metadata"] == {"mastering_peak_cd_m2": 1000, "mastering_black_cd_m2": 0.0}
    assert (s["format"]["resolution"], s["format"]["container"]) == ("3840 x 2160", "bt2020")
    again = importing.import_readings(app, json.dumps(document), "Again.json")
    assert readings_document(app, again)["setups"] == document["setups"]
    setups.change(app, television, reel, Edit(format=replace(sent, mastering_primaries="bt2020")))
    stale = cells.newest(app, television).stale
    assert "signal mastering primaries p3_d65 → bt2020" in next(why for c, why in stale.items() if c.setup == reel)
    sdr = setup_of(app, television, "Reel").id
    for wrong, said in (
        (StatedFormat(resolution="wide"), "pixels across x down"),
        (StatedFormat(mastering_primaries="bt2020"), "Only a PQ signal says its mastering primaries"),
        (StatedFormat(mastering_black_cd_m2=0.1), "Only a PQ signal says its mastering black"),
    ):
        with pytest.raises(BadInputError, match=said):
            setups.change(app, television, sdr, Edit(format=wrong))


def test_what_is_sent_makes_sense(app, television):
    reel = setup_of(app, television, "Reel")
    with pytest.raises(BadInputError, match="SDR has no HDR flag to leave out"):
        setups.change(app, television, reel.id, Edit(format=StatedFormat(flag="none")))


def test_what_is_set_before_hdr_is_replayed_before_it(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    arena = setup_of(app, review, "Arena HDR")
    lifted = setups.add(app, review, arena.id, "Lifted", Edit(values={"System > HDR depth": "lifted"}))
    own = measured(app, bench, review, lifted, "pq_tracking", "gamut", "white_black")["pq_tracking"]
    plain = measured(app, bench, review, arena.id, "pq_tracking")["pq_tracking"]
    assert own.scalar("middle_code_percent") > plain.scalar("middle_code_percent") + 1
    replayer = Replayer(app, bench)
    number = replayer.start(review, lifted)
    bench.occupancy.wait()
    row = row_of(app, number)
    assert row.state == "done", row.message
    assert [s["path"] for s in row.steps][:2] == ["System > HDR depth", "Picture > Mode"]


# -- by hand --------------------------------------------------------------------------------------------------------------


@pytest.fixture
def by_hand(app, bench):
    review = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street", model="Wall 55", kind="television", panel="oled", modes="Film, pq, bt2020_pq",
            controls="Inputs\n  Deep signal off* on (only while SDR shows) (all modes)\n",
        ),
    )  # fmt: skip
    film = setup_of(app, review, "Film")
    deep = setups.add(app, review, film.id, "Deep", Edit(values={"Inputs > Deep signal": "on"}))
    bench.runs.start(review, [Cell(deep, "white_black")])
    return review, deep, manual_runs.open_runs(app, review)[0]


def test_by_hand_it_is_said_what_to_set_first_and_what_to_send(app, by_hand):
    _, _, run = by_hand
    setup = manual_runs.sheet(app, run).setups[0]
    assert [(s.path, s.value) for s in setup.ahead] == [("Inputs > Deep signal", "on")] and not setup.enter
    assert setup.send.startswith("PQ, ") and setup.shown is None and setup.other == ""


def test_readings_of_another_signal_are_not_taken_by_hand(app, by_hand):
    review, deep, run = by_hand
    sheet = manual_runs.looked(app, run, deep, "sdr")
    assert sheet.setups[0].other == "SDR"
    entries = [Entry(p.patch, "600 620 640") for p in sheet.patches]
    answers = manual_runs.enter(app, run, "XYZ", entries)
    assert not any(a.kept for a in answers.answers) and answers.done == 0
    assert answers.answers[0].error.startswith("The display shows SDR, and this is for PQ: see to its input")
    assert manual_runs.looked(app, run, deep, "pq").setups[0].other == ""
    texts = ["600 620 640" if p.rgb[0] else "0" for p in sheet.patches]
    answers = manual_runs.enter(
        app, run, "XYZ", [Entry(p.patch, t, True) for p, t in zip(sheet.patches, texts, strict=True)]
    )
    assert answers.state == "done"
    assert setup_views.view(app, review, deep).shown == "PQ"
    assert runs.recorded(app.db.connection(), run, deep, "shown") == {"transfer": "pq"}
    manual_runs.looked(app, run, deep, None)
    assert runs.recorded(app.db.connection(), run, deep, "shown") is None
    with pytest.raises(NotFoundError, match="has no setup 999"):
        manual_runs.looked(app, run, 999, "pq")


def test_when_it_can_be_set_is_corrected_on_the_map(app, by_hand):
    review, *_ = by_hand
    path = "Inputs > Deep signal"
    shown = menu_edits.change_control(app, review, None, path, {"when": "first"}, "were")
    assert next(c for c in shown.controls if c.path == path).when == "first"
    assert "(before HDR is sent)" in shown.controls_text
    with pytest.raises(BadInputError, match="time to be set"):
        menu_edits.change_control(app, review, None, path, {"when": "never"}, "were")


# -- where light ends ---------------------------------------------------------------------------------------------------


def test_where_light_ends_by_what_the_decoder_is_told(app, bench, television):
    experimenter = Experimenter(app, bench)

    def asked(control):
        q = Question(kind="ends", setup=setup_of(app, television, "Reel HDR").id, control=control)
        number = experimenter.start(television, q)
        bench.occupancy.wait()
        return experiment_views.view(app, number)

    seen = asked(MASTERING)
    assert seen.title == "Does Mastering peak move the clipping point?"
    ends = {str(r[0]).split(",")[0]: float(str(r[2])) for r in seen.rows}
    assert list(ends) == ["0", "400", "600", "1000", "2000", "4000"]
    # It rolls off from what it is told, and from 1000 where it is told nothing.
    assert ends["0"] == pytest.approx(ends["1000"], rel=0.02) and ends["1000"] < 0.8 * ends["2000"] < 0.8 * ends["4000"]
    assert re.match(
        r"In Reel HDR, output clips depending on Mastering peak: 8\d\d cd/m² at 0, .* and .* at 4000\.", seen.sentence
    )
    assert seen.charts[0].key == "ends" and len(seen.charts[0].series) == 7
    assert asked(MAX_CLL).sentence.startswith("MaxCLL changes nothing in Reel HDR: output clips at 8")
    with pytest.raises(BadInputError, match="is set before PQ is sent"):
        asked(CURVE)


# -- what PQ is measured for besides its curve ----------------------------------------------------------------------------


def test_volume_in_pq_goes_as_far_as_the_display_does(app, bench, television):
    """Of 602 colours read in PQ: tenths of the code that asks for what was read last, and all of the code where nothing was."""
    player = setup_of(app, television, "Player HDR").id
    first = measured(app, bench, television, player, "pq_tracking", "volume")
    assert first["volume"].scalar("top_cd_m2") == pytest.approx(10_000)
    second = measured(app, bench, television, player, "volume", "additivity", sum_levels=6)
    peak = second["volume"].scalar("peak_cd_m2")
    assert second["volume"].scalar("top_cd_m2") == pytest.approx(peak, rel=0.02)
    shares = [a["volume"].scalar("volume_percent_of_target") for a in (first, second)]
    assert shares[0] == pytest.approx(shares[1], abs=3)
    assert 80 < shares[1] <= 100
    assert len(second["additivity"].figures["levels_percent"]) >= 6
    rings = cell_charts.plates(app, television, player, "volume", [], None)
    assert {c.key for c in rings.charts} == {"rings", "ring_losses"}
    assert f"of {peak:.0f} cd/m²" in rings.charts[0].note


def test_near_black_and_the_whole_screen_in_pq_and_hlg(app, bench, television):
    for name in ("Reel HDR", "Reel HLG"):
        found = measured(
            app, bench, television, setup_of(app, television, name).id, "near_black", "uniformity", grid=(3, 3)
        )
        assert found["near_black"].scalar("error_rms_code_percent") < 2
        assert 0 < found["uniformity"].scalar("uniformity_falloff_percent") < 40
    shown = board.board(app, television)
    assert {"error_rms_lstar", "error_rms_code_percent"} <= {c.figure for c in shown.columns}


# -- what a run asks for besides its plan -----------------------------------------------------------------------------------


def codes_read(app, run):
    rows = app.db.connection().execute(
        "SELECT p.r FROM patch p JOIN reading g ON g.patch_id = p.id JOIN use_set_member u ON u.use_set = p.use_set"
        " WHERE p.run_id = ? AND u.measurement = 'pq_tracking' ORDER BY g.id", (run,)
    )  # fmt: skip
    return [r["r"] for r in rows]


def test_knee_and_clip_are_bisected_while_the_run_goes_on(app, bench, television):
    reel = setup_of(app, television, "Reel HDR").id
    found = measured(app, bench, television, reel, "pq_tracking", "white_black")["pq_tracking"]
    run = app.db.connection().execute("SELECT max(id) FROM run").fetchone()[0]
    codes = codes_read(app, run)
    plan = MEASUREMENTS["pq_tracking"].patches(Context(target=resolve("p3_d65_pq"), bits=10))
    more = codes[len(plan) :]
    assert 1 <= len(more) <= 8
    # Nothing is asked for before all that was planned is there.
    assert {round(p.rgb[0], 6) for p in plan} == {round(c, 6) for c in codes[: len(plan)]}
    levels = np.sort(np.array(codes)) * 100
    for key in ("knee_percent", "clip_percent"):
        at = found.scalar(key)
        i = np.searchsorted(levels, at)
        assert levels[i] - levels[i - 1] < 0.6, key
    # Where the curve is left also depends on how true the meter is.
    assert found.uncertainty["clip_percent"].high - found.uncertainty["clip_percent"].low < 1
    progress = runs.progress_by_cell(app.db.connection(), run)[reel, "pq_tracking"]
    assert progress == (len(codes), len(codes))
    # Another setup that was read by the same list is not taken for having read these too.
    other = setup_of(app, television, "Match day HDR").id
    own = measured(app, bench, television, other, "pq_tracking")["pq_tracking"]
    run = app.db.connection().execute("SELECT max(id) FROM run").fetchone()[0]
    assert own.figures["levels_percent"] == pytest.approx(100 * np.unique(codes_read(app, run)))
    assert set(codes_read(app, run)) != set(codes)
    again = measured(app, bench, television, reel, "white_black")["pq_tracking"]
    assert again.scalar("clip_percent") == found.scalar("clip_percent")


def test_what_was_asked_for_besides_outlives_a_killed_run(app, bench, television):
    reel = setup_of(app, television, "Reel HDR").id
    bench.runs.start(
        television, [Cell(reel, "pq_tracking"), Cell(setup_of(app, television, "Player HDR").id, "white_black")]
    )
    bench.runs.wait()
    run = app.db.connection().execute("SELECT max(id) FROM run").fetchone()[0]
    whole = codes_read(app, run)
    planned = len(MEASUREMENTS["pq_tracking"].patches(Context(target=resolve("p3_d65_pq"), bits=10)))
    with app.db.transaction() as db:
        # As if it had ended before the last of them was read, the other setup being read already.
        last = db.execute("SELECT max(id) FROM patch WHERE run_id = ?", (run,)).fetchone()[0]
        hand.take_back(db, last)
        runs.set_state(db, run, "paused", "")
    bench.close()
    later = BenchService(app, speed=0.0)
    later.runs.recover()
    later.runs.resume()
    later.runs.finish()
    assert len(codes_read(app, run)) == len(whole) > planned
    later.close()


def test_by_hand_more_is_asked_for_too(app, by_hand):
    review, deep, _ = by_hand
    bench = BenchService(app)
    second = bench.runs.start(review, [Cell(deep, "pq_tracking")])
    bench.close()

    def typed_in():
        sheet = manual_runs.sheet(app, second)
        left = [p for p in sheet.patches if not p.outcome]
        Y = np.minimum(transfer.pq(np.array([p.rgb[1] for p in left])), 640.0)
        texts = [" ".join(f"{v:.5g}" for v in y * np.array([0.9505, 1.0, 1.0891])) for y in Y]
        entries = [Entry(p.patch, t, True) for p, t in zip(left, texts, strict=True)]
        return len(left), manual_runs.enter(app, second, "XYZ", entries)

    planned, answers = typed_in()
    assert answers.state == "waiting" and answers.total > planned
    more = 0
    while answers.state != "done":
        count, answers = typed_in()
        more += count
    assert 1 <= more <= 8 and answers.done == answers.total
    setup = next(s for s in reviews.setups_of(app.db.connection(), review) if s.id == deep)
    found = cells.analyses_of(app, setup, cells.newest(app, review))["pq_tracking"]
    assert found.scalar("clip_cd_m2") == pytest.approx(640, rel=0.03)


# -- what a host reports ----------------------------------------------------------------------------------------------------


def test_what_the_host_reports_is_read_with_the_setup_and_stands_beside_what_was_measured(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    studio, arena = (setup_of(app, review, n).id for n in ("Studio HDR", "Arena HDR"))
    measured(app, bench, review, studio, "pq_tracking", "peak")
    measured(app, bench, review, arena, "white_black")
    at = cell_charts.plates(app, review, studio, "peak", [], None)
    assert (at.reported.max_cd_m2, at.reported.full_cd_m2, at.reported.typed) == (600, 400, False)
    # The file caps this mode at 600 of MaxCLL's making, and it shows what it shows.
    peak = next(f.value for f in at.figures if f.key == "peak_cd_m2")
    assert f"The host reports 600 cd/m² for Studio HDR, {600 / peak:.2f} times the {peak:.0f} that it shows" in at.words
    chart = at.charts[-1]
    assert chart.key == "reported" and [r[0] for r in chart.table.rows] == ["Studio HDR", "Arena HDR"]
    rows = {r[0]: r for r in chart.table.rows}
    assert rows["Studio HDR"][3] == pytest.approx(600 / peak) and rows["Arena HDR"][6] is None
    assert any("The host reports 600" in line for line in recipe(app, review, studio).enter)
    assert cell_charts.plates(app, review, studio, "peak", [], None).charts[0].key != "reported"
    # White in another measurement does not take the place of the peak.
    measured(app, bench, review, studio, "white_black")
    assert cell_charts.plates(app, review, studio, "peak", [], None).words == at.words
    assert at.hosted and not cell_charts.plates(app, review, studio, "white_black", [], None).hosted


def test_what_a_person_says_of_the_host_outlives_what_is_read(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    arena = setup_of(app, review, "Arena HDR").id
    host_reports.say(app, review, arena, 900.0, None, None)
    measured(app, bench, review, arena, "pq_tracking")
    at = cell_charts.plates(app, review, arena, "pq_tracking", [], None)
    assert (at.reported.max_cd_m2, at.reported.full_cd_m2, at.reported.typed) == (900, None, True)
    host_reports.say(app, review, arena, None, None, None)
    assert cell_charts.plates(app, review, arena, "pq_tracking", [], None).reported is None
    for wrong, said in (((0.0, None, None), "most light is above 0"), ((600.0, 900.0, None), "a whole screen has at most"),
                        ((600.0, None, 700.0), "least light is below"), ((None, 300.0, None), "Say the most light")):  # fmt: skip
        with pytest.raises(BadInputError, match=said):
            host_reports.say(app, review, arena, *wrong)
    with pytest.raises(BadInputError, match="is not for PQ"):
        host_reports.say(app, review, setup_of(app, review, "Studio").id, 500.0, None, None)


def test_a_host_reports_of_pq_alone(app, bench, television):
    hlg = setup_of(app, television, "Reel HLG").id
    measured(app, bench, television, hlg, "peak")
    assert not cell_charts.plates(app, television, hlg, "peak", [], None).hosted


def test_a_signal_is_named_once_and_chosen_by_its_name(app, television):
    player = StatedFormat(bits=10, mastering_cd_m2=1000, max_cll=1000, max_fall=400, name="player, PQ 1000")
    reel, match = (setup_of(app, television, n).id for n in ("Reel HDR", "Match day HDR"))
    setups.change(app, television, reel, Edit(format=player))
    offered = setup_views.view(app, television, match).formats
    assert offered == [player] and setup_views.view(app, television, setup_of(app, television, "Reel").id).formats == []
    setups.change(app, television, match, Edit(format=offered[0]))
    assert setup_views.view(app, television, match).formats == [player]
    rows = {r.name: r for r in board.board(app, television).rows}
    assert rows["Reel HDR"].format == rows["Match day HDR"].format == "player, PQ 1000"
    with pytest.raises(BadInputError, match="one line of 1 to 60 characters"):
        setups.change(app, television, reel, Edit(format=StatedFormat(name=" ")))


def test_other_metadata_or_no_flag_make_what_was_measured_stale_and_a_name_does_not(app, bench, television):
    reel = setup_of(app, television, "Reel HDR").id
    measured(app, bench, television, reel, "white_black")

    def stale():
        return {c.setup: why for c, why in cells.newest(app, television).stale.items()}.get(reel, "")

    setups.change(app, television, reel, Edit(format=StatedFormat(name="player")))
    assert stale() == ""
    measured(app, bench, television, reel, "white_black")
    setups.change(app, television, reel, Edit(format=StatedFormat(name="disc player")))
    assert stale() == ""
    setups.change(app, television, reel, Edit(format=StatedFormat(name="player", max_cll=400)))
    assert "signal MaxCLL none → 400" in stale()
    setups.change(app, television, reel, Edit(format=StatedFormat(flag="none")))
    assert "signal HDR flag sent → none" in stale()
    # What was not recorded may have been so all the time.
    setups.change(app, television, reel, Edit(format=StatedFormat(chroma="4:4:4")))
    assert stale() == ""


def test_what_metadata_do_stands_among_the_plates_of_the_setup_it_was_asked_of(app, bench, television):
    review, experimenter = television, Experimenter(app, bench)

    def asked():
        number = experimenter.start(review, Question(kind="metadata", setup=reel))
        bench.occupancy.wait()
        return experiment_views.view(app, number)

    reel, player = (setup_of(app, review, n).id for n in ("Reel HDR", "Player HDR"))
    measured(app, bench, review, reel, "pq_tracking", "white_black")
    measured(app, bench, review, player, "pq_tracking")
    before = cell_charts.plates(app, review, reel, "pq_tracking", [], None)
    said = asked()
    again = asked()
    after = cell_charts.plates(app, review, reel, "pq_tracking", [], None)
    # Asked twice, the newest answer stands there once.
    assert [c.key for c in after.charts] == [*(c.key for c in before.charts), "metadata"]
    assert after.charts[-1] == again.charts[0] and after.words.endswith(again.sentence) and said.id != again.id
    assert cell_charts.plates(app, review, reel, "white_black", [], None).charts[-1].key != "metadata"
    other = cell_charts.plates(app, review, player, "pq_tracking", [], None)
    assert other.charts[-1].key != "metadata" and "goes by" not in other.words
