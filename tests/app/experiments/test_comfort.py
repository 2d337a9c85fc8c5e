"""Comfort settings: blue light, white and pulsing at each value, with spectra on the bench and as an estimate by hand."""

import numpy as np
import pytest

from lumenar.app.displays.settable_controls import free, settable
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError
from lumenar.app.experiments import experiment_views as views
from lumenar.app.experiments import experiments, typed_stages
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.setups import new_display, new_reviews
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.core.colour import spectra
from lumenar.core.experiments.base import StageRead
from lumenar.core.experiments.comfort import Comfort, estimate, eye_of
from lumenar.core.menu.controls import Control
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.tuning.base import Noise
from lumenar.store import reviews

from ...conftest import MONITOR, setup_of

BLUE, TINT, KEYS = "Eyes > Blue step", "Host > Evening tint", "Keys > Brightness"


@pytest.fixture
def experimenter(app, bench):
    return Experimenter(app, bench)


def asked(app, bench, experimenter, review, control, name):
    number = experimenter.start(review, Question(kind="comfort", setup=setup_of(app, review, name).id, control=control))
    bench.occupancy.wait()
    return views.view(app, number)


def der_of(unit, path, value):
    unit.apply(path, value)
    return float(spectra.melanopic_der(spectra.WAVELENGTHS, unit.spectrum((1.0, 1.0, 1.0))))


def test_a_low_blue_step_that_raises_blue_is_caught(app, bench, experimenter, monitor, units):
    """Against the unit's true spectra; its third step breaks the promise."""
    seen = asked(app, bench, experimenter, monitor, BLUE, "Studio")
    unit = SimulatedUnit(parse_unit(units[MONITOR]))
    ratio = {r[0]: r[1] for r in seen.rows}
    for value in (0, 1, 2, 3, 4):
        words = "0, as it stands" if value == 0 else str(value)
        assert ratio[words] == pytest.approx(der_of(unit, BLUE, float(value)), rel=0.02)
    assert "It promises “less blue”: kept at 1, 2, 4; the opposite at 3." in seen.sentence
    assert "less melanopic light in Studio" in seen.sentence and len(seen.heads) == 8
    assert {f.path for f in views.found_out(app, monitor, None)} == {BLUE}
    # What was read is kept: with spectra and waveforms it says the same when it is opened again.
    traces = experiments.opened(app, seen.id).reads[0].traces
    assert [type(t).__name__ for t in traces] == ["NoneType", "Spectrum", "Waveform"]


def test_pulsing_over_brightness_steps(app, bench, experimenter, units):
    review = new_reviews.add_review(app, units["wickham-slate-14.json"], "wickham-slate-14.json")
    seen = asked(app, bench, experimenter, review, KEYS, "Plain")
    depth = {r[0]: (r[6], r[7]) for r in seen.rows}
    assert depth["0"][0] > 90 and depth["0"][1] == pytest.approx(220, abs=3) and depth["10"][0] < 3
    assert "The light pulses deeper at 0: " in seen.sentence
    tint = asked(app, bench, experimenter, review, TINT, "Plain")
    assert "less melanopic light" in tint.sentence


def test_by_hand_the_ratio_is_an_estimate_and_said_to_be(app, units):
    _, off = estimate()
    assert 0.05 < off < 0.25
    for name in shipped_units():
        unit = SimulatedUnit(parse_unit(shipped_units()[name]))
        true = float(spectra.melanopic_der(spectra.WAVELENGTHS, unit.spectrum((1.0, 1.0, 1.0))))
        assert abs(eye_of(StageRead(unit.XYZ([(1.0, 1.0, 1.0)]))).der - true) < 2 * off, name
    review = new_display.add(
        app,
        NewDisplay(
            maker="Somebody", model="Desk", kind="monitor", panel="lcd", modes="Day, srgb", controls="Eyes: 0..2 = 0"
        ),
    )
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    number = experiments.begin(app, review, Question(kind="comfort", setup=setup, control="Eyes"))
    while (now := views.view(app, number)).now is not None:
        value = float(now.now.title.split()[1].rstrip(",")) if "as it" not in now.now.title else 0.0
        value = 0.0 if "once more" in now.now.title else value
        texts = [f"95 100 {108 - 20 * value:.1f}"]
        typed_stages.typed_in(app, number, now.read, "XYZ", texts, {}, [], [])
    assert now.state == "done" and "an estimate from colour" in now.sentence and now.heads[-1] == "Ratio may be off by"
    assert now.rows[-1][1] < now.rows[0][1] and now.rows[0][-1] == round(off, 3)


def test_what_drifts_by_itself_is_no_comfort():
    """White that falls by 6 % on its own makes nothing of a value at which it fell by 4 %."""
    x = Comfort(Control("Eyes", "slider", 0, 1, 1, default=0), "Day", 0.0, "sdr", Noise(), traces=False)

    def read(share):
        return StageRead(np.array([[95.0, 100.0, 108.0]]) * share)

    assert "nothing measurable" in x.conclude([read(1.0), read(0.96), read(0.94)]).sentence
    assert "4 % less melanopic light" in x.conclude([read(1.0), read(0.96), read(1.0)]).sentence


def test_only_what_is_known_and_free_can_be_tried():
    menu = Menu(
        (Mode("Day", "sdr", "srgb"),),
        (
            Control("Saving", "switch", default="on", locks={"on": ("Bound",)}), Control("Bound", "slider", 0, 9, 1, default=1.0),
            Control("Two", "choice", choices=("a", "b"), default="a"),
            Control("Unknown", "slider", 0, 9, 1), Control("Level", "slider", 0, 9, 1, default=3.0),
        ),
    )  # fmt: skip
    state = {"Saving": "on", "Bound": 1.0, "Two": "a", "Level": 3.0}
    assert [c.path for c in settable(menu, menu.modes[0], state)] == ["Saving", "Two", "Level"]
    for path, words in (("Bound", "cannot be set here"), ("Unknown", "Nobody has read"), ("", "Choose a control")):
        with pytest.raises(BadInputError, match=words):
            free(menu, menu.modes[0], state, path, "control")
