"""How long reports take: the first look at one, the preview while somebody types, publishing, checking, and a large library.

python -m benchmarks.reports
"""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
import time
from contextlib import closing
from pathlib import Path

import numpy as np

from benchmarks.__main__ import line, memory
from benchmarks.load import Client
from lumenar.app.application import Application
from lumenar.app.story import stories
from lumenar.publish import library
from lumenar.publish.draft import contents
from lumenar.publish.edition import publish
from lumenar.publish.page import detail, front
from lumenar.publish.verify import verify
from tests.web.driver import Server

REPORTS, KEYS = 1000, 40


def pages(app: Application) -> Path:
    """The pages of the display with the most readings; the folder of its edition."""
    review = 1
    c = contents(app, review, stories.current(app, review).story)
    start = time.perf_counter()
    html = front.page(c)
    line("report page, from figures that are there", f"{1000 * (time.perf_counter() - start):.0f} ms", "< 1500 ms")
    start = time.perf_counter()
    behind = detail.pages(c)
    line(f"{len(behind)} pages behind it", f"{time.perf_counter() - start:.1f} s", "")
    line("weight of the report page", f"{len(html.encode()) / 1000:.0f} kB", "< 250 kB")
    start = time.perf_counter()
    edition = publish(app, review)
    line("publishing, all figures computed from the readings", f"{time.perf_counter() - start:.1f} s", "")
    folder = app.folder / "editions" / edition.address.removeprefix("/published/").strip("/")
    start = time.perf_counter()
    check = verify(folder)
    line(f"checking it, {check.compared:,} numbers", f"{time.perf_counter() - start:.1f} s", "")
    return folder


def typing(server: Server) -> None:
    """What the view of the report asks for."""
    client = Client(server)
    start = time.perf_counter()
    client.call("GET", "/reviews/1/report")
    line("first look at a report in the server", f"{time.perf_counter() - start:.1f} s", "")
    spent = []
    for i in range(KEYS):
        start = time.perf_counter()
        client.call("POST", "/reviews/1/report/preview", {"headline": "A" * i})
        spent.append(time.perf_counter() - start)
    within = f"{1000 * np.percentile(spent, 95):.0f} ms"
    line("preview after a key press, in the server: 95 of 100", within, "< 300 ms")
    line("server after that", memory(server), "< 300 MB")


def large(app: Application, edition: Path, site: Path) -> None:
    """A library of many displays. Their pages are copies of one edition; their summaries differ."""
    home = app.folder / "editions"
    with closing(sqlite3.connect(app.folder / "lumenar.db")) as db:
        for i in range(REPORTS):
            folder = home / f"display-{i}" / "1"
            shutil.copytree(edition, folder)
            for name in ("summary.json", "manifest.json"):
                document = json.loads((folder / name).read_text()) | {"model": f"Model {i}"}
                (folder / name).write_text(json.dumps(document))
            db.execute(
                "INSERT INTO edition (review_id, number, state, published_at, folder, summary)"
                " VALUES (NULL, 1, 'published', ?, ?, '{}')",
                (f"2026-01-01T00:{i // 60 % 60:02}:{i % 60:02}+00:00", f"display-{i}/1"),
            )
        db.commit()
    start = time.perf_counter()
    displays, _ = library.export(app, site)
    line(f"library of {displays:,} displays, exported", f"{time.perf_counter() - start:.0f} s", "< 180 s")
    manifest = home / "display-7" / "1" / "manifest.json"
    manifest.write_text(manifest.read_text() + " ")
    start = time.perf_counter()
    _, copied = library.export(app, site)
    line(f"... again, {copied} report changed", f"{time.perf_counter() - start:.1f} s", "< 3 s")
    weight = len((site / "index.html").read_bytes())
    line("... its index", f"{weight / 1000:.0f} kB", "")


def main() -> None:
    """Print the table."""
    line("what", "here", "wanted")
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        server = Server(data, "demo")
        try:
            typing(server)
        finally:
            server.stop()
        app = Application(data)
        edition = pages(app)
        large(app, edition, Path(folder) / "site")
        app.close()


if __name__ == "__main__":
    main()
