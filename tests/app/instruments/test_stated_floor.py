"""A meter's floor that is stated after its readings were made: figures near black then have a bound, and it can be taken back."""

from dataclasses import replace

import pytest

from lumenar.app.board import board, cell_charts
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.figures.helper import FigureTask
from lumenar.app.instruments import named_meters
from lumenar.app.instruments.named_meters import MeterIdentity
from lumenar.app.instruments.stated_floor import BEFORE, floor_of, state_floor
from lumenar.app.manual import manual_runs
from lumenar.app.manual.manual_runs import Entry
from lumenar.app.setups import new_display
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.plan import Cell
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.targets import resolve
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify
from lumenar.store import runs

from ..manual.test_manual_runs import MODES, begin, rows, type_all

CHEAP = StatedMeter("Spot", "77")


@pytest.fixture
def oled(app):
    return new_display.add(
        app, NewDisplay(maker="Tern Street", model="Glass 48", kind="television", panel="oled", modes=MODES)
    )


def typed(app, bench, review, meter=CHEAP):
    """A run of white and black by hand in which black shows no number."""
    run = begin(app, bench, review, ("white_black",), meter=meter)
    for p in manual_runs.sheet(app, run).patches:
        text = "<0.01" if p.show == "black" else "171.012 180.004 196.003"
        assert manual_runs.enter(app, run, "XYZ", [Entry(p.patch, text)]).answers[0].kept
    return run


def contrast(app, review):
    cell = next(c for c in board.board(app, review).rows[0].cells if c.measurement == "white_black")
    return next(f.text for f in cell.figures if "contrast" in f.figure)


def charts(app, review, measurement="white_black"):
    return cell_charts.plates(app, review, rows(app, review)[0].id, measurement, [], None)


def test_a_stated_floor_gives_the_bound_and_taking_it_back_gives_the_doubt(app, bench, oled):
    run = typed(app, bench, oled)
    assert contrast(app, oled) == "floor?"
    seen = charts(app, oled)
    assert seen.floor == floor_of(app, run) and not seen.floor.stated and seen.floor.name == "Spot"
    assert "assumed floor" in seen.words
    state_floor(app, run, 0.006)
    assert contrast(app, oled) == "≥ 30\u2009000"
    after = charts(app, oled)
    assert after.floor.stated and after.floor.floor_cd_m2 == 0.006 and "assumed" not in after.words
    state_floor(app, run, 0.06)
    assert contrast(app, oled) == "≥ 3000", "it can be corrected"
    state_floor(app, run, None)
    assert contrast(app, oled) == "floor?" and charts(app, oled).floor == seen.floor
    assert BEFORE not in runs.get(app.db.connection(), run).meter


def test_it_counts_for_every_run_of_the_review_with_that_meter_and_for_no_other(app, bench, oled):
    first, second = typed(app, bench, oled), typed(app, bench, oled)
    other = typed(app, bench, oled, StatedMeter("Spot", "78"))
    assert floor_of(app, first).runs == 2
    state_floor(app, first, 0.02)
    assert floor_of(app, second).floor_cd_m2 == 0.02 and not floor_of(app, other).stated


def test_a_named_meter_without_a_floor_keeps_it_for_the_next_run(app, bench, oled):
    number = named_meters.add(app, MeterIdentity(name="Spot", serial="77"))
    run = typed(app, bench, oled, named_meters.hand_meter(app, number))
    state_floor(app, run, 0.006)
    assert named_meters.hand_meter(app, number).floor_cd_m2 == 0.006
    state_floor(app, run, 0.05)
    assert named_meters.hand_meter(app, number).floor_cd_m2 == 0.006, "what stands in Instruments is not overwritten"
    again = typed(app, bench, oled, named_meters.hand_meter(app, number))
    assert floor_of(app, again) is None


@pytest.mark.parametrize("floor", [0.0, -0.01, 100.1, float("nan"), float("inf")])
def test_a_floor_that_no_meter_has_is_refused_and_changes_nothing(app, bench, oled, floor):
    run = typed(app, bench, oled)
    with pytest.raises(BadInputError, match="floor is above 0") as e:
        state_floor(app, run, floor)
    assert e.value.place == "floor_cd_m2" and not floor_of(app, run).stated
    state_floor(app, run, 100.0)


def test_only_what_was_open_can_be_stated_and_only_once_the_runs_are_over(app, bench, oled, television_floor=0.01):
    with pytest.raises(NotFoundError, match="run 99"):
        state_floor(app, 99, 0.01)
    known = typed(app, bench, oled, replace(CHEAP, name="Other", floor_cd_m2=television_floor))
    assert floor_of(app, known) is None
    with pytest.raises(ConflictError, match="before the run"):
        state_floor(app, known, 0.02)
    done = typed(app, bench, oled)
    going = begin(app, bench, oled, ("white_black",), meter=CHEAP)
    with pytest.raises(ConflictError, match="isn't over"):
        state_floor(app, done, 0.02)
    manual_runs.end(app, going)
    state_floor(app, done, 0.02)


def test_a_published_edition_with_a_floor_stated_later_verifies(app, bench, oled):
    state_floor(app, typed(app, bench, oled), 0.006)
    edition = publish(app, oled)
    assert verify(app.folder / "editions" / edition.address.removeprefix("/published/")).agrees


def test_figures_that_were_being_computed_when_the_floor_was_stated_are_not_kept(app, bench, oled):
    run = typed(app, bench, oled)
    setup = rows(app, oled)[0]
    cell = cells.newest(app, oled).complete[Cell(setup.id, "white_black")]
    since, stale = app.turn, cells.analysis_of(app, cell, resolve(setup.target))
    task = FigureTask(run, setup.id, "white_black", setup.target)

    def kept():
        return app.db.connection().execute("SELECT count(*) FROM computed").fetchone()[0]

    assert kept() == 1
    state_floor(app, run, 0.006)
    assert kept() == 0
    cells.keep_found(app, {task: stale}, since)
    assert kept() == 0
    cells.keep_found(app, {task: cells.analysis_of(app, cell, resolve(setup.target))}, app.turn)
    assert kept() == 1, "what was computed since is kept"
    assert contrast(app, oled) == "≥ 30\u2009000"


def test_a_floor_that_is_stated_while_somebody_looks_is_in_what_is_stored(app, bench, oled, monkeypatch):
    run, analyse, meanwhile = typed(app, bench, oled), cells.analyse, []

    def slowly(*args, **more):
        found = analyse(*args, **more)
        if not meanwhile:
            meanwhile.append(state_floor(app, run, 0.006))
        return found

    monkeypatch.setattr(cells, "analyse", slowly)
    setup = rows(app, oled)[0]
    cells.analysis_of(app, cells.newest(app, oled).complete[Cell(setup.id, "white_black")], resolve(setup.target))
    assert app.db.connection().execute("SELECT count(*) FROM computed").fetchone()[0] == 0 and meanwhile
    assert contrast(app, oled) == "≥ 30\u2009000"


def test_where_black_was_read_nothing_is_asked(app, bench, oled):
    type_all(app, begin(app, bench, oled, ("white_black",), meter=CHEAP))
    assert charts(app, oled).floor is None
