"""A person at the remote and a meter that only shows numbers, as drivers: asked for what differs, believed, and asked again."""

import threading
import time
from dataclasses import replace

import pytest

from lumenar.bench.drivers.hands import Hands
from lumenar.bench.drivers.simulated import arrive
from lumenar.bench.drivers.typed import MisreadError, TypedMeter
from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.person import Reply, SomethingElseError
from lumenar.bench.ports import (
    BelowFloorError,
    Bench,
    Cancel,
    EndedError,
    RefusedError,
    StandsOtherwiseError,
    TimedOutError,
    Wanted,
)
from lumenar.bench.runner import Runner
from lumenar.bench.runner_port import RunnerStep, SetupState
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.unit_file import parse_unit
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.menu.controls import Control
from lumenar.core.menu.menu import Menu, Mode
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat

from ..conftest import MONITOR, PHONE
from .test_runner import Notes


class Somebody:
    """A person before a stand-in: does what is asked with their hands, and types what the meter says."""

    def __init__(self, bench, form="XYZ"):
        self.bench, self.form, self.asked = bench, form, []
        self.replies = {}

    def __call__(self, task):
        self.asked.append((task.asked, task.what, task.value))
        if (task.asked, task.what) in self.replies:
            reply = self.replies.pop((task.asked, task.what))
            if reply.answered != "done" or task.asked == "read":
                return reply
        if task.asked == "choose":
            self.bench.remote.select(task.value)
        elif task.asked == "enter":
            numeric = any(c.path == task.what and c.numeric for c in self.bench.remote.file.controls)
            self.bench.remote.apply(task.what, float(task.value) if numeric else task.value)
        elif task.asked == "show":
            self.bench.source.show(task.patch)
        elif task.asked == "send":
            return Reply()
        else:
            try:
                X, Y, Z = self.bench.meter.read().XYZ
            except BelowFloorError:
                return Reply(text="low")
            said = {"XYZ": f"{X:.5f} {Y:.5f} {Z:.5f}", "Y": f"{Y:.5f}"}
            return Reply(text=said.get(self.form) or f"{Y:.5f} {X / (X + Y + Z):.6f} {Y / (X + Y + Z):.6f}")
        return Reply()


MENU = Menu(
    (Mode("Film", "sdr", "bt1886", {"Light": 40}, ("Tint",)), Mode("Game", "sdr", "srgb")),
    (
        Control("Power", "choice", choices=("normal", "low"), default="normal", locks={"low": ("Light",)}, resets=("Light",)),
        Control("Light", "slider", default=60, scope="mode"),
        Control("Tint", "slider", -5, 5, 1, default=0),
        Control("Colour", "slider", default=50),
        Control("Eco", "switch", default="off", scope="unit"),
        Control("Depth", "slider"),
    ),
)  # fmt: skip


@pytest.fixture
def asked():
    return []


@pytest.fixture
def hands(asked):
    def person(task):
        asked.append((task.asked, task.what, task.value))
        return Reply()

    return Hands(MENU, person)


def test_only_what_differs_is_asked_for(hands, asked):
    hands.select("Film")
    for path, value in (("Light", 40), ("Power", "normal"), ("Light", 45), ("Light", 45)):
        hands.apply(path, value)
    assert asked == [("choose", "Mode", "Film"), ("enter", "Light", "45")]
    hands.apply("Power", "low")
    hands.apply("Power", "normal")
    hands.apply("Light", 40)
    assert asked[2:] == [("enter", "Power", "low"), ("enter", "Power", "normal")], (
        "the reset has put Light at 40 already"
    )
    # Of what nobody knows it may stand anywhere.
    hands.apply("Depth", 0)
    assert asked[-1] == ("enter", "Depth", "0")


def test_a_whole_state_is_entered_and_what_stands_there_is_said(hands, asked):
    entered = hands.enter(Wanted("Film", {"Light": 45, "Power": "normal", "Colour": 50}))
    assert asked == [("choose", "Mode", "Film"), ("enter", "Light", "45")]
    assert entered.mode == "Film" and entered.values["Light"] == 45 and "Depth" not in entered.values
    entered.check(Wanted("Film", {"Light": 45.0, "Depth": 3}))
    # What is entered after it puts it back, however often it is tried.
    undone = hands.enter(Wanted("Film", {"Light": 50, "Power": "low"}))
    with pytest.raises(StandsOtherwiseError, match="Light is 40, not 50") as e:
        undone.check(Wanted("Film", {"Light": 50, "Power": "low"}))
    assert "another setting may put it back" in e.value.advice


def test_a_signal_is_asked_for_where_it_is_another(asked):
    replies = [Reply(), Reply("not possible", "the player has no such"), Reply()]
    hands = Hands(MENU, lambda task: asked.append((task.asked, task.what)) or replies.pop(0))
    for _ in range(2):
        hands.configure(SignalFormat("sdr", "limited", 10, "4:2:2", 50.0))
    assert asked == [("send", "SDR, 10 bits, limited range, 4:2:2, 50 Hz")]
    with pytest.raises(RefusedError, match="has no such"):
        hands.configure(SignalFormat())
    hands.configure(SignalFormat("sdr", "limited", 10, "4:2:2", 50.0))
    assert len(asked) == 3, "nobody knows what is sent now"


def test_a_reading_that_nobody_wants_any_more_is_not_waited_for():
    wanted, seen = [True], []

    def person(task):
        seen.append(task.cancel)
        wanted[0] = False
        return Reply(text="1 1 1")

    meter = TypedMeter(StatedMeter(), "XYZ", person)
    with pytest.raises(EndedError) as e:
        meter.read(Cancel(lambda: not wanted[0]))
    assert len(seen) == 1 and seen[0].asked() and "Resume" in e.value.advice
    with pytest.raises(EndedError):
        meter.read(Cancel(lambda: True))
    assert len(seen) == 1, "nobody is asked"
    clock = iter((0.0, 100.0))
    with pytest.raises(TimedOutError, match="within 60 s"):
        meter.read(Cancel(deadline_s=60.0, now=lambda: next(clock), begun=0.0))
    assert len(seen) == 2


def test_what_modes_share_is_known_in_the_other(hands, asked):
    hands.select("Film")
    for path, value in (("Light", 45), ("Colour", 55), ("Eco", "on")):
        hands.apply(path, value)
    del asked[:]
    hands.select("Game")
    for path, value in (("Light", 60), ("Eco", "on"), ("Tint", 0)):
        hands.apply(path, value)
    assert asked == [("choose", "Mode", "Game")], "its light stands as it ships, and what all modes share as it was set"
    hands.apply("Colour", 50)
    assert asked[-1] == ("enter", "Colour", "50"), "nobody knows whether they share it"
    hands.apply("Eco", "off")
    hands.select("Film")
    hands.apply("Light", 45)
    assert asked[-1] == ("choose", "Mode", "Film"), "it stands as it was left"
    hands.apply("Eco", "on")
    assert asked[-1] == ("enter", "Eco", "on")


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        ("Tint", 1, "locked in the mode Film"),
        ("Light", 400, "outside 0..100"),
        ("Glow", 1, "no entry"),
        ("Light", 0.5, "between"),
    ],
)
def test_nobody_is_asked_for_what_the_menu_does_not_have(hands, asked, path, value, said):
    with pytest.raises(RefusedError, match="none is chosen yet"):
        hands.apply("Light", 1)
    with pytest.raises(RefusedError, match="has Film, Game"):
        hands.select("Cinema")
    hands.select("Film")
    with pytest.raises(RefusedError, match=said):
        hands.apply(path, value)
    assert asked == [("choose", "Mode", "Film")]


def test_what_was_not_possible_is_not_believed_to_stand_there(asked):
    replies = [
        Reply(),
        Reply("not possible", "greyed out"),
        Reply("not possible"),
        Reply("something else", "it went dark"),
    ]
    hands = Hands(MENU, lambda task: asked.append(task.what) or (replies.pop(0) if replies else Reply()))
    hands.select("Film")
    for _ in range(2):
        with pytest.raises(RefusedError, match="greyed out"):
            hands.apply("Light", 50)
    assert asked == ["Mode", "Light"], "nobody is asked the same again while nothing has changed"
    with pytest.raises(RefusedError, match="Colour could not be set to 60; nobody said why"):
        hands.apply("Colour", 60)
    with pytest.raises(SomethingElseError, match="it went dark") as e:
        hands.apply("Light", 55)
    assert "put it right" in e.value.advice
    hands.apply("Light", 40)
    assert asked[2:] == ["Colour", "Light", "Light"], "it ships at 40, but something else has happened since"
    hands.apply("Depth", 10)
    hands.apply("Light", 50)
    assert asked[5:] == ["Depth", "Light"], "other things have changed, so it may be possible now"


@pytest.mark.parametrize(
    ("form", "text", "XYZ"),
    [
        ("XYZ", "95,1 100 108,9", (95.1, 100, 108.9)),
        ("Yxy", "100 .3127 .329", (95.05, 100, 108.9)),
        ("Y", " 12.5 ", (12.5,) * 3),
    ],
)
def test_what_is_typed_is_the_reading(form, text, XYZ):
    clock = iter((10.0, 17.5))
    reading = TypedMeter(StatedMeter(), form, lambda task: Reply(text=text), lambda: next(clock)).read()
    assert pytest.approx(XYZ, rel=1e-3) == reading.XYZ and reading.exposure_s == 7.5


def test_a_typed_meter_says_what_is_wrong():
    with pytest.raises(BelowFloorError):
        TypedMeter(StatedMeter(), "XYZ", lambda task: Reply(text="<0.01")).read()
    for text, said in (("", "nothing is typed"), ("1 2", "takes three"), ("9e9 9e9 9e9", "more than any display")):
        with pytest.raises(MisreadError, match=said) as e:
            TypedMeter(StatedMeter(), "XYZ", lambda task, text=text: Reply(text=text)).read()
        assert "once more" in e.value.advice
    told = TypedMeter(
        StatedMeter("Desk meter", kind="spectroradiometer", repeatability_percent=1.5, floor_cd_m2=0.02), "Y", None
    )
    d = told.describe()
    assert (d.name, d.kind, d.repeatability, d.floor) == ("Desk meter", "spectroradiometer", 0.015, 0.02)
    assert TypedMeter(StatedMeter(kind="luminance meter"), "Y", None).describe().kind == "colorimeter"


class Watch:
    """A clock on the wall of a room in which a person takes no time."""

    def __init__(self):
        self.at = 0.0

    def now(self):
        return self.at

    def sleep(self, seconds):
        self.at += seconds


@pytest.fixture
def by_hand(units):
    """A bench on which a person does everything, and two setups to read on it."""
    file = parse_unit(units[PHONE])
    somebody = Somebody(simulated_bench(file, SimulatedClock(start=40_000.0)))
    menu = arrive(units[PHONE], PHONE)[0].menu
    hands = Hands(menu, somebody)
    meter = TypedMeter(StatedMeter(repeatability_percent=0.2), "XYZ", somebody)
    bench = Bench(meter, hands, hands, Watch(), meter, meter)
    shipped = menu.defaults(menu.mode("Faithful"))
    setups = [
        SetupState(1, "Faithful", "Faithful", shipped, "Screen > Brightness"),
        SetupState(2, "Warmer", "Faithful", {**shipped, "Screen > Tone > Blue": 80}, "Screen > Brightness"),
    ]
    notes = Notes(
        [RunnerStep(3 * i + k, s, Patch((v,) * 3)) for i, s in enumerate(setups) for k, v in enumerate((1.0, 0.5, 0.1))]
    )
    return somebody, notes, Runner(bench, notes, PANEL_TIMINGS["lcd"], warm=True)


def test_the_runner_works_through_a_plan_by_hand(by_hand):
    somebody, notes, runner = by_hand
    assert runner.work() == "done"
    assert [n for n, *_ in notes.done] == list(range(6)) and {o for _, o, *_ in notes.done} == {"ok"}
    entered = [(a, v) for a, _, v in somebody.asked if a in ("choose", "enter")]
    assert entered == [("choose", "Faithful"), ("choose", "Faithful"), ("enter", "80")], "only what differs"
    white, warmer = notes.done[0][2].XYZ, notes.done[3][2].XYZ
    assert warmer[2] / warmer[1] < 0.9 * white[2] / white[1]


@pytest.mark.parametrize(
    ("task", "reply", "said"),
    [
        (
            ("enter", "Screen > Tone > Blue"),
            Reply("not possible", "the entry is grey"),
            "The entry is grey. Change the menu",
        ),
        (
            ("choose", "Screen > Mode"),
            Reply("something else", "it switched off"),
            "It switched off. See what the display shows",
        ),
        (("read", "X Y Z"), Reply(text="12"), "takes three, parted by blanks. Read the meter once more"),
    ],
)
def test_what_does_not_go_by_hand_pauses_the_run_and_loses_nothing(by_hand, task, reply, said):
    somebody, notes, runner = by_hand
    somebody.replies[task] = reply
    thread = threading.Thread(target=runner.work, daemon=True)
    thread.start()
    assert notes.told.wait(10)
    for _ in range(200):
        if notes.states[-1][0] == "paused":
            break
        thread.join(0.05)
    state, message = notes.states[-1]
    assert state == "paused" and said in message
    read = len(notes.done)
    runner.resume()
    thread.join(10)
    assert [n for n, *_ in notes.done] == list(range(6)) and read <= 3


def until_told(notes, thread, state="paused"):
    for _ in range(200):
        if notes.states and notes.states[-1][0] == state:
            return notes.states[-1][1]
        thread.join(0.05)
    raise AssertionError(notes.states)


def test_the_signal_of_each_setup_is_asked_for_before_it_is_read(by_hand):
    somebody, notes, runner = by_hand
    film, usual = SignalFormat("sdr", "limited", 10), SignalFormat()
    notes.steps[:] = [
        RunnerStep(s.number, replace(s.setup, format=film if s.setup.key == 1 else usual), s.patch) for s in notes.steps
    ]
    assert runner.work() == "done"
    sent = [(i, what) for i, (asked, what, _) in enumerate(somebody.asked) if asked == "send"]
    chosen = [i for i, (asked, *_) in enumerate(somebody.asked) if asked == "choose"]
    assert [what for _, what in sent] == ["SDR, 10 bits, limited range", "SDR, 8 bits, full range"]
    assert sent[0][0] < chosen[0] < sent[1][0] < chosen[1]


def test_a_setup_that_undoes_itself_pauses_the_run_before_anything_is_read():
    menu = replace(MENU, modes=(Mode("Film", "sdr", "bt1886", {"Light": 40}),))
    typed = TypedMeter(StatedMeter(), "XYZ", lambda task: Reply(text="95 100 108"))
    hands = Hands(menu, lambda task: Reply())
    setup = SetupState(1, "Film", "Film", {"Light": 50, "Power": "low"}, "Light")
    notes = Notes([RunnerStep(0, setup, Patch((1.0,) * 3))])
    runner = Runner(Bench(typed, hands, hands, Watch(), typed, typed), notes, PANEL_TIMINGS["lcd"], warm=True)
    thread = threading.Thread(target=runner.work, daemon=True)
    thread.start()
    said = until_told(notes, thread)
    assert "All was entered, but Light is 40, not 50. See what the menu shows" in said and not notes.done
    runner.stop()
    thread.join(5)
    assert not thread.is_alive()


def test_a_stop_ends_a_reading_that_is_waited_for(by_hand):
    somebody, notes, runner = by_hand
    reading = threading.Event()

    class Waiting(TypedMeter):
        def read(self, cancel):
            reading.set()
            for _ in range(1000):
                cancel.check()
                time.sleep(0.01)
            raise AssertionError("nobody ended it")

    slow = Waiting(StatedMeter(), "XYZ", somebody)
    runner._bench = replace(runner._bench, meter=slow)
    thread = threading.Thread(target=runner.work, daemon=True)
    thread.start()
    assert reading.wait(5) and runner.stop()
    thread.join(3)
    assert not thread.is_alive() and not notes.done and notes.states[-1][0] == "stopped"


def test_a_monitor_of_other_words_is_worked_by_hand_too(units):
    """Locks of the menu and of the display agree, whatever was entered before."""
    file = parse_unit(units[MONITOR])
    somebody = Somebody(simulated_bench(file, SimulatedClock()))
    menu = arrive(units[MONITOR], MONITOR)[0].menu
    hands = Hands(menu, somebody)
    for mode in menu.modes:
        hands.select(mode.name)
        for control in menu.controls:
            values = (control.minimum, control.maximum) if control.numeric else control.values
            for value in values:
                try:
                    hands.apply(control.path, value)
                except RefusedError:
                    with pytest.raises(RefusedError):
                        somebody.bench.remote.apply(control.path, value)
                else:
                    assert somebody.bench.remote.values[mode.name].get(control.path, value) == value
