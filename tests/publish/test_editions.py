"""Publishing: a number is taken once, nothing half made is served or blocks the next one."""

import threading

import pytest

from lumenar.app.application import Application
from lumenar.app.errors import ConflictError, NotFoundError
from lumenar.app.setups import new_reviews
from lumenar.publish import edition
from lumenar.store import editions

from ..conftest import PHONE


class PowerCutError(BaseException):
    """The process ends here."""


def folders(app):
    return sorted(p.relative_to(app.folder / "editions").as_posix() for p in (app.folder / "editions").glob("*/*"))


@pytest.mark.parametrize("where", ["write", "rename", "finish"])
def test_a_crash_anywhere_in_publishing_blocks_nothing(app, bench, measured, monkeypatch, where):
    def cut(*_, **__):
        raise PowerCutError

    monkeypatch.setattr(edition, "_take_back", lambda *_: None)
    if where == "write":
        monkeypatch.setattr(edition, "pages", cut)
    elif where == "rename":
        monkeypatch.setattr("pathlib.Path.rename", cut)
    else:
        monkeypatch.setattr(editions, "finish", cut)
    with pytest.raises(PowerCutError):
        edition.publish(app, measured)
    monkeypatch.undo()
    assert edition.editions_of(app, measured) == []
    # The next start: what is whole is published, what is not is taken back.
    (app.folder / "editions" / ".making-left").mkdir(exist_ok=True)
    edition.recover(app)
    assert not list((app.folder / "editions").glob(".making-*"))
    whole = 1 if where == "finish" else 0
    assert len(edition.editions_of(app, measured)) == whole
    assert edition.publish(app, measured).number == 1 + whole


def test_an_orphan_in_the_way_is_stepped_over(app, bench, measured):
    name = edition.publish(app, measured)
    slug = name.address.split("/")[2]
    (app.folder / "editions" / slug / "2").mkdir()
    assert edition.publish(app, measured).number == 3


def test_two_at_once_publish_one_after_the_other(app, bench, measured):
    outcomes = []

    def publish():
        try:
            outcomes.append(edition.publish(app, measured).number)
        except ConflictError as e:
            outcomes.append(e.kind)
        app.db.close()

    threads = [threading.Thread(target=publish) for _ in range(3)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    numbers = [o for o in outcomes if isinstance(o, int)]
    assert numbers and len(set(numbers)) == len(numbers)
    assert set(outcomes) - set(numbers) <= {"publishing"}


def test_a_review_that_is_deleted_meanwhile_leaves_no_edition(app, bench, measured, monkeypatch):
    real = edition.pages

    def meanwhile(*arguments):
        new_reviews.delete_review(app, measured)
        return real(*arguments)

    monkeypatch.setattr(edition, "pages", meanwhile)
    with pytest.raises((ConflictError, NotFoundError)):
        edition.publish(app, measured)
    assert folders(app) == []


def test_editions_outlive_their_review_and_the_same_model_comes_again(app, bench, measured, units):
    first = edition.publish(app, measured)
    new_reviews.delete_review(app, measured)
    assert (app.folder / "editions" / first.address.removeprefix("/published/") / "index.html").exists()
    again = new_reviews.add_review(app, units[PHONE], PHONE)
    assert again > measured
    assert editions.is_published(app.db.connection(), first.address.removeprefix("/published/").strip("/"))


def test_a_start_finishes_what_is_whole(app, bench, measured):
    edition.publish(app, measured)
    with app.db.transaction() as db:
        db.execute("UPDATE edition SET state = 'making'")
    folder = app.folder
    app.close()
    again = Application(folder)
    assert edition.editions_of(again, measured) == []
    edition.recover(again)
    assert [e.number for e in edition.editions_of(again, measured)] == [1]
    again.close()


def test_two_setups_of_one_name_on_two_samples_are_published(app, bench, units):
    from lumenar.app.setups import setups
    from lumenar.bench.plan import Cell
    from lumenar.publish.verify import verify
    from lumenar.store import reviews

    from ..conftest import MONITOR

    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    rows = reviews.setups_of(app.db.connection(), review)
    second = next(s for s in rows if s.unit_id != rows[0].unit_id)
    own = [
        setups.add(app, review, s.id, "Desk", setups.Edit(values={"Picture > Light": 60})) for s in (rows[0], second)
    ]
    bench.runs.start(
        review, [Cell(s, m) for s in (*own, rows[0].id, second.id) for m in ("white_black", "grey_ramp", "gamut")]
    )
    bench.runs.finish()
    made = edition.publish(app, review)
    page = (app.folder / "editions" / made.address.removeprefix("/published/") / "index.html").read_text()
    assert "Desk, sample A" in page and "Desk, sample B" in page and "Measured on 2 samples" in page
    assert "2 picture modes" not in page.split("</p>")[2], "one mode was measured in four setups"
    assert verify(app.folder / "editions" / made.address.removeprefix("/published/")).agrees
