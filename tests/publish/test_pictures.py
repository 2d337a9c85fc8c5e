"""The pictures of the report, each by itself."""

import shutil
from dataclasses import replace
from itertools import pairwise
from xml.etree import ElementTree

from hypothesis import given
from hypothesis import strategies as st

from lumenar.app.application import Application
from lumenar.app.board.cell_charts import plates
from lumenar.app.figures import cells
from lumenar.publish import pictures
from lumenar.publish.pictures.common import spread
from lumenar.store import reviews


def test_every_picture_of_the_report_lies_within_itself(demo_folder, tmp_path):
    """All that a published picture says can be seen: text at the width of its characters, dots, bars and zones."""
    shutil.copytree(demo_folder, tmp_path / "demo")
    app = Application(tmp_path / "demo")
    drawn = set()
    for review in reviews.review_ids(app.db.connection()):
        for cell in cells.newest(app, review).complete:
            for chart in plates(app, review, cell.setup, cell.measurement, [], None).charts:
                if long_named := [s for s in chart.series if s.setup == 0 and s.role == "measured"]:
                    named = tuple(replace(s, name="W" * 80) if s in long_named else s for s in chart.series)
                    chart = replace(chart, series=named)
                picture = ElementTree.fromstring(pictures.draw(chart))
                width, height = (float(v) for v in picture.get("viewBox").split()[2:])
                drawn.add(chart.key)
                for text in picture.iter("text"):
                    words = "".join(text.itertext())
                    x, y, long = float(text.get("x")), float(text.get("y")), 6.4 * len(words.split("\n")[0])
                    start = x - {"end": long, "middle": long / 2}.get(text.get("text-anchor"), 0)
                    where = (chart.key, words, start, y)
                    assert start >= -6 and start + long <= width + 8 and 0 <= y <= height + 2, where
                for dot in picture.iter("circle"):
                    assert -1 <= float(dot.get("cx")) <= width + 1 and -1 <= float(dot.get("cy")) <= height + 1, (
                        chart.key
                    )
                for bar in picture.iter("rect"):
                    x, y, w, h = (float(bar.get(k)) for k in ("x", "y", "width", "height"))
                    assert min(x, y) >= -1 and min(w, h) >= 0 and x + w <= width + 1 and y + h <= height + 1, chart.key
    app.close()
    assert len(drawn) > 30


@given(st.lists(st.floats(10, 240), min_size=1, max_size=12))
def test_labels_keep_apart_in_their_order_and_within_limits(wanted):
    at = spread(wanted, 12, 10, 240)
    order = sorted(range(len(wanted)), key=lambda i: wanted[i])
    heights = [at[i] for i in order]
    assert all(b - a >= 12 - 1e-9 for a, b in pairwise(heights))
    assert min(heights) >= 10 - 1e-9 and max(heights) <= 240 + 1e-9
    if all(b - a >= 12 for a, b in pairwise(sorted(wanted))):
        assert at == wanted, "moved only where they must be"
