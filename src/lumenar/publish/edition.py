"""Publishing an edition: an immutable folder with the report and its data package.

Its number is taken in the database first, so that no two editions can have one; then the folder is made aside and put in
place in one step; then the edition counts as published. Whatever a crash leaves of that is finished or taken back at the
next start, and never served.
"""

from __future__ import annotations

import json
import re
import shutil
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any
from zipfile import ZIP_DEFLATED, ZipFile

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import Display, display_of
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.exchange.export import readings_document
from lumenar.app.exchange.readings_file import parse_readings, setup_key
from lumenar.app.recipes import advice
from lumenar.app.story import stories
from lumenar.app.verdict import verdict
from lumenar.core.menu.menu import Menu
from lumenar.core.recipes.purpose import Advice
from lumenar.core.scoring.rubric import Rubric
from lumenar.core.story.previous import Previous, previous_from
from lumenar.core.story.story import Story, StoryError
from lumenar.publish import library
from lumenar.publish.package import NO_STORY, About, compute, dumps, sums, write_package
from lumenar.publish.page import pages, summary_of
from lumenar.store import editions, reviews
from lumenar.store.database import StoreError
from lumenar.store.editions import EditionRow
from lumenar.store.reviews import UnitRow

MANIFEST, SUMMARY = "manifest.json", "summary.json"


@dataclass(frozen=True)
class EditionView:
    """A published edition: number, date, address of the report and of its data package."""

    number: int
    published_at: str
    address: str
    package: str
    gaps: list[str]


def _view(row: EditionRow) -> EditionView:
    gaps = row.summary.get("gaps", [])
    address = f"/published/{row.folder}/"
    return EditionView(
        row.number,
        row.published_at,
        address,
        f"{address}data.zip",
        [str(g) for g in gaps] if isinstance(gaps, list) else [],
    )


def editions_of(app: Application, review_id: int) -> list[EditionView]:
    """The editions of a review, newest first."""
    display_of(app, review_id)
    return [_view(r) for r in editions.of_review(app.db.connection(), review_id)]


def edition_of(app: Application, review_id: int, number: int) -> EditionView:
    """One edition of a review; NotFoundError where there is none."""
    for e in editions_of(app, review_id):
        if e.number == number:
            return e
    raise NotFoundError("edition", f"Review {review_id} has no edition {number}.")


def publish(app: Application, review_id: int) -> EditionView:
    """Publish the next edition of a review. ConflictError while nothing is measured, while another edition of it is being
    made, or where the review is deleted meanwhile; StoreError where it cannot be written. Nothing is left behind then."""
    if not app.publishing.acquire(blocking=False):
        raise ConflictError("publishing", "An edition is being published at this moment; look again when it is done.")
    try:
        return _publish(app, review_id)
    finally:
        app.publishing.release()


def _publish(app: Application, review_id: int) -> EditionView:
    shown = display_of(app, review_id)
    row = shown.row
    document = readings_document(app, review_id)
    if not document["setups"]:
        raise ConflictError(
            "nothing-measured", "Nothing is measured yet; measure the first pass from the Board, then publish."
        )
    said = advice_of(app, review_id, document)
    slug = re.sub(r"[^a-z0-9]+", "-", f"{row.maker} {row.model} {row.sample}".lower()).strip("-")[:80]
    home, gaps = app.folder / "editions", [*verdict.verdict(app, review_id).gaps, *_corrected(app, review_id, row)]
    entry = _take_number(app, review_id, home, f"{slug}-{review_id}", gaps)
    about = _about(shown, entry, gaps)
    try:
        with tempfile.TemporaryDirectory(dir=home, prefix=".making-") as temporary:
            made = Path(temporary) / "edition"
            write_edition(
                folder=made,
                readings=dumps(document),
                rubric=app.rubric,
                rubric_text=app.rubric_text,
                menu=shown.menu,
                advice=said,
                about=about,
                story=stories.current(app, review_id).story,
                previous=previous_of(app, review_id),
            )
            (home / entry.folder).parent.mkdir(parents=True, exist_ok=True)
            made.rename(home / entry.folder)
        with app.db.transaction() as db:
            published = editions.finish(db, entry.id)
    except (OSError, StoreError) as e:
        _take_back(app, home, entry)
        if isinstance(e, StoreError):
            raise
        raise StoreError(f"{home}: the edition could not be written ({e.strerror or e})") from e
    except BaseException:
        _take_back(app, home, entry)
        raise
    if not published:
        _take_back(app, home, entry)
        raise ConflictError("review", "The review was deleted while it was being published, so there is no edition.")
    _relist(app)
    return _view(entry)


def _relist(app: Application) -> None:
    """Bring the index of the library up to date. If it can't be written, the next edition or start does it."""
    with suppress(StoreError):
        library.build(app, app.folder / "editions")


def _about(shown: Display, entry: EditionRow, gaps: Sequence[str]) -> About:
    """What an edition says of itself and its display."""
    row = shown.row
    return About(
        edition=entry.number,
        published_at=entry.published_at,
        maker=row.maker,
        model=row.model,
        kind=row.kind,
        panel=row.panel,
        sample=row.sample,
        serial=row.serial,
        firmware=row.firmware,
        aspect=shown.aspect,
        modes=len(shown.menu.modes),
        stand_in=shown.can.describes,
        gaps=tuple(gaps),
    )


def next_about(app: Application, review_id: int) -> About:
    """What the next edition of a review would say of itself and its display if it were published now."""
    shown = display_of(app, review_id)
    gaps = [*verdict.verdict(app, review_id).gaps, *_corrected(app, review_id, shown.row)]
    number = editions.last_number(app.db.connection(), review_id) + 1
    entry = EditionRow(
        id=0, review_id=review_id, number=number, state="making", published_at=now(), folder="", summary={}
    )
    return _about(shown, entry, gaps)


def previous_of(app: Application, review_id: int) -> Previous | None:
    """What the newest edition of a review said; None if there is none, or it is from before that was kept."""
    for entry in editions.of_review(app.db.connection(), review_id)[:1]:
        with suppress(OSError, ValueError, KeyError, TypeError, StoryError):
            return previous_from(json.loads((app.folder / "editions" / entry.folder / SUMMARY).read_text())["kept"])
    return None


def _corrected(app: Application, review_id: int, row: UnitRow) -> list[str]:
    """What was corrected of the display's identity since the last edition of the same sample, in a sentence; none if nothing
    was."""
    for entry in sorted(editions.of_review(app.db.connection(), review_id), key=lambda e: -e.number):
        try:
            was = json.loads((app.folder / "editions" / entry.folder / MANIFEST).read_text())
        except (OSError, ValueError):
            continue
        if was.get("sample") != row.sample:
            continue
        names = {"maker": "maker", "model": "model", "kind": "kind", "panel": "panel", "serial": "serial number"}
        said = [
            f"{name} {getattr(row, key) or 'not recorded'} (was {was.get(key) or 'not recorded'})"
            for key, name in names.items()
            if was.get(key) != getattr(row, key)
        ]
        return [f"Corrected since edition {entry.number}: {'; '.join(said)}."] if said else []
    return []


def _take_number(app: Application, review_id: int, home: Path, slug: str, gaps: list[str]) -> EditionRow:
    """The next number of a review whose folder is free, taken in the database."""
    try:
        home.mkdir(exist_ok=True)
        with app.db.transaction() as db:
            number = editions.last_number(db, review_id) + 1
            while (home / slug / str(number)).exists():
                number += 1
            entry = EditionRow(
                id=0,
                review_id=review_id,
                number=number,
                state="making",
                published_at=now(),
                folder=f"{slug}/{number}",
                summary={"gaps": gaps},
            )
            return EditionRow(**{**entry.__dict__, "id": editions.add(db, entry)})
    except StoreError:
        raise
    except OSError as e:
        raise StoreError(f"{home}: the edition could not be written ({e.strerror or e})") from e


def _take_back(app: Application, home: Path, entry: EditionRow) -> None:
    shutil.rmtree(home / entry.folder, ignore_errors=True)
    try:
        with app.db.transaction() as db:
            editions.remove(db, entry.id)
    except StoreError:
        # The next start takes it back.
        pass


def recover(app: Application) -> None:
    """After a start: finish an edition whose folder is whole, take back one that is not, sweep what was half made."""
    home = app.folder / "editions"
    if not home.is_dir():
        return
    for left in home.glob(".making-*"):
        shutil.rmtree(left, ignore_errors=True)
    for entry in editions.unfinished(app.db.connection()):
        # The folder is put in place in one step, so it is whole where it is there.
        finished = False
        if (home / entry.folder / MANIFEST).is_file():
            with app.db.transaction() as db:
                finished = editions.finish(db, entry.id)
        if not finished:
            _take_back(app, home, entry)
    _relist(app)


def advice_of(app: Application, review_id: int, document: dict[str, Any]) -> Advice:
    """What people wrote to the recipes of the setups in a readings file, by their keys there."""
    db = app.db.connection()
    units = {u.id: f"u{i}" for i, u in enumerate(reviews.units_of(db, review_id), 1)}
    there = {(s["name"], s["unit"]) for s in document["setups"]}
    keys = {
        s.id: setup_key(s.name, units[s.unit_id])
        for s in reviews.setups_of(db, review_id)
        if (s.name, units[s.unit_id]) in there
    }
    return advice.advice(app, review_id, keys)


def write_edition(
    *,
    folder: Path,
    readings: str,
    rubric: Rubric,
    rubric_text: str,
    menu: Menu,
    advice: Advice,
    about: About,
    story: Story = NO_STORY,
    previous: Previous | None = None,
) -> None:
    """A whole edition into a new folder: pages, style, data package, its zip, and a manifest of all. It asks nothing of any
    other host."""
    results = compute(parse_readings(readings, "readings.json"), rubric, menu, advice, story, previous)
    write_package(
        folder=folder / "data",
        readings=readings,
        results=results,
        rubric=rubric,
        rubric_text=rubric_text,
        menu=menu,
        advice=advice,
        about=about,
    )
    _zip(folder / "data", folder / "data.zip")
    for name, html in pages(about, results, rubric).items():
        (folder / name).write_text(html)
    (folder / SUMMARY).write_text(dumps(summary_of(about, results, rubric)))
    (folder / "static").mkdir()
    for item in files("lumenar.publish").joinpath("static").iterdir():
        (folder / "static" / item.name).write_bytes(item.read_bytes())
    (folder / MANIFEST).write_text(dumps(about.manifest("lumenar-edition") | {"files": sums(folder)}))


def _zip(folder: Path, target: Path) -> None:
    with ZipFile(target, "w", ZIP_DEFLATED) as archive:
        for f in sorted(folder.iterdir()):
            archive.write(f, f.name)
