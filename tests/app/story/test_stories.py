"""Stories in the store: versions, undo and redo, and what is left of them after a restart."""

import pytest

from lumenar.app.application import Application
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.setups import new_reviews
from lumenar.app.story import stories
from lumenar.core.story.story import Story, Words


@pytest.fixture
def review(tmp_path):
    app = Application(tmp_path)
    yield app, new_reviews.add_review(app, shipped_units()["tessary-pell-6.json"], "tessary-pell-6.json")
    app.close()


def said(text):
    return Story(headline=Words(text=text))


def shown(app, review):
    found = stories.current(app, review)
    return found.story.headline.text if found.story.headline else ""


def test_a_story_that_nobody_edited_is_empty_and_has_nothing_to_undo(review):
    app, of = review
    found = stories.current(app, of)
    assert (found.version, found.story, found.can_undo, found.can_redo) == (0, Story(), False, False)
    with pytest.raises(ConflictError, match="no edit"):
        stories.undo(app, of)
    with pytest.raises(ConflictError, match="undone"):
        stories.redo(app, of)


def test_a_review_that_is_not_there_has_no_story(review):
    app, of = review
    with pytest.raises(NotFoundError):
        stories.current(app, of + 1)


def test_undo_and_redo_walk_through_every_edit_and_a_new_edit_forks(review):
    app, of = review
    for text in "abc":
        stories.save(app, of, said(text))
    walk = []
    for step in (stories.undo, stories.undo, stories.undo, stories.redo, stories.redo):
        step(app, of)
        walk.append(shown(app, of))
    assert walk == ["b", "a", "", "a", "b"]
    # Text "b" is shown again, by a version of another number: what is edited now follows the text.
    stories.save(app, of, said("d"))
    assert not stories.current(app, of).can_redo
    stories.undo(app, of)
    assert shown(app, of) == "b" and stories.current(app, of).can_redo
    # What was edited last from here is what comes back.
    stories.redo(app, of)
    assert shown(app, of) == "d"
    for text in ("b", "a", ""):
        stories.undo(app, of)
        assert shown(app, of) == text
    assert not stories.current(app, of).can_undo


def test_the_same_text_again_is_no_edit(review):
    app, of = review
    stories.save(app, of, Story())
    stories.save(app, of, said("a"))
    stories.save(app, of, said("a"))
    assert stories.current(app, of).version == 1


def test_no_version_is_ever_deleted_and_undo_works_after_a_restart(review, tmp_path):
    app, of = review
    stories.save(app, of, said("a"))
    stories.save(app, of, said("b"))
    app.close()
    again = Application(tmp_path)
    stories.undo(again, of)
    assert shown(again, of) == "a" and stories.current(again, of).version == 3
    rows = again.db.connection().execute("SELECT version, follows, restores FROM story ORDER BY version").fetchall()
    assert [tuple(r) for r in rows] == [(1, 0, None), (2, 1, None), (3, 2, 1)]
    again.close()


def test_a_story_of_another_review_is_left_alone(review):
    app, of = review
    other = new_reviews.add_review(app, shipped_units()["ostrel-fen-32.json"], "ostrel-fen-32.json")
    stories.save(app, of, said("a"))
    stories.save(app, other, said("b"))
    stories.undo(app, other)
    assert shown(app, of) == "a" and shown(app, other) == ""


def test_a_wrong_document_names_the_field():
    with pytest.raises(BadInputError, match=r"headline\.text") as e:
        stories.checked({"format": "lumenar-story", "version": 1, "headline": {"text": "a" * 2001}})
    assert e.value.place == "headline.text"
