"""The library: a static site of all published editions, with an index, a feed, and the figures of every display.

Each file is put in place in one step, the index last, so a reader never meets half of a new site.
"""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from lumenar import __version__
from lumenar.app.application import Application
from lumenar.app.errors import BadInputError
from lumenar.publish.page.parts import environment
from lumenar.store import editions
from lumenar.store.database import StoreError

INDEX, FEED, FIGURES, SITEMAP, STATIC = "index.html", "feed.xml", "figures.json", "sitemap.xml", "static"
LIBRARY_FILES = (INDEX, FEED, FIGURES)
MANIFEST, SUMMARY = "manifest.json", "summary.json"
HEADS = {"white": ("White", "cd/m²"), "contrast": ("Contrast", ""), "p3": ("P3", ""), "greys": ("Greys", "dE")}
"""The key figures that the index shows, with head and unit."""
MOST_PURPOSES = 4
MOST_IN_FEED = 50


@dataclass(frozen=True)
class IndexColumn:
    """A column of the index."""

    key: str
    head: str
    unit: str


@dataclass(frozen=True)
class IndexCell:
    """A figure in the index. number: to sort by, None if it was not measured."""

    text: str
    number: float | None


@dataclass(frozen=True, kw_only=True)
class Edition:
    """A published edition as the library knows it. folder: its address in the site."""

    folder: str
    summary: Mapping[str, Any]

    @property
    def name(self) -> str:
        """Maker and model."""
        return f"{self.summary['maker']} {self.summary['model']}"

    @property
    def edition(self) -> int:
        """Its number."""
        return int(self.summary["edition"])

    @property
    def published_at(self) -> str:
        """When it was published (ISO 8601)."""
        return str(self.summary["published_at"])

    def said(self, key: str) -> str:
        """A text of its summary; empty for editions from before there were summaries."""
        return str(self.summary.get(key, ""))

    def cell(self, key: str) -> IndexCell:
        """A key figure, or the best score for a purpose."""
        for figure in self.summary.get("figures", ()):
            if figure["key"] == key:
                return IndexCell(str(figure["text"]), float(figure["number"]))
        for purpose in self.summary.get("purposes", ()):
            if purpose["key"] == key:
                value = purpose["with_settings"] if purpose["with_settings"] is not None else purpose["as_shipped"]
                return IndexCell("" if value is None else f"{value:.0f}", value)
        return IndexCell("", None)


def published(app: Application) -> list[Edition]:
    """Every published edition whose folder is there, the newest first."""
    home = app.folder / "editions"
    found = []
    for row in editions.every(app.db.connection()):
        folder = home / row.folder
        path = folder / SUMMARY if (folder / SUMMARY).is_file() else folder / MANIFEST
        try:
            summary = json.loads(path.read_text())
            found.append(Edition(folder=row.folder, summary=summary))
            # What a person put there by hand is no edition.
            _ = found[-1].name, found[-1].edition, found[-1].published_at
        except (OSError, ValueError, KeyError, TypeError):
            found = [e for e in found if e.folder != row.folder]
    return sorted(found, key=lambda e: e.published_at, reverse=True)


def build(app: Application, site: Path, address: str = "") -> int:
    """Write index, feed and figures of all editions into a site; returns the number of displays. address: where the site will be,
    with a slash at its end. StoreError if it can't be written."""
    every = published(app)
    newest: dict[str, list[Edition]] = {}
    for e in every:
        newest.setdefault(e.folder.rpartition("/")[0], []).append(e)
    texts = {
        FIGURES: json.dumps(
            {
                "format": "lumenar-library",
                "version": 1,
                "displays": [{"folder": own[0].folder, **own[0].summary} for own in newest.values()],
            },
            ensure_ascii=False,
        ),
        FEED: _feed(every[:MOST_IN_FEED], address),
        **({SITEMAP: _sitemap(every, address)} if address else {}),
        INDEX: _index(list(newest.values()), address),
    }
    try:
        site.mkdir(parents=True, exist_ok=True)
        _static(site / STATIC)
        for name, text in texts.items():
            _put(site / name, text.encode())
    except OSError as e:
        raise StoreError(f"{site}: the library could not be written ({e.strerror or e})") from e
    return len(newest)


def export(app: Application, site: Path, address: str = "") -> tuple[int, int]:
    """Write the whole library into a folder that any web server can host; returns how many displays it has and how many editions
    were copied. Those that are there already, unchanged, are left alone. BadInputError if the address can't be one, or the
    folder holds something else; StoreError if it can't be written."""
    address = _address(address)
    if site.exists() and any(site.iterdir()) and not (site / FIGURES).is_file():
        raise BadInputError("to", f"{site}: the folder holds something else than a library; choose a new one", "to")
    copied = 0
    try:
        for e in published(app):
            copied += _copied(app.folder / "editions" / e.folder, site / e.folder)
    except OSError as e:
        raise StoreError(f"{site}: the library could not be written ({e.strerror or e})") from e
    return build(app, site, address), copied


def _address(address: str) -> str:
    if not address:
        return ""
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.netloc or parts.query or parts.fragment:
        raise BadInputError(
            "address", f"{address}: no address of a site; write it as in https://example.org/reports/", "address"
        )
    return address if address.endswith("/") else f"{address}/"


def _copied(source: Path, target: Path) -> bool:
    """Copy an edition in one step, unless the same one is there."""
    there = target / MANIFEST
    if there.is_file() and there.read_bytes() == (source / MANIFEST).read_bytes():
        return False
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent, prefix=".making-") as temporary:
        made = Path(temporary) / "edition"
        shutil.copytree(source, made)
        if target.exists():
            target.rename(Path(temporary) / "old")
        made.rename(target)
    return True


def _static(folder: Path) -> None:
    """Style, fonts and script of the index."""
    folder.mkdir(exist_ok=True)
    for kind in ("static", "library_static"):
        for item in files("lumenar.publish").joinpath(kind).iterdir():
            data = item.read_bytes()
            if not (folder / item.name).is_file() or (folder / item.name).read_bytes() != data:
                _put(folder / item.name, data)


def _put(path: Path, data: bytes) -> None:
    """Write a file in one step."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".making-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(name).chmod(0o644)
        Path(name).replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _index(displays: Sequence[Sequence[Edition]], address: str) -> str:
    titles: dict[str, str] = {}
    for own in displays:
        titles |= {str(p["key"]): str(p["title"]) for p in own[0].summary.get("purposes", ())}
    columns = [IndexColumn(key, *head) for key, head in HEADS.items()]
    columns += [IndexColumn(key, title, "") for key, title in list(titles.items())[:MOST_PURPOSES]]
    rows = [
        {
            "folder": own[0].folder,
            "name": own[0].name,
            "kind": own[0].said("kind"),
            "headline": own[0].said("headline"),
            "published_at": own[0].published_at,
            "edition": own[0].edition,
            "earlier": [(e.folder, e.edition) for e in own[1:]],
            "cells": [own[0].cell(c.key) for c in columns],
        }
        for own in displays
    ]
    return (
        environment()
        .get_template("library.html")
        .render(rows=rows, columns=columns, scored=bool(titles), address=address, version=__version__)
    )


def _feed(entries: Sequence[Edition], address: str) -> str:
    shown = [
        {
            "name": e.name,
            "edition": e.edition,
            "folder": e.folder,
            "published_at": e.published_at,
            "author": e.said("author"),
            "headline": e.said("headline"),
            "reason": e.said("reason"),
        }
        for e in entries
    ]
    updated = entries[0].published_at if entries else "1970-01-01T00:00:00+00:00"
    return environment().get_template("feed.xml").render(entries=shown, address=address, updated=updated)


def _sitemap(every: Sequence[Edition], address: str) -> str:
    urls = [address, *(f"{address}{e.folder}/index.html" for e in every)]
    lines = "".join(f"<url><loc>{u}</loc></url>\n" for u in urls)
    head = '<?xml version="1.0" encoding="utf-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n'
    return f"{head}{lines}</urlset>\n"
