"""Publishing an edition: an immutable folder with the report and its data package."""

from __future__ import annotations

import re
import shutil
import tempfile
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZipFile

from lumenar.publish.package import compute, write_package
from lumenar.publish.report import render
from lumenar.service import cells, verdict
from lumenar.service.application import Application, now, rubric_text
from lumenar.service.errors import ConflictError
from lumenar.service.export import readings_document
from lumenar.service.readings_file import ReadingsFile
from lumenar.service.units import unit_of
from lumenar.store import editions
from lumenar.store.database import StoreError
from lumenar.store.editions import EditionRow


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
    unit_of(app, review_id)
    return [_view(r) for r in editions.of_review(app.db.connection(), review_id)]


def publish(app: Application, review_id: int) -> EditionView:
    """Publish the next edition of a review. ConflictError while nothing is measured; StoreError where it cannot be
    written, with nothing left behind."""
    row, file = unit_of(app, review_id)
    document = readings_document(app, review_id)
    if not document["setups"]:
        raise ConflictError(
            "nothing-measured", "Nothing is measured yet; measure the first pass from the Board, then publish."
        )
    earlier = editions.of_review(app.db.connection(), review_id)
    number = earlier[0].number + 1 if earlier else 1
    slug = re.sub(r"[^a-z0-9]+", "-", f"{row.maker} {row.model} {row.sample}".lower()).strip("-")
    folder = f"{slug}-{review_id}/{number}"
    date, gaps = now(), verdict.gaps(app, review_id, cells.newest(app, review_id))
    home = app.folder / "editions"
    try:
        home.mkdir(exist_ok=True)
        with tempfile.TemporaryDirectory(dir=home, prefix=".making-") as temporary:
            made = Path(temporary) / "edition"
            about = {
                "edition": number,
                "published_at": date,
                "name": row.name,
                "firmware": row.firmware,
                "sample": row.sample,
            }
            menu = verdict.menu_of(file)
            results = compute(ReadingsFile.model_validate(document), app.rubric, menu)
            write_package(made / "data", document, results, app.rubric, rubric_text(), menu, about)
            _zip(made / "data", made / "data.zip")
            write_site(made, render(file, results, app.rubric, menu, number, date, gaps))
            (home / folder).parent.mkdir(parents=True, exist_ok=True)
            made.rename(home / folder)
    except OSError as e:
        raise StoreError(f"{home}: the edition could not be written ({e.strerror or e})") from e
    entry = EditionRow(0, review_id, number, date, folder, {"gaps": gaps})
    try:
        with app.db.transaction() as db:
            editions.add(db, entry)
    except StoreError:
        shutil.rmtree(home / folder, ignore_errors=True)
        raise
    return _view(entry)


def write_site(folder: Path, html: str) -> None:
    """The report page with its style and fonts; it asks nothing of any other host."""
    (folder / "index.html").write_text(html)
    (folder / "static").mkdir()
    for item in files("lumenar.publish").joinpath("static").iterdir():
        (folder / "static" / item.name).write_bytes(item.read_bytes())


def _zip(folder: Path, target: Path) -> None:
    with ZipFile(target, "w", ZIP_DEFLATED) as archive:
        for f in sorted(folder.iterdir()):
            archive.write(f, f.name)
