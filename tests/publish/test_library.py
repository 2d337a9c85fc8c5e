"""The library: index, feed and figures of all editions, as a site that any web server can host."""

import json
import re
from html.parser import HTMLParser
from xml.etree import ElementTree

import pytest

from lumenar.app.errors import BadInputError
from lumenar.app.setups import new_reviews, setups
from lumenar.app.story import stories
from lumenar.cli import main
from lumenar.core.story.story import Story, Words
from lumenar.publish import library
from lumenar.publish.edition import previous_of, publish, recover
from lumenar.publish.verify import verify
from lumenar.store import reviews
from lumenar.store.database import StoreError

ATOM = "{http://www.w3.org/2005/Atom}"


class Links(HTMLParser):
    def __init__(self):
        super().__init__()
        self.found = []

    def handle_starttag(self, tag, attrs):
        self.found += [v for k, v in attrs if k in ("href", "src")]


def links(page):
    parser = Links()
    parser.feed(page)
    return parser.found


def home(app):
    return app.folder / "editions"


def test_publishing_lists_the_edition_and_the_next_one_replaces_it(app, bench, measured):
    first = publish(app, measured)
    stories.save(app, measured, Story(headline=Words(text="Second <look> & more"), reason="A correction."))
    second = publish(app, measured)
    page = (home(app) / "index.html").read_text()
    assert page.count("Tessary Pell 6") == 1 and "Second &lt;look&gt; &amp; more" in page
    there = links(page)
    for edition in (first, second):
        assert f"{edition.address.removeprefix('/published/')}index.html" in there
    assert all((home(app) / link).is_file() for link in there)
    feed = ElementTree.parse(home(app) / "feed.xml").getroot()
    titles = [e.findtext(f"{ATOM}title") for e in feed.iter(f"{ATOM}entry")]
    assert titles == ["Tessary Pell 6, edition 2", "Tessary Pell 6, edition 1"]
    assert feed.find(f"{ATOM}entry/{ATOM}summary").text == "Second <look> & more A correction."
    displays = json.loads((home(app) / "figures.json").read_text())["displays"]
    assert [d["edition"] for d in displays] == [2] and {f["key"] for f in displays[0]["figures"]} >= {
        "white",
        "p3",
        "greys",
    }
    assert not list(home(app).glob(".making-*"))


def test_the_index_shows_the_figures_of_the_reports(app, bench, measured):
    edition = publish(app, measured)
    summary = json.loads((home(app) / edition.address.removeprefix("/published/") / "summary.json").read_text())
    page = (home(app) / "index.html").read_text()
    white = next(f for f in summary["figures"] if f["key"] == "white")
    assert f'data-value="{white["number"]}">{white["text"]}<' in page
    score = summary["purposes"][0]
    best = score["with_settings"] or score["as_shipped"]
    assert f'data-value="{best}">{best:.0f}<' in page


def test_a_summary_that_says_more_than_the_data_does_not_verify(app, bench, measured):
    folder = home(app) / publish(app, measured).address.removeprefix("/published/")
    path = folder / "summary.json"
    summary = json.loads(path.read_text())
    summary["purposes"][0]["as_shipped"] = 99.0
    path.write_text(json.dumps(summary))
    assert any(line.startswith("summary.json.purposes[0].as_shipped") for line in verify(folder).disagreements)
    path.unlink()
    assert "summary.json is missing" in verify(folder).disagreements


def test_editions_of_deleted_reviews_stay_and_folders_that_are_no_editions_are_left_out(app, bench, measured):
    edition = publish(app, measured)
    new_reviews.delete_review(app, measured)
    (home(app) / "orphan" / "1").mkdir(parents=True)
    (home(app) / "orphan" / "1" / "summary.json").write_text("{}")
    assert library.build(app, home(app)) == 1
    assert edition.address.removeprefix("/published/") in (home(app) / "index.html").read_text()
    (home(app) / edition.address.removeprefix("/published/") / "summary.json").write_text('{"maker": 3')
    assert library.build(app, home(app)) == 0


def test_an_edition_from_before_there_were_summaries_is_listed_by_its_manifest(app, bench, measured):
    (home(app) / publish(app, measured).address.removeprefix("/published/") / "summary.json").unlink()
    assert library.build(app, home(app)) == 1
    assert "Tessary Pell 6" in (home(app) / "index.html").read_text()


def test_a_site_is_exported_whole_and_then_only_what_is_new(app, bench, measured, tmp_path, capsys):
    publish(app, measured)
    site = tmp_path / "out" / "site"
    assert library.export(app, site, "https://example.org/reports") == (1, 1)
    assert library.export(app, site, "https://example.org/reports/") == (1, 0)
    publish(app, measured)
    assert library.export(app, site, "https://example.org/reports/") == (1, 1)
    page = (site / "index.html").read_text()
    inside = [link for link in links(page) if not link.startswith("https://example.org/reports/")]
    assert inside and all((site / link).is_file() for link in inside)
    urls = re.findall(r"<loc>(.*?)</loc>", (site / "sitemap.xml").read_text())
    assert len(urls) == 3 and all((site / u.removeprefix("https://example.org/reports/")).exists() for u in urls)
    for folder in site.glob("tessary*/*"):
        assert verify(folder).agrees


def test_the_command_writes_a_site_and_says_what_is_wrong(app, bench, measured, tmp_path, capsys):
    publish(app, measured)
    data = app.folder
    app.close()
    assert main(["publish", "--data", str(data), "--to", str(tmp_path / "site")]) == 0
    assert "1 displays" in capsys.readouterr().out and (tmp_path / "site" / "index.html").is_file()
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "thesis.txt").write_text("mine")
    for arguments, said in (
        (["--to", str(tmp_path / "other")], "something else than a library"),
        (["--to", str(tmp_path / "site"), "--address", "example.org"], "no address of a site"),
    ):
        assert main(["publish", "--data", str(data), *arguments]) == 2
        assert said in capsys.readouterr().err
    assert main(["publish", "--data", str(tmp_path / "nothing"), "--to", str(tmp_path / "site")]) == 2
    assert "no data folder" in capsys.readouterr().err
    assert [p.name for p in (tmp_path / "other").iterdir()] == ["thesis.txt"]


def test_what_cannot_be_written_leaves_the_old_site_whole(app, bench, measured, tmp_path, monkeypatch):
    publish(app, measured)
    site = tmp_path / "site"
    library.export(app, site)
    before = {p: p.read_bytes() for p in site.rglob("*") if p.is_file()}
    publish(app, measured)

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    for where in ("shutil.copytree", "os.fdopen"):
        monkeypatch.setattr(where, full)
        with pytest.raises(StoreError, match="No space left"):
            library.export(app, site)
        monkeypatch.undo()
        assert {p: p.read_bytes() for p in site.rglob("*") if p.is_file() and p in before} == before
        assert not list(site.rglob(".making-*"))
    assert library.export(app, site)[0] == 1


def test_an_index_that_is_gone_is_made_again_at_the_next_start(app, bench, measured):
    publish(app, measured)
    (home(app) / "index.html").unlink()
    recover(app)
    assert (home(app) / "index.html").is_file()


def test_an_address_is_one_of_the_web(app):
    for wrong in ("example.org", "ftp://example.org", "https://", "https://a.org/?x=1", "javascript:alert(1)"):
        with pytest.raises(BadInputError):
            library._address(wrong)
    assert library._address("https://a.org/x") == "https://a.org/x/" and library._address("") == ""


def test_an_edition_says_what_changed_since_the_one_before(app, bench, measured):
    first = home(app) / publish(app, measured).address.removeprefix("/published/")
    assert "What changed" not in (first / "index.html").read_text() and not (first / "data" / "previous.json").exists()
    second = home(app) / publish(app, measured).address.removeprefix("/published/")
    assert "No score and no finding changed measurably" in (second / "index.html").read_text()
    for s in reviews.setups_of(app.db.connection(), measured):
        if s.signal == "sdr":
            setups.change(app, measured, s.id, setups.Edit(target="gamma24"))
    third = home(app) / publish(app, measured).address.removeprefix("/published/")
    page = (third / "index.html").read_text()
    told = page[page.index('id="changes"') : page.index('id="method"')]
    assert "since edition 2 of" in told and ", was " in told and ("New: " in told or "No longer found: " in told)
    for folder in (first, second, third):
        assert verify(folder).agrees
    # What the edition before said cannot be changed unnoticed, in the package or in the summary.
    for name, key in (("data/previous.json", "findings"), ("summary.json", "kept")):
        document = json.loads((third / name).read_text())
        whole = (third / name).read_bytes()
        (document if key == "findings" else document[key])["findings"] = {}
        (third / name).write_text(json.dumps(document))
        assert not verify(third).agrees
        (third / name).write_bytes(whole)
    assert verify(third).agrees


def test_what_an_edition_before_left_unreadable_is_no_hindrance(app, bench, measured):
    folder = home(app) / publish(app, measured).address.removeprefix("/published/")
    for text in ("{", "{}", '{"kept": {}}', '{"kept": 3}'):
        (folder / "summary.json").write_text(text)
        assert previous_of(app, measured) is None
    assert publish(app, measured).number == 2
