"""Every noun has a list and single objects, and they say the same of a thing."""

import pytest

from lumenar.publish.edition import publish

from .test_api import own_client, problem

AT = "/api/v1"


@pytest.fixture
def client(app, bench, measured):
    publish(app, measured)
    made = own_client(app, bench)
    made.post(f"{AT}/meters", json={"name": "Spot", "serial": "7"})
    matrix = [[1.01, 0, 0], [0, 1.02, 0], [0, 0, 1.03]]
    made.post(f"{AT}/meters/1/corrections", json={"panel": "lcd", "matrix": matrix, "made_by": "a laboratory"})
    body = {"maker": "Tern Street", "model": "Wall", "kind": "television", "panel": "oled", "modes": "Film\nGame"}
    made.post(f"{AT}/displays", json=body)
    white = {"red": [0.64, 0.33], "green": [0.3, 0.6], "blue": [0.15, 0.06], "white": [0.3457, 0.3585], "curve": "srgb"}
    made.post(f"{AT}/targets", json={"title": "Print", **white})
    return made


NOUNS = {
    "reviews": ("/reviews", lambda x: f"/reviews/{x['id']}"),
    "displays": ("/displays", lambda x: f"/displays/{x['review']}"),
    "samples": ("/samples", lambda x: f"/samples/{x['id']}"),
    "samples of a review": ("/samples?review=2", lambda x: f"/samples/{x['id']}"),
    "meters": ("/meters", lambda x: f"/meters/{x['id']}"),
    "corrections": ("/corrections", lambda x: f"/corrections/{x['id']}"),
    "editions": ("/reviews/1/editions", lambda x: f"/reviews/1/editions/{x['number']}"),
    "targets": ("/targets", lambda x: f"/targets/{x['key']}"),
}


@pytest.mark.parametrize("noun", NOUNS)
def test_a_list_and_its_objects_say_the_same(client, noun):
    path, single = NOUNS[noun]
    listed = client.get(AT + path).json()
    assert listed
    for entry in listed:
        answer = client.get(AT + single(entry))
        assert answer.json() == entry
        if "version" in entry and noun != "displays":
            assert answer.headers["ETag"] == f'"{entry["version"]}"'


def test_a_target_of_ones_own_has_a_number_too(client):
    own = next(t for t in client.get(f"{AT}/targets").json() if t["title"] == "Print")
    assert client.get(f"{AT}/targets/{own['id']}").json() == own


def test_setups_menus_and_plates_are_listed_as_they_are(client, app):
    board = client.get(f"{AT}/reviews/1/board").json()
    lines = client.get(f"{AT}/reviews/1/setups").json()
    assert [(s["setup"], s["name"], s["target"]) for s in lines] == [
        (r["setup"], r["name"], r["target"]) for r in board["rows"]
    ]
    for line in lines:
        whole = client.get(f"{AT}/reviews/1/setups/{line['setup']}").json()
        assert {k: whole[k] for k in line} == line
    for menu in client.get(f"{AT}/menus").json():
        assert client.get(f"{AT}/menus/{menu['unit']}").json()["unit"] == menu["unit"]
    at = [(p["setup"], p["measurement"]) for p in client.get(f"{AT}/reviews/1/plates").json()]
    there = [
        (r["setup"], c["measurement"]) for r in board["rows"] for c in r["cells"] if c["state"] in ("measured", "stale")
    ]
    assert at == there and at
    setup, measurement = at[0]
    assert client.get(f"{AT}/reviews/1/plates/{setup}/{measurement}").status_code == 200
    assert not any(p["stale"] for p in client.get(f"{AT}/reviews/1/plates").json())
    unit = client.get(f"{AT}/samples?review=1").json()[0]
    changed = client.patch(
        f"{AT}/samples/{unit['id']}", json={"firmware": "9.9"}, headers={"If-Match": f'"{unit["version"]}"'}
    )
    assert changed.json()["firmware"] == "9.9" and changed.json()["version"] != unit["version"]
    assert all(p["stale"] for p in client.get(f"{AT}/reviews/1/plates").json())


@pytest.mark.parametrize(
    ("path", "kind"),
    [
        ("/reviews/99", "review"), ("/displays/99", "review"), ("/samples/99", "unit"), ("/samples?review=99", "review"),
        ("/meters/99", "meter"), ("/corrections/99", "correction"), ("/reviews/1/editions/99", "edition"),
        ("/targets/vivid", "target"), ("/targets/99", "target"), ("/menus/99", "unit"), ("/reviews/99/setups", "review"),
        ("/reviews/99/plates", "review"),
    ],
)  # fmt: skip
def test_what_there_is_not_is_said(client, path, kind):
    told = problem(client.get(AT + path), 404, kind)
    assert "There is no" in told["detail"] or "has no" in told["detail"]


def test_purposes_are_read_tried_added_changed_and_forgotten(client):
    rubric = client.get(f"{AT}/purposes").json()
    for p in rubric["purposes"]:
        answer = client.get(f"{AT}/purposes/{p['key']}")
        assert answer.json() == p and answer.headers["ETag"] == f'"{p["version"]}"'
    new = {"title": "Hall", "weights": {"white_black.contrast_ratio": 2}, "core": []}
    tried = client.post(f"{AT}/reviews/1/scores", json=new).json()
    made = client.post(f"{AT}/purposes", json=new)
    assert made.status_code == 201 and made.json()["added"]
    board = client.get(f"{AT}/reviews/1/board?purpose=hall").json()
    sdr = [r for r in board["rows"] if r["signal"] == "sdr"]
    assert {r["setup"]: r["score"] for r in sdr} == {m["setup"]: m["score"]["value"] for m in tried}
    assert [r["score"] for r in board["rows"] if r not in sdr] == [None]
    # Another tab has changed it meanwhile.
    given = {"If-Match": f'"{made.json()["version"]}"'}
    assert client.put(f"{AT}/purposes/hall", json=new | {"meaning": "a"}, headers=given).json()["meaning"] == "a"
    assert problem(client.put(f"{AT}/purposes/hall", json=new, headers=given), 412, "changed-meanwhile")
    assert (
        problem(client.post(f"{AT}/purposes", json=new | {"title": "Lobby", "weights": {"a.b": 1}}), 422, "purpose")[
            "place"
        ]
        == "weights.a.b"
    )
    assert problem(client.delete(f"{AT}/purposes/play"), 409, "purpose")
    assert client.delete(f"{AT}/purposes/hall").status_code == 204
    assert problem(client.get(f"{AT}/reviews/1/board?purpose=hall"), 422, "purpose")["place"] == "purpose"


def test_experiments_are_weighed_begun_listed_and_learned_from(client, bench):
    board = client.get(f"{AT}/reviews/1/board").json()
    setup = board["rows"][0]["setup"]
    choices = client.get(f"{AT}/reviews/1/setups/{setup}/questions").json()
    assert [k["key"] for k in choices["kinds"]] == [
        "does",
        "comfort",
        "scope",
        "locks",
        "notches",
        "difference",
        "shadows",
        "byitself",
    ]
    warmth = next(c["path"] for c in choices["controls"] if c["name"] == "Warmth")
    question = {"kind": "scope", "setup": setup, "control": warmth}
    cost = client.post(f"{AT}/reviews/1/experiment-cost", json=question).json()
    assert cost["readings"] > 0 and client.get(f"{AT}/reviews/1/experiments").json() == []
    made = client.post(f"{AT}/reviews/1/experiments", json=question)
    assert made.status_code == 201
    bench.occupancy.wait()
    seen = client.get(f"{AT}/experiments/{made.json()['id']}").json()
    assert seen["state"] == "done" and len(seen["stages"]) == len(cost["stages"])
    assert client.put(f"{AT}/experiments/{seen['id']}/learned").status_code == 204
    found = client.get(f"{AT}/reviews/1/menu/findings").json()
    assert found == [{"experiment": seen["id"], "path": warmth, "sentence": seen["sentence"]}]
    menu = client.get(f"{AT}/reviews/1/menu").json()
    assert next(c["scope"] for c in menu["controls"] if c["path"] == warmth) == "mode"
    assert client.get(f"{AT}/reviews/1/experiments").json()[0]["sentence"] == seen["sentence"]
    problem(client.post(f"{AT}/reviews/1/experiments", json=question | {"control": "No"}), 422, "question")
    problem(client.post(f"{AT}/experiments/{seen['id']}/stages/0", json={"form": "XYZ"}), 409, "by-itself")
    for state in ("paused", "working"):
        problem(client.put(f"{AT}/experiments/{seen['id']}/state", json={"state": state}), 409, "experiment")
    problem(client.get(f"{AT}/experiments/77"), 404, "experiment")


def test_a_photo_is_taken_seen_and_forgotten(client):
    setup = client.get(f"{AT}/reviews/1/board").json()["rows"][0]["setup"]
    made = client.post(f"{AT}/reviews/1/camera/photo", json={"setup": setup, "shutter_s": 0.01})
    assert made.status_code == 201
    assert [v["id"] for v in client.get(f"{AT}/reviews/1/camera").json()] == [made.json()["id"]]
    one = f"{AT}/observations/{made.json()['id']}"
    assert client.get(f"{one}/picture").headers["content-type"] == "image/jpeg"
    assert client.delete(one).status_code == 204
    assert client.get(f"{AT}/reviews/1/camera").json() == []
    problem(client.delete(one), 404, "observation")


def test_readings_are_saved_in_every_format_that_is_listed(client):
    listed = client.get(f"{AT}/formats").json()
    assert [f["title"] for f in listed] == ["JSON", "CSV", "CGATS"]
    for f in listed:
        answer = client.get(f"{AT}/reviews/1/readings?format={f['key']}")
        assert answer.status_code == 200 and "review-1." in answer.headers["content-disposition"]
    problem(client.get(f"{AT}/reviews/1/readings?format=wish"), 422, "format")
