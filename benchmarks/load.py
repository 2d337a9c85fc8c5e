"""Many readers of one Board beside a run: answers, the run's pace and the server's memory, from one process."""

from __future__ import annotations

import http.client
import json
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

from benchmarks.__main__ import line, memory, multiply
from tests.web.driver import Server

READERS, SECONDS = 50, 12.0
EVERY_S = 1.0
"""A reader asks again so long after it asked; the interface does so less often."""
SITE = {"Content-Type": "application/json", "Sec-Fetch-Site": "same-origin"}


class Client:
    """One connection to a server."""

    def __init__(self, server: Server) -> None:
        self._connection = http.client.HTTPConnection("127.0.0.1", int(server.url.rsplit(":", 1)[1]), timeout=60)

    def call(self, method: str, path: str, body: object = None) -> bytes:
        """The body of an answer; RuntimeError where the server refuses."""
        try:
            self._connection.request(method, "/api/v1" + path, None if body is None else json.dumps(body), SITE)
            answer = self._connection.getresponse()
        except http.client.RemoteDisconnected:
            # The server lets idle connections go.
            self._connection.close()
            self._connection.request(method, "/api/v1" + path, None if body is None else json.dumps(body), SITE)
            answer = self._connection.getresponse()
        data = answer.read()
        if answer.status >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status} {data[:300]!r}")
        return data


def start(client: Client, speed: float) -> int:
    """A run of every cell of the review with the most cells; the review's number."""
    client.call("PUT", "/bench/clock", {"speed": speed})
    reviews = json.loads(client.call("GET", "/reviews"))
    review = max(reviews, key=lambda r: r["cells"])["id"]
    rows = json.loads(client.call("GET", f"/reviews/{review}/board"))["rows"]
    cells = [{"setup": r["setup"], "measurement": c["measurement"]} for r in rows for c in r["cells"]]
    client.call("POST", "/runs", {"review": review, "cells": cells})
    return int(review)


def pace(client: Client, seconds: float) -> float:
    """Readings a second of the run under way."""
    count = json.loads(client.call("GET", "/bench"))["done"]
    begun = time.perf_counter()
    time.sleep(seconds)
    return float((json.loads(client.call("GET", "/bench"))["done"] - count) / (time.perf_counter() - begun))


def readers(
    server: Server, review: int, every_s: float, stop: threading.Event
) -> tuple[list[threading.Thread], list[float]]:
    """Threads that read the Board of a review until told to stop, and how long each answer took in s."""
    spent: list[float] = []

    def read(k: int) -> None:
        client = Client(server)
        stop.wait(every_s * k / READERS)
        while not stop.is_set():
            begun = time.perf_counter()
            client.call("GET", f"/reviews/{review}/board")
            took = time.perf_counter() - begun
            spent.append(took)
            stop.wait(max(0.0, every_s - took))

    threads = [threading.Thread(target=read, args=(k,), daemon=True) for k in range(READERS)]
    for t in threads:
        t.start()
    return threads, spent


def beside(server: Server, every_s: float, same: bool = False) -> tuple[float, float, list[float]]:
    """The pace of a run at 20 x alone and beside readers, of the review that is measured or of review 1, and how long the
    readers waited."""
    client = Client(server)
    measured = start(client, 20.0)
    time.sleep(3)
    # Before and after: what a run measures changes on its way.
    before = pace(client, SECONDS / 2)
    stop = threading.Event()
    threads, spent = readers(server, measured if same else 1, every_s, stop)
    time.sleep(1)
    loaded = pace(client, SECONDS)
    stop.set()
    for t in threads:
        t.join()
    after = pace(client, SECONDS / 2)
    client.call("POST", "/bench/stop")
    while json.loads(client.call("GET", "/bench"))["state"] == "running":
        time.sleep(0.1)
    return (before + after) / 2, loaded, spent


def main() -> None:
    """Print the table."""
    line("what", "here", "wanted")
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        server = Server(data, "demo")
        server.stop()
        line("readings in the review that is read", f"{multiply(data, 38):,}", "160,000")
        server = Server(data)
        try:
            time.sleep(3)
            Client(server).call("GET", "/reviews/1/board")
            for named, every_s, same, wanted in (
                ("each asking once a second", EVERY_S, False, True),
                ("the same, of the review that is measured", EVERY_S, True, True),
                ("each asking again at once", 0.0, False, False),
            ):
                alone, loaded, spent = beside(server, every_s, same)
                within = f"{1000 * np.percentile(spent, 95):.0f} ms"
                line(f"Board, {READERS} readers, {named}: 95 of 100", within, "< 150 ms" if wanted else "")
                line("... answers a second", f"{len(spent) / (SECONDS + 1):.0f}", "")
                line(
                    "... a run at 20 x beside them, of its pace alone",
                    f"{100 * loaded / alone:.0f} %",
                    "> 90 %" if wanted else "",
                )
            line("server with that review, after all this", memory(server), "< 300 MB")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
