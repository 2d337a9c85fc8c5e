"""Settings and firmware change, figures go stale; the meter runs free; setups are compared and looked at."""

import re
import time

import pytest

from lumenar.bench.plan import Cell
from lumenar.bench.ports import RefusedError
from lumenar.service import board, compare, look, setups, shelf
from lumenar.service.displays import display_of
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError
from lumenar.service.free_run import FreeRun
from lumenar.service.planning import Options
from lumenar.service.plates import plates
from lumenar.store import reviews

from ..conftest import MONITOR


class Idle:
    """A job that does nothing."""

    kind = "correction"

    def __init__(self, review):
        self.review = review

    def work(self):
        pass


def states(app, review, row=0):
    return {c.measurement: c.state for c in board.board(app, review).rows[row].cells if c.state != "unmeasured"}


def test_a_changed_setting_makes_figures_stale_until_it_is_back(app, bench, measured):
    setup = reviews.setups_of(app.db.connection(), measured)[0].id
    assert set(states(app, measured).values()) == {"measured"}
    before = board.board(app, measured).rows[0].score
    setups.change(app, measured, setup, setups.Edit({"Screen > Tone > Blue": 90}))
    row = board.board(app, measured).rows[0]
    assert set(states(app, measured).values()) == {"stale"} and row.score is None
    assert row.state == "1 setting changed" and row.cells[0].note == "Blue 100 → 90"
    assert row.cells[0].figures, "what was measured is kept"
    assert set(states(app, measured, 1).values()) == {"measured"}
    nextstep = board.board(app, measured).next
    assert nextstep.text.startswith("Measure again what is stale") and {s for s, _ in nextstep.cells} == {setup}
    setups.change(app, measured, setup, setups.Edit({"Screen > Tone > Blue": 100}))
    assert set(states(app, measured).values()) == {"measured"} and board.board(app, measured).rows[0].score == before


def test_new_firmware_makes_the_unit_stale(app, bench, measured):
    unit = display_of(app, measured).row
    setups.set_firmware(app, unit.id, "6.3.0")
    assert {s for r in range(4) for s in states(app, measured, r).values()} == {"stale"}
    assert "firmware 6.2.1" in board.board(app, measured).rows[0].cells[0].note
    with pytest.raises(BadInputError, match="1 to 80"):
        setups.set_firmware(app, unit.id, " ")


def test_a_setup_of_its_own_is_measured_beside_the_mode_and_can_go_again(app, bench, measured):
    setup = reviews.setups_of(app.db.connection(), measured)[1].id
    new = setups.add(app, measured, setup, "Lively, warmer", setups.Edit({"Screen > Tone > Blue": 80}))
    bench.runs.start(measured, [Cell(new, "white_black")])
    bench.runs.finish()
    rows = {r.name: r for r in board.board(app, measured).rows}
    cct = [
        float(next(f.raw for f in rows[n].cells[0].figures if f.figure == "cct_k"))
        for n in ("Lively", "Lively, warmer")
    ]
    assert cct[1] < cct[0] - 500
    with pytest.raises(BadInputError, match="already"):
        setups.add(app, measured, setup, "Lively, warmer", setups.Edit({}))
    with pytest.raises(ConflictError, match="as shipped"):
        setups.delete(app, measured, setup)
    setups.delete(app, measured, new)
    assert "Lively, warmer" not in {r.name for r in board.board(app, measured).rows}


def test_the_menu_refuses_what_the_unit_would(app, bench, units):
    review = shelf.add_review(app, units[MONITOR], MONITOR)
    studio = reviews.setups_of(app.db.connection(), review)[0].id
    for settings, said in (
        ({"Picture > Colour": 60}, "locked in the mode Studio"),
        ({"Picture > Light": 140}, r"outside 0\.\.100"),
        ({"Picture > Glow": 1}, "no entry"),
        ({"System > Power": "Thrifty", "Picture > Light": 30}, "locked while System > Power is Thrifty"),
    ):
        with pytest.raises(BadInputError, match=said):
            setups.change(app, review, studio, setups.Edit(settings))
    view = setups.view(app, review, studio)
    assert next(c for c in view.controls if c.path == "Picture > Colour").locked
    assert view.shipped
    setups.change(app, review, studio, setups.Edit({"System > Power": "Thrifty"}))
    assert next(c for c in setups.view(app, review, studio).controls if c.path == "Picture > Light").locked


def test_two_samples_are_two_units_of_one_review(app, bench, units):
    review = shelf.add_review(app, units[MONITOR], MONITOR)
    rows = board.board(app, review).rows
    assert [r.sample for r in rows] == ["A"] * 6 + ["B"] * 6 and rows[6].name == "Studio (sample B)"
    assert (rows[0].firmware, rows[6].firmware) == ("1.04", "1.06")
    bench.runs.start(review, [Cell(r.setup, "white_black") for r in (rows[0], rows[6])], Options(warm_up=True))
    bench.runs.finish()
    runs = app.db.connection().execute("SELECT unit_id, state FROM run ORDER BY id").fetchall()
    assert len(runs) == 2 and runs[0]["unit_id"] != runs[1]["unit_id"] and {r["state"] for r in runs} == {"done"}
    comparison = compare.compare(app, [rows[0].setup, rows[6].setup], None)
    white = next(r for r in comparison.rows if r.figure == "white_cd_m2")
    assert white.values[1].measurable is True and white.values[0].difference is None


def test_captures_become_a_ladder_and_a_setting_is_kept(app, bench, phone):
    free = FreeRun(app, bench)
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    with pytest.raises(ConflictError, match="start it first"):
        free.capture()
    assert free.start(phone, setup).control == "Screen > Brightness"
    with pytest.raises(ConflictError, match="in use"):
        bench.seat.take(Idle(1))
    for value in (20, 60, 100):
        free.move("Screen > Brightness", value)
        view = free.capture()
    assert [c.value for c in view.captures] == [20, 60, 100]
    assert view.captures[0].Y < view.captures[1].Y < view.captures[2].Y
    with pytest.raises(BadInputError, match="outside"):
        free.move("Screen > Brightness", 130)
    with pytest.raises(BadInputError, match="no slider"):
        free.move("Screen > Glow", 1)
    free.keep_ladder()
    assert free.view().captures == []
    with pytest.raises(ConflictError, match="needs 3 settings"):
        free.keep_ladder()
    free.move("Screen > Tone > Red", 95)
    time.sleep(0.1)
    with pytest.raises(ConflictError, match="along the luminance control"):
        free.keep_ladder()
    free.keep_setting()
    assert not free.stop().running
    assert reviews.setup(app.db.connection(), setup)[0].changes == {"Screen > Tone > Red": 95}
    setups.change(app, phone, setup, setups.Edit({"Screen > Tone > Red": 100}))
    ladder = next(c for c in board.board(app, phone).rows[0].cells if c.measurement == "brightness_ladder")
    assert ladder.state == "measured" and ladder.total == 3


def test_a_display_that_dims_what_stands_still_is_captured_undimmed(app, bench, units):
    name = "wickham-slate-14.json"
    review = shelf.add_review(app, units[name], name)
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    free = FreeRun(app, bench)
    free.start(review, setup)
    Y = []
    while bench.rig.clock is None or bench.rig.clock.now() < 300:
        assert time.sleep(0.02) is None and free.view().running
        if bench.live.status().reading is not None and bench.live.status().reading.Y:
            Y.append(bench.live.status().reading.Y)
    Y.append(free.capture().captures[0].Y)
    free.stop()
    # It dims to 82 % after 125 s; over the first minutes it also warms up by a few per cent.
    assert len(Y) > 20 and min(Y) > 0.93 * max(Y)


def test_comparing_says_what_can_be_told_apart(whole):
    table = compare.compare(whole, [1, 2], None)
    values = {r.figure: r.values for r in table.rows}
    assert set(table.shared) == {r.measurement for r in table.rows}
    assert values["coverage_p3_uv_percent"][1].measurable and values["coverage_p3_uv_percent"][1].difference > 15
    assert values["frequency_hz"][1].measurable is None, "no repeatability is known of it"
    same = compare.compare(whole, [1, 2], "display_p3")
    assert [s.target for s in same.setups] == ["display_p3"] * 2
    assert len(compare.comparable(whole)) == 2
    for bad, error in (([], BadInputError), ([1, 2, 3, 4, 5], BadInputError), ([99], NotFoundError)):
        with pytest.raises(error):
            compare.compare(whole, bad, None)


def test_other_targets_are_pinned_as_if_a_perfect_display_had_been_read(whole):
    drawn = plates(whole, 1, 1, "volume", [2], None, ["display_p3", "srgb"])
    assert [p.key for p in drawn.pins] == ["display_p3", "srgb"]
    lines = {s.name: s for c in drawn.charts if c.key == "ring_losses" for s in c.series}
    assert set(lines) == {"Faithful", "Lively", "P3 D65, sRGB curve", "sRGB"}
    # A perfect display with this one's black lacks only what black takes away.
    assert max(y for _, y in lines["sRGB"].points) < max(y for _, y in lines["Faithful"].points) / 3
    with pytest.raises(BadInputError, match="At most 3"):
        plates(whole, 1, 1, "volume", [2], None, ["display_p3", "srgb", "oprgb"])
    with pytest.raises(BadInputError, match="no patches that a target says anything of"):
        plates(whole, 1, 1, "hold", [], None, ["srgb"])


def test_the_look_of_a_mode_is_its_error_exaggerated(whole):
    plain, triple = (look.look(whole, 1, 2, None, f) for f in (1.0, 3.0))
    assert [s.key for s in plain.scenes] == ["gradients", "skin", "foliage", "night"]
    assert all(a.de_mean == b.de_mean > 0.5 for a, b in zip(plain.scenes, triple.scenes, strict=True))
    assert len(plain.swatches) > 140 and plain.swatches[0].meant == triple.swatches[0].meant
    assert plain.swatches[0].shown != triple.swatches[0].shown and "sRGB" in plain.note
    picture = look.scene_png(whole, 1, 2, "skin", None, 2.0, False)
    assert picture.startswith(b"\x89PNG") and picture != look.scene_png(whole, 1, 2, "skin", None, 2.0, True)
    with pytest.raises(NotFoundError, match="no scene"):
        look.scene_png(whole, 1, 2, "sunset", None, 1.0, False)
    with pytest.raises(BadInputError, match="factor"):
        look.look(whole, 1, 2, None, 99)
    with pytest.raises(NotFoundError, match="measure them"):
        look.look(whole, 1, 3, None, 1)


def test_every_plate_of_the_whole_bench_has_pictures_with_numbers(whole):
    from lumenar.core.measurements import MEASUREMENTS
    from lumenar.publish import svg

    for key in MEASUREMENTS:
        drawn = plates(whole, 1, 1, key, [2], None)
        assert drawn.words.endswith(".") and drawn.charts, key
        named = {s.name for c in drawn.charts for s in c.series} | {m.hint for c in drawn.charts for m in c.marks}
        assert any("Lively" in n for n in named | {c.title for c in drawn.charts}), f"{key} does not show the overlay"
        for chart in drawn.charts:
            assert chart.table.rows and len(chart.table.heads) == len(chart.table.rows[0]), (key, chart.key)
            assert not re.search(r"\bnan\b", svg.draw(chart).lower()), (key, chart.key)


def test_estimates_hold_for_every_measurement(whole):
    db = whole.db.connection()
    for run in db.execute("SELECT id FROM run").fetchall():
        expected = db.execute("SELECT sum(expected_s) FROM patch WHERE run_id = ?", (run["id"],)).fetchone()[0]
        start = db.execute(
            "SELECT max(at_s) FROM watch WHERE run_id = ? AND kind = 'warm_up'", (run["id"],)
        ).fetchone()[0]
        end = db.execute(
            "SELECT max(g.at_s) FROM reading g JOIN patch p ON p.id = g.patch_id WHERE p.run_id = ?", (run["id"],)
        ).fetchone()[0]
        assert end - start == pytest.approx(expected, rel=0.1)


def test_a_state_is_entered_from_whatever_the_menu_was_in_before(app, units):
    """Thrift locks the light and resets it: from there to 30 with thrift off, the light has to be entered twice."""
    from lumenar.bench.drivers.simulated import StandIn, arrive
    from lumenar.bench.ports import apply_all
    from lumenar.bench.simulated.clock import SimulatedClock

    arrival = arrive(units["ostrel-fen-32.json"], "unit")[0]
    remote = StandIn(arrival.text).assemble(SimulatedClock(), 1).remote
    mode = arrival.menu.modes[0]
    remote.select(mode.name)
    wanted = {**arrival.menu.defaults(mode), "Picture > Light": 30}
    for before in ({"Picture > Light": 10, "System > Power": "Thrifty"}, {"Picture > Contrast": 40}):
        apply_all(remote, before)
        # Light stands before what frees it.
        apply_all(remote, {"Picture > Light": 30, **wanted})
        assert remote.values[mode.name] == wanted
    with pytest.raises(RefusedError, match="locked while System > Power is Thrifty"):
        apply_all(remote, {"System > Power": "Thrifty", "Picture > Light": 40})
