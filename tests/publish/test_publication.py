"""The survey, the report it leaves, and checking the data package."""

import html
import json
import re
import shutil
from html.parser import HTMLParser
from pathlib import Path
from zipfile import ZipFile

import pytest

from lumenar.app.errors import BadInputError
from lumenar.cli import main
from lumenar.publish.verify import verify

from ..conftest import MONITOR, PHONE

MODES = ["Faithful", "Lively"]


@pytest.fixture(scope="module")
def surveyed(tmp_path_factory):
    from lumenar.app.displays.unit_files import shipped_units

    folder = tmp_path_factory.mktemp("survey")
    (folder / PHONE).write_text(shipped_units()[PHONE])
    arguments = ["survey", str(folder / PHONE), "--modes", *MODES, "--out", str(folder / "out")]
    assert main(arguments) == 0
    return folder / "out"


def test_a_survey_leaves_readings_figures_site_and_package(surveyed, capsys):
    readings = json.loads((surveyed / "readings.json").read_text())
    figures = json.loads((surveyed / "figures.json").read_text())
    assert [s["name"] for s in readings["setups"]] == [s["name"] for s in figures["setups"]] == MODES
    assert main(["figures", str(surveyed / "readings.json"), "--json"]) == 0
    mine = json.loads(capsys.readouterr().out)
    digests = {key: figures[key] for key in ("readings_digest", "inputs_digest")}
    assert mine | digests == figures
    assert main(["verify", str(surveyed / "site")]) == 0
    assert "agrees" in capsys.readouterr().out
    assert verify(surveyed / "site" / "data.zip").compared > 2000
    found = json.loads((surveyed / "findings.json").read_text())["findings"]
    assert main(["findings", str(surveyed / "readings.json"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["findings"] == found
    page = html.unescape((surveyed / "site" / "index.html").read_text())
    told = page[page.index('id="found"') : page.index('id="all"')]
    assert 3 < told.count("<h3>") <= 10 and found[0]["sentence"] in told


def test_the_same_seed_gives_the_same_survey(surveyed, tmp_path, units):
    (tmp_path / PHONE).write_text(units[PHONE])
    arguments = ["survey", str(tmp_path / PHONE), "--modes", "Hearth", "--measurements", "white_black"]
    for seed, out in ((5, "a"), (5, "b"), (6, "c")):
        assert main([*arguments, "--seed", str(seed), "--out", str(tmp_path / out)]) == 0
    one, two, other = ((tmp_path / f / "readings.json").read_text() for f in "abc")
    assert one == two != other
    assert [s["name"] for s in json.loads(one)["setups"]] == ["Hearth"]


class Page(HTMLParser):
    """What a page asks of others, and its tags."""

    def __init__(self):
        super().__init__()
        self.tags, self.links = [], []

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        self.links += [v for k, v in attrs if k in ("src", "href")]


def test_the_report_is_static_and_asks_nothing_of_others(surveyed):
    site = surveyed / "site"
    pages = {path.name: path.read_text() for path in site.glob("*.html")}
    assert {"index.html", "mode-1.html", "mode-2.html", "findings.html", "rubric.html", "method.html"} <= set(pages)
    for name, text in pages.items():
        page = Page()
        page.feed(text)
        assert "script" not in page.tags and (page.tags.count("svg") > 10 or not name.startswith("mode"))
        for link in page.links:
            assert not re.match(r"\w+:|//", link)
            file, _, fragment = link.partition("#")
            assert not file or (site / file).exists(), link
            assert not fragment or f'id="{fragment}"' in pages[file or name], (name, link)
        assert "nan" not in re.sub(r"<[^>]+>", " ", text).lower().split(), name
    assert len(pages["index.html"]) < 250_000
    css = (site / "static" / "report.css").read_text()
    assert all((site / "static" / f).exists() for f in re.findall(r"url\((?!#)([^)]+)\)", css))
    for words in ("Faithful", "Settings for colour work", "Modes compared", "How we measured", "Not replayed"):
        assert words in pages["index.html"]


def copy(surveyed, tmp_path):
    shutil.copytree(surveyed / "site" / "data", tmp_path / "data")
    return tmp_path / "data"


def edit(path, change):
    document = json.loads(path.read_text())
    change(document)
    path.write_text(json.dumps(document))


def raise_score(d):
    next(iter(d["purposes"]["colour_work"].values()))["value"] += 1


TAMPERED = [
    ("readings.json", lambda d: d["setups"][0]["readings"][5].update(XYZ=[50, 50, 50])),
    ("figures.json", lambda d: d["setups"][0]["figures"]["grey_ramp"].update(gamma=2.2)),
    ("figures.json", lambda d: d["setups"][1]["figures"].pop("gamut")),
    ("scores.json", raise_score),
    ("recipes.json", lambda d: d["recipes"]["colour_work"].update(mode="Lively")),
    ("rubric.json", lambda d: d["purposes"][0]["weights"].update({"gamut.own_white_de2000_max": 80})),
]


@pytest.mark.parametrize(("file", "change"), TAMPERED)
def test_what_was_changed_is_found_even_with_its_hash_put_right(surveyed, tmp_path, capsys, file, change):
    from hashlib import sha256

    package = copy(surveyed, tmp_path)
    edit(package / file, change)
    assert any("SHA-256" in line for line in verify(package).disagreements)
    digest = sha256((package / file).read_bytes()).hexdigest()
    edit(package / "manifest.json", lambda m: m["files"][file].update(sha256=digest))
    check = verify(package)
    assert not check.agrees and not any("SHA-256" in line for line in check.disagreements)
    assert main(["verify", str(package)]) == 1
    assert "does not agree" in capsys.readouterr().err


def test_what_is_no_package_is_said(surveyed, tmp_path, capsys):
    (tmp_path / "x.zip").write_text("no zip")
    for path in (tmp_path / "none", tmp_path / "x.zip", tmp_path):
        assert main(["verify", str(path)]) == 2
        assert len(capsys.readouterr().err.strip().splitlines()) == 1
    package = copy(surveyed, tmp_path)
    (package / "figures.json").unlink()
    with pytest.raises(BadInputError, match=r"figures\.json is missing"):
        verify(package)
    with ZipFile(tmp_path / "half.zip", "w") as z:
        z.writestr("manifest.json", "{")
    assert main(["verify", str(tmp_path / "half.zip")]) == 2


def test_survey_refuses_what_it_cannot_do(tmp_path, units, capsys):
    unit = tmp_path / MONITOR
    unit.write_text(units[MONITOR])
    out = tmp_path / "out"
    assert main(["survey", str(unit), "--out", str(out), "--modes", "Cinema"]) == 2
    assert "no mode 'Cinema'" in capsys.readouterr().err
    assert main(["survey", str(unit), "--out", str(unit / "out")]) == 2
    assert len(capsys.readouterr().err.strip().splitlines()) == 1
    unit.write_text("{}")
    assert main(["survey", str(unit), "--out", str(out)]) == 2
    assert "required field is missing" in capsys.readouterr().err
    assert not out.exists() or not any(out.iterdir())


def test_a_publication_that_cannot_be_written_leaves_nothing_behind(app, bench, measured, monkeypatch):
    from lumenar.publish import edition
    from lumenar.store.database import StoreError

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(edition, "pages", full)
    with pytest.raises(StoreError, match="No space left"):
        edition.publish(app, measured)
    assert edition.editions_of(app, measured) == []
    assert list(Path(app.folder, "editions").iterdir()) == []
    monkeypatch.undo()
    assert edition.publish(app, measured).number == 1
