"""The whole job without a browser: measured, tuned, proven, replayed, published, and recomputed by a stranger."""

import json

from lumenar.app.displays.unit_files import shipped_units
from lumenar.cli import main
from lumenar.publish.survey import survey
from lumenar.publish.verify import verify

from ..conftest import PHONE

ENOUGH = ["white_black", "grey_ramp", "gamut", "swatches", "saturation"]


def test_a_mode_is_tuned_replayed_and_published_with_its_result(tmp_path):
    done = survey(shipped_units()[PHONE], PHONE, tmp_path, modes=["Faithful", "Cinder"], measurements=ENOUGH, tune=True)
    assert len(done.tuned) == 1 and done.tuned[0].startswith("Faithful tuned. Worth it.")
    assert "what it promises was kept" in done.tuned[0]
    purpose, mode, value = done.best[0]
    assert (purpose, mode) == ("colour_work", "Faithful tuned") and value > 90
    scores = json.loads((tmp_path / "site" / "data" / "scores.json").read_text())["purposes"]["colour_work"]
    assert len(scores) == 3, "both modes as shipped, and the result"
    assert verify(tmp_path / "site").agrees


def test_the_command_says_what_became_of_it(tmp_path, capsys):
    unit = tmp_path / PHONE
    unit.write_text(shipped_units()[PHONE])
    arguments = ["--modes", "Faithful", "--measurements", *ENOUGH, "--tune"]
    assert main(["survey", str(unit), *arguments, "--out", str(tmp_path / "out")]) == 0
    said = capsys.readouterr().out
    assert "Faithful tuned. Worth it." in said and "colour_work: Faithful tuned" in said
    assert main(["tune", str(unit), "--mode", "Faithful", "--goal", "white", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["format"] == "lumenar-tuning" and found["settings"] and found["gain"]["low"] < found["gain"]["high"]
    assert main(["tune", str(unit), "--mode", "Nowhere"]) == 2
    assert "no mode 'Nowhere'" in capsys.readouterr().err
    assert main(["tune", str(unit), "--mode", "Faithful", "--goal", "wish"]) == 2
    assert "There is no goal 'wish'; known are tone, shadows, luminance" in capsys.readouterr().err
    assert main(["tune", str(unit), "--mode", "Faithful", "--goal", "points"]) == 2
    assert "cannot be tuned" in capsys.readouterr().err
