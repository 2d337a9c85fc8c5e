"""Sentences of a report that write themselves, on both sides of what decides them."""

from types import SimpleNamespace

import numpy as np
import pytest

from lumenar.core.analysis import Analysis
from lumenar.core.measurements import grey_ramp
from lumenar.core.scoring.score import Line, Score
from lumenar.publish.page import front, words
from lumenar.publish.page.contents import PurposeScores, basis_of_scores


def setup(name, shipped=True, mode="", greys=None):
    figures = {} if greys is None else {grey_ramp.BESIDE_OWN_WHITE.key: np.array(greys)}
    analyses = {"grey_ramp": Analysis("grey_ramp", "srgb", figures)}
    return SimpleNamespace(key=name, name=name, shipped=shipped, mode=mode or name, analyses=analyses)


LOST = Line(
    figure="white_black.white_de2000", measurement="white_black", title="Colour of white, dE2000", unit="",
    value=9.0, text="9.0", points=10.0, weight=15.0, loss=13.5,
)  # fmt: skip


def score(value, half=0.5):
    # Each setup has noise of its own; what two share would cancel.
    spread = None if value is None else np.random.default_rng(round(10 * value)).normal(0, half / 2, 200)
    low, high = (None, None) if value is None else (value - half, value + half)
    return Score("work", value, low, high, 1.0, "no white", (LOST,), spread, ranked=None if value is None else low)


def purpose(key, *ranked, recipe=None):
    shown = SimpleNamespace(key=key, title=key.capitalize())
    return PurposeScores(shown, ranked, None if recipe is None else SimpleNamespace(setup=recipe))


def contents(*purposes, modes=3):
    names = {s.key: s.name for p in purposes for s, _ in p.ranked}
    return SimpleNamespace(purposes=list(purposes), labels=names, about=SimpleNamespace(modes=modes))


STUDIO, TUNED, FILM = setup("Studio", greys=0.4), setup("Desk", shipped=False, mode="Studio"), setup("Film")


@pytest.mark.parametrize(
    ("ranked", "recipe", "said"),
    [
        ([(STUDIO, score(91.2))], None, "Studio scores 91 of 100 for work as shipped."),
        (
            [(STUDIO, score(91.2)), (FILM, score(60.0))],
            None,
            "Studio is the most accurate mode for work: 91 of 100 as shipped.",
        ),
        (
            [(TUNED, score(96.0)), (STUDIO, score(91.0))],
            "Desk",
            "Desk is the most accurate choice for work: 96 of 100 with our settings, 91 as shipped.",
        ),
        (
            [(TUNED, score(96.0)), (FILM, score(91.0))],
            "Desk",
            "Desk is the most accurate choice for work: 96 of 100 with our settings, 91 as shipped (in Film).",
        ),
        # A tuned setup that the recipe does not enter is not worth its trouble.
        (
            [(TUNED, score(91.4)), (STUDIO, score(91.0))],
            "Studio",
            "Studio is the most accurate mode for work: 91 of 100 as shipped.",
        ),
        ([(STUDIO, score(None))], None, "None of three picture modes is measured far enough for a score yet."),
    ],
)
def test_the_headline_names_the_best_setup(ranked, recipe, said):
    assert words.headline(contents(purpose("work", *ranked, recipe=recipe))) == said


def test_a_display_with_one_mode_is_not_called_one_of_many():
    c = contents(purpose("work", (STUDIO, score(None))), modes=1)
    assert (
        words.headline(c) == "The picture mode is not measured far enough for a score yet."
        and words.standfirst(c) == ""
    )


@pytest.mark.parametrize(("value", "tie"), [(90.9, True), (88.0, False)])
def test_what_cannot_be_told_apart_is_a_tie_and_not_the_furthest_off(value, tie):
    said = words.standfirst(contents(purpose("work", (STUDIO, score(91.0)), (FILM, score(value)))))
    assert ("The score of Film cannot be told apart from it." in said) is tie
    assert ("Film is the furthest off, with 88, most of all in colour of white (dE2000 9.0)." in said) is not tie
    assert "its greys are off by dE 0.4" in said


@pytest.mark.parametrize(("value", "said"), [(50.0, "Choose Film for play."), (49.9, "No mode does well for play.")])
def test_nothing_poor_is_recommended(value, said):
    c = contents(purpose("work", (STUDIO, score(91.0))), purpose("play", (FILM, score(value))))
    assert words.standfirst(c).endswith(said)


def test_what_purposes_rest_on_are_the_best_scores_with_what_the_readings_leave_open():
    found = basis_of_scores({"Studio": "Studio", "Desk": "Desk"}, [
        purpose("work", (TUNED, score(96.0)), (STUDIO, score(91.0)), recipe="Desk")
    ])  # fmt: skip
    assert list(found) == ["Work, Studio as shipped", "Work, Desk with our settings"]
    value, low, high = found["Work, Studio as shipped"]
    assert value == 91.0 and 0.3 < value - low < 0.7 and 0.3 < high - value < 0.7


@pytest.mark.parametrize(
    ("own", "of", "said"), [((1, 1), 2, []), ((1, 0), 2, ["Not measured at all: one of two picture modes."])]
)
def test_modes_that_nobody_measured_are_named(own, of, said):
    setups = [
        SimpleNamespace(signal="sdr", mode=str(i), analyses=_Everything()) for i, there in enumerate(own) if there
    ]
    c = SimpleNamespace(results=SimpleNamespace(setups=setups), about=SimpleNamespace(modes=of))
    assert front.not_measured(c) == said


class _Everything:
    def __contains__(self, key):
        return True
