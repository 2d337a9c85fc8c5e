"""The server killed in the middle of a run, the hard way."""

import json
import os
import random
import sqlite3
import time
import urllib.request

import pytest

from ...pace import pace
from ...web.driver import Server


def call(server, method, path, body=None):
    request = urllib.request.Request(
        server.url + "/api/v1" + path,
        method=method,
        data=None if body is None else json.dumps(body).encode(),
        headers={"Content-Type": "application/json", "Sec-Fetch-Site": "same-origin"},
    )
    with urllib.request.urlopen(request, timeout=240) as answer:
        return json.load(answer)


@pytest.fixture
def server(tmp_path):
    made = Server(tmp_path / "data")
    yield made
    made.stop()


def database_patches(database):
    with sqlite3.connect(database) as db:
        return db.execute("SELECT count(*) FROM patch").fetchone()[0]


def readings_in(database):
    with sqlite3.connect(database) as db:
        return dict(db.execute("SELECT patch_id, at_s FROM reading"))


KILLS = int(os.environ.get("KILLS", "4"))


def test_killed_at_random_moments_no_reading_is_lost_or_doubled(server):
    review = call(server, "POST", "/reviews", {"shipped": "tessary-pell-6.json"})["id"]
    rows = call(server, "GET", f"/reviews/{review}/board")["rows"]
    few = ("white_black", "grey_ramp", "gamut", "uniformity")
    cells = [{"setup": r["setup"], "measurement": m} for r in rows[:2] for m in few]
    call(server, "POST", "/runs", {"review": review, "cells": cells})
    chance = random.Random(11)
    database = server.data / "lumenar.db"
    seen: dict[int, float] = {}
    for _ in range(KILLS):
        # A slow machine reads on before it is killed too.
        end = time.monotonic() + 30 * pace()
        while len(readings_in(database)) < len(seen) + 2:
            assert time.monotonic() < end
            time.sleep(0.02)
        time.sleep(chance.uniform(0.0, 0.5))
        server.kill()
        kept = readings_in(database)
        assert seen.items() <= kept.items(), "what was committed is still there, unchanged"
        seen = kept
        server.start()
        status = call(server, "GET", "/bench")
        assert status["state"] == "paused" and status["done"] == len(seen)
        assert "Nothing is lost" in status["message"]
        call(server, "POST", "/bench/resume")
    assert 2 * KILLS <= len(seen) < database_patches(database), "the kills came in the middle of the run"
    call(server, "PUT", "/bench/clock", {"speed": 0})
    end = time.monotonic() + 480
    while (status := call(server, "GET", "/bench"))["state"] != "idle":
        assert status["state"] != "paused" and time.monotonic() < end, status
        time.sleep(0.05)
    with sqlite3.connect(database) as db:
        patches, readings, distinct = db.execute(
            "SELECT (SELECT count(*) FROM patch), count(*), count(DISTINCT patch_id) FROM reading"
        ).fetchone()
        wrong = db.execute("SELECT count(*) FROM run_cell WHERE readings <> patches").fetchone()[0]
        times = [
            t for (t,) in db.execute("SELECT g.at_s FROM reading g JOIN patch p ON p.id = g.patch_id ORDER BY g.id")
        ]
    assert patches == readings == distinct and wrong == 0
    assert times == sorted(times), "bench time goes on where it stood"


@pytest.mark.parametrize("kind", ["run", "free"])
def test_told_to_end_it_leaves_the_bench_at_once_and_goes_on_after(capfd, server, kind):
    review = call(server, "POST", "/reviews", {"shipped": "tessary-pell-6.json"})["id"]
    setup = call(server, "GET", f"/reviews/{review}/board")["rows"][0]["setup"]
    call(server, "PUT", "/bench/clock", {"speed": 1})
    if kind == "run":
        call(server, "POST", "/runs", {"review": review, "cells": [{"setup": setup, "measurement": "grey_ramp"}]})
    else:
        call(server, "POST", "/free", {"review": review, "setup": setup})
    # Stopping what is not there waits for nobody.
    other = ("DELETE", "/free") if kind == "run" else ("DELETE", "/corrections/attempt")
    begun = time.monotonic()
    call(server, *other)
    page = urllib.request.urlopen(server.url + "/api/v1/events", timeout=240)
    assert page.readline().startswith(b"event: bench")
    server.stop()
    assert time.monotonic() - begun < 4 * pace()
    assert server.process.returncode == 130 and not capfd.readouterr().err.strip()
    server.start()
    status = call(server, "GET", "/bench")
    assert (status["state"], status["kind"]) == (("paused", "run") if kind == "run" else ("idle", ""))


def test_a_second_server_is_told_of_the_first(server):
    import subprocess
    import sys

    def serve(*more):
        command = [sys.executable, "-m", "lumenar.cli", "serve", *more]
        return subprocess.run(command, capture_output=True, text=True, timeout=240)

    same_data = serve("--data", str(server.data), "--port", "8199")
    assert same_data.returncode == 2 and "another Lumenar" in same_data.stderr
    same_port = serve("--data", str(server.data.parent / "other"), "--port", str(server.port))
    assert same_port.returncode == 2 and "taken" in same_port.stderr
    assert len(same_port.stderr.strip().splitlines()) == 1
