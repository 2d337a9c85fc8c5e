"""Meters of one's own, and corrections made elsewhere as a matrix: they belong to a meter by serial and a panel type."""

import datetime

import numpy as np
import pytest

from lumenar.app.board import board
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange import export
from lumenar.app.instruments import named_meters
from lumenar.app.instruments.instruments import Corrector
from lumenar.app.instruments.named_meters import MeterIdentity, StatedCorrection
from lumenar.app.manual import manual_runs
from lumenar.app.manual.manual_runs import Entry
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_display
from lumenar.app.setups.new_display import NewDisplay
from lumenar.bench.plan import Cell
from lumenar.store import reviews, runs

MATRIX = [[1.02, 0.01, 0.0], [0.0, 0.95, 0.01], [0.0, 0.0, 1.1]]
LCD = StatedCorrection("lcd", MATRIX, 0.5, "a spectroradiometer", "Wall 55")


def by_hand(app, bench, meter, panel="lcd", XYZ="90 100 110"):
    """White and black of a new display typed from a named meter; the review and the run."""
    review = new_display.add(app, NewDisplay(maker="Tern", model="Wall", kind="television", panel=panel, modes="Film"))
    setup = reviews.setups_of(app.db.connection(), review)[0].id
    run = bench.runs.start(
        review, [Cell(setup, "white_black")], Options(warm_up=True), named_meters.hand_meter(app, meter)
    )
    sheet = manual_runs.sheet(app, run)
    texts = {(1.0, 1.0, 1.0): XYZ, (0.0, 0.0, 0.0): "0.05 0.05 0.06"}
    manual_runs.enter(app, run, "XYZ", [Entry(p.patch, texts[tuple(p.rgb)]) for p in sheet.patches])
    return review, run


def test_a_matrix_corrects_what_is_typed_from_that_meter_on_that_panel(app, bench):
    mine = named_meters.add(app, MeterIdentity(name="Spot", serial="77", calibrated_on="2026-01-31", floor_cd_m2=0.01))
    twin = named_meters.add(app, MeterIdentity(name="Spot", serial="78"))
    named_meters.add_correction(app, mine, LCD)
    cases = [(mine, "lcd", True), (twin, "lcd", False), (mine, "oled", False)]
    for meter, panel, applies in cases:
        review, run = by_hand(app, bench, meter, panel)
        figures = {f.figure: f for f in board.board(app, review).rows[0].cells[0].figures}
        Y = (np.array(MATRIX) @ [90, 100, 110])[1] if applies else 100.0
        assert figures["white_cd_m2"].raw == pytest.approx(Y), (meter, panel)
        assert ("without a correction" in board.board(app, review).rows[0].cells[0].note) != applies
        kept = export.readings_document(app, review)["meters"][0]
        assert kept["serial"] == ("77" if meter == mine else "78") and ("correction" in kept) == applies
        held = runs.get(app.db.connection(), run)
        assert held.meter.get("floor") == (0.01 if meter == mine else None), "as it was stated, or not at all"
        assert held.meter.get("calibrated_on") == ("2026-01-31" if meter == mine else None)
    views = {m.id: m for m in named_meters.views(app)}
    assert views[mine].corrected_for == ["lcd"] and views[twin].corrected_for == []
    days = (datetime.date.today() - datetime.date(2026, 1, 31)).days
    assert views[mine].calibrated_days_ago == days and views[twin].calibrated_days_ago is None


def test_a_correction_goes_with_its_meter_and_its_uncertainty_is_in_the_figures(app, bench):
    mine = named_meters.add(app, MeterIdentity(name="Spot", serial="77", repeatability_percent=0.1))
    rough, fine = (StatedCorrection("lcd", MATRIX, u, "a lab", "") for u in (5.0, 0.2))
    spreads = []
    for stated in (rough, fine):
        named_meters.add_correction(app, mine, stated)
        named_meters.change(app, mine, MeterIdentity(name="Spot two", serial="77", repeatability_percent=0.1))
        review, _ = by_hand(app, bench, mine)
        spreads.append(board.board(app, review).rows[0].cells[0].figures[0].uncertainty)
    assert spreads[0] > 8 * spreads[1]


def test_what_is_used_stays(app, bench):
    mine = named_meters.add(app, MeterIdentity(name="Spot", serial="77"))
    used = named_meters.add_correction(app, mine, LCD)
    by_hand(app, bench, mine)
    with pytest.raises(ConflictError, match="1 runs were read"):
        named_meters.delete_correction(app, used)
    spare = named_meters.add_correction(app, mine, LCD)
    named_meters.delete_correction(app, spare)
    with pytest.raises(ConflictError, match="has corrections"):
        named_meters.delete(app, mine)
    other = named_meters.add(app, MeterIdentity(name="Lamp"))
    named_meters.delete(app, other)
    view = Corrector(app, bench).view()
    assert [m.identity.name for m in view.named] == ["Spot"] and [c.serial for c in view.corrections] == ["77"]


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"name": " "}, "name"), ({"name": "Spot"}, "serial"), ({"calibrated_on": "31.1.2026"}, "calibrated_on"),
        ({"calibrated_on": "2199-01-01"}, "calibrated_on"), ({"repeatability_percent": 0.0}, "repeatability_percent"),
        ({"floor_cd_m2": -1.0}, "floor_cd_m2"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_meter_is_said(app, change, place):
    named_meters.add(app, MeterIdentity(name="Spot", serial="77"))
    with pytest.raises(BadInputError) as e:
        named_meters.add(app, MeterIdentity(**({"name": "Other", "serial": "77"} | change)))
    assert e.value.place == place and len(named_meters.views(app)) == 1


@pytest.mark.parametrize(
    "matrix",
    [
        [[1, 0, 0], [0, 1, 0]], [[1, 0, 0], [0, 1, 0], [0, 0, float("nan")]], [[1, 0, 0], [1, 0, 0], [0, 0, 1]],
        [[100, 0, 0], [0, 100, 0], [0, 0, 100]], [[1, 0, 0], [0, 1, 0], [0, 0, -1]],
    ],
)  # fmt: skip
def test_a_matrix_that_cannot_be_one_is_refused(app, matrix):
    mine = named_meters.add(app, MeterIdentity(name="Spot"))
    with pytest.raises(BadInputError) as e:
        named_meters.add_correction(app, mine, StatedCorrection("lcd", matrix, 1.0, "a lab", ""))
    assert e.value.place == "matrix"
    with pytest.raises(NotFoundError):
        named_meters.add_correction(app, 99, LCD)
