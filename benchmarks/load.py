"""Many readers of one Board beside a run: answers, the run's pace and the server's memory, from one process."""

from __future__ import annotations

import contextlib
import http.client
import json
import sqlite3
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.__main__ import line, memory, multiply
from tests.web.driver import Server

READERS, SECONDS = 50, 18.0
IN_A_ROW = 8
"""Runs to queue on a bench that does not wait, so that they last longer than the benchmark."""
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


def halt(client: Client) -> None:
    """Stop the run on the bench and all that wait for it."""
    while json.loads(client.call("GET", "/bench"))["state"] != "idle":
        with contextlib.suppress(RuntimeError):
            client.call("POST", "/bench/stop")
        time.sleep(0.2)


@contextlib.contextmanager
def going_on(server: Server, speed: float) -> Iterator[int]:
    """Runs of every cell, one after the other for longer than anything here takes; the number of their review."""
    client = Client(server)
    halt(client)
    review = start(client, speed)
    for _ in range(0 if speed else IN_A_ROW - 1):
        start(client, speed)
    try:
        yield review
    finally:
        halt(client)


def pace(data: Path, seconds: float) -> float:
    """Readings that are committed in a data folder in a second."""

    def count() -> int:
        with contextlib.closing(sqlite3.connect(data / "lumenar.db", timeout=10)) as db:
            return int(db.execute("SELECT max(id) FROM reading").fetchone()[0])

    before, begun = count(), time.perf_counter()
    time.sleep(seconds)
    return (count() - before) / (time.perf_counter() - begun)


def readers(
    server: Server, path: str, every_s: float, stop: threading.Event
) -> tuple[list[threading.Thread], list[float]]:
    """Threads that read a view until told to stop, and how long each answer took in s."""
    spent: list[float] = []

    def read(k: int) -> None:
        client = Client(server)
        stop.wait(every_s * k / READERS)
        while not stop.is_set():
            begun = time.perf_counter()
            client.call("GET", path)
            took = time.perf_counter() - begun
            spent.append(took)
            stop.wait(max(0.0, every_s - took))

    threads = [threading.Thread(target=read, args=(k,), daemon=True) for k in range(READERS)]
    for t in threads:
        t.start()
    return threads, spent


TURNS = 6
"""A run's pace depends on what it measures at the moment, so it is taken in many short turns, alone and beside readers."""


def beside(
    server: Server, data: Path, speed: float, every_s: float, path: str | None
) -> tuple[float, float, list[float]]:
    """The pace of a run alone, the share of it that is kept beside readers of a view (of the Board that is measured if none is
    named), and how long the readers waited. The share is the median over turns, as single turns differ."""
    alone, shares, waited = [], [], []
    with going_on(server, speed) as measured:
        time.sleep(3)
        for _ in range(TURNS):
            alone.append(pace(data, SECONDS / TURNS))
            stop = threading.Event()
            threads, spent = readers(server, path or f"/reviews/{measured}/board", every_s, stop)
            time.sleep(every_s / 2)
            shares.append(pace(data, SECONDS / TURNS) / alone[-1])
            stop.set()
            for t in threads:
                t.join()
            waited += spent
    return float(np.mean(alone)), float(np.median(shares)), waited


WANTED = (
    ("another Board", "/reviews/1/board", EVERY_S, True),
    ("the Board that is measured", None, EVERY_S, True),
    ("the Shelf", "/reviews", EVERY_S, True),
    ("the Board that is measured, again at once", None, 0.0, False),
)


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
            for speed, run in ((20.0, "at 20 x"), (0.0, "without waiting")):
                for named, path, every_s, wanted in WANTED:
                    alone, share, spent = beside(server, data, speed, every_s, path)
                    within = f"{1000 * np.percentile(spent, 95):.0f} ms"
                    line(f"{READERS} readers of {named}, run {run}: 95 of 100", within, "< 150 ms" if wanted else "")
                    line("... answers", f"{len(spent)}", "")
                    line(
                        f"... pace of the run, of {alone:.0f} readings a second alone",
                        f"{100 * share:.0f} %",
                        "> 90 %" if wanted else "",
                    )
            line("server with that review, after all this", memory(server), "< 300 MB")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
