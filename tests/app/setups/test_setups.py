"""Settings and firmware change, figures go stale; the meter runs free; setups are compared and looked at."""

import json
import re
from dataclasses import replace

import numpy as np
import pytest

from lumenar.app.board import board, look
from lumenar.app.board import comparison as compare
from lumenar.app.board.cell_charts import plates
from lumenar.app.displays import displays
from lumenar.app.displays.displays import display, display_of
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.manual import manual_runs
from lumenar.app.runs.planning import Estimate, Options, setup_states
from lumenar.app.setups import new_display, new_reviews, recall, setup_history, setup_views, setups
from lumenar.bench.drivers.simulated import COLORIMETER
from lumenar.bench.plan import Cell
from lumenar.bench.ports import RefusedError
from lumenar.core import appearance
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.warm_up import warmed_up
from lumenar.core.signals import SignalFormat
from lumenar.core.targets import TARGETS, resolve
from lumenar.store import reviews

from ...conftest import MONITOR


def states(app, review, row=0):
    return {c.measurement: c.state for c in board.board(app, review).rows[row].cells if c.state != "unmeasured"}


def test_a_changed_setting_makes_figures_stale_until_it_is_back(app, bench, measured):
    setup = reviews.setups_of(app.db.connection(), measured)[0].id
    assert set(states(app, measured).values()) == {"measured"}
    before = board.board(app, measured).rows[0].score
    setups.change(app, measured, setup, setups.Edit(values={"Screen > Tone > Blue": 90}))
    row = board.board(app, measured).rows[0]
    assert set(states(app, measured).values()) == {"stale"} and row.score is None
    assert row.state == "1 setting changed" and row.cells[0].note == "Blue 100 → 90"
    assert row.cells[0].figures, "what was measured is kept"
    assert set(states(app, measured, 1).values()) == {"measured"}
    nextstep = board.board(app, measured).next
    assert nextstep.text.startswith("Measure again what is stale") and {s for s, _ in nextstep.cells} == {setup}
    setups.change(app, measured, setup, setups.Edit(values={"Screen > Tone > Blue": 100}))
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
    new = setups.add(app, measured, setup, "Lively, warmer", setups.Edit(values={"Screen > Tone > Blue": 80}))
    bench.runs.start(measured, [Cell(new, "white_black")])
    bench.runs.finish()
    rows = {r.name: r for r in board.board(app, measured).rows}
    cct = [
        float(next(f.raw for f in rows[n].cells[0].figures if f.figure == "cct_k"))
        for n in ("Lively", "Lively, warmer")
    ]
    assert cct[1] < cct[0] - 500
    with pytest.raises(BadInputError, match="already"):
        setups.add(app, measured, setup, "Lively, warmer", setups.Edit(values={}))
    with pytest.raises(ConflictError, match="as shipped"):
        setups.delete(app, measured, setup)
    setups.delete(app, measured, new)
    assert "Lively, warmer" not in {r.name for r in board.board(app, measured).rows}


def test_the_menu_refuses_what_the_unit_would(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    studio = reviews.setups_of(app.db.connection(), review)[0].id
    for settings, said in (
        ({"Picture > Colour": 60}, "locked in the mode Studio"),
        ({"Picture > Light": 140}, r"outside 0\.\.100"),
        ({"Picture > Glow": 1}, "no entry"),
        ({"System > Power": "Thrifty", "Picture > Light": 30}, "locked while System > Power is Thrifty"),
    ):
        with pytest.raises(BadInputError, match=said):
            setups.change(app, review, studio, setups.Edit(values=settings))
    view = setup_views.view(app, review, studio)
    assert next(c for c in view.controls if c.path == "Picture > Colour").locked
    assert view.shipped
    setups.change(app, review, studio, setups.Edit(values={"System > Power": "Thrifty"}))
    assert next(c for c in setup_views.view(app, review, studio).controls if c.path == "Picture > Light").locked


def test_two_samples_are_two_units_of_one_review(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    rows = board.board(app, review).rows
    assert [r.sample for r in rows] == ["A"] * 10 + ["B"] * 10 and rows[10].name == "Studio (sample B)"
    assert (rows[0].firmware, rows[10].firmware) == ("1.04", "1.06")
    bench.runs.start(review, [Cell(r.setup, "white_black") for r in (rows[0], rows[10])], Options(warm_up=True))
    bench.runs.finish()
    runs = app.db.connection().execute("SELECT unit_id, state FROM run ORDER BY id").fetchall()
    assert len(runs) == 2 and runs[0]["unit_id"] != runs[1]["unit_id"] and {r["state"] for r in runs} == {"done"}
    comparison = compare.compare(app, [rows[0].setup, rows[10].setup], None)
    white = next(r for r in comparison.rows if r.figure == "white_cd_m2")
    assert white.values[1].measurable is True and white.values[0].difference is None


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
    # What sRGB cannot show is said of each swatch, on whichever side; exaggerated there is more of it.
    cut = [{s.name for s in seen.swatches if s.outside} for seen in (plain, triple)]
    assert len(cut[1]) > len(cut[0])
    Lab = np.array([[100.0, 0.0, 0.0], [60.0, 120.0, 0.0], [50.0, 0.0, 0.0], [101.0, 0.0, 0.0]])
    assert appearance.outside(Lab).tolist() == [False, True, False, True]
    assert appearance.to_codes(Lab)[1] == 50 and appearance.to_codes(Lab[:1])[0].tolist() == [[255, 255, 255]]
    model, target = look._model(whole, 1, 2), resolve("srgb")
    for factor, meant in ((1.0, False), (3.0, False), (1.0, True)):
        some = appearance.scene("foliage")[::9, ::9]
        wanted, got = appearance.both_Lab(model, some, target)
        codes, outside = appearance.to_codes(wanted if meant else wanted + factor * (got - wanted))
        assert (codes == appearance.pixels(model, some, target, factor, meant)).all()
        if not meant:
            assert outside == appearance.scene_figures(model, some, target, factor).outside_percent
    assert appearance.scene("night").shape == (468, 832, 3)
    picture = look.scene_png(whole, 1, 2, "skin", None, 2.0, False)
    assert picture.startswith(b"\x89PNG") and picture != look.scene_png(whole, 1, 2, "skin", None, 2.0, True)
    with pytest.raises(NotFoundError, match="no scene"):
        look.scene_png(whole, 1, 2, "sunset", None, 1.0, False)
    with pytest.raises(BadInputError, match="factor"):
        look.look(whole, 1, 2, None, 99)
    with pytest.raises(NotFoundError, match="measure them"):
        look.look(whole, 1, 3, None, 1)


def test_figures_of_a_scene_are_those_of_all_its_pixels(whole):
    seen = look.look(whole, 1, 2, None, 2.0)
    model, target = look._model(whole, 1, 2), TARGETS[seen.target]
    for s in seen.scenes:
        whole_scene = appearance.scene_figures(model, appearance.scene(s.key), target, 2.0)
        assert s.de_mean == pytest.approx(whole_scene.de_mean, rel=0.02)
        assert s.de_p95 == pytest.approx(whole_scene.de_p95, rel=0.03)
        assert s.outside_percent == pytest.approx(whole_scene.outside_percent, abs=0.5)


def test_every_plate_of_the_whole_bench_has_pictures_with_numbers(whole):
    from lumenar.core.measurements import MEASUREMENTS
    from lumenar.publish import pictures

    for key in (k for k, m in MEASUREMENTS.items() if "sdr" in m.signals):
        drawn = plates(whole, 1, 1, key, [2], None)
        assert drawn.words.endswith(".") and drawn.charts, key
        named = {s.name for c in drawn.charts for s in c.series} | {m.hint for c in drawn.charts for m in c.marks}
        assert any("Lively" in n for n in named | {c.title for c in drawn.charts}), f"{key} does not show the overlay"
        for chart in drawn.charts:
            assert chart.table.rows and len(chart.table.heads) == len(chart.table.rows[0]), (key, chart.key)
            assert not re.search(r"\bnan\b", pictures.draw(chart).lower()), (key, chart.key)


def test_how_the_display_warmed_up_stands_beside_white_and_the_hold_alone(whole, monkeypatch):
    warm = warmed_up([(60.0 * i, 100.0 + i) for i in range(10)])
    monkeypatch.setattr("lumenar.app.board.cell_charts._warm_up", lambda app, row: warm)
    for m, beside in {"white_black": True, "hold": True, "grey_ramp": False, "gamut": False}.items():
        drawn = plates(whole, 1, 1, m, [], None)
        assert (warm.words in drawn.words, warm.chart.key in [c.key for c in drawn.charts]) == (beside, beside), m


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


def test_a_plan_takes_its_times_from_the_meters_and_from_white_as_it_was_read_last(app, bench):
    """The dark takes longer: of a setup that nobody has read a usual white is expected, of another its own."""
    review = new_reviews.add_review(app, shipped_units()["ostrel-fen-32.json"], "ostrel-fen-32.json")
    row = reviews.setups_of(app.db.connection(), review)[0]
    shown = display(app, row.unit_id)
    greys = [Patch((v, v, v)) for v in (1.0, 0.5, 0.05)]

    def expected():
        return Estimate(app, shown, {row.id: row}).seconds(row.id, [*greys, Patch((1.0,) * 3, reads="waveform")])

    unread = expected()
    assert unread[0] == COLORIMETER.exposure_s(200.0) == COLORIMETER.shortest_s and unread[2] > unread[1] >= unread[0]
    assert unread[3] == 1.0
    dim = [[0.3, 0.32, 0.35], [0.05, 0.06, 0.06], [0.1, 0.06, 0.05]]
    bench.runs.start(review, [Cell(row.id, "white_black")])
    bench.runs.finish()
    with app.db.transaction() as db:
        db.execute("UPDATE run_setup SET signature = ? WHERE setup_id = ?", (json.dumps(dim), row.id))
    assert expected()[0] == COLORIMETER.exposure_s(0.32) > 4 * unread[0]


def test_what_a_run_is_made_of_has_the_signal_of_each_setup_and_of_meters_what_figures_depend_on(app, bench):
    review = new_reviews.add_review(app, shipped_units()["ostrel-fen-32.json"], "ostrel-fen-32.json")
    row = reviews.setups_of(app.db.connection(), review)[0]
    unit = display(app, row.unit_id).row
    usual = SignalFormat("sdr", unit.signal_range, unit.bits)
    assert setup_states(app, review, row.unit_id)[row.id].format == usual
    setups.change(app, review, row.id, setups.Edit(format=setup_views.StatedFormat(chroma="4:2:2", refresh_hz=50.0)))
    assert setup_states(app, review, row.unit_id)[row.id].format == replace(usual, chroma="4:2:2", refresh_hz=50.0)
    bench.runs.start(review, [Cell(row.id, "white_black")])
    bench.runs.finish()
    [text] = app.db.connection().execute("SELECT meters FROM run").fetchone()
    told = json.loads(text)["XYZ"]
    assert {"name", "repeatability", "floor", "absolute"} <= set(told)
    assert not {"shortest_s", "longest_s", "bright"} & set(told), "how long it reads changes no figure"


def test_a_state_is_entered_from_whatever_the_menu_was_in_before(app, units):
    """Thrift locks the light and resets it: from there to 30 with thrift off, the light has to be entered twice."""
    from lumenar.bench.drivers.simulated import SimulatedDisplay, arrive
    from lumenar.bench.ports import Wanted
    from lumenar.bench.simulated.clock import SimulatedClock

    arrival = arrive(units["ostrel-fen-32.json"], "unit")[0]
    remote = SimulatedDisplay(arrival.text).assemble(SimulatedClock(), 1).remote
    mode = arrival.menu.modes[0]
    wanted = {**arrival.menu.defaults(mode), "Picture > Light": 30}
    for before in ({"Picture > Light": 10, "System > Power": "Thrifty"}, {"Picture > Contrast": 40}):
        remote.enter(Wanted(mode.name, before))
        # Light stands before what frees it.
        entered = remote.enter(Wanted(mode.name, {"Picture > Light": 30, **wanted}))
        assert remote.values[mode.name] == wanted == entered.values and entered.mode == mode.name
    with pytest.raises(RefusedError, match="locked while System > Power is Thrifty"):
        remote.enter(Wanted(mode.name, {"System > Power": "Thrifty", "Picture > Light": 40}))


def reading_of(app, review, setup, measurement="white_black"):
    row = next(r for r in board.board(app, review).rows if r.setup == setup)
    return next(c for c in row.cells if c.measurement == measurement)


@pytest.fixture
def wall(app, bench):
    """A display without a stand-in, its white and black typed in a dark room; one default nobody knows."""
    controls = "Picture\n  Light 0..50 = 30 (luminance)\n  Tone 2.0 2.2 2.4\n  Logo on off* (no effect on accuracy)\n"
    review = new_display.add(
        app,
        new_display.NewDisplay(
            maker="Tern",
            model="Wall",
            kind="television",
            panel="lcd",
            firmware="1",
            modes="Film\nGame",
            controls=controls,
        ),
    )
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    setups.change(app, review, setup, setups.Edit(room=setup_views.Room("dark", 0.0)))
    run = bench.runs.start(review, [Cell(setup, "white_black")], Options())
    sheet = manual_runs.sheet(app, run)
    values = {(1.0, 1.0, 1.0): "95 100 108", (0.0, 0.0, 0.0): "0.1 0.1 0.1"}
    manual_runs.enter(app, run, "XYZ", [manual_runs.Entry(p.patch, values[tuple(p.rgb)]) for p in sheet.patches])
    return review, setup


@pytest.mark.parametrize(
    ("edit", "note"),
    [
        (setups.Edit(values={"Picture > Light": 20.0}), "Light 30 → 20"),
        (setups.Edit(values={"Picture > Tone": "2.4"}), ""), (setups.Edit(read=["Picture > Light"]), ""),
        (setups.Edit(values={"Picture > Logo": "on"}), ""), (setups.Edit(name="Films"), ""),
        (setups.Edit(room=setup_views.Room("lamp", 40.0)), "room dark → lamp"),
        (setups.Edit(room=setup_views.Room("dark", 5.0)), "room 0 lux → 5 lux"), (setups.Edit(no_room=True), ""),
        (setups.Edit(format=setup_views.StatedFormat(bits=10)), "signal bits 8 → 10"),
        (setups.Edit(format=setup_views.StatedFormat(chroma="4:2:2")), ""), (setups.Edit(target="srgb"), ""),
    ],
)  # fmt: skip
def test_stale_says_what_differs_and_what_became_known_makes_nothing_stale(app, wall, edit, note):
    review, setup = wall
    assert reading_of(app, review, setup).state == "measured"
    setups.change(app, review, setup, edit)
    cell = reading_of(app, review, setup)
    assert (cell.state, cell.note if note else "") == (("stale", note) if note else ("measured", ""))
    setups.undo(app, review, setup)
    assert reading_of(app, review, setup).state == "measured"


def test_many_differences_are_counted_and_firmware_is_named(app, bench, units):
    review = new_reviews.add_review(app, units[MONITOR], MONITOR)
    setup = next(s for s in reviews.setups_of(app.db.connection(), review))
    bench.runs.start(review, [Cell(setup.id, "white_black")], Options())
    bench.runs.finish()
    view = setup_views.view(app, review, setup.id)
    free = [c for c in view.controls if c.kind == "slider" and not c.locked][:5]
    setups.change(app, review, setup.id, setups.Edit(values={c.path: c.minimum for c in free}))
    note = reading_of(app, review, setup.id).note
    assert note.count("→") == 2 and note.endswith("3 more settings")
    setups.undo(app, review, setup.id)
    setups.set_firmware(app, setup.unit_id, "9.9")
    assert reading_of(app, review, setup.id).note.endswith("→ 9.9")


def test_values_say_where_they_come_from(app, wall):
    review, setup = wall
    origins = lambda: {c.path.split(" > ")[1]: c.origin for c in setup_views.view(app, review, setup).controls}  # noqa: E731
    assert origins() == {"Light": "assumed", "Tone": "unknown", "Logo": "assumed"}
    setups.change(
        app, review, setup, setups.Edit(values={"Picture > Tone": "2.2"}, read=["Picture > Tone", "Picture > Light"])
    )
    assert origins() == {"Light": "read", "Tone": "read", "Logo": "assumed"}
    setups.change(app, review, setup, setups.Edit(values={"Picture > Light": 10.0, "Picture > Tone": None}))
    assert origins() == {"Light": "set", "Tone": "unknown", "Logo": "assumed"}
    setups.change(app, review, setup, setups.Edit(values={"Picture > Logo": "on"}))
    setups.change(app, review, setup, setups.Edit(values={"Picture > Logo": "off"}))
    assert origins()["Logo"] == "assumed", "what is back at a default that nobody read is assumed again"
    for edit, place in [
        (setups.Edit(read=["Picture > Nothing"]), "Picture > Nothing"), (setups.Edit(read=["Picture > Tone"]), "Picture > Tone"),
        (setups.Edit(room=setup_views.Room(" ")), "room"), (setups.Edit(room=setup_views.Room("x", -1.0)), "room"),
        (setups.Edit(format=setup_views.StatedFormat(bits=5)), "format"), (setups.Edit(name="Game"), "name"),
        (setups.Edit(format=setup_views.StatedFormat(refresh_hz=0.0)), "format"),
    ]:  # fmt: skip
        with pytest.raises(BadInputError) as e:
            setups.change(app, review, setup, edit)
        assert e.value.place == place
    assert setup_views.view(app, review, setup).changes == 5, "what was refused left no trace"


def test_history_tells_every_change_and_undo_goes_back_step_by_step(app, wall):
    review, setup = wall
    setups.change(app, review, setup, setups.Edit(values={"Picture > Light": 10.0}, target="srgb"))
    setups.change(app, review, setup, setups.Edit(name="Films", format=setup_views.StatedFormat(bits=10)))
    told = [c.words for c in setup_history.history(app, review, setup)]
    assert told[0] == ["name: Film → Films", "signal: bits 10"]
    assert told[1] == ["Picture > Light: 30 → 10", "target: BT.709, BT.1886 → sRGB"]
    assert told[2] == ["room: not recorded → dark, 0 lux"]
    setups.undo(app, review, setup)
    setups.undo(app, review, setup)
    view = setup_views.view(app, review, setup)
    assert (view.name, view.target, view.changes) == ("Film", "bt709_bt1886", 1)
    setups.undo(app, review, setup)
    assert setup_history.history(app, review, setup) == []
    with pytest.raises(ConflictError, match="nothing to take back"):
        setups.undo(app, review, setup)


def test_the_board_nests_what_was_made_of_a_mode_under_it(app, wall):
    review, setup = wall
    game = reviews.setups_of(app.db.connection(), review)[1].id
    setups.add(app, review, game, "Game, night", setups.Edit(room=setup_views.Room("night", None, "a torch, 30 cm")))
    setups.add(
        app,
        review,
        setup,
        "Film, lamp",
        setups.Edit(values={"Picture > Light": 5.0}, format=setup_views.StatedFormat(bits=10)),
    )
    rows = [(r.name, r.mode, r.nested, r.room, r.format) for r in board.board(app, review).rows]
    assert rows == [
        ("Film", "Film", False, "dark", ""), ("Film, lamp", "Film", True, "dark", "10 bits"),
        ("Game", "Game", False, "", ""), ("Game, night", "Game", True, "night", ""),
    ]  # fmt: skip
    assert [r.label for r in setup_views.view(app, review, setup).rooms] == ["dark", "night"]


def test_another_lux_of_a_light_state_is_of_that_setup_alone_and_is_taken_back(app, wall):
    review, setup = wall
    game = reviews.setups_of(app.db.connection(), review)[1].id
    room = lambda s: setup_views.view(app, review, s).room  # noqa: E731
    dark, lit = setup_views.Room("dark", 0.0), setup_views.Room("dark", 5.0)
    setups.change(app, review, game, setups.Edit(room=dark))
    setups.change(app, review, setup, setups.Edit(room=lit))
    assert (room(setup), room(game)) == (lit, dark)
    assert setup_history.history(app, review, setup)[0].words == ["room: dark, 0 lux → dark, 5 lux"]
    assert setup_views.view(app, review, game).rooms == [lit], "of each label the newest is offered"
    setups.change(app, review, game, setups.Edit(no_room=True))
    setups.undo(app, review, setup)
    assert (room(setup), room(game)) == (dark, None), "what a change can go back to is kept, though no setup is in it"
    setups.undo(app, review, game)
    setups.undo(app, review, game)
    assert setup_views.view(app, review, game).rooms == [dark], "what nothing can go back to is forgotten"


def test_a_stand_in_is_not_measured_in_a_light_it_does_not_stand_in(app, bench, phone):
    setup = reviews.setups_of(app.db.connection(), phone)[0].id
    for edit, said in [
        (setups.Edit(room=setup_views.Room("lamp", 40.0)), "room is dark"),
        (setups.Edit(format=setup_views.StatedFormat(range="limited")), "full range"),
    ]:
        setups.change(app, phone, setup, edit)
        with pytest.raises(BadInputError, match=said):
            bench.runs.preview(phone, [Cell(setup, "white_black"), Cell(setup, "grey_ramp")])
        setups.undo(app, phone, setup)


def test_a_recall_list_brings_a_setup_back_step_by_step(app):
    text = "Light 0..50 = 30 (luminance)\nTone 2.0 [2.2] 2.4\nSaving low off*\nSaving = low locks Light\nSaving resets Tone\n"
    review = new_display.add(
        app, new_display.NewDisplay(maker="T", model="W", kind="television", panel="lcd", modes="Film", controls=text)
    )
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    setups.change(app, review, setup, setups.Edit(values={"Light": 20.0, "Saving": "low", "Tone": "2.4"}))
    steps = recall.recall(app, review, setup).steps
    assert [(s.path, s.before, s.value) for s in steps] == [
        ("Light", 30, 20.0),
        ("Saving", "off", "low"),
        ("Tone", "2.2", "2.4"),
    ]
    assert steps[1].locks == ["Light"] and steps[0].locks == []
    menu = displays.display_of(app, review).menu
    state = menu.defaults(menu.modes[0])
    for s in steps:
        state = menu.change(state, menu.modes[0], s.path, s.value)
    assert state == {"Light": 20.0, "Saving": "low", "Tone": "2.4"}


def test_a_recall_list_frees_what_is_locked_as_it_ships_first(app):
    text = "Light 0..50 = 30\nPower low* high\nPower = low locks Light"
    review = new_display.add(
        app, new_display.NewDisplay(maker="T", model="W", kind="television", panel="lcd", modes="Film", controls=text)
    )
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    setups.change(app, review, setup, setups.Edit(values={"Power": "high", "Light": 20.0}))
    steps = recall.recall(app, review, setup).steps
    assert [(s.path, s.frees) for s in steps] == [("Power", ["Light"]), ("Light", [])]
