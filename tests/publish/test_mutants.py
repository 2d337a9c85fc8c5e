"""Every value of an edition, changed one at a time by somebody who makes all hashes right again: each change is noticed."""

import json
import random
import re
import shutil
from pathlib import Path

import pytest

from lumenar.cli import main
from lumenar.publish.verify import verify

from .test_publication import surveyed  # noqa: F401
from .test_verify import edition, rehash, rezip  # noqa: F401

FILES = (
    "data/menu.json", "data/scores.json", "data/recipes.json", "data/advice.json", "data/rubric.json", "manifest.json",
    "data/manifest.json", "data/figures.json", "data/readings.json", "data/findings.json", "data/story.json",
)  # fmt: skip
MOST, MOST_OF_MENU = 5, 12


def leaves(document, path=()):
    if isinstance(document, dict):
        for k, v in document.items():
            yield from leaves(v, (*path, k))
    elif isinstance(document, list):
        for i, v in enumerate(document):
            yield from leaves(v, (*path, i))
    else:
        yield path, document


def changed(value):
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return value * 1.07 + 1
    return "forged" if value is None else f"{value}x"


@pytest.mark.parametrize("name", FILES)
def test_no_value_can_be_changed_unnoticed(edition, name):  # noqa: F811
    text = (edition / name).read_text()
    rng = random.Random(name)
    found = [p for p in leaves(json.loads(text)) if p[0][:1] != ("files",)]
    unnoticed = []
    for path, value in rng.sample(found, min(MOST_OF_MENU if "menu" in name else MOST, len(found))):
        document = json.loads(text)
        at = document
        for k in path[:-1]:
            at = at[k]
        at[path[-1]] = changed(value)
        (edition / name).write_text(json.dumps(document))
        rehash(edition)
        rezip(edition)
        rehash(edition)
        try:
            if verify(edition).agrees:
                unnoticed.append((path, value))
        except Exception as e:
            assert str(e)
    assert not unnoticed


def by_another_version(site, change=lambda page: page, version="9.9.9"):
    """The edition as if another version had made it, its report changed."""
    was = json.loads((site / "manifest.json").read_text())["made_by"].removeprefix("lumenar ")
    for name in ("manifest.json", "data/manifest.json"):
        document = json.loads((site / name).read_text())
        document["made_by"] = f"lumenar {version}"
        (site / name).write_text(json.dumps(document))
    for path in (*site.glob("*.html"), *site.glob("summary.json")):
        page = path.read_text().replace(was, version)
        path.write_text(change(page) if path.name == "index.html" else page)
    rehash(site)
    rezip(site)
    rehash(site)


@pytest.fixture
def of_0_2(tmp_path):
    """An edition that version 0.2.0 made."""
    shutil.copytree(Path(__file__).parent / "editions" / "0.2.0", tmp_path / "old")
    return tmp_path / "old"


def test_pages_of_another_version_are_said_not_to_be_compared_whole(edition, capsys):  # noqa: F811
    by_another_version(edition, lambda page: page.replace("Scores", "Marks"))
    assert main(["verify", str(edition)]) == 3
    assert "its pages were made by lumenar 9.9.9" in capsys.readouterr().err


def test_an_edition_of_an_earlier_version_agrees(of_0_2):
    check = verify(of_0_2)
    assert check.agrees and check.other_version == "lumenar 0.2.0", check.disagreements


def test_a_page_from_before_there_were_findings_agrees(of_0_2, capsys):
    def older(page):
        nav, whole = '<li><a href="#found">What we found</a></li>', re.compile(r'<h2 id="found">.*?</ol>', re.S)
        assert nav in page and whole.search(page)
        return whole.sub("", page.replace(nav, ""))

    (of_0_2 / "data" / "findings.json").unlink()
    by_another_version(of_0_2, older, "0.1.0")
    check = verify(of_0_2)
    assert check.agrees and check.other_version == "lumenar 0.1.0", check.disagreements
    # A later version must have them.
    by_another_version(of_0_2, version="0.2.0")
    assert main(["verify", str(of_0_2)]) == 2 and "findings.json is missing" in capsys.readouterr().err


@pytest.mark.parametrize("version", ["0.2.0", "9.9.9"])
def test_a_score_forged_under_another_version_does_not_agree(edition, of_0_2, version):  # noqa: F811
    site = of_0_2 if version == "0.2.0" else edition
    score = next(iter(json.loads((site / "data" / "scores.json").read_text())["purposes"]["colour_work"].values()))
    shown = f"{score['value']:.0f}"

    def forged(page):
        changed = page.replace(f">{shown}<", ">99<").replace(f" {shown} ", " 99 ")
        assert changed != page
        return changed

    by_another_version(site, forged, version)
    assert main(["verify", str(site)]) == 1


def test_pages_that_do_not_belong_or_are_missing_are_noticed(edition, of_0_2):  # noqa: F811
    for site in (edition, of_0_2):
        (site / "more.html").write_text("<p>99 of 100</p>")
        rehash(site)
        assert any("more.html: is no page" in line for line in verify(site).disagreements)
    (edition / "method.html").unlink()
    rehash(edition)
    assert any("method.html is missing" in line for line in verify(edition).disagreements)


@pytest.mark.parametrize(
    "name", ["mode-1.html", "settings-colour-work.html", "findings.html", "rubric.html", "method.html"]
)
def test_every_page_is_compared(edition, name):  # noqa: F811
    page = edition / name
    page.write_text(page.read_text().replace("</main>", "<p>Better than any other.</p></main>"))
    rehash(edition)
    assert verify(edition).disagreements == (f"{name}: is not the page that follows from the data",)


def test_a_script_under_another_version_does_not_agree(edition):  # noqa: F811
    by_another_version(edition, lambda page: page.replace("</body>", "<script>alert(1)</script></body>"))
    assert any("other scripts" in line for line in verify(edition).disagreements)
