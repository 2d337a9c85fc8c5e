"""A display without a stand-in: it starts with its name, its menu is written down, and a person reads it."""

import json
from itertools import pairwise

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.bench.free_run import FreeRun
from lumenar.app.board import board, cell_charts, shelf
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange.export import readings_document
from lumenar.app.exchange.file_figures import analyse_file
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.instruments import named_meters
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.manual import manual_runs
from lumenar.app.manual.manual_runs import Entry
from lumenar.app.menus import menu_edits, menu_map
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_display, new_reviews, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.plan import Cell
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.analysis import analyse
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS, Anchor
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify
from lumenar.store import reviews, runs

MODES = "Evening\nBright, srgb"
CONTROLS = """Picture
  Light 0..50 = 30 (luminance)
  Tone 2.0 [2.2] 2.4
System
  Saving low off*
Saving = low locks Light
Saving resets Tone
"""
FIRST = ("white_black", "grey_ramp", "gamut")


@pytest.fixture
def television(app):
    return new_display.add(
        app,
        NewDisplay(
            maker="Tern Street", model="Wall 55", kind="television", panel="lcd", modes=MODES, controls=CONTROLS
        ),
    )


def rows(app, review):
    return reviews.setups_of(app.db.connection(), review)


def begin(app, bench, review, measurements=FIRST, **more):
    return bench.runs.start(
        review, [Cell(rows(app, review)[0].id, m) for m in measurements], Options(grey_step=10), **more
    )


def light(sheet, white=180.0, black=0.09):
    """What a display that follows the target shows, as a person reads it: four digits."""
    XYZ = TARGETS["bt709_bt1886"].XYZ(
        np.array([p.rgb for p in sheet.patches]), Anchor(np.array(white), np.array(black))
    )
    return [" ".join(f"{v:.4g}" for v in row) for row in XYZ]


def type_all(app, run, texts=None):
    sheet = manual_runs.sheet(app, run)
    assert {p.window_percent for p in sheet.patches} <= {10.0, 100.0}
    entries = [Entry(p.patch, t) for p, t in zip(sheet.patches, texts or light(sheet), strict=True)]
    return manual_runs.enter(app, run, "XYZ", entries)


def test_a_name_is_enough_to_begin(app):
    review = new_display.add(app, NewDisplay(maker="Tern Street", model="Wall 55", kind="television", panel="lcd"))
    shown = board.board(app, review)
    assert shown.rows == [] and shown.next.view == "menu" and not shown.can.reads
    assert [e.name for e in shelf.shelf(app)] == ["Tern Street Wall 55"]
    menu_edits.change(app, review, None, "Film\nGame, srgb", "")
    assert [(r.name, r.target) for r in board.board(app, review).rows] == [("Film", "bt709_bt1886"), ("Game", "srgb")]


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"maker": " "}, "maker"), ({"model": "x" * 81}, "model"), ({"kind": "toaster"}, "kind"), ({"panel": "crt"}, "panel"),
        ({"bits": 4}, "bits"), ({"size_inch": 0.0}, "size_inch"), ({"width_px": 100}, "width_px"),
        ({"modes": "A\nA"}, "modes"), ({"controls": "Light 5..1"}, "controls"),
        ({"controls": "A on off\nB on off\nA = on locks B\nB = on locks A"}, "controls"),
    ],
)  # fmt: skip
def test_what_cannot_be_a_display_is_said_and_nothing_is_stored(app, change, place):
    known = {"maker": "Tern", "model": "Wall", "kind": "television", "panel": "lcd"}
    with pytest.raises(BadInputError) as e:
        new_display.add(app, NewDisplay(**(known | change)))
    assert e.value.place == place and not reviews.review_ids(app.db.connection())


def test_a_first_pass_by_hand_fills_the_board(app, bench, television):
    preview = bench.runs.preview(
        television, [Cell(rows(app, television)[0].id, m) for m in FIRST], Options(grey_step=10)
    )
    assert preview.readings < 25 and preview.seconds < 600, "under ten minutes of typing"
    run = begin(app, bench, television, meter=StatedMeter("Spot", "77", floor_cd_m2=0.01))
    shown = board.board(app, television)
    assert shown.by_hand == [run] and shown.next.view == f"hand/{run}"
    assert bench.live.status().state == "idle", "a person at the remote takes no bench"
    sheet = manual_runs.sheet(app, run)
    assert sheet.total == preview.readings and sheet.meter == "Spot"
    assert sheet.setups[0].mode == "Evening" and sheet.setups[0].enter == []
    assert {p.show for p in sheet.patches} >= {"white", "black", "grey 50.2 %"}
    assert next(p for p in sheet.patches if p.show == "grey 50.2 %").codes == [128, 128, 128]
    answers = type_all(app, run)
    assert all(a.kept for a in answers.answers) and answers.state == "done"
    row = board.board(app, television).rows[0]
    measured = {c.measurement: c for c in row.cells if c.state == "measured"}
    assert set(measured) >= set(FIRST) and row.score is not None
    figures = {f.figure: f.raw for c in measured.values() for f in c.figures}
    assert figures["white_cd_m2"] == pytest.approx(180, rel=1e-3) and figures["de2000_mean"] < 0.5


def test_plan_and_list_say_the_same_time_and_it_gets_less(app, bench, television):
    cells = [Cell(rows(app, television)[0].id, m) for m in (*FIRST, "brightness_ladder", "uniformity")]
    preview = bench.runs.preview(television, cells, Options(grey_step=10, grid=(3, 3)))
    run = bench.runs.start(television, cells, Options(grey_step=10, grid=(3, 3)))
    sheet = manual_runs.sheet(app, run)
    assert sheet.left_s == pytest.approx(preview.seconds)
    # Thirty seconds for the setup, eight for each reading, and for each move of control or meter.
    patches = sheet.patches
    moves = sum(p.level is not None and p.level != before.level for before, p in pairwise(patches))
    moves += sum(p.zone is not None and p.zone != before.zone for before, p in pairwise(patches))
    assert moves > 10 and sheet.left_s == pytest.approx(30 + 8 * len(patches) + 8 * moves)
    manual_runs.enter(app, run, "XYZ", [Entry(patches[0].patch, "180 180 180", True)])
    assert manual_runs.sheet(app, run).left_s == pytest.approx(sheet.left_s - 38)


def test_a_person_keeps_to_no_rest_of_the_bench_and_none_is_claimed(app, bench):
    review = new_display.add(
        app, NewDisplay(maker="Tern Street", model="Glass 48", kind="television", panel="oled", modes="Evening")
    )
    run = begin(app, bench, review, ("white_black",))
    type_all(app, run)
    assert runs.get(app.db.connection(), run).habits == {}
    seen = cell_charts.plates(app, review, rows(app, review)[0].id, "white_black", [], None)
    assert "typed by hand" in seen.provenance and "rest" not in seen.provenance and "settle" not in seen.provenance


def test_of_readings_that_contradict_each_other_the_darkest_is_asked_about(app, bench, television):
    run = begin(app, bench, television, ("grey_ramp",))
    by_name = {p.show: p.patch for p in manual_runs.sheet(app, run).patches}
    bright, dark = by_name["grey 60 %"], by_name["grey 29.8 %"]
    given = [Entry(bright, "9 10 11"), Entry(dark, "18 20 22")]
    answers = {a.patch: a for a in manual_runs.enter(app, run, "XYZ", given).answers}
    assert answers[bright].kept and not answers[dark].kept and answers[dark].question.startswith("Brighter than 60 %")


def test_hdr_by_hand_is_sent_with_ten_bits_and_sdr_as_usual(app, bench):
    review = new_display.add(
        app,
        NewDisplay(maker="Tern Street", model="Glass 48", kind="television", panel="oled", modes="Film\nFilm HDR, pq"),
    )
    menu_edits.change(app, review, None, "Film\nFilm HDR, pq\nGame HDR, hlg", "")
    assert {s.name: s.format for s in rows(app, review)} == {
        "Film": {}, "Film HDR": {"bits": 10}, "Game HDR": {"bits": 10},
    }  # fmt: skip
    for setup, top in ((rows(app, review)[0], 255), (rows(app, review)[1], 1023)):
        run = bench.runs.start(review, [Cell(setup.id, "white_black")], Options())
        assert {p.top for p in manual_runs.sheet(app, run).patches} == {top}
        manual_runs.end(app, run)
    many = new_display.add(
        app, NewDisplay(maker="Tern Street", model="Desk 27", kind="monitor", panel="lcd", bits=12, modes="HDR, pq")
    )
    assert rows(app, many)[0].format == {}, "more than ten are as they are"


def test_a_simulated_displays_new_hdr_mode_keeps_the_bits_of_its_unit(app, units):
    review = new_reviews.add_review(app, units["tessary-pell-6.json"])
    m = menu_map.menu_map(app, review)
    menu_edits.change(app, review, None, f"{m.modes_text}\nAnother, pq", m.controls_text)
    assert all(s.format == {} for s in rows(app, review))


def test_whoever_asks_right_after_a_reading_sees_it(app, bench, television):
    run = begin(app, bench, television)
    sheet = manual_runs.sheet(app, run)

    def done():
        return app.views.get("done", television, lambda: str(manual_runs.sheet(app, run).done).encode())

    assert done() == b"0"
    for i, (patch, text) in enumerate(zip(sheet.patches[:2], light(sheet), strict=False), 1):
        manual_runs.enter(app, run, "XYZ", [Entry(patch.patch, text)])
        assert done() == str(i).encode()
    manual_runs.take_back(app, run, sheet.patches[0].patch)
    assert done() == b"1"


def test_black_under_the_meters_floor_is_no_number(app, bench, television):
    run = begin(app, bench, television)
    black = next(p for p in manual_runs.sheet(app, run).patches if p.show == "black")
    assert manual_runs.enter(app, run, "XYZ", [Entry(black.patch, "<0.01")]).answers[0].kept
    after = next(p for p in manual_runs.sheet(app, run).patches if p.patch == black.patch)
    assert after.outcome == "below_floor" and after.XYZ is None
    kept = app.db.connection().execute("SELECT outcome, X FROM reading WHERE patch_id = ?", (black.patch,)).fetchall()
    assert [tuple(r) for r in kept] == [("below_floor", None)]


def test_what_was_typed_survives_a_kill(app, bench, television):
    run = begin(app, bench, television)
    sheet = manual_runs.sheet(app, run)
    texts = light(sheet)
    manual_runs.enter(app, run, "XYZ", [Entry(sheet.patches[0].patch, texts[0])])
    bench.close()
    app.close()
    again = Application(app.folder)
    try:
        after = manual_runs.sheet(again, run)
        assert after.state == "waiting" and after.done == 1 and after.patches[0].XYZ is not None
        assert all(a.kept for a in type_all(again, run).answers) and manual_runs.sheet(again, run).state == "done"
    finally:
        again.close()


def test_what_cannot_be_is_named_and_all_else_is_kept(app, bench, television):
    run = begin(app, bench, television)
    sheet = manual_runs.sheet(app, run)
    texts = light(sheet)
    at = {p.show: i for i, p in enumerate(sheet.patches)}
    texts[at["grey 50.2 %"]] = "12 13"
    texts[at["grey 29.8 %"]] = "1 1 1"
    answers = {a.patch: a for a in type_all(app, run, texts).answers}
    wrong, odd = (answers[sheet.patches[at[n]].patch] for n in ("grey 50.2 %", "grey 29.8 %"))
    assert not wrong.kept and wrong.error == "grey 50.2 %: 2 numbers, but X Y Z takes three, parted by blanks."
    assert not odd.kept and odd.question.startswith("Darker than")
    after = manual_runs.sheet(app, run)
    assert after.done == after.total - 2 and after.state == "waiting"
    patch = sheet.patches[at["grey 29.8 %"]].patch
    assert manual_runs.enter(app, run, "XYZ", [Entry(patch, "1 1 1", sure=True)]).answers[0].kept
    assert next(p for p in manual_runs.sheet(app, run).patches if p.patch == patch).question.startswith("Darker than")
    with pytest.raises(BadInputError, match="no patch 99999"):
        manual_runs.enter(app, run, "XYZ", [Entry(99999, "1 1 1")])


def test_a_reading_typed_wrong_is_typed_again(app, bench, television):
    run = begin(app, bench, television)
    type_all(app, run)
    patch = next(p for p in manual_runs.sheet(app, run).patches if p.show == "white").patch

    def white():
        cells = board.board(app, television).rows[0].cells
        return {c.measurement: (c.state, [f.raw for f in c.figures if f.figure == "white_cd_m2"]) for c in cells}

    before = white()["white_black"]
    manual_runs.enter(app, run, "XYZ", [Entry(patch, "190.1 200 217.8", sure=True)])
    assert before[1] != white()["white_black"][1] == [200.0]
    with pytest.raises(ConflictError, match="opens it again"):
        manual_runs.take_back(app, run, patch)
    assert white()["white_black"][0] == "measured", "nothing is opened unasked"
    manual_runs.take_back(app, run, patch, reopen=True)
    sheet = manual_runs.sheet(app, run)
    assert sheet.state == "waiting" and sheet.done == sheet.total - 1
    assert white()["white_black"][0] == "measuring"
    assert manual_runs.enter(app, run, "XYZ", [Entry(patch, "171.1 180 196")]).state == "done"
    assert white()["white_black"] == ("measured", [180.0])


def test_figures_equal_those_of_the_same_readings_in_a_file(app, bench, television):
    run = begin(app, bench, television, meter=StatedMeter("Spot", floor_cd_m2=0.01))
    type_all(app, run)
    file = parse_readings(json.dumps(readings_document(app, television)))
    again = analyse_file(file)[0].analyses
    compared = 0
    for cell in board.board(app, television).rows[0].cells:
        for f in cell.figures:
            if f.raw is not None:
                assert again[cell.measurement].scalar(f.figure) == f.raw
                compared += 1
    assert compared > 8
    edition = publish(app, television)
    assert verify(app.folder / "editions" / edition.address.removeprefix("/published/")).agrees
    folder = app.folder / "editions" / edition.address.removeprefix("/published/")
    page, method = (folder / "index.html").read_text(), (folder / "method.html").read_text()
    assert "simulated stand-ins" not in page and "Spot" in page
    assert "firmware not recorded" in page and "serial not recorded, firmware not recorded" in method


def test_what_only_a_bench_can_do_is_refused_by_hand(app, bench, television):
    setup = rows(app, television)[0].id
    with pytest.raises(ConflictError, match="No second meter"):
        Corrector(app, bench).start(television, setup)
    with pytest.raises(ConflictError, match="is not simulated"):
        FreeRun(app, bench).start(television, setup)
    with pytest.raises(BadInputError, match="gives no waveform"):
        bench.runs.start(television, [Cell(setup, "modulation")])


def test_runs_of_the_bench_are_not_typed(app, bench, measured):
    run = app.db.connection().execute("SELECT min(id) FROM run").fetchone()[0]
    with pytest.raises(ConflictError, match="made by the bench"):
        manual_runs.sheet(app, run)
    with pytest.raises(NotFoundError):
        manual_runs.sheet(app, 10**6)


def test_a_run_that_was_ended_takes_nothing_more(app, bench, television):
    run = begin(app, bench, television)
    manual_runs.end(app, run)
    assert runs.get(app.db.connection(), run).state == "stopped" and board.board(app, television).by_hand == []
    with pytest.raises(ConflictError, match="ended"):
        type_all(app, run)


def test_an_open_run_whose_setup_is_deleted_is_open_no_more(app, bench, television):
    setups.change(app, television, rows(app, television)[0].id, setups.Edit(values={"Picture > Light": 10.0}))
    mine = setups.add(app, television, rows(app, television)[0].id, "Night", setups.Edit(values={}))
    run = bench.runs.start(television, [Cell(mine, "white_black")])
    assert board.board(app, television).by_hand == [run]
    setups.delete(app, television, mine)
    assert board.board(app, television).by_hand == [] and manual_runs.sheet(app, run).patches == []


def test_settings_are_listed_in_the_order_to_enter_them(app, bench, television):
    setup = rows(app, television)[0].id
    told = menu_map.consequences(app, television, setup, {"Picture > Tone": "2.4"}, "System > Saving", "low")
    assert told.resets == (("Picture > Tone", "2.4", "2.2"),) and told.locks == ("Picture > Light",)
    setups.change(
        app,
        television,
        setup,
        setups.Edit(values={"Picture > Tone": "2.4", "System > Saving": "low", "Picture > Light": 10.0}),
    )
    sheet = manual_runs.sheet(app, begin(app, bench, television, ("white_black",)))
    assert [(s.path, s.value) for s in sheet.setups[0].enter] == [
        ("Picture > Light", "10"), ("System > Saving", "low"), ("Picture > Tone", "2.4"),
    ]  # fmt: skip
    with pytest.raises(BadInputError, match="Light is locked while System > Saving is low"):
        menu_map.consequences(app, television, setup, {}, "Picture > Light", 20.0)


def test_a_mode_under_two_signals_is_the_one_that_is_measured(app, bench):
    modes = "Film, pq\n  Light = 10\nFilm, sdr\n  Light = 30"
    review = new_display.add(
        app,
        NewDisplay(
            maker="Tern Street",
            model="Wall 77",
            kind="television",
            panel="oled",
            modes=modes,
            controls="Light 0..50 = 40",
        ),
    )
    assert {(s.name, s.mode, s.signal) for s in rows(app, review)} == {
        ("Film", "Film", "pq"),
        ("Film (sdr)", "Film", "sdr"),
    }
    setup = next(s for s in rows(app, review) if s.signal == "sdr")
    setups.change(app, review, setup.id, setups.Edit(values={"Light": 10.0}))
    run = bench.runs.start(review, [Cell(setup.id, "white_black")], Options())
    assert [(s.path, s.value) for s in manual_runs.sheet(app, run).setups[0].enter] == [("Light", "10")]
    # Other signals of it are written down later.
    menu_edits.change(app, review, None, f"{modes}\nFilm, hlg\nGame, hlg\nGame, sdr", "Light 0..50 = 40")
    assert {s.name for s in rows(app, review)} == {"Film", "Film (sdr)", "Film (hlg)", "Game", "Game (sdr)"}


def test_a_menu_is_corrected_and_that_undone(app, bench, television):
    before = menu_map.menu_map(app, television)
    assert [m.name for m in before.modes] == ["Evening", "Bright"] and before.changes == 0
    after = menu_edits.change(app, television, None, MODES + "\nGame", CONTROLS + "Sharp 0..10 = 5\n")
    assert after.changes == 1 and after.controls[-1].path == "Sharp" and len(rows(app, television)) == 3
    back = menu_edits.undo(app, television, None)
    assert back == before and len(rows(app, television)) == 2
    with pytest.raises(ConflictError, match="nothing to undo"):
        menu_edits.undo(app, television, None)


def test_a_menu_that_would_lose_what_was_read_or_set_is_refused(app, bench, television):
    type_all(app, begin(app, bench, television))
    with pytest.raises(ConflictError, match="Evening was measured"):
        menu_edits.change(app, television, None, "Bright", CONTROLS)
    setups.change(app, television, rows(app, television)[1].id, setups.Edit(values={"Picture > Light": 40.0}))
    with pytest.raises(BadInputError, match=r"Bright could not be kept: 40 is outside 0\.\.35"):
        menu_edits.change(app, television, None, MODES, CONTROLS.replace("0..50", "0..35"))
    assert menu_map.menu_map(app, television).controls[0].values == "0 to 50"
    assert len(rows(app, television)) == 2


def test_a_stand_in_keeps_its_light_when_its_map_is_corrected(app, bench, units):
    review = new_reviews.add_review(app, units["tessary-pell-6.json"])
    m = menu_map.menu_map(app, review)
    assert m.can.describes and m.controls
    menu_edits.change(app, review, None, m.modes_text, m.controls_text + "\nAbout: a | b")
    bench.runs.start(review, [Cell(rows(app, review)[0].id, "white_black")])
    bench.runs.finish()
    assert isinstance(bench, BenchService) and board.board(app, review).rows[0].cells[0].state == "measured"


def test_a_meter_that_shows_luminance_alone_serves_what_rests_on_it(app, bench, television):
    luminance = StatedMeter("Lux", "9", kind="luminance meter", floor_cd_m2=0.01)
    cells = [Cell(rows(app, television)[0].id, m) for m in ("brightness_ladder", "gamut", "window_ladder")]
    preview = bench.runs.preview(television, cells, Options(), luminance)
    assert preview.left_out == ["Gamut of Evening: it needs colour, and the meter shows luminance alone."]
    run = bench.runs.start(television, cells, Options(warm_up=True), luminance)
    sheet = manual_runs.sheet(app, run)
    assert sheet.luminance_alone and sheet.total == preview.readings
    first = sheet.patches[0].patch
    for form, text, said in [("XYZ", "90 100 110", "shows Y alone"), ("Y", "90 100", "a luminance is one")]:
        answer = manual_runs.enter(app, run, form, [Entry(first, text)]).answers[0]
        assert not answer.kept and said in answer.error

    def read(p):
        return f"{(20 + 3 * (p.level if p.level is not None else 30)) if p.rgb[0] else 0.05:.4g}"

    answers = manual_runs.enter(app, run, "Y", [Entry(p.patch, read(p)) for p in sheet.patches])
    assert all(a.kept for a in answers.answers) and answers.state == "done"
    cells = {c.measurement: c for c in board.board(app, television).rows[0].cells}
    assert cells["brightness_ladder"].state == "measured" and cells["gamut"].state == "unmeasured"
    ladder = {f.figure: f.raw for f in cells["brightness_ladder"].figures}
    assert ladder["max_cd_m2"] == 170 and ladder["setting_for_120_cd_m2"] == pytest.approx(100 / 3, abs=0.5)
    # A meter of colours takes no Y alone; and a matrix has nothing to correct here.
    colour = begin(app, bench, television)
    answer = manual_runs.enter(
        app, colour, "Y", [Entry(manual_runs.sheet(app, colour).patches[0].patch, "100")]
    ).answers[0]
    assert "luminance meter only" in answer.error
    assert readings_document(app, television)["meters"][0]["kind"] == "luminance meter"
    named = named_meters.add(app, named_meters.MeterIdentity(name="Lux", serial="9", kind="luminance meter"))
    stated = named_meters.StatedCorrection("lcd", [[1, 0, 0], [0, 1, 0], [0, 0, 1]], 1.0, "a lab", "")
    with pytest.raises(BadInputError, match="luminance alone"):
        named_meters.add_correction(app, named, stated)


@pytest.mark.parametrize("measurement", [m.key for m in MEASUREMENTS.values() if m.luminance_alone])
def test_what_says_that_it_rests_on_luminance_never_looks_at_colour(measurement):
    target, m = TARGETS["srgb"], MEASUREMENTS[measurement]
    patches = m.patches(Context(luminance_levels=tuple(float(v) for v in range(0, 101, 10))))
    Y = np.array([0.1 + 100 * np.mean(p.rgb) * (0.5 + (p.level or 50) / 100) for p in patches])
    figures = []
    for X, Z in ((1.0, 1.0), (0.8, 1.3)):
        XYZ = np.stack([X * Y, Y, Z * Y], axis=-1)
        read = collect(patches, XYZ, np.zeros(len(Y), bool), MeterLimits(0.002, 0.003, 0.001))
        figures.append(analyse(measurement, read, target, uncertain=False).figures)
    assert figures[0].keys() == figures[1].keys()
    assert all(np.array_equal(figures[0][k], figures[1][k], equal_nan=True) for k in figures[0])
