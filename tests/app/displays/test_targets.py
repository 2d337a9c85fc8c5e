"""Targets of one's own in a data folder: usable wherever targets are, and in the package."""

import pytest

from lumenar.app.application import Application
from lumenar.app.board import board, cell_charts, comparison
from lumenar.app.displays import targets
from lumenar.app.displays.targets import TargetDefinition
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.exchange import importing
from lumenar.app.exchange.formats import text_as
from lumenar.app.menus import menu_map
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_display, setup_views, setups
from lumenar.bench.plan import Cell
from lumenar.publish.edition import publish
from lumenar.publish.verify import verify
from lumenar.store import reviews
from tests.conftest import FEW

MINE = TargetDefinition(
    title="Studio 160",
    red=(0.68, 0.32),
    green=(0.265, 0.69),
    blue=(0.15, 0.06),
    white=(0.3127, 0.329),
    curve="power",
    gamma=2.4,
    black="zero",
    luminance=160.0,
)


def first(app, review):
    return reviews.setups_of(app.db.connection(), review)[0]


def test_it_is_declared_measured_for_judged_by_and_published(app, bench, phone, tmp_path):
    key = targets.add(app, MINE).key
    setups.change(app, phone, first(app, phone).id, setups.Edit(target=key))
    assert setup_views.view(app, phone, first(app, phone).id).target_title == "Studio 160"
    measured = (*FEW, "saturation", "swatches")
    bench.runs.start(phone, [Cell(first(app, phone).id, m) for m in measured], Options())
    bench.runs.finish()
    row = board.board(app, phone).rows[0]
    assert row.target_title == "Studio 160" and {c.state for c in row.cells if c.measurement in measured} == {
        "measured"
    }
    shown = cell_charts.plates(app, phone, row.setup, "saturation", [], None, [])
    assert shown.target_title == "Studio 160" and "Studio 160" in [t.title for t in shown.targets]
    assert "other" not in {r[0] for c in shown.charts for r in c.table.rows}
    pinned = cell_charts.plates(app, phone, row.setup, "gamut", [], "srgb", [key])
    assert [p.title for p in pinned.pins] == ["Studio 160"]
    words = cell_charts.plates(app, phone, row.setup, "white_black", [], None, []).words
    assert "% from the target's" in words
    assert comparison.compare(app, [row.setup], key).setups[0].name == row.name
    edition = publish(app, phone)
    folder = next((tmp_path / "data").rglob("manifest.json")).parent
    assert edition.number == 1 and not verify(folder).disagreements
    assert any("Studio 160" in page.read_text() for page in folder.rglob("*.html"))
    # Another machine has the target with the file.
    other = Application(tmp_path / "other")
    copy = importing.import_readings(other, text_as(app, phone, "json"), "copy")
    theirs = {c.measurement: [f.text for f in c.figures] for c in board.board(other, copy).rows[0].cells if c.figures}
    mine = {c.measurement: [f.text for f in c.figures] for c in row.cells if c.measurement in theirs}
    assert theirs == mine and len(mine) >= 5
    assert [t.title for t in targets.views(other) if t.id] == ["Studio 160"]
    other.close()


def test_what_declares_it_follows_when_it_changes(app):
    view = targets.add(app, MINE)
    review = new_display.add(
        app,
        new_display.NewDisplay(maker="Tern", model="Wall", kind="monitor", panel="lcd", modes="Print, studio 160\nWeb"),
    )
    assert first(app, review).target == view.key and view.cct_k == pytest.approx(6504, abs=3)
    assert "Print, sdr, Studio 160" in menu_map.menu_map(app, review).modes_text
    changed = targets.change(
        app, view.id, TargetDefinition(**{**vars(MINE), "title": "Studio 120", "luminance": 120.0})
    )
    assert first(app, review).target == changed.key != view.key and changed.setups == 1
    assert "Print, sdr, Studio 120" in menu_map.menu_map(app, review).modes_text
    with pytest.raises(ConflictError, match="one setup declares it"):
        targets.delete(app, view.id)
    setups.change(app, review, first(app, review).id, setups.Edit(target="srgb"))
    targets.delete(app, view.id)
    assert [t.id for t in targets.views(app) if t.id] == []


def test_what_is_wrong_with_it_is_said_with_its_field(app):
    targets.add(app, MINE)
    for change, place in [
        ({"title": "studio 160"}, "title"), ({"title": "sRGB"}, "title"), ({"white": (0.68, 0.32)}, "white"),
        ({"title": "B", "gamma": 9.0}, "gamma"), ({"title": "C", "red": (0.9, 0.9)}, "red"),
    ]:  # fmt: skip
        with pytest.raises(BadInputError) as e:
            targets.add(app, TargetDefinition(**{**vars(MINE), **change}))
        assert e.value.place == place, change
    with pytest.raises(NotFoundError):
        targets.delete(app, 99)
    own = new_display.NewDisplay(maker="A", model="B", kind="monitor", panel="lcd", modes="M")
    with pytest.raises(BadInputError, match="no such target"):
        setups.change(app, new_display.add(app, own), 1, setups.Edit(target="custom|nothing"))
