"""Stories: documents, the order of findings, and figures that have moved."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.core.story.document import FORMAT, VERSION, document_of, story_from
from lumenar.core.story.story import (
    MOST_ITEMS,
    MOST_PARAGRAPH,
    MOST_SENTENCE,
    FindingChoice,
    Moved,
    Paragraph,
    Sibling,
    Story,
    StoryError,
    Words,
    moved,
    told,
)

EMPTY = {"format": FORMAT, "version": VERSION}
TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=40).filter(
    lambda t: t == t.strip()
)
NUMBER = st.floats(-1e6, 1e6)
WORDS = st.builds(Words, text=TEXT, basis=st.dictionaries(TEXT, st.tuples(NUMBER, NUMBER, NUMBER), max_size=3))
CHOICES = st.lists(
    st.builds(
        FindingChoice,
        key=TEXT,
        place=st.sampled_from([None, "kept", "dropped"]),
        words=st.none() | WORDS,
        chart=st.booleans(),
    ).filter(lambda c: c != FindingChoice(key=c.key)),
    unique_by=lambda c: c.key,
    max_size=4,
)
STORIES = st.builds(
    Story,
    headline=st.none() | WORDS,
    standfirst=st.none() | WORDS,
    author=TEXT,
    bench=TEXT,
    purposes=st.dictionaries(TEXT, WORDS, max_size=3),
    findings=CHOICES.map(tuple),
    order=st.lists(TEXT, unique=True, max_size=4).map(tuple),
    paragraphs=st.lists(
        st.builds(Paragraph, text=TEXT, after=st.sampled_from(["start", "modes", "settings", "findings", "end"])),
        max_size=3,
    ).map(tuple),
    untested=st.lists(TEXT, max_size=3).map(tuple),
    siblings=st.lists(
        st.builds(Sibling, name=TEXT, applies=st.sampled_from(["measured", "confirmed", "assumed", "not"]), note=TEXT),
        max_size=3,
    ).map(tuple),
    reason=TEXT,
)


@given(STORIES)
def test_a_story_is_the_same_after_its_document_was_written_and_read(story):
    assert story_from(json.loads(json.dumps(document_of(story)))) == story


def test_the_document_of_a_story_that_nobody_edited_is_empty():
    assert document_of(Story()) == EMPTY and story_from(EMPTY) == Story()


@pytest.mark.parametrize(
    ("field", "change"),
    [
        ("format", {"format": "lumenar-findings"}),
        ("format", {"version": 2}),
        ("headlines", {"headlines": "A"}),
        ("headline.text", {"headline": {"text": 1}}),
        ("headline.text", {"headline": {"text": "a" * (MOST_SENTENCE + 1)}}),
        ("headline.text", {"headline": {"text": "a\u0000b"}}),
        ("headline.text", {"headline": {"text": "\ud800"}}),
        ("headline", {"headline": "A"}),
        ("headline.basis.x", {"headline": {"text": "A", "basis": {"x": [1, 2]}}}),
        ("headline.basis.x", {"headline": {"text": "A", "basis": {"x": [1, 2, True]}}}),
        ("headline.basis.x", {"headline": {"text": "A", "basis": {"x": [1, 2, float("nan")]}}}),
        ("author", {"author": "a" * 201}),
        ("purposes", {"purposes": []}),
        ("findings", {"findings": [{"key": "a", "place": "kept"}, {"key": "a", "chart": False}]}),
        ("findings.0.key", {"findings": [{"place": "kept"}]}),
        ("findings.0.place", {"findings": [{"key": "a", "place": "first"}]}),
        ("findings.0.chart", {"findings": [{"key": "a", "chart": 1}]}),
        ("order", {"order": "abc"}),
        ("paragraphs.0.text", {"paragraphs": [{"text": "a" * (MOST_PARAGRAPH + 1)}]}),
        ("paragraphs.0.after", {"paragraphs": [{"text": "a", "after": "footer"}]}),
        ("untested", {"untested": ["a"] * (MOST_ITEMS + 1)}),
        ("siblings.0.name", {"siblings": [{"name": " ", "applies": "assumed"}]}),
        ("siblings.0.applies", {"siblings": [{"name": "27 inch", "applies": "perhaps"}]}),
    ],
)
def test_a_story_that_cannot_be_used_names_the_field(field, change):
    with pytest.raises(StoryError) as e:
        story_from({**EMPTY, **change})
    assert e.value.field == field


def test_what_says_nothing_is_left_out():
    document = {
        **EMPTY,
        "headline": {"text": "  "},
        "findings": [{"key": "a", "place": None, "words": {"text": ""}, "chart": True}],
        "paragraphs": [{"text": " \n"}],
        "untested": [" ", " motion "],
        "order": ["a", "a"],
    }
    assert story_from(document) == Story(untested=("motion",), order=("a",))


def test_texts_may_be_as_long_as_the_limits_say():
    found = story_from({**EMPTY, "headline": {"text": "a" * MOST_SENTENCE}, "untested": ["a"] * MOST_ITEMS})
    assert found.headline and len(found.headline.text) == MOST_SENTENCE and len(found.untested) == MOST_ITEMS


def chosen(**places):
    return tuple(FindingChoice(key=k, place=v) for k, v in places.items())


SHARED = json.loads((Path(__file__).parents[1] / "vectors" / "finding_order.json").read_text())
"""The browser orders findings before they are saved, so its tests use the same cases (`web/tests/report-edit.test.ts`)."""
AUTOMATIC, EVERY = SHARED["automatic"], SHARED["every"]


@pytest.mark.parametrize("case", SHARED["cases"], ids=lambda c: f"{c['places']} {c['order']}")
def test_the_findings_that_a_report_tells(case):
    story = Story(order=tuple(case["order"]), findings=chosen(**case["places"]))
    assert "".join(told(AUTOMATIC, EVERY, story)) == case["told"]


@given(st.permutations(AUTOMATIC), st.sets(st.sampled_from(EVERY)))
def test_every_finding_that_is_not_dropped_is_told_once(order, dropped):
    found = told(AUTOMATIC, EVERY, Story(order=tuple(order), findings=chosen(**dict.fromkeys(dropped, "dropped"))))
    assert sorted(found) == sorted(set(AUTOMATIC) - dropped)
    assert found == [k for k in order if k in found]


@pytest.mark.parametrize(
    ("now", "differs"),
    [
        # Half widths of 3 and 4: the difference is measurable from 5 on.
        ((14.9, 10.9, 18.9), False),
        ((15.1, 11.1, 19.1), True),
        ((5.1, 1.1, 9.1), False),
        ((4.9, 0.9, 8.9), True),
        ((10.0, 6.0, 14.0), False),
    ],
)
def test_a_figure_has_moved_if_the_interval_of_the_difference_leaves_out_nothing(now, differs):
    assert bool(moved({"a": (10.0, 7.0, 13.0)}, {"a": now})) is differs


def test_lopsided_intervals_count_on_the_sides_that_face_each_other():
    was = {"a": (10.0, 0.0, 11.0)}
    assert moved(was, {"a": (12.0, 11.0, 40.0)}) and not moved(was, {"a": (11.4, 10.4, 40.0)})
    assert not moved({"a": (12.0, 2.0, 13.0)}, {"a": (10.0, 9.0, 11.0)})


def test_figures_that_are_new_or_gone_have_moved_and_exact_ones_in_more_than_the_last_bits():
    one, two = (1.0, 0.9, 1.1), (2.0, 1.9, 2.1)
    assert moved({"a": one}, {"b": two}) == [Moved(name="a", was=one, now=None), Moved(name="b", was=None, now=two)]
    assert not moved({"a": (1.0, 1.0, 1.0)}, {"a": (1.0 + 1e-12, 1.0 + 1e-12, 1.0 + 1e-12)})
    assert moved({"a": (1.0, 1.0, 1.0)}, {"a": (1.001, 1.001, 1.001)})
