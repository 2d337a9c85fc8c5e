"""Edits that say what they were made from, runs that are asked for twice, lists by the page, and what only answers carry."""

import asyncio
import json
import threading

import pytest

from lumenar.app.displays.targets import TargetDefinition
from lumenar.app.events import Event
from lumenar.bench.plan import Cell
from lumenar.store import reviews

from .test_api import own_client, problem

MENU = {"modes": "Film\nGame", "controls": "Light 0..50 = 30\nTone 2.0 [2.2] 2.4"}
TARGET = TargetDefinition(
    title="Studio", red=(0.68, 0.32), green=(0.265, 0.69), blue=(0.15, 0.06), white=(0.3127, 0.329), curve="srgb"
)


@pytest.fixture
def client(app, bench):
    made = own_client(app, bench)
    del made.headers["If-Match"]
    return made


@pytest.fixture
def wall(client):
    body = {"maker": "Tern", "model": "Wall", "kind": "television", "panel": "lcd", **MENU}
    return client.post("/api/v1/displays", json=body).json()["id"]


def editable(client, wall):
    """Address, what reads the version there, and an edit of each thing that can be edited."""
    setup = client.get(f"/api/v1/reviews/{wall}/board").json()["rows"][0]["setup"]
    target = client.post("/api/v1/targets", json=vars(TARGET)).json()
    meter = client.post("/api/v1/meters", json={"name": "Spot"}).json()["id"]
    at = f"/api/v1/reviews/{wall}"
    menu = lambda: client.get(f"{at}/menu").json()["version"]  # noqa: E731
    one = lambda path, key: lambda: next(x for x in client.get(path).json() if x["id"] == key)["version"]  # noqa: E731
    named = lambda: client.get("/api/v1/instruments").json()["named"][0]["version"]  # noqa: E731
    sample = client.get(f"/api/v1/samples?review={wall}").json()[0]["id"]
    unit = lambda: client.get(f"/api/v1/samples/{sample}").json()["version"]  # noqa: E731
    own = lambda: client.get(f"{at}/setups/{setup}").json()["version"]  # noqa: E731
    return [
        ("PATCH", f"{at}/setups/{setup}", own, {"settings": {"Light": 10}}),
        ("PUT", f"{at}/menu", menu, {**MENU, "modes": "Film\nGame\nSport"}),
        ("PATCH", f"{at}/menu/controls", menu, {"path": "Light", "fields": {"note": "stiff"}}),
        ("PUT", f"/api/v1/targets/{target['id']}", one("/api/v1/targets", target["id"]), {**vars(TARGET), "luminance": 120}),
        ("PUT", f"/api/v1/meters/{meter}", named, {"name": "Spot two"}),
        ("POST", f"{at}/setups/{setup}/undo", own, None),
        ("POST", f"{at}/menu/undo", menu, None),
        ("PATCH", f"/api/v1/samples/{sample}", unit, {"firmware": "2.0"}),
    ]  # fmt: skip


def test_two_tabs_never_overwrite_each_other(client, wall):
    for method, path, version, body in editable(client, wall):
        problem(client.request(method, path, json=body), 428, "precondition")
        before = version()
        stale = {"If-Match": '"0123456789abcdef"'}
        told = problem(client.request(method, path, json=body, headers=stale), 412, "changed-meanwhile")
        assert "Nothing was overwritten" in told["detail"] and version() == before
        answer = client.request(method, path, json=body, headers={"If-Match": f'"{before}"'})
        assert answer.status_code < 300, answer.text
        assert version() != before, path
        problem(client.request(method, path, json=body, headers={"If-Match": f'"{before}"'}), 412, "changed-meanwhile")


def test_what_is_read_says_its_version_in_the_header_too(client, wall):
    setup = client.get(f"/api/v1/reviews/{wall}/board").json()["rows"][0]["setup"]
    for path in (f"/api/v1/reviews/{wall}/setups/{setup}", f"/api/v1/reviews/{wall}/menu"):
        answer = client.get(path)
        assert answer.headers["etag"] == f'"{answer.json()["version"]}"'


def test_of_edits_at_the_same_time_one_is_made(app, client, wall):
    setup = client.get(f"/api/v1/reviews/{wall}/board").json()["rows"][0]["setup"]
    path = f"/api/v1/reviews/{wall}/setups/{setup}"
    version = client.get(path).json()["version"]
    codes = []

    def edit(value):
        headers = {"If-Match": f'"{version}"'}
        codes.append(client.patch(path, json={"settings": {"Light": value}}, headers=headers).status_code)

    threads = [threading.Thread(target=edit, args=(v,)) for v in range(1, 9)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(codes) == [200] + [412] * 7
    assert len(client.get(f"{path}/history").json()) == 1


def test_a_run_that_is_asked_for_twice_is_started_once(client, wall):
    setups = [r["setup"] for r in client.get(f"/api/v1/reviews/{wall}/board").json()["rows"]]
    ask = {"review": wall, "cells": [{"setup": setups[0], "measurement": "white_black"}]}
    once, twice = (client.post("/api/v1/runs", json=ask, headers={"Idempotency-Key": "k1"}).json() for _ in range(2))
    other = client.post("/api/v1/runs", json=ask, headers={"Idempotency-Key": "k2"}).json()
    plain = [client.post("/api/v1/runs", json=ask).json() for _ in range(2)]
    assert once == twice and len({once["id"], other["id"], *(p["id"] for p in plain)}) == 4
    problem(client.post("/api/v1/runs", json=ask, headers={"Idempotency-Key": "k" * 101}), 422, "request")


def test_a_run_that_is_asked_for_at_the_same_time_is_started_once(client, wall):
    setup = client.get(f"/api/v1/reviews/{wall}/board").json()["rows"][0]["setup"]
    ask = {"review": wall, "cells": [{"setup": setup, "measurement": "grey_ramp"}]}
    answers = []
    begin = threading.Barrier(8)

    def start():
        begin.wait(30)
        answers.append(client.post("/api/v1/runs", json=ask, headers={"Idempotency-Key": "one"}))

    threads = [threading.Thread(target=start) for _ in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert {a.status_code for a in answers} == {201} and len({a.json()["id"] for a in answers}) == 1


def test_runs_are_listed_by_the_page(client, wall):
    setup = client.get(f"/api/v1/reviews/{wall}/board").json()["rows"][0]["setup"]
    ask = {
        "review": wall,
        "cells": [{"setup": setup, "measurement": "white_black"}],
        "meter": {"name": "Spot", "serial": "7"},
    }
    made = [client.post("/api/v1/runs", json=ask).json()["id"] for _ in range(5)]
    seen, before = [], None
    while True:
        page = client.get(
            "/api/v1/runs", params={"review": wall, "limit": 2, **({"before": before} if before else {})}
        ).json()
        assert len(page["runs"]) <= 2
        seen += [r["id"] for r in page["runs"]]
        before = page["before"]
        if before is None:
            break
    assert seen == made[::-1]
    run = client.get(f"/api/v1/runs/{made[0]}").json()
    assert (run["state"], run["meter"], run["serial"], run["done"], run["total"]) == ("waiting", "Spot", "7", 0, 2)
    problem(client.get("/api/v1/runs/99"), 404, "run")
    problem(client.get("/api/v1/runs", params={"review": 99}), 404, "review")
    problem(client.get("/api/v1/runs", params={"review": wall, "limit": 0}), 422, "request")


def test_what_is_only_answered_has_all_its_fields_in_the_document(client):
    schemas = client.app.openapi()["components"]["schemas"]
    assert set(schemas["SetupView"]["required"]) == set(schemas["SetupView"]["properties"])
    assert "required" not in schemas["Settings"], "what is sent may leave out what has a default"
    paths = client.app.openapi()["paths"]
    assert all(p.startswith("/api/v1/") for p in paths) and "/api/v1/runs" in paths
    assert {"412", "428"} <= set(paths["/api/v1/reviews/{review}/menu"]["put"]["responses"])


def test_who_listens_is_woken_rather_than_asked_again(bench):
    """No event waits for a clock to tick."""

    async def listen():
        loop, woken = asyncio.get_running_loop(), asyncio.Event()
        with bench.live.hub.listen(lambda: loop.call_soon_threadsafe(woken.set)) as mine:
            threading.Timer(0.05, lambda: bench.live.hub.publish(Event("run", {"a": 1}))).start()
            await asyncio.wait_for(woken.wait(), 30)
            assert mine.get_nowait() == Event("run", {"a": 1})
        woken.clear()
        bench.live.hub.publish(Event("run", {}))
        await asyncio.sleep(0)
        assert not woken.is_set(), "who has left is left alone"

    asyncio.run(listen())


def test_a_large_readings_file_may_be_brought_in_by_the_browser(client, bench, app, phone):
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    bench.runs.start(phone, [Cell(setup, "grey_ramp")])
    bench.runs.finish()
    text = client.get(f"/api/v1/reviews/{phone}/readings").text
    # Larger than any other body may be.
    padded = json.dumps(json.loads(text)) + " " * 5_000_000
    assert client.post("/api/v1/imports/preview", json={"text": padded}).status_code == 200
    made = client.post("/api/v1/imports", json={"text": padded, "maker": "Tern", "model": "Copy"})
    assert made.status_code == 201, made.text
