"""Any one patch is read again: the median of three counts, and figures follow."""

import pytest

from lumenar.app.bench.repeat_reading import Reread, patches_of
from lumenar.app.board import board
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.manual import manual_runs
from lumenar.app.setups import new_display, setup_views, setups
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.plan import Cell
from lumenar.store import readings, reviews
from lumenar.store.checksum import reading_sum


@pytest.fixture
def setup(app, bench, phone):
    chosen = reviews.setups_of(app.db.connection(), phone)[0].id
    bench.runs.start(phone, [Cell(chosen, m) for m in ("white_black", "grey_ramp", "hold", "brightness_ladder")])
    bench.runs.finish()
    return chosen


def white(app, review, setup):
    return next(p for p in patches_of(app, review, setup, "white_black") if p.code == "white")


def figure(app, review, measurement="white_black"):
    cells = {c.measurement: c for c in board.board(app, review).rows[0].cells}
    return cells[measurement].figures[0].raw


def misread(app, patch, factor):
    """As if the meter had slipped: what was read stands for another luminance."""
    with app.db.transaction() as db:
        row = db.execute("SELECT * FROM reading WHERE patch_id = ? AND attempt = 1", (patch,)).fetchone()
        X, Y, Z = (factor * row[k] for k in "XYZ")
        db.execute(
            "UPDATE reading SET X = ?, Y = ?, Z = ?, checksum = ? WHERE id = ?",
            (X, Y, Z, reading_sum(patch, X, Y, Z, row["at_s"]), row["id"]),
        )
        db.execute("DELETE FROM computed")
    app.forget()


def test_a_misread_white_is_read_again_and_the_figures_are_right_again(app, bench, phone, setup):
    true, patch = figure(app, phone), white(app, phone, setup)
    assert len(patch.Y) == 1 and patch.place == "10 % of the screen"
    misread(app, patch.patch, 0.8)
    assert figure(app, phone) == pytest.approx(0.8 * true, rel=1e-6)
    again = Reread(app, bench)
    again.start(patch.run, patch.patch)
    bench.occupancy.wait(timeout=240)
    assert again.cell(phone, setup, "white_black").message == "" and figure(app, phone) == pytest.approx(true, rel=0.01)
    Y = white(app, phone, setup).Y
    assert len(Y) == 3 and Y[0] == pytest.approx(0.8 * Y[1], rel=0.02)
    # Cells are as complete as they were.
    assert {c.state for c in board.board(app, phone).rows[0].cells if c.figures} == {"measured"}


@pytest.mark.parametrize("fault", ["time-out", "unplugged"])
def test_a_meter_that_fails_meanwhile_is_told_with_the_cell_and_leaves_it_as_it_was(
    app, bench, phone, setup, fault, monkeypatch
):
    true, patch = figure(app, phone), white(app, phone, setup)
    again = Reread(app, bench)
    whole = bench.equipment.assemble

    def broken(*chosen):
        made = whole(*chosen)
        made.meter.fault = fault
        return made

    monkeypatch.setattr(bench.equipment, "assemble", broken)
    again.start(patch.run, patch.patch)
    bench.occupancy.wait(timeout=240)
    assert "meter" in again.cell(phone, setup, "white_black").message
    assert len(white(app, phone, setup).Y) == 1 and figure(app, phone) == true
    monkeypatch.setattr(bench.equipment, "assemble", whole)
    again.start(patch.run, patch.patch)
    bench.occupancy.wait(timeout=240)
    cell = again.cell(phone, setup, "white_black")
    assert cell.message == "" and len(next(p for p in cell.patches if p.code == "white").Y) == 3


def test_a_step_of_the_ladder_is_read_at_its_own_setting(app, bench, phone, setup):
    patches = patches_of(app, phone, setup, "brightness_ladder")
    low = next(p for p in patches if "at 0" in p.place and p.code == "white")
    Reread(app, bench).start(low.run, low.patch)
    bench.occupancy.wait(timeout=240)
    Y = next(p for p in patches_of(app, phone, setup, "brightness_ladder") if p.patch == low.patch).Y
    assert len(Y) == 3 and Y[1] == pytest.approx(Y[0], rel=0.03)


def test_what_cannot_be_read_again_is_said(app, bench, phone, setup):
    again, patch = Reread(app, bench), white(app, phone, setup)
    with pytest.raises(NotFoundError):
        again.start(patch.run, 10**6)
    with pytest.raises(NotFoundError):
        patches_of(app, phone, setup, "gamut")
    held = next(p for p in patches_of(app, phone, setup, "hold"))
    with pytest.raises(BadInputError, match="as a whole"):
        again.start(held.run, held.patch)
    view = setup_views.view(app, phone, setup)
    control = next(c for c in view.controls if c.kind == "slider" and not c.locked)
    setups.change(app, phone, setup, setups.Edit(values={control.path: control.minimum}))
    with pytest.raises(ConflictError, match="not as it was"):
        again.start(patch.run, patch.patch)
    wall = new_display.add(app, NewDisplay(maker="T", model="W", kind="television", panel="lcd", modes="Film"))
    mine = reviews.setups_of(app.db.connection(), wall)[0].id
    run = bench.runs.start(wall, [Cell(mine, "white_black")])
    with pytest.raises(ConflictError, match="by hand"):
        again.start(run, manual_runs.sheet(app, run).patches[0].patch)
    assert readings.attempts(app.db.connection(), patch.patch) == 1
