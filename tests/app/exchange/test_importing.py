"""Anyone's readings taken into the store: understood first, kept whole, and given back the same."""

import csv
import gc
import io
import json
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from lumenar.app.application import Application
from lumenar.app.board import board, cell_charts, look
from lumenar.app.data import many_kept
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange.export import readings_document, text_of
from lumenar.app.exchange.file_figures import analyse_file
from lumenar.app.exchange.formats import parts_as, text_as
from lumenar.app.exchange.importing import Identity, import_readings, understand
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.exchange.table_import import read_any
from lumenar.app.figures import cells
from lumenar.app.manual import manual_runs
from lumenar.app.setups import new_display, setup_views, setups
from lumenar.bench.plan import Cell
from lumenar.cli import main
from lumenar.core.colour import spectra
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.targets import TARGETS, Anchor
from lumenar.store import corrections, reviews

from .test_readings_file import document

TERN = Identity("Tern Street", "Wall 55", "television", "lcd")


def file(**more):
    d = document()
    d["setups"][0] |= more
    return json.dumps(d)


def csv_text(delimiter=",", comma=False, top=255, heads=None, white=120.0, names=("Film",)):
    patches = list(
        dict.fromkeys(p for m in ("white_black", "grey_ramp", "gamut") for p in MEASUREMENTS[m].patches(Context()))
    )
    XYZ = TARGETS["srgb"].XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(white), np.array(0.1)))
    lines = [delimiter.join(heads or ["setup", "R", "G", "B", "X", "Y", "Z"])]
    for name in names:
        for p, v in zip(patches, XYZ, strict=True):
            cells_ = [name, *(f"{c * top:.10g}" for c in p.rgb), *(f"{c:.10g}" for c in v)]
            lines.append(delimiter.join(c.replace(".", ",") if comma else c for c in cells_))
    return "\n".join(lines)


def test_figures_of_what_was_imported_are_those_of_the_file(app):
    text = file(settings={"Picture > Light": 40})
    review = import_readings(app, text, "mine.json", TERN)
    expected = analyse_file(parse_readings(text))[0].analyses
    compared = 0
    now = cells.newest(app, review)
    for setup in reviews.setups_of(app.db.connection(), review):
        kept = cells.analyses_of(app, setup, now)
        assert kept.keys() == expected.keys()
        for m, a in kept.items():
            for key, value in expected[m].figures.items():
                np.testing.assert_allclose(a.figures[key], value, rtol=1e-12, equal_nan=True, err_msg=f"{m} {key}")
            for key, u in expected[m].uncertainty.items():
                assert (a.uncertainty[key].low, a.uncertainty[key].high) == (u.low, u.high), (m, key)
                compared += 1
    assert compared > 40
    shown = board.board(app, review)
    assert shown.review.name == "Tern Street Wall 55" and not shown.can.reads and shown.rows[0].score is not None
    assert look.look(app, review, shown.rows[0].setup, None, 1.0)


def test_out_in_and_out_again_gives_the_same_bytes(whole, tmp_path):
    first = text_of(readings_document(whole, 1))
    other = Application(tmp_path / "other")
    try:
        # Whatever numbers the store has given out already.
        import_readings(other, csv_text(), "before.csv", TERN)
        review = import_readings(other, first, "first.json", Identity(kind="phone"))
        assert text_of(readings_document(other, review)) == first
        kept, again = board.board(whole, 1), board.board(other, review)
        by_name = {r.name: r for r in again.rows}
        compared = 0
        for row in kept.rows[:2]:
            for cell, other_cell in zip(row.cells, by_name[row.name].cells, strict=True):
                assert [(f.figure, f.raw, f.uncertainty) for f in cell.figures] == [
                    (f.figure, f.raw, f.uncertainty) for f in other_cell.figures
                ], cell.measurement
                compared += len(cell.figures)
        assert compared > 30 and by_name[kept.rows[0].name].score == kept.rows[0].score
    finally:
        other.close()


@pytest.mark.parametrize("format", ["csv", "cgats"])
def test_tables_out_in_and_out_again_give_the_same_bytes(whole, tmp_path, format):
    first = text_as(whole, 1, format)
    other = Application(tmp_path / "other")
    try:
        review = import_readings(other, first, f"first.{format}", TERN)
        again = text_as(other, review, format)
        assert again == first
        kept, there = board.board(whole, 1), board.board(other, review)
        white = [f.raw for f in kept.rows[0].cells[0].figures if f.figure == "white_cd_m2"]
        assert white and np.isfinite(white).all() and there.rows[0].cells[0].state == "measured"
    finally:
        other.close()


def test_a_correction_that_came_in_a_file_is_not_that_of_the_bench(whole):
    db = whole.db.connection()
    [made] = db.execute("SELECT * FROM correction").fetchall()
    first = text_of(readings_document(whole, 1))
    import_readings(whole, first, "first.json", Identity("Tern", "Other", "phone"))
    assert [r[0] for r in db.execute("SELECT reference FROM correction ORDER BY id")][1:] == [corrections.IMPORTED]
    assert corrections.newest(db, made["panel"], made["meter"]).id == made["id"]


def test_what_is_understood_is_said_before_anything_is_stored(app):
    told = understand(file(), "mine.json")
    assert told.format == "JSON" and told.missing == ["maker", "model"]
    [s] = told.setups
    assert (
        s.name == "Mine" and "White and black" in s.measurements and any("Brightness control" in x for x in s.left_out)
    )
    assert any("The floor of the meter is not stated" in n for n in told.notes)
    table = understand(csv_text(), "mine.csv")
    assert table.format == "CSV" and table.columns == {
        "setup": "setup", "R": "r", "G": "g", "B": "b", "X": "X", "Y": "Y", "Z": "Z"
    }  # fmt: skip
    assert "Signals run 0..255, since the highest is 255." in table.notes
    assert not reviews.review_ids(app.db.connection())


@pytest.mark.parametrize(
    "text",
    [
        csv_text(), csv_text(";", comma=True), csv_text("\t"), "\ufeff" + csv_text(), csv_text(top=1023), csv_text(top=1),
        csv_text(top=100), csv_text().encode("utf-16"), b"\xef\xbb\xbf" + csv_text(";", comma=True).encode(),
        csv_text(heads=["Setup name", "red", "GREEN", "Blue", "X", "Y", "Z"]),
    ],
    ids=["comma", "semicolon", "tab", "mark", "1023", "1", "100", "utf-16", "utf-8 mark", "heads"],
)  # fmt: skip
def test_tables_in_every_usual_dress_give_the_same(text):
    read = read_any(text, "mine.csv").file
    expected = read_any(csv_text(), "mine.csv").file
    assert np.allclose([r.rgb for r in read.setups[0].readings], [r.rgb for r in expected.setups[0].readings])
    assert np.allclose(
        [r.XYZ for r in read.setups[0].readings], [r.XYZ for r in expected.setups[0].readings], rtol=1e-9
    )


CGATS = """CGATS.17
DESCRIPTOR "Film"
BEGIN_DATA_FORMAT
SAMPLE_ID RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z
END_DATA_FORMAT
BEGIN_DATA
1 255 255 255 114 120 130.6
2 0 0 0 0.1 0.1 0.1
END_DATA
DESCRIPTOR "Game"
BEGIN_DATA
1 255 255 255 190 200 217
2 0 0 0 0.2 0.2 0.2
END_DATA
"""


def test_cgats_text_is_a_table_for_each_setup():
    told = understand(CGATS, "mine.txt")
    assert told.format == "CGATS" and [s.name for s in told.setups] == ["Film", "Game"]
    assert told.columns["RGB_R"] == "r" and told.columns["XYZ_Z"] == "Z" and "Not used: SAMPLE_ID." in told.notes
    figures = analyse_file(read_any(CGATS, "mine.txt").file)
    assert [f.analyses["white_black"].scalar("white_cd_m2") for f in figures] == [120, 200]


@pytest.mark.parametrize(
    ("text", "mapping", "said", "place"),
    [
        ("", {}, "the file is empty", None),
        ("[1, 2]", {}, "neither a readings file", None),
        ("just words", {}, "line 1: no heads", "line 1"),
        ("R,G,B\n1,1,1", {}, "no columns X, Y, Z", "Y"),
        ("X,Y,Z\n1,1,1", {}, "no column for the signal r, g, b", "r"),
        ("R,G,B,X,Y,Z", {}, "not one reading", None),
        ("R,G,B,X,Y,Z\n255,255,255,1,green,1", {}, "line 2, Y: 'green' is no number", "line 2"),
        ("R,G,B,X,Y,Z\n255,255,255,1,1", {}, "line 2 ends before 'Z'", "line 2"),
        ("R,G,B,X,Y,Z\n200,200,200,1,1,1", {}, "the highest signal is 200; say whether", "rgb"),
        ("R,G,B,X,Y,Z\n200,200,200,1,1,1", {"rgb": "0..16"}, "not '0..16'", "rgb"),
        ("R,G,B,Lum,X,Y,Z\n255,255,255,1,1,1,1", {"Lum": "Y"}, "both 'Lum' and 'Y' seem to be Y", "Y"),
        ("R,G,B,X,Y,Z\n255,255,255,1,1,1", {"R": "smell"}, "'r' cannot be 'smell'", "r"),
        ("R,G,B,Y,x,y\n255,255,255,100,0.3,0", {}, "y is 0, so there is no colour", "line 2"),
        (CGATS.replace("BEGIN_DATA\n", "DATA\n"), {}, "without BEGIN_DATA", None),
        (b"R,G,B,X,Y,Z\n255,255,255,1,1,1\n\xff\xfe\xfa", {}, "line 3 is neither UTF-8 nor UTF-16", None),
    ],
)
def test_what_cannot_be_understood_is_pointed_at(app, text, mapping, said, place):
    with pytest.raises(BadInputError) as e:
        import_readings(app, text, "mine.csv", TERN, None, mapping)
    assert said in e.value.detail and (place is None or e.value.place == place)
    assert not reviews.review_ids(app.db.connection())


def test_a_person_says_what_a_column_is(app):
    text = csv_text(heads=["Which", "R", "G", "B", "first", "second", "third"])
    with pytest.raises(BadInputError, match="no columns X, Y, Z"):
        understand(text, "mine.csv")
    mapping = {"Which": "setup", "first": "X", "second": "Y", "third": "Z"}
    review = import_readings(app, text, "mine.csv", TERN, None, mapping)
    assert board.board(app, review).rows[0].name == "Film"


def test_greys_in_one_column_and_chromaticities_are_readings_too():
    text = "Grey %,Y,x,y\n100,120,0.3127,0.329\n50,26,0.3127,0.329\n0,0.1,0.3,0.3"
    setup = read_any(text, "mine.csv").file.setups[0]
    assert (
        setup.readings[1].rgb == (0.5, 0.5, 0.5)
        and pytest.approx((114.05, 120, 130.69), rel=1e-3) == setup.readings[0].XYZ
    )


def test_a_display_without_a_name_is_asked_for_and_nothing_is_stored(app):
    with pytest.raises(BadInputError, match="does not say the display's maker") as e:
        import_readings(app, file(), "mine.json")
    assert e.value.place == "maker" and not reviews.review_ids(app.db.connection())


def test_into_a_review_that_is_there_only_what_is_new_comes(app):
    review = import_readings(app, csv_text(names=("Film", "Game")), "mine.csv", TERN)
    assert import_readings(app, csv_text(names=("Sport",)), "more.csv", TERN, review) == review
    assert [r.name for r in board.board(app, review).rows] == ["Film", "Game", "Sport"]
    assert len(reviews.units_of(app.db.connection(), review)) == 1
    with pytest.raises(ConflictError, match="a measured setup 'Game' already"):
        import_readings(app, csv_text(names=("Arena", "Game")), "again.csv", TERN, review)
    assert len(board.board(app, review).rows) == 3, "nothing of it is stored"


def test_two_displays_in_one_file_are_two_samples_of_the_review(app):
    d = document()
    d["units"] = [
        {"id": "a", "maker": "Tern", "model": "W", "sample": "A"},
        {"id": "b", "maker": "Tern", "model": "W", "sample": "B"},
    ]
    d["setups"] = [{**d["setups"][0], "unit": u} for u in "ab"]
    review = import_readings(app, json.dumps(d), "two.json", TERN)
    assert [r.sample for r in board.board(app, review).rows] == ["A", "B"]


@pytest.mark.parametrize("warm", [True, False, None])
def test_whether_the_display_was_warm_is_kept_as_the_file_says_it(app, warm):
    whites = {"rested_white": {"time_s": 0, "XYZ": [114, 120, 131]}, "whites": [{"time_s": 9, "XYZ": [113, 119, 130]}]}
    text = file(runs=[{"warm": warm, **whites}])
    review = import_readings(app, text, "mine.json", TERN)
    [run] = readings_document(app, review)["setups"][0]["runs"]
    assert run["warm"] is warm
    assert (run["rested_white"]["XYZ"], run["whites"][0]["XYZ"]) == ([114, 120, 131], [113, 119, 130])
    u = analyse_file(parse_readings(text))[0].analyses["white_black"].uncertainty["white_cd_m2"]
    kept = next(a for a in [cells.analyses_of(app, s, cells.newest(app, review)) for s in setups_of(app, review)])
    assert (kept["white_black"].uncertainty["white_cd_m2"].low, u.low < 117.5) == (u.low, warm is False)


def setups_of(app, review):
    return reviews.setups_of(app.db.connection(), review)


def test_a_figure_from_two_meters_is_refused(app):
    d = document()
    d["meters"] = [{"id": "m1"}, {"id": "m2"}]
    for i, r in enumerate(d["setups"][0]["readings"]):
        r["meter"] = f"m{1 + i % 2}"
    with pytest.raises(BadInputError, match="was read with 2 meters"):
        import_readings(app, json.dumps(d), "two.json", TERN)


def test_the_command_line_brings_in_and_out(tmp_path, capsys):
    (tmp_path / "mine.csv").write_text(csv_text())
    data = str(tmp_path / "data")
    assert main(["import", str(tmp_path / "mine.csv"), "--data", data]) == 2
    assert "say it" in capsys.readouterr().err
    assert main(["import", str(tmp_path / "mine.csv"), "--data", data, "--maker", "Tern", "--model", "Wall"]) == 0
    out = capsys.readouterr()
    assert "is in review" in out.out and "Signals run 0..255" in out.err
    review = out.out.split("review ")[1].split()[0]
    assert main(["export", review, "--data", data, "--out", str(tmp_path / "out.json")]) == 0
    assert main(["figures", str(tmp_path / "out.json")]) == 0
    assert main(["import", str(tmp_path / "mine.csv"), "--data", data, "--column", "rgb"]) == 2


def spectra_csv(heads=lambda w: f"nm{w:g}", step=5, delimiter=","):
    """Greys and corners of a display with three bands, as spectra."""
    at = np.arange(380.0, 781.0, step)
    bands = np.stack([np.exp(-0.5 * ((at - peak) / 18) ** 2) for peak in (625, 535, 455)])
    rows = [
        ["Film", *rgb]
        for rgb in [(v, v, v) for v in (100, 75, 50, 25, 10, 0)] + [(100, 0, 0), (0, 100, 0), (0, 0, 100)]
    ]
    lines = [["setup", "R", "G", "B", *(heads(w) for w in at)]]
    for name, *rgb in rows:
        light = 0.002 * (np.array(rgb) / 100) ** 2.2 @ bands + 1e-7
        lines.append([name, *rgb, *(f"{v:.9g}" for v in light)])
    return "\n".join(delimiter.join(map(str, line)) for line in lines), at, bands


@pytest.mark.parametrize(
    "heads", [lambda w: f"nm{w:g}", lambda w: f"{w:g}", lambda w: f"{w:g} nm", lambda w: f"SPECTRAL_NM{w:g}"]
)
def test_spectra_are_readings_and_white_has_its_spectrum(app, heads):
    text, _, bands = spectra_csv(heads)
    told = understand(text, "spectra.csv", {})
    assert any("computed from the spectra" in n for n in told.notes)
    review = import_readings(app, text, "spectra.csv", Identity("Tern", "Wall", "monitor", "lcd"))
    cells_ = {c.measurement: c for c in board.board(app, review).rows[0].cells if c.figures}
    assert {"white_black", "blue_light"} <= set(cells_)
    white = next(f.raw for f in cells_["white_black"].figures if f.figure == "white_cd_m2")
    XYZ = spectra.spectrum_to_XYZ(0.002 * bands.sum(axis=0) + 1e-7)
    assert white == pytest.approx(XYZ[1], rel=1e-6)


def test_spectra_of_another_step_give_the_same_light():
    fine, coarse = (read_any(spectra_csv(step=s)[0], "s.csv").file.setups[0].readings[0].XYZ for s in (1, 5))
    assert coarse == pytest.approx(fine, rel=2e-3)


def test_what_is_wrong_with_spectra_is_pointed_at():
    text, *_ = spectra_csv()
    with pytest.raises(BadInputError, match="not evenly spaced"):
        read_any(text.replace("nm400,", "nm401,", 1), "s.csv")
    lines = text.split("\n")
    lines[3] = lines[3].rsplit(",", 1)[0] + ",many"
    with pytest.raises(BadInputError, match="line 4, 780 nm: 'many' is no number"):
        read_any("\n".join(lines), "s.csv")


def test_room_and_signal_go_out_and_come_in_again(app, bench, tmp_path):
    wall = new_display.add(
        app, new_display.NewDisplay(maker="Tern", model="Wall", kind="television", panel="lcd", modes="Film")
    )
    mine = reviews.setups_of(app.db.connection(), wall)[0].id
    room, signal = (
        setup_views.Room("Torch", 30.0, "30 cm"),
        setup_views.StatedFormat(range="limited", bits=10, chroma="4:2:2", refresh_hz=50.0),
    )
    setups.change(app, wall, mine, setups.Edit(room=room, format=signal))
    run = bench.runs.start(wall, [Cell(mine, "white_black")])
    texts = {(1.0, 1.0, 1.0): "95 100 108", (0.0, 0.0, 0.0): "0.1 0.1 0.1"}
    patches = manual_runs.sheet(app, run).patches
    manual_runs.enter(app, run, "XYZ", [manual_runs.Entry(p.patch, texts[tuple(p.rgb)]) for p in patches])
    text = text_as(app, wall, "json")
    document_ = json.loads(text)["setups"][0]
    assert document_["condition"] == {"lux": 30.0, "label": "Torch", "automatic": [], "note": "30 cm"}
    assert document_["format"] == {"range": "limited", "bits": 10, "chroma": "4:2:2", "refresh_hz": 50.0}
    other = Application(tmp_path / "other")
    review = import_readings(other, text, "x")
    assert text_as(other, review, "json") == text
    view = setup_views.view(other, review, reviews.setups_of(other.db.connection(), review)[0].id)
    assert (view.room, view.format) == (room, signal)
    document = json.loads(text)
    near = json.loads(text)["setups"][0]
    near["name"], near["condition"]["lux"] = "Film, near", 60.0
    document["setups"].append(near)
    pair = import_readings(other, json.dumps(document), "pair")
    rooms = [setup_views.view(other, pair, s.id).room for s in reviews.setups_of(other.db.connection(), pair)]
    assert [r.lux for r in rooms if r] == [30.0, 60.0], "one label, each setup its lux"
    other.close()


def test_two_readings_of_one_number_are_refused(app):
    d = document()
    d["setups"][0]["readings"][0]["id"] = d["setups"][0]["readings"][1]["id"] = 7
    with pytest.raises(BadInputError, match="two different readings have the id 7"):
        import_readings(app, json.dumps(d), "mine.json", TERN)
    assert reviews.review_ids(app.db.connection()) == []


def test_a_panel_that_there_is_not_is_refused(app):
    with pytest.raises(BadInputError, match="The panel is one of lcd, oled, projector, other, not 'paper'") as e:
        import_readings(app, file(), "mine.json", Identity("Tern Street", "Wall 55", panel="paper"))
    assert e.value.place == "panel"
    assert reviews.review_ids(app.db.connection()) == []


def test_meters_stand_in_the_order_in_which_the_file_names_them():
    d = document()
    d["meters"] = [{"id": m} for m in "abc"]
    meters = {
        0: ("b", None),
        1: ("a", "gamut"),
        2: ("c", "grey_ramp"),
        3: ("c", None),
        4: ("a", None),
        5: ("b", "gamut"),
    }
    d["setups"][0]["readings"] = [
        {**d["setups"][0]["readings"][i], "meter": meter} | ({"measurement": m} if m else {})
        for i, (meter, m) in meters.items()
    ]
    setup = parse_readings(json.dumps(d)).setups[0]
    assert setup.meters_of("gamut") == ["b", "a", "c"]
    assert setup.meters_of("grey_ramp") == ["b", "c", "a"]
    assert setup.meters_of("hold") == ["b", "c", "a"]


def test_nobody_looks_for_garbage_while_many_are_kept_and_does_so_again_after():
    assert gc.isenabled()
    with pytest.raises(ValueError, match="broken"), many_kept():
        assert not gc.isenabled()
        with many_kept():
            pass
        assert not gc.isenabled()
        raise ValueError("broken")
    assert gc.isenabled()


def test_of_settings_that_a_file_does_not_say_nothing_is_claimed(app):
    review = import_readings(app, file(), "mine.json", Identity("Tern Street", "Wall 55"))
    [row] = board.board(app, review).rows
    assert row.state == "settings not recorded"
    assert cell_charts.plates(app, review, row.setup, "grey_ramp", [], None).shown[0].state == "settings not recorded"
    shipped = json.loads(file())
    shipped["setups"][0]["shipped"] = True
    other = import_readings(app, json.dumps(shipped), "mine.json", Identity("Tern Street", "Wall 56"))
    assert [r.state for r in board.board(app, other).rows] == ["as shipped"]


def test_what_to_do_next_counts_one_cell_as_one(app):
    greys = [
        {"rgb": [v / 10] * 3, "XYZ": [95 * (v / 10) ** 2.2, 100 * (v / 10) ** 2.2, 109 * (v / 10) ** 2.2]}
        for v in range(1, 11)
    ]
    black = {"rgb": [0, 0, 0], "XYZ": [0.01, 0.01, 0.01]}
    review = import_readings(app, file(readings=[*greys, black]), "mine.json", Identity("Tern Street", "Wall 55"))
    assert board.board(app, review).next.text == "Finish the first pass, 1 cell"


def test_figures_come_from_a_table_as_from_json(tmp_path, capsys):
    (tmp_path / "mine.csv").write_text(csv_text(delimiter=";", comma=True))
    assert main(["figures", str(tmp_path / "mine.csv")]) == 0
    said = capsys.readouterr()
    assert "White 120 cd/m²" in said.out and "Signals run 0..255" in said.err
    (tmp_path / "odd.csv").write_text("Red,Green,Blue,X,Y,Lum z\n255,255,255,95,100,108\n")
    assert main(["figures", str(tmp_path / "odd.csv")]) == 2
    assert "no columns X, Y, Z" in capsys.readouterr().err


def test_a_table_is_given_in_parts_whatever_thread_asks(whole):
    """As a server does, which lets any of its threads take the next part."""
    parts = parts_as(whole, 1, "csv")
    given = []
    while True:
        with ThreadPoolExecutor(1) as thread:
            part = thread.submit(next, parts, None).result()
        if part is None:
            break
        given.append(part)
    document = readings_document(whole, 1)
    read = [(s["name"], r) for s in document["setups"] for r in s["readings"]]
    light = [r for _, r in read if "waveform" not in r and "spectrum" not in r]
    measured = {(name, r["measurement"]) for name, r in read if r in light}
    assert len(given) == 1 + len(measured) and "".join(given) == text_as(whole, 1, "csv")
    rows = list(csv.DictReader(io.StringIO("".join(given))))
    assert [(r["measurement"], float(r["time_s"])) for r in rows] == [(r["measurement"], r["time_s"]) for r in light]
    assert [r["Y"] for r in rows] == ["" if r["XYZ"] is None else repr(r["XYZ"][1]) for r in light]
    with pytest.raises(NotFoundError):
        parts_as(whole, 99, "csv")
