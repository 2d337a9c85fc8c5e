"""HDR from the store to the figures: a display's HDR modes measured, scored apart, with metadata, in files and back."""

import json

import pytest

from lumenar.app.board import board, cell_charts, comparison, look
from lumenar.app.errors import BadInputError, ConflictError
from lumenar.app.exchange import export, importing
from lumenar.app.figures import cells
from lumenar.app.recipes.recipes import recipe
from lumenar.app.runs.planning import Options, Planner
from lumenar.app.setups import new_reviews, setups
from lumenar.app.setups.setup_views import StatedFormat
from lumenar.app.setups.setups import Edit
from lumenar.app.tuning import tuning_views
from lumenar.app.tuning.tunings import Wish, begin
from lumenar.app.verdict import verdict
from lumenar.bench.plan import Cell
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.numbers import significant

from ..conftest import setup_of

TELEVISION = "carrow-meridian-65.json"


@pytest.fixture
def television(app, units):
    return new_reviews.add_review(app, units[TELEVISION], TELEVISION)


def measured(app, bench, review, names, measurements):
    bench.runs.start(review, [Cell(setup_of(app, review, n).id, m) for n in names for m in measurements])
    bench.runs.finish()


def figure(app, review, name, measurement, key):
    found = cells.analyses_of(app, setup_of(app, review, name), cells.newest(app, review))
    return found[measurement].scalar(key)


def test_modes_of_three_signals_are_measured_in_one_run_and_scored_apart(app, bench, television):
    measured(
        app,
        bench,
        television,
        ["Reel", "Reel HDR", "Reel HLG"],
        ["white_black", "grey_ramp", "pq_tracking", "hlg_tracking"],
    )
    shown = board.board(app, television)
    rows = {r.name: r for r in shown.rows}
    assert list(dict.fromkeys(r.signal for r in shown.rows)) == ["sdr", "pq", "hlg"]
    state = {n: {c.measurement: c.state for c in rows[n].cells} for n in ("Reel", "Reel HDR", "Reel HLG")}
    assert (
        state["Reel"]["grey_ramp"]
        == state["Reel HDR"]["pq_tracking"]
        == state["Reel HLG"]["hlg_tracking"]
        == "measured"
    )
    assert "grey_ramp" not in state["Reel HDR"] and "pq_tracking" not in state["Reel"]
    assert rows["Reel HDR"].score_note == "for SDR alone"
    columns = {(c.measurement, c.figure): c.signals for c in shown.columns}
    assert columns["saturation", "de_itp_mean"] == ["pq"] and columns["saturation", "de2000_mean"] == ["sdr"]
    # It follows PQ to its end, and white is what HLG's gamma is told by.
    assert figure(app, television, "Reel HDR", "pq_tracking", "code_rms_percent") < 0.4
    assert figure(app, television, "Reel HLG", "hlg_tracking", "code_rms_percent") < 1
    assert figure(app, television, "Reel HDR", "white_black", "white_cd_m2") > 700
    film = next(p for p in verdict.verdict(app, television).purposes if p.purpose == "hdr_film")
    assert {m.name for m in film.modes} == {"Reel HDR", "Match day HDR", "Player HDR"}
    colour = next(p for p in verdict.verdict(app, television).purposes if p.purpose == "colour_work")
    assert all("HDR" not in m.name and "HLG" not in m.name for m in colour.modes)
    bench.runs.start(television, [Cell(setup_of(app, television, "Reel HDR").id, "gamut")])
    bench.runs.finish()
    corners = cell_charts.plates(app, television, setup_of(app, television, "Reel HDR").id, "gamut", [], None)
    assert [c.unit for c in corners.columns] == ["% target", "% u′v′", "ITP mean"]
    drawn = cell_charts.plates(app, television, setup_of(app, television, "Reel HDR").id, "pq_tracking", [], None)
    assert {c.key for c in drawn.charts} >= {"code_error", "light", "balance", "itp"} and "Peak" in drawn.words


def test_metadata_are_sent_and_a_mode_that_obeys_them_shows_it(app, bench, television):
    made = {}
    for mode in ("Reel HDR", "Match day HDR"):
        own = setup_of(app, television, mode)
        for peak in (1000.0, 4000.0):
            name = f"{mode} {peak:.0f}"
            sent = StatedFormat(mastering_cd_m2=peak, max_cll=peak, max_fall=400)
            made[name] = setups.add(app, television, own.id, name, Edit(format=sent))
    measured(app, bench, television, list(made), ["pq_tracking"])
    obeys, ignores = (
        [figure(app, television, f"{m} {p}", "pq_tracking", "knee_cd_m2") for p in (1000, 4000)]
        for m in ("Reel HDR", "Match day HDR")
    )
    assert obeys[1] < 0.75 * obeys[0] and ignores[1] == pytest.approx(ignores[0], rel=0.03)
    row = next(r for r in board.board(app, television).rows if r.name == "Reel HDR 4000")
    assert row.format == "peak 4,000, MaxCLL 4,000, MaxFALL 400 cd/m²"
    # They are in the file, and come back from it.
    file = export.readings_document(app, television)
    entry = next(s for s in file["setups"] if s["name"] == "Reel HDR 4000")
    assert entry["metadata"] == {"mastering_peak_cd_m2": 4000, "maxcll": 4000, "maxfall": 400}
    assert not set(entry["format"]) & {"mastering_cd_m2", "max_cll"}
    again = importing.import_readings(app, json.dumps(file).encode(), "tv.json")
    came = setup_of(app, again, "Reel HDR 4000")
    assert came.format["max_cll"] == 4000 and next(
        r for r in board.board(app, again).rows if r.setup == came.id
    ).format.endswith(row.format)


@pytest.mark.parametrize(
    ("mode", "stated", "says"),
    [
        ("Reel", {"max_cll": 1000}, "Only a PQ signal says its MaxCLL"),
        ("Reel HLG", {"mastering_cd_m2": 1000}, "Only a PQ signal says its mastering peak"),
        ("Reel HDR", {"max_cll": 400, "max_fall": 500}, "MaxFALL 500 is above MaxCLL 400"),
        ("Reel HDR", {"mastering_cd_m2": 0}, "mastering peak is above 0"),
    ],
)
def test_metadata_that_make_no_sense_are_refused(app, television, mode, stated, says):
    own = setup_of(app, television, mode)
    with pytest.raises(BadInputError, match=says):
        setups.add(app, television, own.id, "Odd", Edit(format=StatedFormat(**stated)))
    assert all(r.name != "Odd" for r in board.board(app, television).rows)


def test_a_brightest_pixel_of_nothing_is_one_that_is_not_known(app, bench, television):
    measured(app, bench, television, ["Reel HDR"], ["white_black", "pq_tracking"])
    file = export.readings_document(app, television)
    file["setups"][0]["metadata"] = {"mastering_peak_cd_m2": 1000, "maxcll": 0, "maxfall": 0}
    again = importing.import_readings(app, json.dumps(file).encode(), "tv.json")
    said = setup_of(app, again, "Reel HDR").format
    assert said["mastering_cd_m2"] == 1000 and not {"max_cll", "max_fall"} & set(said)
    file["setups"][0]["metadata"] = {"maxcll": 400, "maxfall": 500}
    with pytest.raises(BadInputError, match="MaxFALL 500 is above MaxCLL 400"):
        importing.import_readings(app, json.dumps(file).encode(), "tv.json")
    file["setups"][0] |= {"signal": "sdr", "target": "srgb"}
    with pytest.raises(BadInputError, match="only a PQ signal has metadata"):
        importing.import_readings(app, json.dumps(file).encode(), "tv.json")


def test_no_picture_of_hdr_is_made_for_a_screen_that_cannot_show_it(app, television):
    hdr = setup_of(app, television, "Reel HDR")
    with pytest.raises(ConflictError, match="Reel HDR is for PQ"):
        look.look(app, television, hdr.id, None, 1.0)


def test_setups_of_two_signals_stand_side_by_side(app, bench, television):
    measured(app, bench, television, ["Reel", "Reel HDR"], ["white_black", "gamut", "pq_tracking", "grey_ramp"])
    pair = [setup_of(app, television, n).id for n in ("Reel", "Reel HDR")]
    both, alone = comparison.compare(app, pair, None), comparison.compare(app, pair[1:], None)
    rows = {(r.measurement, r.figure) for r in both.rows}
    assert {("grey_ramp", "gamma"), ("pq_tracking", "clip_cd_m2"), ("gamut", "de_itp_mean")} <= rows
    assert ("gamut", "de2000_mean") not in {(r.measurement, r.figure) for r in alone.rows}


def test_what_is_for_another_signal_is_left_out_and_said(app, television):
    hdr = setup_of(app, television, "Reel HDR")
    planner = Planner(app, television, Options())
    planner.plans([Cell(hdr.id, "pq_tracking"), Cell(hdr.id, "grey_ramp")])
    assert any("not for the signal" in s for s in planner.left_out)
    with pytest.raises(BadInputError, match="In HDR white alone is tuned"):
        begin(app, television, hdr.id, Wish(["luminance", "points"], 120.0))
    assert {a.purpose for a in tuning_views.aims(app, television, hdr.id)} == {"hdr_film", "hdr_play", "hdr_computer"}
    offered = {g.key: g.why_not for g in tuning_views.choices(app, television, hdr.id)}
    assert offered.pop("white") == "" and set(offered.values()) == {
        "In HDR white alone is tuned: light and curve are the signal's."
    }
    assert tuning_views.aims(app, television, setup_of(app, television, "Reel HLG").id)


def test_the_peak_may_be_held_for_less(app, television):
    hdr = setup_of(app, television, "Reel HDR")

    def readings(seconds):
        plans = Planner(app, television, Options(peak_s=seconds)).plans([Cell(hdr.id, "peak")])
        return sum(len(p.plan.patches) for p in plans)

    whole, short = readings(120.0), readings(10.0)
    assert (whole, short) == (49, 28)
    with pytest.raises(BadInputError, match="peak_s"):
        Options(peak_s=500.0)


def test_hdr_readings_go_out_and_come_in_with_the_same_figures(app, bench, television, tmp_path, units):
    measured(app, bench, television, ["Reel HDR"], ["white_black", "pq_tracking"])
    text = json.dumps(export.readings_document(app, television)).encode()
    again = importing.import_readings(app, text, "tv.json")
    for key in ("code_rms_percent", "clip_cd_m2", "de_itp_mean"):
        assert figure(app, again, "Reel HDR", "pq_tracking", key) == pytest.approx(
            figure(app, television, "Reel HDR", "pq_tracking", key)
        )


def test_a_recipe_says_what_to_enter_where_a_game_asks(app, bench, television):
    """The clip point, and how much of it is light, as far as it was measured; nothing in SDR."""
    setup, sdr = (setup_of(app, television, n).id for n in ("Match day HDR", "Reel"))
    assert recipe(app, television, sdr).enter == []
    assert recipe(app, television, setup).enter[0].startswith("Measure PQ tracking")
    measured(app, bench, television, ["Match day HDR"], ["pq_tracking", "peak", "white_black"])
    most, whole, least = recipe(app, television, setup).enter
    clip, peak = (figure(app, television, "Match day HDR", "pq_tracking", f"{k}_cd_m2") for k in ("clip", "peak"))
    assert (
        clip > 2 * peak
        and most.startswith(f"Peak luminance: {significant(clip, 3)} cd")
        and f"shows {peak:.0f} cd/m² of it" in most
    )
    assert "Full-screen" in whole and least.startswith("Black: 0.00")


def test_a_board_has_only_columns_that_a_setup_of_it_can_fill(app, units):
    """A monitor for SDR alone has none of PQ and HLG; a television has them."""
    for name, hdr in (("halden-loft-4.json", False), ("carrow-meridian-65.json", True)):
        review = new_reviews.add_review(app, units[name], name)
        shown = board.board(app, review)
        signals = {r.signal for r in shown.rows} | {"sdr"}
        assert (signals != {"sdr"}) == hdr
        columns = {c.measurement for c in shown.columns}
        assert columns == {m.key for m in MEASUREMENTS.values() if signals & set(m.signals)}
