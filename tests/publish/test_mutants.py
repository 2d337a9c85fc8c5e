"""Every value of an edition, changed one at a time by somebody who makes all hashes right again: each change is noticed."""

import json
import random
import re

import pytest

from lumenar import __version__
from lumenar.cli import main
from lumenar.publish.verify import verify

from .test_publication import surveyed  # noqa: F401
from .test_verify import edition, rehash, rezip  # noqa: F401

FILES = (
    "data/menu.json", "data/scores.json", "data/recipes.json", "data/advice.json", "data/rubric.json", "manifest.json",
    "data/manifest.json", "data/figures.json", "data/readings.json", "data/findings.json",
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


def by_another_version(site, change=lambda page: page, version="0.1.9"):
    """The edition as if another version had made it."""
    for name in ("manifest.json", "data/manifest.json"):
        document = json.loads((site / name).read_text())
        document["made_by"] = f"lumenar {version}"
        (site / name).write_text(json.dumps(document))
    page = site / "index.html"
    page.write_text(change(page.read_text().replace(__version__, version)))
    rehash(site)
    rezip(site)
    rehash(site)


def test_a_page_of_another_version_is_said_not_to_be_compared_whole(edition, capsys):  # noqa: F811
    by_another_version(edition, lambda page: page.replace("Scores", "Marks"))
    assert main(["verify", str(edition)]) == 3
    assert "its page was made by lumenar 0.1.9" in capsys.readouterr().err


def test_a_page_from_before_there_were_findings_agrees(edition, capsys):  # noqa: F811
    def older(page):
        nav, whole = '<li><a href="#found">What we found</a></li>', re.compile(r'<h2 id="found">.*?</ol>', re.S)
        assert nav in page and whole.search(page)
        return whole.sub("", page.replace(nav, ""))

    (edition / "data" / "findings.json").unlink()
    by_another_version(edition, older, "0.1.0")
    check = verify(edition)
    assert check.agrees and check.other_version == "lumenar 0.1.0", check.disagreements
    # A later version must have them.
    by_another_version(edition, lambda page: page, "0.1.9")
    assert main(["verify", str(edition)]) == 2 and "findings.json is missing" in capsys.readouterr().err


def test_a_score_forged_under_another_version_does_not_agree(edition, capsys):  # noqa: F811
    score = next(iter(json.loads((edition / "data" / "scores.json").read_text())["purposes"]["colour_work"].values()))
    shown = f"{score['value']:.0f}"

    def forged(page):
        changed = page.replace(f">{shown}<", ">99<").replace(f" {shown} ", " 99 ")
        assert changed != page
        return changed

    by_another_version(edition, forged)
    assert main(["verify", str(edition)]) == 1


def test_a_script_under_another_version_does_not_agree(edition):  # noqa: F811
    by_another_version(edition, lambda page: page.replace("</body>", "<script>alert(1)</script></body>"))
    assert any("other scripts" in line for line in verify(edition).disagreements)
