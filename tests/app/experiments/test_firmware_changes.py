"""What another firmware changed, told from what noise makes."""

import json

import pytest

from lumenar.app.errors import BadInputError
from lumenar.app.experiments import firmware_changes
from lumenar.app.runs.planning import Options
from lumenar.app.setups import new_reviews, setups
from lumenar.app.setups.setups import Edit
from lumenar.bench.plan import Cell
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit
from lumenar.core.figures import session_u
from lumenar.core.measurements import Column
from lumenar.publish.edition import publish
from lumenar.store import reviews

from ...conftest import TELEVISION, setup_of

SESSIONS = [
    ("cd/m²", 100.0, 2.0), ("cd/m² of 10 %", 0.0, 0.0), ("dE2000", 1.0, 0.153), ("dE ITP", 10.0, 0.583), ("L*", 1.0, 0.255),
    ("K", 6500.0, 26.0), ("x : 1", 1000.0, 100.0), ("%", 100.0, 2.062), ("", 2.0, 0.04),
]  # fmt: skip
MEASURED = ("white_black", "grey_ramp", "gamut")


@pytest.fixture
def television(app, units):
    return new_reviews.add_review(app, units[TELEVISION], TELEVISION)


def measure(app, bench, review, *names):
    own = [setup_of(app, review, n).id for n in names]
    bench.runs.start(review, [Cell(s, m) for s in own for m in MEASURED], Options())
    bench.runs.finish()


def update(app, review, version):
    setups.set_firmware(app, reviews.units_of(app.db.connection(), review)[0].id, version)


def test_what_an_update_changed_is_told_and_what_it_left_is_not(app, bench, television):
    measure(app, bench, television, "Reel", "Parlour", "Dozing")
    assert firmware_changes.changes(app, television) == []
    update(app, television, "3.20")
    none_yet = firmware_changes.changes(app, television)[0]
    assert (none_yet.before, none_yet.after, none_yet.figures) == ("3.11", "3.20", [])
    assert none_yet.sentences == ["Not read again with 3.20: all or some of Parlour, Reel and Dozing."]
    measure(app, bench, television, "Reel", "Parlour")
    change = firmware_changes.changes(app, television)[0]
    moved = {f.setup for f in change.figures if f.measurable}
    assert moved == {"Reel"} and {f.setup for f in change.figures} == {"Reel", "Parlour"}
    white = next(f for f in change.figures if f.setup == "Reel" and f.measurable and f.unit == "K")
    assert int(white.before.replace(",", "")) < int(white.after.replace(",", "")), "it has less red"
    said = dict(s.split(":", 1) for s in change.sentences)
    assert said["Parlour"].startswith(" nothing measurable changed (") and "figures changed." in said["Reel"]
    assert change.not_again == ["Dozing"]
    publish(app, television)
    page = "".join(p.read_text() for p in (app.folder / "editions").glob("*/1/*.html"))
    assert "Firmware 3.11 → 3.20" in page and "Parlour: nothing measurable changed" in page


def test_a_firmware_without_an_update_in_the_file_changes_nothing_nor_do_other_settings_count(app, bench, television):
    measure(app, bench, television, "Reel", "Parlour")
    update(app, television, "3.12")
    setups.change(app, television, setup_of(app, television, "Parlour").id, Edit(values={"Image > Backlight": 20}))
    measure(app, bench, television, "Reel", "Parlour")
    change = firmware_changes.changes(app, television)[0]
    assert {f.setup for f in change.figures} == {"Reel"} and not any(f.measurable for f in change.figures)
    # Back again, it is read with what it was.
    update(app, television, "3.11")
    back = firmware_changes.changes(app, television)[0]
    assert (back.before, back.after) == ("3.12", "3.11")


def test_light_that_differs_from_session_to_session_is_no_change(app, bench, television, monkeypatch):
    """However well two readings are told apart."""
    measure(app, bench, television, "Reel", "Parlour")
    update(app, television, "3.12")
    measure(app, bench, television, "Reel", "Parlour")
    monkeypatch.setattr(firmware_changes, "difference_u", lambda key, one, two: 1e-9)
    figures = firmware_changes.changes(app, television)[0].figures
    light = [f for f in figures if f.unit == "cd/m²"]
    assert light and not any(f.measurable for f in figures)


def test_what_is_written_alike_has_not_changed():
    unit = type("Unit", (), {"firmware": "2"})()
    alike = firmware_changes.FigureChange(
        setup="Day",
        measurement="White and black",
        head="White",
        unit="cd/m²",
        before="100",
        after="100",
        measurable=True,
    )
    moved = firmware_changes.FigureChange(
        setup="Day", measurement="Gamut", head="Covered", unit="%", before="96", after="98", measurable=True
    )
    assert firmware_changes._sentences([alike], [], unit) == ["Day: nothing measurable changed (1 figure)."]
    assert firmware_changes._sentences([alike, moved], [], unit) == [
        "Day: Gamut, Covered: 96 → 98 %. 1 of 2 figures changed."
    ]


def test_an_update_mends_what_is_bound_to_the_firmware_before_it(units):
    file = parse_unit(units[TELEVISION])
    mended = file.with_firmware("3.20")
    assert mended.firmware == "3.20" and mended.mode("Match day").gamma != file.mode("Match day").gamma
    assert SimulatedUnit(mended).file.leaks[0].firmware == "3.11" != mended.firmware
    assert file.with_firmware("3.11") is file and file.with_firmware("9").mode("Reel") == file.mode("Reel")


def test_a_sample_that_came_with_an_updates_firmware_has_it(app, units):
    document = json.loads(units[TELEVISION])
    document["samples"] = [{"sample": "B", "serial": "B-1", "firmware": "3.20", "seed": 9}]
    review = new_reviews.add_review(app, json.dumps(document), TELEVISION)
    assert [u.firmware for u in reviews.units_of(app.db.connection(), review)] == ["3.11", "3.20"]
    other = parse_unit(json.dumps(document)).of_sample(parse_unit(json.dumps(document)).samples[0])
    assert other.firmware == "3.20" and other.updates == []


@pytest.mark.parametrize(
    ("updates", "said"),
    [
        ([{"firmware": "3.11"}], "firmware"),
        ([{"firmware": "4", "mode_changes": {"Reel": {"gamma": "steep"}}}], "updates\\[0\\].mode_changes"),
        ([{"firmware": "4", "modes": {}}], "updates"),
    ],
)
def test_wrong_updates_are_refused_with_their_place(app, units, updates, said):
    text = json.dumps({**json.loads(units[TELEVISION]), "updates": updates})
    with pytest.raises((BadInputError, UnitFileError), match=said):
        new_reviews.add_review(app, text, TELEVISION)
    assert reviews.units_of(app.db.connection(), 1) == []


@pytest.mark.parametrize(("unit", "value", "u"), SESSIONS)
def test_what_figures_differ_by_from_session_to_session_goes_by_what_they_are(unit, value, u):
    assert session_u(Column("figure", "Figure", unit), value) == pytest.approx(u, abs=0.001)
