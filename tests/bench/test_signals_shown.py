"""What a unit is sent and what it shows: inputs that take HDR for SDR, options that are set before it comes, decoding that is
forced, and HDR that is lost in the middle of a run."""

import json
import time

import pytest

from lumenar.bench.drivers.hands import Hands
from lumenar.bench.drivers.simulated import arrive
from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.person import Reply
from lumenar.bench.ports import Bench, OtherSignalError, RefusedError, Wanted
from lumenar.bench.runner import Runner
from lumenar.bench.runner_port import RunnerStep, SetupState
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.core.menu.mode_text import menu_from_text
from lumenar.core.menu.tables import csv_of, menu_from_csv
from lumenar.core.menu.text_writing import text_of_controls, text_of_modes
from lumenar.core.readings.patches import Patch
from lumenar.core.recipes.steps import ordered_steps
from lumenar.core.signals import Metadata, SignalFormat

from ..conftest import MONITOR, TELEVISION
from .test_runner import Notes, in_thread

SDR, PQ = SignalFormat("sdr", "limited", 10), SignalFormat("pq", "limited", 10)
CURVE, PORT, DEPTH = "Service > Decoding > Curve", "Inputs > Player port", "System > HDR depth"
WHITE = Patch((1.0, 1.0, 1.0))


@pytest.fixture
def television(units):
    return SimulatedUnit(parse_unit(units[TELEVISION]))


@pytest.fixture
def bench(units):
    return simulated_bench(parse_unit(units[TELEVISION]), SimulatedClock())


def changed(bench: Bench, mode: str, **values: object) -> Wanted:
    """A mode as shipped with some values of its own; keywords by the ends of their paths."""
    file = bench.remote.file
    paths = {c.path.split(" > ")[-1].replace(" ", "_"): c.path for c in file.controls}
    return Wanted(mode, {**file.defaults(file.mode(mode)), **{paths[k]: v for k, v in values.items()}})


def test_what_is_shown_is_what_is_sent_where_the_input_is_open(bench):
    bench.enter(changed(bench, "Reel HDR"), PQ)
    assert bench.shown() == PQ
    bench.enter(changed(bench, "Reel"), SDR)
    assert bench.shown() == SDR


def test_an_input_that_takes_hdr_for_sdr_is_noticed_and_put_right(bench):
    with pytest.raises(OtherSignalError, match="PQ, 10 bits, limited range is sent, and the display says it shows SDR"):
        bench.enter(changed(bench, "Reel HDR", Player_port="Plain signal"), PQ)
    assert bench.shown().transfer == "sdr"
    bench.enter(changed(bench, "Reel HDR"), PQ)
    assert bench.remote.mode.name == "Reel HDR"


def test_a_reading_of_another_signal_is_none(bench):
    bench.enter(changed(bench, "Reel HDR"), PQ)
    bench.source.show(WHITE)
    assert bench.read(WHITE).XYZ[1] > 500
    bench.remote.apply(PORT, "Plain signal")
    with pytest.raises(OtherSignalError):
        bench.read(WHITE)


@pytest.mark.parametrize("curve", ["PQ", "HLG"])
def test_a_signal_without_a_flag_is_decoded_as_the_menu_is_told(bench, curve):
    """A source that cannot say what it sends: the service menu decides, and the light is the same as with a flag."""
    mode = "Reel HDR" if curve == "PQ" else "Reel HLG"
    flagged = SignalFormat(curve.lower(), "limited", 10)
    plain = SignalFormat(curve.lower(), "limited", 10, flagged=False)
    assert plain.words.endswith("no HDR flag")
    bench.enter(changed(bench, mode), flagged)
    known = bench.remote.XYZ((0.5, 0.5, 0.5))
    with pytest.raises(OtherSignalError):
        bench.enter(changed(bench, mode), plain)
    bench.enter(changed(bench, mode, Curve=curve), plain)
    assert bench.remote.mode.name == mode
    assert bench.remote.XYZ((0.5, 0.5, 0.5)) == pytest.approx(known)
    # And back: what is sent as SDR is SDR again, though the unit stood at another curve.
    bench.enter(changed(bench, "Reel"), SDR)
    assert bench.shown() == SDR


def test_forced_primaries_and_metadata_stand_in_for_those_that_are_sent(bench):
    def light(rgb, **values):
        bench.enter(changed(bench, "Reel HDR", **values), PQ)
        return bench.remote.XYZ(rgb)

    bright, green = (0.72,) * 3, (0.0, 0.5, 0.0)
    as_sent = light(bright)
    forced = light(bright, Mastering_peak=4000)
    bench.send(SignalFormat("pq", "limited", 10, metadata=Metadata(4000)))
    bench.remote.apply("Service > Decoding > Mastering peak", 0)
    assert bench.remote.XYZ(bright) == pytest.approx(forced)
    assert forced[1] < 0.97 * as_sent[1]
    assert light(green, Primaries="BT.709")[0] > 1.15 * light(green)[0]


def test_what_is_forced_never_contradicts_itself(television):
    television.receive(SignalFormat("pq", "limited", 10, metadata=Metadata(1000, max_cll=800, max_fall=600)))
    television.apply("Service > Decoding > MaxCLL", 400)
    assert (television.metadata.max_cll, television.metadata.max_fall) == (400, 400)


def test_an_option_that_only_sdr_lets_be_set_is_set_before_hdr_is_sent(units):
    file = parse_unit(units[MONITOR])
    bench = simulated_bench(file, SimulatedClock())
    sent = SignalFormat("pq", "full", file.light.input_bits)
    asked = []
    whole = bench.source.configure
    bench.source.configure = lambda f: (asked.append(f.transfer), whole(f))
    bench.enter(changed(bench, "Arena HDR"), sent)
    plain = bench.remote.XYZ((0.5,) * 3)[1]
    with pytest.raises(RefusedError, match="can be set only while SDR shows"):
        bench.remote.apply(DEPTH, "lifted")
    asked.clear()
    bench.enter(changed(bench, "Arena HDR", HDR_depth="lifted"), sent)
    assert asked == ["sdr", "pq"]
    assert bench.remote.XYZ((0.5,) * 3)[1] > 1.1 * plain
    asked.clear()
    bench.enter(changed(bench, "Arena HDR", HDR_depth="lifted"), sent)
    assert asked == ["pq"]


def test_hands_are_told_to_set_it_while_sdr_shows(units):
    arrival = arrive(units[MONITOR], "m")[0]
    tasks = []
    hands = Hands(arrival.menu, lambda task: tasks.append((task.asked, task.what, task.value)) or Reply(), "pq")
    bench = Bench(None, hands, hands, None, None, None)
    sent = SignalFormat("pq", "full", 10)
    mode = arrival.menu.mode("Arena HDR", "pq")
    bench.enter(Wanted(mode.name, {**arrival.menu.defaults(mode), DEPTH: "lifted"}), sent)
    assert tasks[:4] == [
        ("send", "SDR, 10 bits, full range", ""), ("enter", DEPTH, "lifted"), ("send", "PQ, 10 bits, full range", ""),
        ("choose", "Picture > Mode", "Arena HDR"),
    ]  # fmt: skip
    tasks.clear()
    bench.enter(Wanted(mode.name, {**arrival.menu.defaults(mode), DEPTH: "lifted"}), sent)
    assert all(asked == "choose" for asked, *_ in tasks)


def test_a_recipe_sets_it_before_the_mode(units):
    menu = arrive(units[MONITOR], "m")[0].menu
    mode = menu.mode("Arena HDR", "pq")
    steps = ordered_steps(menu, mode, {DEPTH: "lifted"}, {}, "For play.")
    assert [s.path for s in steps][:2] == [DEPTH, menu.mode_path]
    assert steps[0].why.startswith("While SDR shows") and sum(s.path == DEPTH for s in steps) == 1
    assert menu.why_not_now(menu.defaults(mode), mode, DEPTH) == f"{DEPTH} is set before PQ is sent"
    assert menu.why_not_now(menu.defaults(mode), menu.mode("Studio", "sdr"), DEPTH) is None


@pytest.mark.parametrize("name", [MONITOR, TELEVISION])
def test_when_it_can_be_set_survives_text_and_table(units, name):
    menu = arrive(units[name], "m")[0].menu
    when = {c.path: c.when for c in menu.controls if c.when}
    assert when
    again = menu_from_text(text_of_modes(menu), text_of_controls(menu))
    assert {c.path: c.when for c in again.controls if c.when} == when
    assert {c.path: c.when for c in menu_from_csv(csv_of(menu)).controls if c.when} == when


def hdr_run(units, **behaviour):
    """A run of PQ greys on a television with a behaviour of its own."""
    document = json.loads(units[TELEVISION])
    document["behaviour"] = {**document.get("behaviour", {}), **behaviour}
    file = parse_unit(json.dumps(document))
    setup = SetupState(1, "Reel HDR", "Reel HDR", file.defaults(file.mode("Reel HDR")), None, None, PQ)
    notes = Notes(
        [RunnerStep(i, setup, Patch((v, v, v))) for i, v in enumerate((1.0, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3))]
    )
    return notes, Runner(simulated_bench(file, SimulatedClock()), notes, PANEL_TIMINGS["lcd"])


def test_a_unit_that_falls_out_of_hdr_pauses_the_run_and_nothing_is_lost(units):
    calm, runner = hdr_run(units)
    assert runner.work() == "done"
    notes, runner = hdr_run(units, hdr_lost_after_s=15)
    thread = in_thread(runner)
    paused = 0
    until = time.monotonic() + 20
    while thread.is_alive() and time.monotonic() < until:
        if notes.states and notes.states[-1][0] == "paused":
            assert "PQ, 10 bits, limited range is sent, and the display says it shows SDR" in notes.states[-1][1]
            paused += 1
            runner.resume()
        thread.join(0.01)
    assert not thread.is_alive()
    assert paused >= 1
    # What was read while it stood in SDR is not among it.
    for one, two in zip(notes.done, calm.done, strict=True):
        assert one[2].XYZ[1] == pytest.approx(two[2].XYZ[1], rel=0.02)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"decodes": {"Full signal": ""}}, "decodes must give one of '', 'sdr' for each of"),
        ({"decodes": {"Full signal": "", "Plain signal": "hlg"}}, "decodes must give one of"),
        ({"scope": "mode"}, "holds for the whole unit"),
    ],
)
def test_what_cannot_be_is_refused(units, change, said):
    document = json.loads(units[TELEVISION])
    control = next(c for c in document["controls"] if c["path"] == PORT)
    control |= change
    with pytest.raises(UnitFileError, match=said):
        parse_unit(json.dumps(document))


def test_rates_and_depths_that_differ_are_another_signal():
    sent = SignalFormat("pq", "full", 10, "4:4:4", 120.0)
    assert sent.taken_as(SignalFormat("pq", "full", 10, "4:4:4", 119.88)) == ""
    assert sent.taken_as(SignalFormat("pq", "full", 10)) == ""
    assert sent.taken_as(SignalFormat("pq", "full", 8, "4:2:2", 60.0)) == "8 bits, 4:2:2, 60 Hz"
    assert SignalFormat("sdr", bits=8).taken_as(SignalFormat("sdr", bits=10)) == ""
