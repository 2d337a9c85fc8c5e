"""Anyone's readings: figures from them, and what is refused."""

import json
from copy import deepcopy

import numpy as np
import pytest

from lumenar.app.bench.bench import BenchService
from lumenar.app.errors import BadInputError
from lumenar.app.exchange.export import readings_document
from lumenar.app.exchange.file_figures import analyse_file, figures_document, measurements_of
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.figures import cells
from lumenar.app.runs.planning import Options
from lumenar.bench.plan import Cell
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.cli import main
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.targets import TARGETS, Anchor
from lumenar.store import reviews, runs


def document(white=120.0, black=0.1, target="gamma22", measurements=("white_black", "grey_ramp", "gamut")):
    patches = dict.fromkeys(p for m in measurements for p in MEASUREMENTS[m].patches(Context()))
    XYZ = TARGETS[target].XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(white), np.array(black)))
    readings = [{"rgb": list(p.rgb), "XYZ": v.tolist()} for p, v in zip(patches, XYZ, strict=True)]
    return {
        "format": "lumenar-readings",
        "version": 1,
        "setups": [{"name": "Mine", "signal": "sdr", "target": target, "readings": readings}],
    }


def test_the_least_that_is_needed_is_enough():
    [found] = analyse_file(parse_readings(json.dumps(document())))
    assert set(found.analyses) == {"white_black", "grey_ramp", "gamut", "additivity"}
    assert "3 or more settings" in found.left_out["brightness_ladder"]
    figures = figures_document([found])["setups"][0]["figures"]
    assert figures["white_black"]["contrast_ratio"] == pytest.approx(1200)
    assert figures["grey_ramp"]["gamma"] == pytest.approx(2.2)
    json.dumps(figures, allow_nan=False)


def test_what_readings_suffice_for_is_told_by_setup_though_all_are_read_by_one_list():
    d = document()
    first = d["setups"][0]
    others = [deepcopy(first) for _ in range(4)]
    for i, s in enumerate(others):
        s["name"] = f"Other {i}"
    # Blinded by most greys, black under the floor, less light, and a list that is shorter.
    for r in others[0]["readings"]:
        if r["rgb"][0] == r["rgb"][1] == r["rgb"][2] and 0 < r["rgb"][0] < 1:
            r["XYZ"] = None
            r["flag"] = "saturated"
    for r in others[1]["readings"]:
        if sum(r["rgb"]) == 0:
            r["XYZ"] = None
            r["flag"] = "below_floor"
    for r in others[2]["readings"]:
        r["XYZ"] = [v / 2 for v in r["XYZ"]]
    others[3]["readings"] = [r for r in others[3]["readings"] if len(set(r["rgb"])) == 1]
    d["setups"] += others
    file = parse_readings(json.dumps(d))
    whole = [list(s.analyses) for s in analyse_file(file, uncertain=False)]
    assert measurements_of(file, "it") == whole
    assert "grey_ramp" in whole[0] and whole[0] != whole[1] and "gamut" not in whole[4]


def test_a_reading_that_names_its_measurement_serves_that_one_only():
    d = document(measurements=("white_black",))
    for r in d["setups"][0]["readings"]:
        r["measurement"] = "white_black"
    [found] = analyse_file(parse_readings(json.dumps(d)))
    assert set(found.analyses) == {"white_black"}


def test_the_correction_is_applied_to_what_was_read():
    d = document()
    M = np.array([[1.03, 0.01, -0.02], [0.0, 1.02, 0.01], [0.02, -0.01, 0.95]])
    for r in d["setups"][0]["readings"]:
        r["XYZ"] = np.linalg.solve(M, r["XYZ"]).tolist()
        r["meter"] = "m1"
    d["meters"] = [{"id": "m1", "correction": M.tolist(), "repeatability_percent": 0.2, "floor_cd_m2": 0.003}]
    [found] = analyse_file(parse_readings(json.dumps(d)))
    assert found.analyses["grey_ramp"].scalar("de2000_max") < 1e-6


def test_black_under_the_meters_floor_gives_at_least():
    d = document(black=0.0)
    d["meters"] = [{"id": "m1", "floor_cd_m2": 0.003}]
    for r in d["setups"][0]["readings"]:
        r["meter"] = "m1"
    [found] = analyse_file(parse_readings(json.dumps(d)))
    assert found.analyses["white_black"].scalar("contrast_at_least") == pytest.approx(40_000)


def test_what_goes_out_comes_in_with_the_same_figures(whole):
    from lumenar.app.board import board

    found = {s.name: s for s in analyse_file(parse_readings(json.dumps(readings_document(whole, 1))))}
    compared = 0
    for row in board.board(whole, 1).rows:
        for cell in row.cells:
            for f in cell.figures:
                if f.raw is not None:
                    again = found[row.name].analyses[cell.measurement].scalar(f.figure)
                    assert again == f.raw, (cell.measurement, f.figure)
                    compared += 1
    assert compared > 50


def test_two_runs_of_one_setup_go_out_with_what_each_is_judged_by(whole):
    """A second run, cold, takes over some cells: each cell's interval is the same from the file as on the Board."""
    service = BenchService(whole, speed=0.0)
    second = service.runs.start(1, [Cell(1, m) for m in ("gamut", "hold")], Options(warm_up=False))
    service.runs.finish()
    with whole.db.transaction(of=1) as db:
        runs.set_warm(db, second, False)
    service.close()
    file = parse_readings(json.dumps(readings_document(whole, 1)))
    assert [r.warm for r in file.setups[0].runs].count(False) == 1 and len(file.setups[0].runs) == 2
    read = {s.name: s for s in analyse_file(file)}
    now, compared = cells.newest(whole, 1), 0
    for setup in reviews.setups_of(whole.db.connection(), 1):
        for measurement, kept in cells.analyses_of(whole, setup, now).items():
            again = read[setup.name].analyses[measurement].uncertainty
            assert again.keys() == kept.uncertainty.keys()
            for key, u in kept.uncertainty.items():
                ends = np.array([again[key].low, again[key].high])
                np.testing.assert_allclose(ends, [u.low, u.high], rtol=1e-9, err_msg=f"{measurement} {key}")
                compared += 1
    assert compared > 200


def change(path, value):
    d = deepcopy(document())
    *way, last = path
    place = d
    for step in way:
        place = place[step]
    if value is ...:
        del place[last]
    else:
        place[last] = value
    return json.dumps(d)


FIRST = ("setups", 0, "readings", 0)
BAD = [
    ("", "the file is empty"),
    (json.dumps(document())[:-40], "not JSON at line 1"),
    ("no json", "not JSON at line 1, column 2"),
    (json.dumps(document()).replace("0.1", "NaN", 1), "NaN and infinities are no numbers"),
    (
        change((*FIRST, "XYZ"), [1, -2, 3]),
        "setups[0].readings[0]: XYZ has a component of -2: less than noise near black",
    ),
    (change((*FIRST, "XYZ"), [1, 1e9, 3]), "setups[0].readings[0].XYZ[1]"),
    (change((*FIRST, "XYZ"), [1e5, 5e5, 1e5]), "must be absolute"),
    (change((*FIRST, "XYZ"), ...), "setups[0].readings[0].XYZ: required field is missing"),
    (change((*FIRST, "XYZ"), None), "XYZ is null without a flag"),
    (
        change((*FIRST, "rgb"), [255, 255, 255]),
        "setups[0].readings[0].rgb[0]: rgb runs from 0 to 1; 255 looks like a code of 0..255: divide by 255",
    ),
    (change((*FIRST, "measurement"), "sparkle"), "unknown measurement 'sparkle'"),
    (change((*FIRST, "lumens"), 3), "setups[0].readings[0].lumens: unknown field"),
    (change((*FIRST, "meter"), "m9"), "unknown meter 'm9'"),
    (change(("setups", 0, "target"), "vivid"), "unknown target 'vivid'"),
    (change(("setups", 0, "readings"), []), "setups[0].readings"),
    (change(("format",), "other"), "format"),
    (change(("setups",), []), "setups"),
]


@pytest.mark.parametrize(("text", "said"), BAD)
def test_a_wrong_readings_file_is_refused_in_one_line(tmp_path, capsys, text, said):
    file = tmp_path / "mine.json"
    file.write_text(text)
    assert main(["figures", str(file), "--json"]) == 2
    out = capsys.readouterr()
    assert out.out == "" and said in out.err and out.err.startswith("mine.json: ")
    assert len(out.err.strip().splitlines()) == 1


def test_a_missing_white_is_named():
    d = document()
    d["setups"][0]["readings"] = [r for r in d["setups"][0]["readings"] if r["rgb"] != [1.0, 1.0, 1.0]]
    with pytest.raises(BadInputError, match=r"setups\[0\].readings: .*no reading of 100 % white"):
        analyse_file(parse_readings(json.dumps(d)))


def test_a_target_for_another_signal_and_a_file_that_is_not_there(tmp_path, capsys):
    file = tmp_path / "mine.json"
    file.write_text(json.dumps(document()))
    assert main(["figures", str(file), "--target", "bt2020_pq"]) == 2
    assert "is a target for pq" in capsys.readouterr().err
    assert main(["figures", str(tmp_path / "none.json")]) == 2
    assert "cannot be read" in capsys.readouterr().err
    assert main(["figures", str(file), "--target", "srgb"]) == 0
    assert "Mine against srgb" in capsys.readouterr().out


@pytest.mark.parametrize("reader", [parse_readings, parse_unit])
def test_a_name_that_stands_twice_is_refused_not_settled_by_the_last(reader, units):
    if reader is parse_unit:
        text = units["tessary-pell-6.json"]
        doubled = text.replace('"model":', '"model": "Other", "model":', 1)
    else:
        text = json.dumps(document())
        doubled = text.replace('"target":', '"target": "srgb", "target":', 1)
    assert doubled != text
    reader(text)
    with pytest.raises((BadInputError, UnitFileError), match=r"the name '(target|model)' stands twice in one object"):
        reader(doubled)
