"""What a display does by itself in the report and its package: as it was found, verified, and absent from editions without it."""

import json

import pytest

from lumenar.app.errors import BadInputError
from lumenar.app.experiments import camera_check
from lumenar.app.experiments.conditions import ConditionsAsked, FactorAsked, LightAsked
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.experiments.observed_behaviour import found_by_itself
from lumenar.app.setups import new_reviews
from lumenar.bench.plan import Cell
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify

from ..conftest import setup_of

TELEVISION = "carrow-meridian-65.json"
SAVER = "System > Room > Saver"


@pytest.fixture
def television(app, bench, units):
    review = new_reviews.add_review(app, units[TELEVISION], TELEVISION)
    reel = setup_of(app, review, "Reel").id
    bench.runs.start(review, [Cell(reel, m) for m in ("white_black", "grey_ramp", "gamut")])
    bench.runs.finish()
    return review


def folder(app, review):
    """The folder of a new edition."""
    return app.folder / "editions" / publish(app, review).address.removeprefix("/published/")


def test_what_was_found_stands_in_the_report_and_is_verified(app, bench, television):
    before = folder(app, television)
    page = (before / "index.html").read_text()
    assert "Automatic behaviour" not in page and "seen" not in json.loads((before / "data" / "advice.json").read_text())
    experimenter, reel = Experimenter(app, bench), setup_of(app, television, "Reel").id
    for lights in ((LightAsked("dark", 0.0),), (LightAsked("dark", 0.0), LightAsked("sun", 90_000.0))):
        asked = ConditionsAsked(
            lights=lights,
            factors=[FactorAsked(SAVER, ["high"], "does nothing in the dark")],
            together=True,
            baselines=6,
        )
        experimenter.start(television, Question(kind="conditions", setup=reel, conditions=asked))
        bench.occupancy.wait()
    experimenter.start(television, Question(kind="alike", setup=setup_of(app, television, "Reel HDR").id))
    bench.occupancy.wait()
    camera_check.photograph(app, television, reel, 1 / 1000)
    said = found_by_itself(app, television)
    assert [s.title for s in said] == [
        "Saver in one light (dark)", "Saver in 2 lights", "Which of 3 PQ modes are the same?", "Photo of Reel",
    ]  # fmt: skip
    assert said[0].lines[0] == "Saver high dims white by 38 %." and "the baseline was read 6 times" in said[0].how
    assert said[0].lines[1].startswith("Saver “does nothing in the dark”: not kept. In the dark, with Saver high")
    assert said[1].lines[-1].startswith("Sun could not be had: the lamps")
    after = folder(app, television)
    page = (after / "index.html").read_text()
    assert "Automatic behaviour" in page and "Saver high dims white by 38 %." in page and "has most peak" in page
    for edition in (before, after):
        assert verify(edition).disagreements == ()
    # A word of it changed is found out.
    path = after / "index.html"
    path.write_text(page.replace("dims white by 38 %", "dims white by 8 %"))
    assert not verify(after).agrees


def test_of_what_was_asked_twice_the_newest_stands(app, bench, television):
    experimenter, reel = Experimenter(app, bench), setup_of(app, television, "Reel HDR").id
    for _ in range(2):
        experimenter.start(television, Question(kind="alike", setup=reel))
        bench.occupancy.wait()
    assert len(found_by_itself(app, television)) == 1
    with pytest.raises(BadInputError):
        experimenter.start(television, Question(kind="alike", setup=setup_of(app, television, "Reel").id))
