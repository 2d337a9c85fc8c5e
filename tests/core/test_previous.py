"""What changed between two editions."""

import json
from dataclasses import replace

import pytest

from lumenar.core.story.previous import Previous, changes, document_of, previous_from
from lumenar.core.story.story import StoryError

WAS = Previous(
    edition=1,
    published_at="2026-11-03T10:00:00+00:00",
    firmware="1.03",
    rubric="abc",
    made_by="Lumenar 0.3.0",
    scores={"Colour work, Studio": (90.0, 89.0, 91.0), "Play, Studio": (80.0, 79.0, 81.0)},
    findings={"white.cool": "White is too cool.", "tone.crushed": "Steps are crushed."},
)


def test_nothing_changed_if_everything_is_the_same():
    found = changes(WAS, replace(WAS, edition=2))
    assert found.nothing and found.causes == () and found.edition == 1


def test_scores_that_differ_measurably_and_findings_that_came_and_went_are_told():
    now = replace(
        WAS,
        scores={"Colour work, Studio": (91.3, 90.3, 92.3), "Play, Studio": (81.5, 80.5, 82.5)},
        findings={"white.cool": "White is still too cool.", "gamut.short": "The gamut is short."},
    )
    found = changes(WAS, now)
    # Half widths of 1 each: a difference is measurable from 1.41 on.
    assert [m.name for m in found.scores] == ["Play, Studio"] and not found.nothing
    assert found.appeared == ("The gamut is short.",) and found.gone == ("Steps are crushed.",)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"firmware": "1.04"}, "Firmware 1.03 before, 1.04 now."),
        ({"firmware": ""}, "Firmware 1.03 before, not recorded now."),
        ({"rubric": "def"}, "Scored by other rules."),
        ({"made_by": "Lumenar 0.4.0"}, "Computed by Lumenar 0.4.0; before by Lumenar 0.3.0."),
    ],
)
def test_what_may_be_the_cause_is_named(change, said):
    assert changes(WAS, replace(WAS, **change)).causes == (said,)


def test_it_is_the_same_after_its_document_was_written_and_read():
    assert previous_from(json.loads(json.dumps(document_of(WAS)))) == WAS


@pytest.mark.parametrize(
    "change",
    [
        {"format": "x"}, {"version": 2}, {"edition": "1"}, {"edition": True}, {"scores": []}, {"scores": {"a": [1, 2]}},
        {"scores": {"a": [1, 2, True]}}, {"findings": {"a": 1}}, {"firmware": None},
        {"findings": {str(i): "" for i in range(501)}},
    ],
)  # fmt: skip
def test_a_document_that_cannot_be_used_is_refused(change):
    with pytest.raises(StoryError):
        previous_from({**document_of(WAS), **change})
