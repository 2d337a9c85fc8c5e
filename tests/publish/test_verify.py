"""`verify` checks what a reader sees: whatever is changed of an edition is noticed, and nothing crashes it."""

import io
import json
import os
import shutil
import zipfile
from hashlib import sha256

import numpy as np
import pytest

from lumenar.app.errors import BadInputError
from lumenar.cli import main
from lumenar.publish.verify import Check, verify

from .test_publication import surveyed  # noqa: F401  the fixture


@pytest.fixture
def edition(surveyed, tmp_path):  # noqa: F811
    shutil.copytree(surveyed / "site", tmp_path / "site")
    return tmp_path / "site"


def rehash(site):
    """Put right every hash, as somebody would who knows of them."""
    for folder in (site / "data", site):
        path = folder / "manifest.json"
        manifest = json.loads(path.read_text())
        manifest["files"] = {}
        for f in sorted(folder.rglob("*")):
            name = f.relative_to(folder).as_posix()
            if f.is_file() and name != "manifest.json":
                data = f.read_bytes()
                manifest["files"][name] = {"sha256": sha256(data).hexdigest(), "bytes": len(data)}
        path.write_text(json.dumps(manifest, ensure_ascii=False))


def rezip(site):
    with zipfile.ZipFile(site / "data.zip", "w", zipfile.ZIP_DEFLATED) as z:
        for f in sorted((site / "data").iterdir()):
            z.write(f, f.name)


def edit(site, name, change, again=True):
    path = site / "data" / name
    document = json.loads(path.read_text())
    change(document)
    path.write_text(json.dumps(document, ensure_ascii=False))
    if again:
        rehash(site)
        rezip(site)
        rehash(site)


def test_an_edition_that_nobody_touched_agrees(edition):
    check = verify(edition)
    assert check.agrees, check.disagreements[:3]
    rezip(edition)
    rehash(edition)
    assert verify(edition).agrees and verify(edition / "data").agrees and verify(edition / "data.zip").agrees


def first(d):
    return d["setups"][0]


def reading(d, i=3):
    return first(d)["readings"][i]


def waveform(d):
    return next(r for s in d["setups"] for r in s["readings"] if "waveform" in r)["waveform"]["samples"]


READINGS = {
    "a setting": lambda d: first(d)["settings"].update({next(iter(first(d)["settings"])): 3}),
    "the room": lambda d: first(d).update(condition={"lux": 120, "label": "lit", "automatic": []}),
    "a meter's name": lambda d: d["meters"][0].update(name="Another"),
    "a meter's noise": lambda d: d["meters"][0].update(repeatability_percent=0.2),
    "a doubled reading": lambda d: first(d)["readings"].append(dict(reading(d))),
    "a waveform's sample": lambda d: waveform(d).__setitem__(7, waveform(d)[7] * 1.001),
    "a millionth": lambda d: reading(d).update(XYZ=[v * (1 + 1e-6) for v in reading(d)["XYZ"]]),
    "a serial": lambda d: d["units"][0].update(serial="X"),
    "a firmware": lambda d: d["units"][0].update(firmware="9.9"),
    "a time": lambda d: reading(d).update(time_s=reading(d)["time_s"] + 1),
    "a reading gone": lambda d: first(d)["readings"].pop(4),
    "a correction": lambda d: next(m for m in d["meters"] if "correction" in m)["correction"][0].__setitem__(0, 1.5),
}


@pytest.mark.parametrize("what", READINGS)
def test_a_change_of_the_readings_is_noticed_with_every_hash_put_right(edition, what):
    edit(edition, "readings.json", READINGS[what])
    check = verify(edition)
    assert not check.agrees and not any("SHA-256" in line for line in check.disagreements)
    assert not verify(edition / "data.zip").agrees


MANIFEST = {
    "edition": 9,
    "published_at": "2020-01-01T00:00:00+00:00",
    "maker": "Other",
    "model": "Other",
    "sample": "Z",
    "serial": "0",
    "firmware": "0",
    "modes": 99,
    "gaps": ["none"],
}


@pytest.mark.parametrize("key", MANIFEST)
def test_a_manifest_that_says_something_else_is_noticed(edition, key):
    edit(edition, "manifest.json", lambda m: m.update({key: MANIFEST[key]}))
    assert not verify(edition).agrees, "the other manifest, the readings or the page say otherwise"


PAGE = {
    "a score": lambda t: t.replace("<b>", "<b>9", 1),
    "a script": lambda t: t.replace("</main>", "<script>alert(1)</script></main>"),
    "a word": lambda t: t.replace("accurate", "wrong", 1),
    "a figure": lambda t: t.replace("cd/m²", "cd/ft²", 1),
}


@pytest.mark.parametrize("what", PAGE)
def test_a_changed_page_is_noticed(edition, what):
    page = edition / "index.html"
    changed = PAGE[what](page.read_text())
    assert changed != page.read_text()
    page.write_text(changed)
    rehash(edition)
    check = verify(edition)
    assert any("index.html" in line for line in check.disagreements)


def test_the_last_digit_of_a_decimal_is_the_machines(edition):
    import re

    page = edition / "index.html"
    text = page.read_text()
    at = re.search(r"\d+\.\d(?=\d)", text)
    page.write_text(text[: at.start()] + f"{float(at[0]) + 0.1:.1f}" + text[at.end() :])
    rehash(edition)
    assert not verify(edition).agrees, "a tenth of two decimals is no rounding"


def test_the_exact_set_of_files_counts(edition, surveyed):  # noqa: F811
    (edition / "extra.js").write_text("alert(1)")
    assert any("extra.js" in line for line in verify(edition).disagreements)
    rehash(edition)
    (edition / "extra.js").unlink()
    assert any("extra.js" in line for line in verify(edition).disagreements)
    rehash(edition)
    assert verify(edition).agrees
    (edition / "data" / "more.json").write_text("{}")
    rehash(edition)
    rezip(edition)
    rehash(edition)
    assert any("more.json" in line for line in verify(edition).disagreements)


def test_another_displays_zip_is_noticed(edition):
    with zipfile.ZipFile(edition / "data.zip", "w") as z:
        z.writestr("readings.json", "{}")
    rehash(edition)
    assert any("data.zip" in line for line in verify(edition).disagreements)


def test_a_rubric_under_the_name_of_another_is_noticed(edition):
    from lumenar.app.exchange.readings_file import parse_readings
    from lumenar.app.rubric_files import load_rubric
    from lumenar.core.recipes.purpose import Advice
    from lumenar.publish.package import compute, dumps, scores_document
    from lumenar.publish.verify import menu_from

    edit(edition, "rubric.json", lambda d: [k.__setitem__(1, 100) for r in d["rules"] for k in r["knots"]], again=False)
    data = edition / "data"
    rubric = load_rubric((data / "rubric.json").read_text())
    menu = menu_from(json.loads((data / "menu.json").read_text()))
    results = compute(parse_readings((data / "readings.json").read_text()), rubric, menu, Advice({}, {}))
    (data / "scores.json").write_text(dumps(scores_document(results, rubric)))
    rehash(edition)
    assert any("is not that rubric" in line for line in verify(data).disagreements)


def test_another_order_of_readings_is_no_change(edition):
    def shuffle(d):
        rng = np.random.default_rng(1)
        for s in d["setups"]:
            rng.shuffle(s["readings"])

    edit(edition, "readings.json", shuffle)
    assert verify(edition).agrees


@pytest.mark.parametrize(
    "change",
    [
        lambda d: first(d)["figures"]["near_white"].update(lost_steps=False),
        lambda d: first(d)["figures"]["white_black"].update(duv=first(d)["figures"]["white_black"]["duv"] * (1 + 1e-6)),
        lambda d: first(d)["figures"]["gamut"].pop("white_uv"),
    ],
)
def test_small_changes_of_figures_are_noticed(edition, change):
    edit(edition, "figures.json", change)
    assert not verify(edition).agrees


STRANGE = [
    {}, [], None, 3, "x", {"files": 3}, {"files": {"readings.json": 3}}, {"format": "lumenar-package", "files": {}},
]  # fmt: skip


@pytest.mark.parametrize(
    "name", ["manifest.json", "readings.json", "rubric.json", "menu.json", "figures.json", "scores.json"]
)
@pytest.mark.parametrize(
    "content", [*map(json.dumps, STRANGE), "", "[" * 5000, "1" * 6000, "\ufeff{}", '{"a":1,"a":2}', "nul\0"]
)
def test_whatever_lies_in_a_package_it_ends_with_one_line(edition, capsys, name, content):
    (edition / "data" / name).write_text(content)
    status = main(["verify", str(edition / "data")])
    err = capsys.readouterr().err
    assert status in (1, 2) and (status == 1 or len(err.strip().splitlines()) == 1)


@pytest.mark.parametrize(
    ("name", "key"),
    [
        *(("menu.json", k) for k in ("others", "step", "locked", "luminance")),
        *(("rubric.json", k) for k in ("rules", "purposes", "version")),
    ],
)
def test_menus_and_rubrics_of_strange_values_end_with_one_line(edition, capsys, name, key):
    whole = json.loads((edition / "data" / name).read_text())
    for value in (None, -1, 0, "", [], {}, 1e308, True):
        (edition / "data" / name).write_text(json.dumps(whole | {key: value}))
        status = main(["verify", str(edition / "data")])
        err = capsys.readouterr().err
        assert status in (1, 2) and (status == 1 or len(err.strip().splitlines()) == 1), value


def test_pipes_bombs_and_doubles_are_refused(tmp_path, edition, capsys):
    os.mkfifo(tmp_path / "pipe")
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("readings.json", b"0" * 300_000_000)
    tight = tmp_path / "tight.zip"
    with zipfile.ZipFile(tight, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("readings.json", b"0" * 30_000_000)
    twice = io.BytesIO()
    with zipfile.ZipFile(twice, "w") as z:
        z.writestr("manifest.json", "{}")
        with pytest.warns(UserWarning, match="Duplicate"):
            z.writestr("manifest.json", "{}")
    (tmp_path / "twice.zip").write_bytes(twice.getvalue())
    (tmp_path / "cut.zip").write_bytes((edition / "data.zip").read_bytes()[:-3000])
    for name in ("pipe", "bomb.zip", "tight.zip", "twice.zip", "cut.zip"):
        assert main(["verify", str(tmp_path / name)]) == 2
        assert len(capsys.readouterr().err.strip().splitlines()) == 1
    (edition / "link").symlink_to("/etc/passwd")
    with pytest.raises(BadInputError, match="no plain file"):
        verify(edition)


def test_a_check_agrees_when_nothing_differs():
    assert Check(3, ()).agrees and not Check(3, ("x",)).agrees
