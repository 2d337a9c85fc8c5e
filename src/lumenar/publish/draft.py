"""The report as it would be published now, for an editor: its page, and the editor's texts with the figures they rest on."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import replace
from importlib.resources import files

from lumenar import __version__
from lumenar.app import memory
from lumenar.app.application import Application
from lumenar.app.displays.displays import display_of
from lumenar.app.drivers.stations import claims_of
from lumenar.app.errors import ConflictError
from lumenar.app.exchange.export import readings_document
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.story import stories
from lumenar.core.claims.claim import understood
from lumenar.core.story.story import Basis, Story, Words
from lumenar.publish.draft_view import DraftReport, view
from lumenar.publish.edition import advice_of, next_about, previous_of
from lumenar.publish.package import About, Results, compute, dumps
from lumenar.publish.page import front
from lumenar.publish.page.contents import Contents, basis_of_scores

STATIC = "/report-static/"
"""Where the server has the fonts of reports."""
_LINK = re.compile(r'<a href="(?!#)[^"]*"')


def draft(app: Application, review_id: int) -> DraftReport:
    """The report with its story. ConflictError if nothing is measured."""
    now = stories.current(app, review_id)
    c = contents(app, review_id, now.story)
    db = app.db.connection()
    offered = [c for words in claims_of(db, display_of(app, review_id).row.id) for c in understood(words)]
    return view(now, c, bases(c), offered)


def contents(app: Application, review_id: int, story: Story) -> Contents:
    """What the report would be made of now. ConflictError if nothing is measured."""
    results, about = prepared(app, review_id)
    return Contents(about=about, results=replace(results, story=story), rubric=app.rubric, version=__version__)


def prepared(app: Application, review_id: int) -> tuple[Results, About]:
    """The results of all readings of a review, and what the next edition says of itself. They are kept until a person or the end
    of a run changes something, since they take seconds. ConflictError if nothing is measured."""
    changes, _ = app.db.version(review_id)

    def make() -> tuple[Results, About]:
        document = readings_document(app, review_id)
        if not document["setups"]:
            raise ConflictError(
                "nothing-measured",
                "Nothing is measured yet. Measure the first pass from the Board, then write the report.",
            )
        readings = parse_readings(dumps(document), "readings.json")
        menu = display_of(app, review_id).menu
        advice = advice_of(app, review_id, document)
        del document
        made = compute(readings, app.rubric, menu, advice, previous=previous_of(app, review_id))
        # The readings as text and as numbers took many times what is kept.
        memory.give_back()
        return made, next_about(app, review_id)

    found: tuple[Results, About] = app.reports.get((review_id, changes, app.rubric.hash, app.turn), make)
    return found


def bases(c: Contents) -> dict[str, Basis]:
    """The figures that each text rests on, by its name in `Story.wordings`."""
    found: dict[str, Basis] = {f"purpose.{p.purpose.key}": basis_of_scores(c.labels, [p]) for p in c.purposes}
    found["headline"] = basis_of_scores(c.labels, c.purposes[:1])
    found["standfirst"] = basis_of_scores(c.labels, c.purposes)
    for f in c.results.findings:
        found[f"finding.{f.key}"] = {f"{c.labels[o.setup.key]}, {f.unit}": o.amount for o in f.evidence}
    return found


def with_bases(story: Story, before: Story, now: Mapping[str, Basis], confirmed: Collection[str]) -> Story:
    """A story whose texts remember the figures they were written for: those of `before` if the text is the same, unless it is
    among those that the editor confirmed."""
    known = dict(before.wordings())

    def based(name: str, w: Words | None) -> Words | None:
        if w is None:
            return None
        old = known.get(name)
        kept = old is not None and old.text == w.text and name not in confirmed
        return Words(text=w.text, basis=old.basis if kept and old is not None else now.get(name, {}))

    return replace(
        story,
        headline=based("headline", story.headline),
        standfirst=based("standfirst", story.standfirst),
        purposes={k: b for k, w in story.purposes.items() if (b := based(f"purpose.{k}", w)) is not None},
        findings=tuple(replace(c, words=based(f"finding.{c.key}", c.words)) for c in story.findings),
    )


def save(app: Application, review_id: int, document: Mapping[str, object], confirmed: Collection[str]) -> DraftReport:
    """Store an editor's story; BadInputError names the field that is wrong. confirmed: names of texts that the editor finds right
    for the present figures."""
    story = stories.checked(document)
    before = stories.current(app, review_id).story
    now = bases(contents(app, review_id, story))
    stories.save(app, review_id, with_bases(story, before, now, confirmed))
    return draft(app, review_id)


def preview(app: Application, review_id: int, document: Mapping[str, object]) -> str:
    """The page of the report with a story that is still being written. The style sheet is part of it. Links to other pages lead
    nowhere."""
    page = front.page(contents(app, review_id, stories.checked(document)))
    style = files("lumenar.publish").joinpath("static/report.css").read_text()
    style = style.replace("url(", f"url({STATIC}")
    page = page.replace('<link rel="stylesheet" href="static/report.css">', f"<style>{style}</style>")
    return _LINK.sub('<a aria-disabled="true"', page)
