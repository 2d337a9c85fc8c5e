"""The report that an editor writes, over HTTP: from a first look to a published, verified edition."""

import re

import pytest

from lumenar.app.setups import setups
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify
from lumenar.store import reviews

from .test_api import own_client, problem

AT = "/api/v1/reviews/1/report"
MARKUP = '<script>alert(1)</script><img src=x onerror=alert(2)> "quoted" & \u202edrawkcab ' + "w" * 1500


@pytest.fixture
def client(app, bench, measured):
    return own_client(app, bench)


def save(client, version, **story):
    return client.put(AT, json=story, headers={"If-Match": f'"{version}"'})


def published(app):
    edition = publish(app, 1)
    return app.folder / "editions" / edition.address.removeprefix("/published/").strip("/")


def visible(page):
    """What a browser makes of a page's markup: its tags."""
    return re.findall(r"<(\w+)", page)


def test_an_untouched_report_writes_itself(client):
    shown = client.get(AT)
    report = shown.json()
    assert shown.headers["ETag"] == '"0"' and (report["version"], report["can_undo"], report["edition"]) == (
        "0",
        False,
        1,
    )
    assert "most accurate" in report["headline"]["automatic"] and report["headline"]["text"] is None
    assert [f["key"] for f in report["findings"] if f["told"]] and all(
        not f["wording"]["moved"] for f in report["findings"]
    )
    page = client.post(f"{AT}/preview", json={}).text
    assert report["headline"]["automatic"] in page and report["standfirst"]["automatic"] in page


def test_a_review_without_readings_has_no_report(app, bench, phone):
    refused = problem(own_client(app, bench).get(AT), 409, "nothing-measured")
    assert "Nothing is measured" in refused["detail"]


def test_what_is_saved_is_published_and_verifies_and_what_is_the_editors_is_named(client, app):
    found = [f["key"] for f in client.get(AT).json()["findings"] if f["told"]][:3]
    saved = save(
        client,
        0,
        headline="A phone for the dark.",
        author="A. Editor",
        bench="Tern Street",
        findings=[{"key": found[0], "place": "dropped"}, {"key": found[1], "text": "Mine.", "chart": False}],
        order=[found[2], found[1]],
        paragraphs=[{"text": "It is **bright**, [see](https://example.org/a).", "after": "end"}],
        untested=["Motion."],
        siblings=[{"name": "Pell 6 Mini", "applies": "assumed", "note": "Same panel."}],
        reason="First look.",
    )
    assert saved.status_code == 200 and saved.headers["ETag"] == '"1"'
    told = [f["key"] for f in saved.json()["findings"] if f["told"]]
    # Those without a place of their own follow the one that they would follow.
    assert told.index(found[2]) < told.index(found[1]) and told[0] == found[2] and found[0] not in told
    folder = published(app)
    page = (folder / "index.html").read_text()
    for words in (
        "A phone for the dark.",
        "Mine.",
        "A. Editor",
        "Motion.",
        "Pell 6 Mini",
        "Same panel.",
        "First look.",
    ):
        assert words in page
    assert "<strong>bright</strong>" in page and 'href="https://example.org/a"' in page
    check = verify(folder)
    assert check.agrees and check.edited == ("headline: A phone for the dark.", f"finding.{found[1]}: Mine.")
    assert "A phone for the dark." in (folder / "method.html").read_text()
    # A sentence that is changed in story and page alike is the editor's; changed in the page alone it is noticed.
    (folder / "index.html").write_text(page.replace("A phone for the dark.", "A phone for the day."))
    assert not verify(folder).agrees


def test_the_preview_is_the_page_that_is_published(client, app):
    story = {"headline": "As it is.", "paragraphs": [{"text": "Words.", "after": "start"}]}
    save(client, 0, **story)
    preview = client.post(f"{AT}/preview", json=story).text
    page = (published(app) / "index.html").read_text()
    plain = [re.sub(r'<a (?:href="(?!#)[^"]*"|aria-disabled="true")', "<a", p) for p in (preview, page)]
    bodies = [re.search(r"<main.*</main>", p, re.S)[0] for p in plain]
    said = [re.sub(r"Made with Lumenar [\d.]*", "", b) for b in bodies]
    assert said[0] == said[1]
    assert 'href="data.zip"' not in preview and "<link" not in preview and "<style>" in preview


@pytest.mark.parametrize(
    "field", ["headline", "standfirst", "author", "bench", "reason", "paragraph", "untested", "finding"]
)
def test_markup_in_a_text_is_text(client, app, field):
    key = next(f["key"] for f in client.get(AT).json()["findings"] if f["told"])
    text = MARKUP[:190] if field in ("author", "bench") else MARKUP
    story = {
        "paragraph": {"paragraphs": [{"text": text + "\n\n[x](javascript:alert(3)) ![y](http://a/b.png)"}]},
        "untested": {"untested": [text]},
        "finding": {"findings": [{"key": key, "text": text}]},
    }.get(field, {field: text})
    before = client.post(f"{AT}/preview", json={}).text
    after = client.post(f"{AT}/preview", json=story).text
    assert "&lt;script&gt;" in after
    new = set(visible(after)) - set(visible(before)) - {"div", "p", "bdi"}
    assert not new and "javascript:" not in re.sub(r">[^<]*<", "><", after)


def test_two_tabs_never_overwrite_each_other(client):
    assert save(client, 0, headline="Mine").status_code == 200
    refused = problem(save(client, 0, headline="Theirs"), 412, "changed-meanwhile")
    assert "Nothing was overwritten" in refused["detail"]
    assert client.get(AT).json()["headline"]["text"] == "Mine"
    assert client.put(AT, json={"headline": "Over"}, headers={"If-Match": "*"}).json()["headline"]["text"] == "Over"


def test_undo_and_redo(client):
    save(client, 0, headline="One")
    save(client, 1, headline="Two")

    def step(which, version):
        return client.post(f"{AT}/{which}", headers={"If-Match": f'"{version}"'})

    undone = step("undo", 2).json()
    assert (undone["headline"]["text"], undone["can_undo"], undone["can_redo"], undone["version"]) == (
        "One",
        True,
        True,
        "3",
    )
    assert step("redo", 3).json()["headline"]["text"] == "Two"
    assert problem(step("undo", 1), 412, "changed-meanwhile")
    assert problem(step("redo", 4), 409, "story")["detail"].startswith("No edit")


@pytest.mark.parametrize(
    ("story", "place"),
    [
        ({"headline": "a" * 2001}, "headline.text"),
        ({"siblings": [{"name": " ", "applies": "assumed"}]}, "siblings.0.name"),
        ({"findings": [{"key": "a", "place": "kept"}, {"key": "a", "place": "kept"}]}, "findings"),
    ],
)
def test_a_wrong_field_is_named_and_nothing_is_stored(client, story, place):
    refused = problem(save(client, 0, **story), 422, "story")
    assert refused["place"] == place and client.get(AT).json()["version"] == "0"


def test_figures_that_move_under_a_text_are_told_and_confirmed(client, app):
    told = [f["key"] for f in client.get(AT).json()["findings"] if f["told"]]
    texts = {"headline": "Best.", "findings": [{"key": key, "text": f"Mine: {key}."} for key in told]}
    first = save(client, 0, **texts).json()
    assert not first["headline"]["moved"] and not any(f["wording"]["moved"] for f in first["findings"])
    # Every mode is judged against another curve.
    for s in reviews.setups_of(app.db.connection(), 1):
        if s.signal == "sdr":
            setups.change(app, 1, s.id, setups.Edit(target="gamma24"))
    report = client.get(AT).json()
    assert report["headline"]["text"] == "Best." and report["headline"]["moved"]
    after = {f["key"]: f["wording"] for f in report["findings"]}
    assert all(after[key]["text"] == f"Mine: {key}." for key in told)
    assert {bool(after[key]["moved"]) for key in told} == {True, False}
    assert all(bool(after[key]["moved"]) for key in told if key.startswith("tone."))
    again = save(client, 1, **texts, confirmed=["headline"]).json()
    assert not again["headline"]["moved"]
    assert {f["key"]: f["wording"]["moved"] for f in again["findings"]} == {k: w["moved"] for k, w in after.items()}


def test_a_finding_that_is_gone_keeps_the_words_that_were_written_to_it(client, app):
    save(client, 0, findings=[{"key": "white.gone", "text": "It was pink."}])
    gone = client.get(AT).json()["findings"][-1]
    assert (gone["key"], gone["found"], gone["told"], gone["wording"]["text"]) == (
        "white.gone",
        False,
        False,
        "It was pink.",
    )
    assert "It was pink." not in (published(app) / "index.html").read_text()


def test_claims_are_understood_tested_published_and_verified(client, app):
    words = "Covers 99 % of sRGB and 98 % of P3"
    claims = client.get("/api/v1/claims/understood", params={"words": words}).json()
    assert {c["figure"] for c in claims} <= {f["name"] for f in client.get("/api/v1/claims").json()}
    report = save(client, 0, claims=[*claims, {"words": "Gorgeous <b>"}]).json()
    assert len(report["outcomes"]) == 3 and report["outcomes"][-1] == "not tested: No figure tests it."
    assert [c["words"] for c in report["offered_claims"]] == ["Covers all of P3"]
    folder = published(app)
    page = (folder / "index.html").read_text()
    assert page.count(words) == 2 and "Gorgeous &lt;b&gt;" in page and verify(folder).agrees
    for outcome in report["outcomes"][:2]:
        said, _, sentence = outcome.partition(": ")
        assert said in page and sentence in page
    taken = save(client, 1, claims=report["offered_claims"]).json()
    assert taken["offered_claims"] == [] and [c["words"] for c in taken["claims"]] == ["Covers all of P3"]
    wrong = problem(save(client, 2, claims=[{"words": "a", "figure": "gamut.beauty"}]), 422, "story")
    assert wrong["place"] == "claims.0"
