"""The API: views, plates against any target, and problem documents."""

import json
import socket
import sqlite3
import time
from html import unescape

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lumenar.api import reviews as review_routes
from lumenar.api.reviews import ready_shelf
from lumenar.api.server import bind, create_app
from lumenar.app.data import FRESH_S
from lumenar.app.setups import new_reviews

from ..conftest import MONITOR, PHONE

OWN = {"Sec-Fetch-Site": "same-origin", "Content-Type": "application/json", "If-Match": "*"}


def own_client(app, bench):
    """A client that asks as the application's own pages do."""
    return TestClient(
        create_app(app, bench), base_url="http://127.0.0.1:8140", headers=OWN, raise_server_exceptions=False
    )


@pytest.fixture
def client(app, bench):
    return own_client(app, bench)


def problem(response, status, kind):
    assert response.status_code == status
    assert response.headers["content-type"] == "application/problem+json"
    body = response.json()
    assert body["type"] == f"urn:lumenar:{kind}" and body["status"] == status and body["detail"]
    return body


def test_from_the_shelf_to_an_edition(client, bench):
    assert client.get("/api/v1/reviews").json() == []
    assert {u["file"] for u in client.get("/api/v1/units").json()} >= {PHONE}
    review = client.post("/api/v1/reviews", json={"shipped": PHONE}).json()["id"]
    board = client.get(f"/api/v1/reviews/{review}/board").json()
    cells = [{"setup": s, "measurement": m} for s, m in board["next"]["cells"]]
    plan = client.post("/api/v1/plan", json={"review": review, "cells": cells}).json()
    assert plan["readings"] == 159 and plan["shared"] == 20
    assert client.post("/api/v1/runs", json={"review": review, "cells": cells}).status_code == 201
    bench.runs.wait()
    verdict = client.get(f"/api/v1/reviews/{review}/verdict").json()
    assert verdict["purposes"][0]["modes"][0]["name"] == "Faithful"
    gap = next(gap for gap in verdict["gaps"] if "brightness control" in gap)
    assert gap.startswith("Faithful: brightness control, ") and gap.endswith(" not measured.")
    edition = client.post(f"/api/v1/reviews/{review}/editions").json()
    assert edition["number"] == 1
    page = client.get(edition["address"])
    assert page.status_code == 200 and "Tessary Pell 6" in page.text
    assert gap in unescape(client.get(f"{edition['address']}method.html").text)
    assert client.get(edition["package"]).content[:2] == b"PK"
    assert client.post(f"/api/v1/reviews/{review}/editions").json()["number"] == 2
    assert [e["number"] for e in client.get(f"/api/v1/reviews/{review}/editions").json()] == [2, 1]
    shelf = client.get("/api/v1/reviews").json()[0]
    assert shelf["editions"] == 2 and shelf["headline"][0]["mode"] == "Faithful"


def test_plates_change_with_the_target_without_measuring(client, app, measured):
    readings = app.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0]
    own = client.get(f"/api/v1/reviews/{measured}/plates/1/grey_ramp").json()
    other = client.get(f"/api/v1/reviews/{measured}/plates/1/grey_ramp", params={"target": "gamma24"}).json()
    assert own["declared"] and own["target"] == "srgb" and not other["declared"]
    figure = {f["key"]: f["value"] for f in own["figures"]}, {f["key"]: f["value"] for f in other["figures"]}
    assert figure[0]["gamma"] == figure[1]["gamma"]
    assert figure[1]["curve_rms_lstar"] > figure[0]["curve_rms_lstar"] + 0.5
    over = client.get(f"/api/v1/reviews/{measured}/plates/1/grey_ramp", params={"overlay": [2, 3]}).json()
    assert [s["name"] for s in over["shown"]] == ["Faithful", "Lively", "Hearth"]
    measured_lines = [s["name"] for s in over["charts"][0]["series"] if s["role"] == "measured"]
    assert measured_lines == ["Faithful", "Lively", "Hearth"]
    assert app.db.connection().execute("SELECT count(*) FROM reading").fetchone()[0] == readings
    for key in ("white_black", "gamut", "brightness_ladder"):
        plates = client.get(f"/api/v1/reviews/{measured}/plates/1/{key}").json()
        assert plates["charts"] and all(c["table"]["rows"] for c in plates["charts"])


CELL = {"setup": 1, "measurement": "grey_ramp"}
WRONG = [
    ("GET", "/reviews/9/board", None, 404, "review"),
    ("GET", "/reviews/9/editions", None, 404, "review"),
    ("GET", "/reviews/1/plates/1/sparkle", None, 404, "measurement"),
    ("GET", "/reviews/1/plates/99/gamut", None, 404, "setup"),
    ("GET", "/reviews/1/plates/1/gamut?target=vivid", None, 422, "target"),
    ("GET", "/reviews/1/plates/1/gamut?target=bt2020_pq", None, 422, "target"),
    ("GET", "/reviews/1/plates/1/gamut", None, 404, "cell"),
    ("GET", "/nothing", None, 404, "not-found"),
    ("POST", "/reviews", {"shipped": "none.json"}, 422, "unit-file"),
    ("POST", "/reviews", {"name": "a.json", "text": "{"}, 422, "unit-file"),
    ("POST", "/runs", {"review": 1, "cells": []}, 422, "cells"),
    ("POST", "/runs", {"cells": []}, 422, "request"),
    ("POST", "/bench/pause", None, 409, "bench"),
    ("PUT", "/bench/clock", {"speed": 3}, 422, "speed"),
    ("POST", "/reviews/1/editions", None, 409, "nothing-measured"),
    ("POST", "/figures", {"text": '{"format": 1}'}, 422, "readings-file"),
    ("POST", "/plan", {"review": 1, "cells": [CELL], "options": {"grid": [4, 4]}}, 422, "grid"),
    ("POST", "/plan", {"review": 1, "cells": [CELL], "options": {"hold_s": 9000}}, 422, "options"),
    ("POST", "/runs", {"review": 1, "cells": [CELL], "options": {"rest_s": -1}}, 422, "options"),
    ("GET", "/reviews/1/plates/1/gamut?pin=vivid", None, 422, "target"),
    ("GET", "/compare?setup=77", None, 404, "setup"),
    ("GET", "/compare?setup=1&setup=2&setup=3&setup=4&setup=5", None, 422, "setups"),
    ("GET", "/compare", None, 422, "request"),
    ("GET", "/reviews/1/look/1", None, 404, "cell"),
    ("GET", "/reviews/1/look/1/sunset.png", None, 404, "scene"),
    ("GET", "/reviews/2/setups/1", None, 404, "setup"),
    ("PATCH", "/reviews/1/setups/1", {"settings": {"Screen > Brightness": 140}}, 422, "setting"),
    ("PATCH", "/reviews/1/setups/1", {"target": "vivid"}, 422, "target"),
    ("POST", "/reviews/1/setups", {"like": 1, "name": "Lively"}, 422, "name"),
    ("DELETE", "/reviews/1/setups/1", None, 409, "shipped-setup"),
    ("PATCH", "/samples/9", {"firmware": "2"}, 404, "unit"),
    ("PUT", "/bench/fault", {"fault": "sparkle"}, 422, "request"),
    ("PUT", "/bench/fault", {"fault": "lost"}, 409, "bench"),
    ("POST", "/corrections", None, 409, "correction"),
    ("POST", "/corrections/attempt", {"review": 1, "setup": 99}, 404, "setup"),
    ("POST", "/free", {"review": 1, "setup": 99}, 404, "setup"),
    ("POST", "/free/captures", None, 409, "free"),
    ("POST", "/free/ladder", None, 409, "free"),
    ("PUT", "/free/control", {"control": "x", "value": 1}, 409, "free"),
    ("POST", "/figures", {"text": "{}", "target": "vivid"}, 422, "target"),
    ("GET", f"/reviews/{10**24}/board", None, 422, "request"),
    ("PATCH", "/reviews", None, 405, "method"),
]


@pytest.mark.parametrize(("method", "path", "body", "status", "kind"), WRONG)
def test_what_goes_wrong_is_a_problem_document(client, phone, method, path, body, status, kind):
    problem(client.request(method, f"/api/v1{path}", json=body), status, kind)


def test_a_fault_of_ours_is_a_problem_document_too(app, bench, monkeypatch):
    def broken(_):
        raise KeyError("x")

    monkeypatch.setattr("lumenar.app.board.shelf.review_ids", broken)
    with own_client(app, bench) as client:
        body = problem(client.get("/api/v1/reviews"), 500, "fault")
    assert "/api/v1/reviews" in body["detail"] and "KeyError" in body["detail"]


def test_two_writers_of_the_same_row_are_a_conflict_and_not_a_fault(app, bench, monkeypatch):
    def twice(_):
        raise sqlite3.IntegrityError("UNIQUE constraint failed: setup.name")

    monkeypatch.setattr("lumenar.app.board.shelf.review_ids", twice)
    with own_client(app, bench) as client:
        body = problem(client.get("/api/v1/reviews"), 409, "changed-meanwhile")
    assert "Nothing was stored" in body["detail"] and "UNIQUE" not in body["detail"]


def test_answers_that_are_ready_are_those_of_the_routes(client, app, bench, phone, monkeypatch):
    """Stored Boards and the Shelf are answered before routing, with the same bytes and headers and for the same questions."""
    board = f"/api/v1/reviews/{phone}/board"
    first = {path: client.get(path) for path in ("/api/v1/reviews", board, f"{board}?purpose=evening_film")}
    for name in ("board", "entry_or_fault"):
        module = "lumenar.app.board.board" if name == "board" else "lumenar.app.board.shelf"
        monkeypatch.setattr(f"{module}.{name}", lambda *a: pytest.fail("it is made again"))
    for path, made in first.items():
        ready = client.get(path)
        assert ready.json() == made.json()
        same = ("content-type", "content-encoding", "content-security-policy", "x-content-type-options")
        assert [ready.headers.get(h) for h in same] == [made.headers.get(h) for h in same]
        plain = client.get(path, headers={"Accept-Encoding": "identity"})
        assert plain.json() == made.json() and "content-encoding" not in plain.headers
        assert client.head(path).status_code == 200 and client.head(path).content == b""
    assert client.get(board, headers={"Host": "elsewhere.example"}).status_code == 400
    monkeypatch.undo()
    problem(client.get(f"{board}?purpose=nothing"), 422, "purpose")
    problem(client.get(f"{board}?purpose="), 422, "purpose")
    problem(client.get(f"{board}?purpose=colour_work&purpose=nothing"), 422, "purpose")
    problem(client.get(f"/api/v1/reviews/{phone + 1}/board"), 404, "review")


def test_a_stored_answer_does_not_outlive_a_change(client, app, phone):
    board = f"/api/v1/reviews/{phone}/board"
    assert client.get(board).status_code == 200 and len(client.get("/api/v1/reviews").json()) == 1
    assert client.delete(f"/api/v1/reviews/{phone}").status_code == 204
    assert client.get(board).status_code == 404 and client.get("/api/v1/reviews").json() == []


def test_small_answers_leave_at_once(app):
    """asyncio switches off the wait for more to send (Nagle) only on sockets that name their protocol: 40 ms an answer."""
    sock = bind("127.0.0.1", 0)
    try:
        assert sock.proto == socket.IPPROTO_TCP
    finally:
        sock.close()


STRANGE = st.one_of(
    st.none(), st.booleans(), st.integers(-3, 9), st.integers(), st.floats(), st.text(max_size=8),
    st.sampled_from(["gamut", "srgb", "display_p3", "Screen > Brightness", "../x", "Lively"]),
)  # fmt: skip


def like(schema, schemas):
    """Values of the form that a schema asks for, more or less."""
    if "$ref" in schema:
        return like(schemas[schema["$ref"].rsplit("/", 1)[1]], schemas)
    if "anyOf" in schema:
        return st.one_of(*(like(s, schemas) for s in schema["anyOf"]))
    if schema.get("type") == "object":
        parts = {k: like(v, schemas) for k, v in schema.get("properties", {}).items()}
        return st.one_of(st.fixed_dictionaries({}, optional=parts), st.fixed_dictionaries(parts), STRANGE)
    if schema.get("type") == "array":
        return st.lists(like(schema.get("items", {}), schemas), max_size=3)
    plain = {"integer": st.integers(0, 5), "number": st.floats(0, 100)}.get(str(schema.get("type")), STRANGE)
    return st.one_of(plain, STRANGE)


def test_whatever_is_asked_the_answer_is_one_or_says_what_is_wrong(client, phone):
    spec = client.app.openapi()
    schemas = spec["components"]["schemas"]
    routes = [(m, p, op) for p, ops in spec["paths"].items() for m, op in ops.items() if not p.endswith("/events")]
    place = st.one_of(st.integers(0, 3), st.integers(), st.sampled_from(["gamut", "srgb", "skin", "x", "%00"]))

    @settings(max_examples=400, suppress_health_check=[HealthCheck.too_slow])
    @given(st.data())
    def ask(data):
        method, path, op = data.draw(st.sampled_from(routes))
        query = {}
        for parameter in op.get("parameters", []):
            if parameter["in"] == "path":
                path = path.replace("{" + parameter["name"] + "}", str(data.draw(place)))
            elif data.draw(st.booleans()):
                query[parameter["name"]] = str(data.draw(STRANGE))
        content = op.get("requestBody", {}).get("content", {}).get("application/json")
        # NaN and infinity too, which JSON has no word for and Python reads all the same.
        body = None if content is None else json.dumps(data.draw(like(content["schema"], schemas))).encode()
        answer = client.request(method, path, params=query, content=body, headers={"content-type": "application/json"})
        assert answer.status_code < 500, answer.text
        if answer.status_code >= 400:
            told = answer.json()
            assert told["type"].startswith("urn:lumenar:") and told["detail"] and told["status"] == answer.status_code

    ask()


def test_a_wrong_unit_file_says_where_and_stores_nothing(client, units):
    file = json.loads(units[PHONE])
    file["modes"][0]["sharpness"] = 3
    body = problem(
        client.post("/api/v1/reviews", json={"name": "mine.json", "text": json.dumps(file)}), 422, "unit-file"
    )
    assert body["place"] == "modes[0].sharpness" and "unknown field" in body["detail"]
    assert client.get("/api/v1/reviews").json() == []


def test_a_full_disk_is_a_problem_document(client, app):
    app.db.connection()
    real = app.db.transaction

    def full():
        from lumenar.store.database import StoreError

        raise StoreError("database or disk is full")

    app.db.transaction = full
    body = problem(client.post("/api/v1/reviews", json={"shipped": PHONE}), 503, "storage")
    assert "full" in body["detail"] and "safe" in body["detail"]
    app.db.transaction = real


def test_a_strange_host_name_is_refused(client):
    problem(client.get("/api/v1/bench", headers={"host": "evil.example"}), 400, "host")


def test_a_board_is_written_once_and_anew_when_it_could_have_changed(client, app, measured, monkeypatch):
    made = []
    real = review_routes.boards.board
    monkeypatch.setattr(review_routes.boards, "board", lambda *a: made.append(a[1]) or real(*a))
    path = f"/api/v1/reviews/{measured}/board"
    first = client.get(path).json()
    assert client.get(path).json() == first and made == [measured]
    other = client.post("/api/v1/reviews", json={"shipped": MONITOR}).json()["id"]
    client.get(path)
    count = len(made)
    # Readings of another review change nothing here; those of this one are told of soon, all else at once.
    with app.db.transaction(of=other):
        pass
    client.get(path)
    assert len(made) == count
    with app.db.transaction(of=measured):
        pass
    time.sleep(FRESH_S + 0.05)
    client.get(path)
    assert len(made) == count + 1
    row = first["rows"][0]
    shown = client.get(f"/api/v1/reviews/{measured}/setups/{row['setup']}").json()
    control = next(c for c in shown["controls"] if c["kind"] == "slider" and not c["locked"])
    changes = {control["path"]: control["maximum"] if control["value"] != control["maximum"] else control["minimum"]}
    assert (
        client.patch(f"/api/v1/reviews/{measured}/setups/{row['setup']}", json={"settings": changes}).status_code < 300
    )
    again = client.get(path).json()["rows"][0]
    assert again["state"] != row["state"] and any(c["state"] == "stale" for c in again["cells"])
    client.delete(f"/api/v1/reviews/{measured}")
    assert client.get(path).status_code == 404


def test_the_stored_shelf_is_sent_without_a_look_at_the_store_until_a_review_comes_or_goes(
    client, app, units, monkeypatch
):
    first = new_reviews.add_review(app, units[PHONE], PHONE)
    client.get("/api/v1/reviews")
    asked = []
    real = app.db.connection
    monkeypatch.setattr(app.db, "connection", lambda: asked.append(1) or real())
    assert ready_shelf(app) is not None and not asked
    other = new_reviews.add_review(app, units[MONITOR], MONITOR)
    assert [r["id"] for r in client.get("/api/v1/reviews").json()] == [other, first]
    new_reviews.delete_review(app, other)
    assert [r["id"] for r in client.get("/api/v1/reviews").json()] == [first]
