"""What should not come in: other sites, other hosts, bodies without end, half-open requests, and what a page may do."""

import socket
import threading
import time

import pytest
import uvicorn

from lumenar.api import guard
from lumenar.api.server import _Patient, bind, create_app
from lumenar.app.application import Application
from lumenar.cli import main
from lumenar.publish.edition import publish
from lumenar.store.database import StoreError

from .test_api import OWN, own_client, problem


@pytest.fixture
def client(app, bench):
    return own_client(app, bench)


def ask(app, bench, method, path, headers, **more):
    """A request with just these headers."""
    bare = own_client(app, bench)
    bare.headers.clear()
    return bare.request(method, path, headers={"host": "127.0.0.1:8140", **headers}, **more)


FOREIGN = [
    {"origin": "https://evil.example"},
    {"origin": "null"},
    {"origin": "http://127.0.0.1:9999"},
    {"sec-fetch-site": "cross-site"},
    {"sec-fetch-site": "same-site"},
    {"sec-fetch-site": "cross-site", "origin": "http://127.0.0.1:8140"},
    {},
]


@pytest.mark.parametrize("headers", FOREIGN)
@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("POST", "/api/v1/reviews/1/editions"),
        ("POST", "/api/v1/bench/stop"),
        ("DELETE", "/api/v1/reviews/1"),
        ("DELETE", "/api/v1/free"),
    ],
)
def test_another_site_changes_nothing(app, bench, phone, headers, method, path):
    answer = ask(app, bench, method, path, {"content-type": "application/json", **headers})
    problem(answer, 403, "origin")
    assert len(own_client(app, bench).get("/api/v1/reviews").json()) == 1


@pytest.mark.parametrize("headers", [{"origin": "http://127.0.0.1:8140"}, {"sec-fetch-site": "none"}, OWN])
def test_our_own_pages_and_programs_may(app, bench, phone, headers):
    answer = ask(app, bench, "POST", "/api/v1/bench/pause", {"content-type": "application/json", **headers})
    problem(answer, 409, "bench")


@pytest.mark.parametrize("kind", ["text/plain", "application/x-www-form-urlencoded", "multipart/form-data", ""])
def test_changes_are_json(app, bench, phone, kind):
    headers = {"sec-fetch-site": "same-origin"} | ({"content-type": kind} if kind else {})
    problem(ask(app, bench, "POST", "/api/v1/bench/stop", headers), 415, "content-type")


@pytest.mark.parametrize(
    "host",
    [
        "evil.example",
        "evil.example:8140",
        "127.0.0.1.evil.example",
        "testserver",
        "",
        "localhost@evil.example",
        "10.0.0.1",
        "[::2]",
    ],
)
def test_no_other_name_is_answered(app, bench, host):
    problem(ask(app, bench, "GET", "/api/v1/bench", {"host": host}), 400, "host")


@pytest.mark.parametrize("host", ["127.0.0.1:8140", "localhost", "[::1]:8140", "127.0.0.2:1", "LOCALHOST:80"])
def test_every_name_of_this_machine_is_answered(app, bench, host):
    assert ask(app, bench, "GET", "/api/v1/bench", {"host": host}).status_code == 200


def test_a_page_may_run_no_script_but_ours(client):
    for path in ("/", "/api/v1/bench", "/nothing"):
        headers = client.get(path).headers
        policy = headers["content-security-policy"]
        assert "script-src 'self'" in policy and "frame-ancestors 'none'" in policy and "unsafe-eval" not in policy
        assert "'unsafe-inline'" not in policy.split("style-src")[0]
        assert headers["x-content-type-options"] == "nosniff" and headers["referrer-policy"]


def test_whatever_can_be_got_can_be_asked_about(client, phone):
    for path in ("/api/v1/reviews", f"/api/v1/reviews/{phone}/board", "/", "/mark.svg"):
        got, head = client.get(path), client.head(path)
        assert head.status_code == got.status_code and head.content == b""
        assert head.headers["content-type"] == got.headers["content-type"]


def test_what_is_not_possible_says_what_is(client, phone):
    answer = client.patch("/api/v1/reviews")
    problem(answer, 405, "method")
    assert {"GET", "HEAD", "POST"} <= set(answer.headers["allow"].split(", "))


@pytest.mark.parametrize(
    "path", ["/%00", "/api/v1/reviews/%00", "/" + "a" * 300, "/published/%00/1/", "/" + "a/" * 3000]
)
def test_strange_addresses_are_answered(client, path):
    assert client.get(path).status_code == 404


STRANGE = [
    b"[" * 200_000,
    b'{"review": ' + b"1" * 6000 + b', "cells": []}',
    b'{"shipped": "\\u0000"}',
    b'{"a": ' * 1500 + b"1" + b"}" * 1500,
    b"\xff\xfe\x00",
]


@pytest.mark.parametrize("body", STRANGE)
@pytest.mark.parametrize("path", ["/api/v1/reviews", "/api/v1/runs", "/api/v1/figures"])
def test_strange_bodies_are_refused_in_one_sentence(client, path, body):
    answer = client.post(path, content=body)
    assert 400 <= answer.status_code < 500 and answer.headers["content-type"] == "application/problem+json"
    assert len(answer.content) < 2000


def test_a_body_without_end_is_cut_off(client):
    problem(client.post("/api/v1/reviews", content=b"x" * (guard.MOST_BODY + 1)), 413, "too-large")

    def endless():
        for _ in range(20):
            yield b"x" * 1_000_000

    problem(client.post("/api/v1/reviews", content=endless()), 413, "too-large")


def test_only_this_machine_is_listened_on(capsys, tmp_path):
    for host in ("0.0.0.0", "192.168.1.5", "::", "example.org"):
        with pytest.raises(StoreError, match="this machine only"):
            bind(host, 8199)
    for arguments in (["--port", "99999"], ["--port", "x"], ["--host", "0.0.0.0"]):
        with pytest.raises(SystemExit) if arguments[0] == "--port" else _nothing():
            assert main(["serve", "--data", str(tmp_path / "d"), *arguments]) == 2
        assert len(capsys.readouterr().err.strip().splitlines()) == 1


def _nothing():
    from contextlib import nullcontext

    return nullcontext()


def test_the_lock_is_never_followed_as_a_link(tmp_path):
    folder, precious = tmp_path / "data", tmp_path / "precious"
    folder.mkdir()
    precious.write_text("keep me")
    (folder / "lumenar.lock").symlink_to(precious)
    with pytest.raises(StoreError, match="cannot be written"):
        Application(folder)
    assert precious.read_text() == "keep me"


def test_half_open_requests_are_given_up_and_others_answered(app, bench, monkeypatch):
    monkeypatch.setattr("lumenar.api.server.HEADERS_S", 0.5)
    sock = bind("127.0.0.1", 0)
    port = sock.getsockname()[1]
    config = uvicorn.Config(create_app(app, bench), http=_Patient, log_level="error")
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [sock]}, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    try:
        half = []
        for _ in range(200):
            s = socket.create_connection(("127.0.0.1", port))
            s.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n")
            half.append(s)
        whole = socket.create_connection(("127.0.0.1", port))
        whole.sendall(b"GET /api/v1/bench HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        whole.settimeout(30)
        assert whole.recv(100).startswith(b"HTTP/1.1 200")
        for s in half:
            s.settimeout(30)
            assert s.recv(10) == b"", "it was given up"
    finally:
        server.should_exit = True
        thread.join(10)


def test_one_capture_waits_and_others_are_told(app, bench, phone):
    from lumenar.app.bench.free_run import FreeRun
    from lumenar.app.errors import ConflictError
    from lumenar.store import reviews

    free = FreeRun(app, bench)
    free.start(phone, reviews.setups_of(app.db.connection(), phone)[0].id)
    with free._capturing, pytest.raises(ConflictError, match="waits for its reading already"):
        free.capture()
    free.stop()


def test_what_is_published_is_served_and_nothing_beside_it(client, app, bench):
    home = app.folder / "editions"
    (home / "orphan-7" / "1").mkdir(parents=True)
    (home / "orphan-7" / "1" / "index.html").write_text("half made")
    (home / ".making-x").mkdir()
    (home / ".making-x" / "index.html").write_text("half made")
    (home / "notes.txt").write_text("nobody's business")
    for path in ("orphan-7/1/", ".making-x/index.html", "notes.txt", "orphan-7/"):
        problem(client.get(f"/published/{path}"), 404, "not-found")
    for path in ("static/%2e%2e/%2e%2e/lumenar.db", "%2e%2e/lumenar.db", "static/..%2f..%2flumenar.db"):
        assert not client.get(f"/published/{path}").content.startswith(b"SQLite")


def test_the_library_is_served_once_something_is_published(client, app, bench, measured):
    problem(client.get("/published/"), 404, "not-found")
    publish(app, measured)
    page = client.get("/published/")
    assert page.status_code == 200 and "Tessary Pell 6" in page.text
    for name in ("feed.xml", "figures.json", "static/report.css", "static/library.js"):
        assert client.get(f"/published/{name}").status_code == 200


def test_browsers_keep_scripts_for_good_and_ask_for_the_page_each_time(app, bench, tmp_path, monkeypatch):
    (tmp_path / "assets").mkdir()
    (tmp_path / "assets" / "index-1a2b3c.js").write_text("1")
    (tmp_path / "index.html").write_text("<!doctype html>")
    monkeypatch.setattr("lumenar.api.server.STATIC", tmp_path)
    client = own_client(app, bench)
    assert client.get("/assets/index-1a2b3c.js").headers["cache-control"] == "public, max-age=31536000, immutable"
    assert client.get("/").headers["cache-control"] == client.get("/review/1").headers["cache-control"] == "no-cache"
    assert client.get("/assets/other.js").status_code == 404
