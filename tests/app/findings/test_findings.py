"""Findings of a review, of its exported readings and of a survey are the same."""

import json
from dataclasses import replace

import pytest

from lumenar.app.displays.displays import display
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.exchange.file_figures import analyse_file
from lumenar.app.exchange.formats import text_as
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.figures import cells
from lumenar.app.findings import evidence, views
from lumenar.app.tuning import tunings
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.bench.plan import Cell
from lumenar.cli import main
from lumenar.core.findings import findings
from lumenar.core.measurements import MEASUREMENTS
from lumenar.store import reviews

from ...conftest import PHONE, setup_of


def test_a_review_and_its_readings_file_show_the_same(whole):
    seen = views.of_review(whole, 1).findings
    file = parse_readings(text_as(whole, 1, "json"), "readings.json")
    document = views.document(findings(evidence.of_file(analyse_file(file))))
    assert [f.sentence for f in seen] == [f["sentence"] for f in document["findings"]] and len(seen) > 5
    for view, stored in zip(seen, document["findings"], strict=True):
        assert view.key == stored["key"] and view.unit == stored["unit"]
        assert view.evidence[0].value == pytest.approx(stored["evidence"][0]["value"], rel=1e-4)
    assert sum(f.reported for f in seen) <= 10 and {f.kind for f in seen} >= {"fault"}


def test_findings_are_kept_until_what_they_rest_on_changes(whole):
    first = views.of_review(whole, 1).findings
    assert views.of_review(whole, 1).findings is first
    setup = reviews.setups_of(whole.db.connection(), 1)[0]
    with whole.db.transaction() as db:
        reviews.change_setup(db, replace(setup, target="gamma22"), None)
    assert views.of_review(whole, 1).findings is not first


def test_evidence_names_a_measurement_and_a_chart_that_exist(whole):
    from lumenar.app.board.cell_charts import plates

    for f in views.of_review(whole, 1).findings:
        for e in f.evidence:
            drawn = plates(whole, 1, e.setup, e.measurement, [], None)
            assert not e.chart or e.chart in [c.key for c in drawn.charts], (f.key, e.chart)
            assert set(e.figures) <= set(MEASUREMENTS[e.measurement].key and _figures(whole, e))


def _figures(app, e):

    setup, review = reviews.setup(app.db.connection(), e.setup)
    row = cells.newest(app, review).fresh[Cell(e.setup, e.measurement)]
    return cells.tried(app, row, cells.target_of(setup.target, setup.signal), setup.target).figures


def test_findings_on_the_command_line(whole, tmp_path, capsys):
    (tmp_path / "readings.json").write_text(text_as(whole, 1, "json"))
    assert main(["findings", str(tmp_path / "readings.json")]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert any(line.startswith("white.") and line.endswith(".") for line in lines)
    assert main(["findings", str(tmp_path / "readings.json"), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert (document["format"], document["version"]) == ("lumenar-findings", 1)
    assert {"key", "setup", "severity", "sentence", "evidence"} <= set(document["findings"][0])


def test_of_a_unit_file_the_display_is_surveyed_first(tmp_path, capsys, monkeypatch):
    unit = json.loads(shipped_units()[PHONE])
    unit["modes"] = unit["modes"][:1]
    (tmp_path / "unit.json").write_text(json.dumps(unit))
    monkeypatch.setattr(
        "lumenar.publish.survey.MEASUREMENTS", {m: MEASUREMENTS[m] for m in ("white_black", "grey_ramp")}
    )
    assert main(["findings", str(tmp_path / "unit.json"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["format"] == "lumenar-findings"


@pytest.mark.parametrize("text", ["", "{", '{"format": "other"}'])
def test_a_file_that_is_neither_is_refused_with_one_line(text, tmp_path, capsys):
    (tmp_path / "x.json").write_text(text)
    assert main(["findings", str(tmp_path / "x.json")]) == 2
    said = capsys.readouterr().err
    assert said.count("\n") == 1 and "x.json" in said


def test_what_experiments_and_tunings_showed_stands_beside(app, bench, monitor):
    """A tuning with its gain; before it was measured again it says so."""
    studio = setup_of(app, monitor, "Studio")
    bench.runs.start(monitor, [Cell(studio.id, m) for m in ("white_black", "grey_ramp")])
    bench.runs.finish()
    assert views.of_review(app, monitor).behaviour == []
    number = Tuner(app, bench).start(monitor, studio.id, tunings.wish_for(app, studio, "colour_work"))
    bench.occupancy.wait()
    tunings.keep(app, number, "Studio tuned")
    (shown,) = views.of_review(app, monitor).behaviour
    assert shown.title == "Tuning of Studio" and shown.how == "Not measured for proof yet." and shown.lines[0]


def test_what_is_measured_later_is_judged_too(app, bench, monitor):
    studio = setup_of(app, monitor, "Studio")
    bench.runs.start(monitor, [Cell(studio.id, "white_black")])
    bench.runs.finish()
    before = {f.key for f in views.of_review(app, monitor).findings}
    bench.runs.start(monitor, [Cell(studio.id, "grey_ramp")])
    bench.runs.finish()
    after = {f.key for f in views.of_review(app, monitor).findings}
    assert before and before < after and any(k.startswith("tone.") for k in after - before)


def test_a_mode_with_changed_settings_is_not_as_shipped(app, bench, monitor):
    studio = setup_of(app, monitor, "Studio")
    menu = display(app, studio.unit_id).menu
    mode = menu.mode(studio.mode, studio.signal)
    light = next(c for c in menu.controls if c.role == "luminance" and c.path not in mode.locks)
    with app.db.transaction() as db:
        reviews.change_setup(db, replace(studio, changes={light.path: light.minimum}), None)
    bench.runs.start(monitor, [Cell(studio.id, "white_black")])
    bench.runs.finish()
    found = evidence.of_review(app, monitor, cells.newest(app, monitor))
    assert [(s.name, s.shipped) for s in found.setups] == [("Studio", False)]
