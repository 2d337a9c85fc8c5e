"""What a host reports beside what was measured."""

import pytest

from lumenar.core.host_report import Beside, HostReport, HostReportError, chart_of


@pytest.mark.parametrize(
    ("report", "said"),
    [
        ((0.0, None, None), "most light is above 0"),
        ((12_000.0, None, None), "up to 10,000"),
        ((600.0, 700.0, None), "at most the most light there is, 600"),
        ((600.0, 400.0, 500.0), "least light is below the others"),
        ((600.0, None, -1.0), "least light"),
    ],
)
def test_nonsense_is_refused(report, said):
    with pytest.raises(HostReportError, match=said):
        HostReport(*report)


def test_it_is_said_how_far_off_a_report_is_and_what_to_enter():
    wrong = Beside("Glow", HostReport(1500.0, 600.0, 0.01), 1000.0, 400.0, 1020.0)
    assert wrong.ratio == pytest.approx(1.5)
    assert wrong.words == (
        "The host reports 1500 cd/m² for Glow, 1.50 times the 1000 that it shows; where a game asks, enter 1020."
    )
    right = Beside("Glow", HostReport(1020.0), 1000.0, None, 1020.0)
    assert right.words == "The host reports 1020 cd/m² for Glow, which it shows (1000)."
    low = Beside("Glow", HostReport(800.0), 1000.0, None, None)
    assert "0.80 times the 1000" in low.words
    assert Beside("Glow", HostReport(800.0), None, None, None).words.endswith("its peak is not measured.")


def test_the_picture_stands_where_the_numbers_say():
    rows = [
        Beside("Glow", HostReport(1500.0, 600.0), 1000.0, 400.0, 1020.0),
        Beside("Calm", HostReport(500.0), None, None, None),
    ]
    chart = chart_of(rows)
    assert [r[:4] for r in chart.table.rows] == [("Glow", 1500.0, 1000.0, 1.5), ("Calm", 500.0, None, None)]
    boxes = [m for m in chart.marks if "reported" in m.hint]
    bars = [m for m in chart.marks if "measured" in m.hint]
    notches = [m for m in chart.marks if m.style == "lamp"]
    assert (len(boxes), len(bars), len(notches)) == (3, 2, 1)
    centre = sum(x for x, _ in boxes[0].points[:4]) / 4
    assert 10**centre == pytest.approx(1500) and 10 ** bars[0].points[0][0] == pytest.approx(1000)
    assert 10 ** notches[0].points[0][0] == pytest.approx(1020)
    for m in chart.marks:
        for x, y in m.points:
            assert chart.x.low <= x <= chart.x.high and chart.y.low <= y <= chart.y.high
