"""How samples differ: against what their unit files spread, by hand too, and where there is but one."""

import numpy as np
import pytest

from lumenar.app.errors import BadInputError
from lumenar.app.experiments import experiment_views as views
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews, setup_views, setups
from lumenar.bench.drivers.simulated import arrive
from lumenar.bench.plan import Cell
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.experiments.base import StageRead
from lumenar.core.experiments.samples import ComparedSample, Samples
from lumenar.core.experiments.visible_effects import drawn, short_set
from lumenar.core.tuning.base import Noise

from ...conftest import MONITOR, setup_of

NOISE = Noise(0.001, 0.0003)


def asked(app, bench, review, name):
    number = Experimenter(app, bench).start(review, Question(kind="samples", setup=setup_of(app, review, name).id))
    bench.occupancy.wait()
    return views.view(app, number)


def test_two_samples_of_the_monitor_differ_as_they_were_spread(app, bench, monitor, units):
    seen = asked(app, bench, monitor, "Studio")
    assert seen.state == "done" and seen.message == "" and seen.title == "How do 2 samples differ in Studio?"
    own, other = (SimulatedUnit(parse_unit(a.text)) for a in arrive(units[MONITOR], MONITOR))
    white = [u.XYZ((1.0, 1.0, 1.0))[1] for u in (own, other)]
    light = next(r for r in seen.rows if r[1] == "White")
    low, high = (float(v) for v in light[3].split(" to "))
    true = 100 * (white[1] / white[0] - 1)
    assert low - 0.3 < true < high + 0.3
    assert "sample B (firmware 1.06)" in seen.sentence and "nobody can tell which of the two it is" in seen.sentence


def test_what_is_of_one_sample_is_refused(app, bench, units):
    review = new_reviews.add_review(app, units["tessary-pell-6.json"], "tessary-pell-6.json")
    with pytest.raises(BadInputError, match="There is one sample with Faithful"):
        asked(app, bench, review, "Faithful")


@pytest.mark.parametrize("share", [0.0, 0.01])
def test_a_difference_is_told_and_none_is_not_made_up(share):
    """Twenty pairs: light that differs by 1 % is found, that which does not is called the same, and intervals hold the truth."""
    x = Samples(
        (ComparedSample(name="A", firmware="1", unit=1), ComparedSample(name="B", firmware="1", unit=2)),
        "M",
        {},
        "sdr",
        NOISE,
    )
    M = [[0.4, 0.2, 0.02], [0.35, 0.7, 0.12], [0.2, 0.1, 0.95]]
    base = np.array([0.03 + 150 * np.array(p.rgb) ** 2.2 @ M for p in short_set("sdr")])
    held, told = 0, 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        reads = [StageRead(drawn(base * (1 - share * (s.name == "B")), NOISE, rng, 1)[0]) for s in x.order]
        end = x.conclude(reads)
        low, high = (float(v) for v in next(r for r in end.rows if r[1] == "White")[3].split(" to "))
        held += low <= -100 * share <= high
        told += "is the same as" not in end.sentence
    assert held >= 17 and (told <= 3 if share == 0 else told >= 18)


def test_a_person_is_told_which_sample(app):
    x = Samples(
        (ComparedSample(name="A", firmware="1.0", unit=1), ComparedSample(name="B", firmware="", unit=2)),
        "Film",
        {"Light": 20.0},
        "sdr",
        NOISE,
    )
    before, *rest = (a.words for a in x.stages[1].acts)
    assert before == "sample B before the meter"
    assert rest == ["mode Film", "Light to 20"]
    assert [s.name for s in x.order] == list("ABABABABA") and x.stages[0].title == "sample A (firmware 1.0), reading 1"


def white_of(units, mode="Studio"):
    """White of both samples, warm, and what their rows should say of it in %."""
    made = [SimulatedUnit(parse_unit(a.text)) for a in arrive(units[MONITOR], MONITOR)]
    for u in made:
        u.select(mode)
    own, other = (u.XYZ((1.0, 1.0, 1.0))[1] for u in made)
    return 100 * (other / own - 1)


def test_a_sample_that_was_never_on_is_as_warm_as_the_one_that_was(app, bench, monitor, units):
    studio = setup_of(app, monitor, "Studio").id
    bench.runs.start(monitor, [Cell(studio, "grey_ramp")], Options(warm_up=True))
    bench.runs.finish()
    light = next(r for r in asked(app, bench, monitor, "Studio").rows if r[1] == "White")
    # Cold, it would be 2 % dimmer.
    assert light[2] == pytest.approx(white_of(units), abs=0.4)


def test_what_is_sent_is_sent_to_every_sample_each_time_it_comes(app, bench, monitor, monkeypatch):
    """Whether a mode goes by MaxCLL is not left to whoever was before the meter first."""
    setup = setup_of(app, monitor, "Studio HDR").id
    sent = setup_views.StatedFormat(mastering_cd_m2=4000.0, max_cll=4000.0)
    setups.change(app, monitor, setup, setups.Edit(format=sent))
    shown, show = [], SimulatedUnit.show

    def watched(unit, patch, now):
        shown.append((unit.file.sample, unit.metadata))
        show(unit, patch, now)

    monkeypatch.setattr(SimulatedUnit, "show", watched)
    assert asked(app, bench, monitor, "Studio HDR").state == "done"
    assert {sample for sample, _ in shown} == {"A", "B"}
    assert {metadata.max_cll if metadata else None for _, metadata in shown} == {4000.0}
